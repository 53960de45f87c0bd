"""./start: sets everything up, then runs the service, a worker and the stand-ins of the Olmara demo."""

import argparse
import secrets
import shutil
import subprocess
import sys
import time
import urllib.request
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent))

from ground import (
    ROOT,
    VAR,
    VENV,
    Cluster,
    Daemon,
    Failed,
    build_console,
    debian_packages,
    digest,
    ended_by,
    free_ports,
    in_parallel,
    is_stamped,
    python_packages,
    run,
    say,
    stamp,
    step,
)

WEB, REGISTER, DATABASE = 18200, 18210, 18232
DAEMONS = ("register", "web", "worker")
#: The other stand-ins, run by the same process as the register.
MORE = ("crew", "seeds", "soil", "soil-tls", "desk", "permits")


def main() -> int:
    parser = argparse.ArgumentParser(
        prog="./start", description="Sets Rondine up on this machine and runs it with its demo world."
    )
    what = parser.add_mutually_exclusive_group()
    what.add_argument("--status", action="store_true", help="what runs, and where")
    what.add_argument("--stop", action="store_true", help="stop everything; the data stays")
    what.add_argument("--fresh", action="store_true", help="throw the data away and start anew")
    args = parser.parse_args()
    cluster = Cluster(VAR / "postgres", DATABASE)
    try:
        if args.status:
            return status(cluster)
        if args.stop:
            return stop(cluster)
        if args.fresh:
            stop(cluster)
            for name in (
                "postgres",
                "postgres-password",
                "people.txt",
                "register.key",
                "ports",
                "secret-key",
                "encryption-keys.json",
            ):
                path = VAR / name
                shutil.rmtree(path) if path.is_dir() else path.unlink(missing_ok=True)
        return start(cluster)
    except Failed as failure:
        return ended_by(failure)
    except KeyboardInterrupt:
        say("\ninterrupted; ./start goes on where it stopped")
        return 130


def start(cluster: Cluster) -> int:
    began = time.monotonic()
    say("Rondine is being set up")
    VAR.mkdir(parents=True, exist_ok=True)
    debian_packages()

    def database() -> None:
        if not cluster.is_running():
            with step("PostgreSQL"):
                cluster.start()

    in_parallel(lambda: python_packages("requirements.lock"), build_console, database)
    env = {"RONDINE_HOME": str(VAR), "RONDINE_DATABASE": cluster.uri()}
    ports = read_ports()
    register_key()
    if not set(MORE) <= set(ports):
        Daemon("register").stop()  # one of an earlier version, with fewer stand-ins
    if Daemon("register").pid() is None:
        free = free_ports(ports.get("register", REGISTER))
        ports |= {name: next(free) for name in ("register", *MORE)}
        Daemon("register").start(
            [
                python(),
                "-m",
                "rondine.standins",
                "--port",
                str(ports["register"]),
                "--key-file",
                str(VAR / "register.key"),
                "--home",
                str(VAR),
                "--more",
                *(f"{name}={ports[name]}" for name in MORE),
            ],
            env,
        )
    prepare(cluster, env, [ports[name] for name in ("register", *MORE)])
    if Daemon("worker").pid() is None:
        Daemon("worker").start([str(VENV / "bin" / "rondine-server"), "work"], env)
    if Daemon("web").pid() is None:
        ports["web"] = next(free_ports(ports.get("web", WEB)))
        Daemon("web").start([str(VENV / "bin" / "rondine-server"), "serve", "--port", str(ports["web"])], env)
    (VAR / "ports").write_text(
        "".join(f"{name}={port}\n" for name, port in {**ports, "postgres": cluster.port}.items())
    )
    with step("waiting for the service"):
        wait_for(f"http://127.0.0.1:{ports['web']}/api/v1/health", Daemon("web"))
        wait_for(f"http://127.0.0.1:{ports['register']}/control", Daemon("register"))
        if Daemon("worker").pid() is None:
            raise Failed(
                f"the worker ended at once\n{Daemon('worker').last_lines()}", f"look at {Daemon('worker').log}"
            )
    welcome(ports, time.monotonic() - began)
    return 0


def prepare(cluster: Cluster, env: dict[str, str], standins: list[int]) -> None:
    """Database, tables and demo people; left out when nothing of that has changed since the last time."""
    migrations = digest(*sorted((ROOT / "src" / "rondine" / "server").glob("*/migrations"))) + digest(
        ROOT / "requirements.lock"
    )
    wanted = f"{cluster.identifier()} {migrations} {standins}"
    if is_stamped("database", wanted) and (VAR / "people.txt").exists():
        return
    with step("tables and demo people"):
        try_create(cluster)
        server = str(VENV / "bin" / "rondine-server")
        run([server, "prepare"], env=env)
        register, *more = map(str, standins)
        people = str(VAR / "people.txt")
        run([server, "demo", "--register-port", register, "--people-file", people, "--more-ports", *more], env=env)
    stamp("database", wanted)


def try_create(cluster: Cluster) -> None:
    code = (
        "import sys, psycopg\n"
        "with psycopg.connect(sys.argv[1], autocommit=True) as c:\n"
        "    if not c.execute(\"SELECT 1 FROM pg_database WHERE datname = 'rondine'\").fetchone(): c.execute('CREATE DATABASE rondine')\n"
    )
    run([python(), "-c", code, cluster.uri("postgres")])


def python() -> str:
    return str(VENV / "bin" / "python")


def register_key() -> None:
    """The stand-in's API key, made once."""
    path = VAR / "register.key"
    if not path.exists():
        path.touch(mode=0o600)
        path.write_text(secrets.token_hex(16))


def read_ports() -> dict[str, int]:
    path = VAR / "ports"
    return (
        {name: int(port) for name, port in (line.split("=") for line in path.read_text().split())}
        if path.exists()
        else {}
    )


def wait_for(url: str, daemon: Daemon, seconds: float = 60) -> None:
    until = time.monotonic() + seconds
    while time.monotonic() < until:
        try:
            with urllib.request.urlopen(url, timeout=5) as answer:
                if answer.status == 200:
                    return
        except OSError:
            pass
        if daemon.pid() is None:
            break
        time.sleep(0.05)
    raise Failed(f"{daemon.name} does not respond\n{daemon.last_lines()}", f"look at {daemon.log}")


def welcome(ports: dict[str, int], seconds: float) -> None:
    people = [line.split() for line in (VAR / "people.txt").read_text().splitlines()]
    shown = VAR.relative_to(ROOT) if VAR.is_relative_to(ROOT) else VAR
    rondine = (VENV / "bin" / "rondine").relative_to(ROOT)
    say(f"\nRondine is up after {seconds:.0f} s.\n\n  console   http://127.0.0.1:{ports['web']}\n  sign in as")
    for name, password, *role in people:
        say(f"    {name:<6} {password:<34} {' '.join(role)}")
    say(
        f"\n  The tree register, a stand-in for an outside service, is at http://127.0.0.1:{ports['register']}; its API key is in {shown}/register.key. Crew board, seed store, soil laboratory, inspection desk and permit counter are beside it: {shown}/ports, {shown}/standins.json.\n\n"
        f"Next: walk from an address to kept records, and look at the result in the console\n\n"
        f"  {rondine} --url http://127.0.0.1:{ports['web']} login mira\n  {rondine} guide\n  {rondine} guide import      definitions: OpenAPI, OData and GraphQL\n  {rondine} guide sign-in     the ways to sign in, at the other stand-ins\n\n"
        "./start --status says what runs, ./start --stop stops it."
    )


def status(cluster: Cluster) -> int:
    ports = read_ports()
    is_up = (cluster.data / "PG_VERSION").exists() and cluster.is_running()
    say(f"  postgres  {'runs on port ' + str(cluster.port) if is_up else 'does not run'}")
    up = [is_up]
    for name in DAEMONS:
        pid = Daemon(name).pid()
        up.append(pid is not None)
        place = f" at http://127.0.0.1:{ports[name]}" if pid and name in ports else ""
        say(f"  {name:<9} {f'runs{place} (pid {pid}, log {Daemon(name).log})' if pid else 'does not run'}")
    if not all(up):
        say("\n./start starts what is missing.")
    return 0 if all(up) else 3


def stop(cluster: Cluster) -> int:
    for name in reversed(DAEMONS):
        if Daemon(name).stop():
            say(f"  {name} is stopped")
    if (cluster.data / "PG_VERSION").exists() and cluster.is_running():
        cluster.stop()
        say("  postgres is stopped")
    return 0


if __name__ == "__main__":
    try:
        sys.exit(main())
    except subprocess.SubprocessError as error:
        sys.exit(str(error))
