"""Runs the stand-ins on loopback until it is told to stop.

python -m rondine.standins --port 18210 --key-file var/register.key python -m rondine.standins ... --home var --more
crew=18211 seeds=18212 soil=18213 soil-tls=18214 desk=18215 permits=18216
"""

import argparse
import asyncio
import ssl
import tempfile
from pathlib import Path

from aiohttp import web

from rondine.standins.crew_board import CrewBoard
from rondine.standins.inspection_desk import InspectionDesk
from rondine.standins.papers import Papers, papers_in
from rondine.standins.permit_counter import PermitCounter
from rondine.standins.register import Register
from rondine.standins.seed_store import SeedStore
from rondine.standins.soil_lab import SoilLab
from rondine.standins.trees import TREES

MORE = ("crew", "seeds", "soil", "soil-tls", "desk", "permits")


def main() -> None:
    parser = argparse.ArgumentParser(prog="rondine.standins", description="The stand-ins of the Olmara demo.")
    parser.add_argument("--port", type=int, default=18210, help="loopback port of the tree register (default: 18210)")
    parser.add_argument("--key-file", type=Path, required=True, help="a file with the API key the register asks for")
    parser.add_argument("--rows", type=int, default=TREES, help=f"how many trees there are (default: {TREES})")
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--home", type=Path, help="folder with the others' secrets, standins.json; made if missing")
    parser.add_argument("--more", nargs="*", default=[], metavar="NAME=PORT", help=f"others to run: {', '.join(MORE)}")
    args = parser.parse_args()
    more = dict(one.split("=", 1) for one in args.more)
    if set(more) - set(MORE) or (more and args.home is None):
        parser.error(f"--more takes {', '.join(MORE)}, and needs --home")
    asyncio.run(run(args, {name: int(port) for name, port in more.items()}))


async def run(args: argparse.Namespace, more: dict[str, int]) -> None:
    register = Register(key=args.key_file.read_text().strip(), seed=args.seed, rows=args.rows)
    await up(register.application(), args.port)
    if more:
        papers = papers_in(args.home)
        soil = SoilLab(papers.soil_user, papers.soil_password, papers.soil_key, papers.soil_secret)
        made = {
            "crew": lambda: CrewBoard(client_id=papers.crew_client, client_secret=papers.crew_secret).application(),
            "seeds": lambda: SeedStore(
                client_id=papers.seeds_client,
                client_secret=papers.seeds_secret,
                public_key=papers.seeds_public_key,
            ).application(),
            "soil": soil.application,
            "soil-tls": soil.application,
            "permits": PermitCounter(papers.soil_user, papers.soil_password).application,
            "desk": InspectionDesk(token=papers.desk_token).application,
        }
        for name, port in more.items():
            await up(made[name](), port, tls_of(papers) if name == "soil-tls" else None)
    print("the stand-ins are up", flush=True)
    await asyncio.Event().wait()


async def up(application: web.Application, port: int, tls: ssl.SSLContext | None = None) -> None:
    runner = web.AppRunner(application)
    await runner.setup()
    await web.TCPSite(runner, "127.0.0.1", port, ssl_context=tls).start()


def tls_of(papers: Papers, *, needs_client: bool = True) -> ssl.SSLContext:
    """TLS that asks every caller for a certificate of the test authority."""
    context = ssl.create_default_context(ssl.Purpose.CLIENT_AUTH, cadata=papers.authority)
    with tempfile.NamedTemporaryFile("w", suffix=".pem") as file:
        file.write(papers.server_certificate + papers.server_private_key)
        file.flush()
        context.load_cert_chain(file.name)
    context.verify_mode = ssl.CERT_REQUIRED if needs_client else ssl.CERT_NONE
    return context


if __name__ == "__main__":
    main()
