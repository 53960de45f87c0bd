"""Runs the stand-ins on loopback until it is told to stop: `python -m rondine.standins --port 18210 --key-file var/register.key`."""

import argparse
from pathlib import Path

from aiohttp import web

from rondine.standins.register import Register
from rondine.standins.trees import TREES


def main() -> None:
    parser = argparse.ArgumentParser(prog="rondine.standins", description="The stand-ins of the Olmara demo.")
    parser.add_argument("--port", type=int, default=18210, help="loopback port of the tree register (default: 18210)")
    parser.add_argument("--key-file", type=Path, required=True, help="a file with the API key the register asks for")
    parser.add_argument("--rows", type=int, default=TREES, help=f"how many trees there are (default: {TREES})")
    parser.add_argument("--seed", type=int, default=1)
    args = parser.parse_args()
    register = Register(key=args.key_file.read_text().strip(), seed=args.seed, rows=args.rows)
    web.run_app(
        register.application(),
        host="127.0.0.1",
        port=args.port,
        print=lambda text: print("the tree register is up", flush=True),
    )


if __name__ == "__main__":
    main()
