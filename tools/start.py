"""./start: sets everything up, then runs the service, a worker and the stand-ins of the Olmara demo."""

import argparse
import os
import secrets
import shutil
import subprocess
import sys
import time
import urllib.request
from pathlib import Path
from typing import Any

sys.path.insert(0, str(Path(__file__).parent))

from ground import (
    CONSOLE,
    POSTGRES,
    ROOT,
    VAR,
    VENV,
    Cluster,
    Failed,
    build_console,
    debian_packages,
    digest,
    ended_by,
    free_ports,
    in_parallel,
    is_stamped,
    listens,
    python_packages,
    run,
    say,
    stamp,
    step,
)
from supervision import Program, Supervisor

WEB, REGISTER, DATABASE, TREE_DESK = 18200, 18210, 18232, 18240
PROGRAMS = ("postgres", "register", "worker", "web", "tree-desk")
#: The example application, and what it needs to be told.
EXAMPLE, EXAMPLE_SETTINGS = ROOT / "examples" / "desk", VAR / "tree-desk.json"
#: The other stand-ins, run by the same process as the register.
MORE = ("crew", "seeds", "soil", "soil-tls", "desk", "permits")
#: What --fresh throws away.
DATA = (
    "postgres",
    "postgres-password",
    "people.txt",
    "register.key",
    "ports",
    "database",
    "secret-key",
    "encryption-keys.json",
    "prepared",
    "tree-desk.json",
    "tree-desk",
)


def main() -> int:
    parser = argparse.ArgumentParser(
        prog="./start", description="Sets Rondine up on this machine and runs it with its demo world."
    )
    what = parser.add_mutually_exclusive_group()
    what.add_argument("--status", action="store_true", help="what runs, and where")
    what.add_argument("--stop", action="store_true", help="stop everything; the data stays")
    what.add_argument("--fresh", action="store_true", help="throw the data away and start anew")
    args = parser.parse_args()
    os.environ.pop("RONDINE_DATABASE", None)  # this installation has a database of its own
    cluster = Cluster(VAR / "postgres", DATABASE)
    try:
        if args.status:
            return status()
        if args.stop:
            return stop(cluster)
        if args.fresh:
            stop(cluster)
            for name in DATA:
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
    in_parallel(lambda: python_packages("requirements.lock"), build_console, cluster.make)
    register_key()
    supervisor = Supervisor()
    if not supervisor.is_up():
        cluster.stop()  # one that nobody watches over
    ports = chosen_ports(supervisor)
    keep_address(cluster, ports["postgres"])
    programs, example = programs_at(ports, cluster), example_at(ports)
    if not is_prepared(cluster, ports):
        with step("PostgreSQL"):
            supervisor.run([program for program in programs if program.name in ("postgres", "register")])
            wait_for_database(ports["postgres"], supervisor)
        prepare(cluster, ports)
    is_set_up = is_stamped(VAR / "tree-desk", example_from(cluster, ports)) and EXAMPLE_SETTINGS.exists()
    supervisor.run([*programs, example] if is_set_up else programs)
    (VAR / "ports").write_text("".join(f"{name}={port}\n" for name, port in ports.items()))
    with step("waiting for the service"):
        wait_for_database(ports["postgres"], supervisor)
        wait_for(f"http://127.0.0.1:{ports['web']}/api/v1/health", "web", supervisor)
        wait_for(f"http://127.0.0.1:{ports['register']}/control", "register", supervisor)
        if supervisor.processes()["worker"]["statename"] not in ("RUNNING", "STARTING"):
            raise failed("worker")
    try:
        if not is_set_up:
            with step("the tree desk, an example of an application"):
                set_up_example(ports)
                supervisor.run([*programs, example])
            stamp(VAR / "tree-desk", example_from(cluster, ports))
        wait_for(f"http://127.0.0.1:{ports['tree-desk']}/days", "tree-desk", supervisor)
    except Failed as failure:  # the service runs without its example
        say(f"\n{failure}\n")
    welcome(ports, time.monotonic() - began)
    return 0


def chosen_ports(supervisor: Supervisor) -> dict[str, int]:
    """Those our processes listen on; for what does not listen yet, the ones of the last time or, where another process
    has taken them, the next free ones. What the supervisor says is not asked: one that keeps ending is STARTING every
    few seconds."""
    ports = read_ports()
    pids = {name: one["pid"] for name, one in supervisor.processes().items()}

    def is_ours(name: str) -> bool:
        return name in ports and listens(pids.get(name, 0), ports[name])

    for name, first in (("postgres", DATABASE), ("web", WEB), ("tree-desk", TREE_DESK)):
        if not is_ours(name):
            ports[name] = next(free_ports(ports.get(name, first)))
    standins = ("register", *MORE)
    if not is_ours("register") or not set(standins) <= set(ports):
        free = free_ports(ports.get("register", REGISTER))
        ports |= {name: next(free) for name in standins}
    return ports


def keep_address(cluster: Cluster, port: int) -> None:
    """Where `rondine-server` looks for the address of the database, also when somebody runs it by hand."""
    path = VAR / "database"
    path.touch(mode=0o600)
    path.write_text(cluster.uri(port=port))


def programs_at(ports: dict[str, int], cluster: Cluster) -> list[Program]:
    """What is to run. One whose command or environment differs from what runs is started anew, so both say what its
    code was made from."""
    code = digest(ROOT / "requirements.lock", *sorted((ROOT / "src" / "rondine").rglob("*.py")))[:16]
    console = (CONSOLE / "dist" / ".made-from").read_text()[:16]
    env = {"RONDINE_HOME": str(VAR), "PYTHONUNBUFFERED": "1", "RONDINE_CODE": code}
    service = {**env, "RONDINE_DATABASE_PORT": str(ports["postgres"])}  # the address itself is read from a file
    telling = {**service, "RONDINE_ADDRESS": f"http://127.0.0.1:{ports['web']}"}
    server = str(VENV / "bin" / "rondine-server")
    more = [f"{name}={ports[name]}" for name in MORE]
    standins = ["--port", str(ports["register"]), "--key-file", str(VAR / "register.key"), "--home", str(VAR)]
    return [
        Program(
            "postgres", cluster.words(ports["postgres"]), order=1, stop="INT", orphaned="INT", before=cluster.before
        ),
        Program("register", [python(), "-m", "rondine.standins", *standins, "--more", *more], env, order=5),
        Program("worker", [server, "work"], telling, order=10),
        Program("web", [server, "serve", "--port", str(ports["web"])], {**telling, "RONDINE_BUILD": console}, order=20),
    ]


def example_at(ports: dict[str, int]) -> Program:
    env = {"DESK_SETTINGS": str(EXAMPLE_SETTINGS), "PYTHONUNBUFFERED": "1"}
    env["DESK_CODE"] = digest(*sorted((EXAMPLE / "desk").rglob("*.py")))[:16]  # another one starts it anew
    address = f"127.0.0.1:{ports['tree-desk']}"
    words = [python(), str(EXAMPLE / "manage.py"), "runserver", "--noreload", address]
    return Program("tree-desk", words, env, order=30)


def example_from(cluster: Cluster, ports: dict[str, int]) -> str:
    code = digest(*sorted(EXAMPLE.glob("*.py")))
    return f"{cluster.identifier()} {code} {[ports[name] for name in ('web', 'register', *MORE, 'tree-desk')]}"


def set_up_example(ports: dict[str, int]) -> None:
    """Its project in Rondine, by its own script, as anybody would run it."""
    at = {name: f"http://127.0.0.1:{ports[name]}" for name in ("web", "register", *MORE, "tree-desk")}
    run(
        [
            *(python(), str(EXAMPLE / "set_up.py"), "--url", at["web"], "--people", str(VAR / "people.txt")),
            *("--register", at["register"], "--register-key", str(VAR / "register.key"), "--crew", at["crew"]),
            *("--soil", at["soil"], "--inspections", at["desk"], "--seeds", at["seeds"], "--permits", at["permits"]),
            *("--papers", str(VAR / "standins.json"), "--desk", at["tree-desk"]),
            *("--settings", str(EXAMPLE_SETTINGS)),
        ]
    )


def is_prepared(cluster: Cluster, ports: dict[str, int]) -> bool:
    return is_stamped(VAR / "prepared", prepared_from(cluster, ports)) and (VAR / "people.txt").exists()


def prepared_from(cluster: Cluster, ports: dict[str, int]) -> str:
    migrations = digest(
        ROOT / "requirements.lock", *sorted((ROOT / "src" / "rondine").glob("server/*/migrations/*.py"))
    )
    return f"{cluster.identifier()} {migrations} {[ports[name] for name in ('register', *MORE)]}"


def prepare(cluster: Cluster, ports: dict[str, int]) -> None:
    """Database, tables and demo people."""
    env = {"RONDINE_HOME": str(VAR)}
    with step("tables and demo people"):
        try_create(cluster, ports["postgres"])
        server = str(VENV / "bin" / "rondine-server")
        run([server, "prepare"], env=env)
        register, *more = (str(ports[name]) for name in ("register", *MORE))
        people = str(VAR / "people.txt")
        run([server, "demo", "--register-port", register, "--people-file", people, "--more-ports", *more], env=env)
    stamp(VAR / "prepared", prepared_from(cluster, ports))


def try_create(cluster: Cluster, port: int) -> None:
    code = (
        "import sys, psycopg\n"
        "with psycopg.connect(sys.argv[1], autocommit=True) as c:\n"
        "    if not c.execute(\"SELECT 1 FROM pg_database WHERE datname = 'rondine'\").fetchone():"
        " c.execute('CREATE DATABASE rondine')\n"
    )
    run([python(), "-c", code, cluster.uri("postgres", port)])


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


def wait_for(url: str, name: str, supervisor: Supervisor, seconds: float = 60) -> None:
    until = time.monotonic() + seconds
    while time.monotonic() < until:
        try:
            with urllib.request.urlopen(url, timeout=5) as answer:
                if answer.status == 200:
                    return
        except OSError:
            pass
        if does_not_start(name, supervisor):
            break
        time.sleep(0.05)
    raise failed(name)


def wait_for_database(port: int, supervisor: Supervisor, seconds: float = 60) -> None:
    until = time.monotonic() + seconds
    words = [str(POSTGRES / "pg_isready"), "-q", "-h", "127.0.0.1", "-p", str(port)]
    while subprocess.run(words, check=False).returncode:
        if does_not_start("postgres", supervisor) or time.monotonic() > until:
            raise failed("postgres")
        time.sleep(0.1)


def does_not_start(name: str, supervisor: Supervisor) -> bool:
    """Whether a program has ended several times in a row."""
    tried = supervisor.processes().get(name, {})
    return tried.get("statename") == "BACKOFF" and time.time() - supervisor.config.stat().st_mtime > 8


def failed(name: str) -> Failed:
    program = Program(name, [])
    return Failed(f"{name} does not run\n{program.last_lines()}", f"look at {program.log}")


def welcome(ports: dict[str, int], seconds: float) -> None:
    people = [line.split() for line in (VAR / "people.txt").read_text().splitlines()]
    shown = VAR.relative_to(ROOT) if VAR.is_relative_to(ROOT) else VAR
    rondine = (VENV / "bin" / "rondine").relative_to(ROOT)
    say(f"\nRondine is up after {seconds:.0f} s.\n\n  console   http://127.0.0.1:{ports['web']}\n  sign in as")
    for name, password, *role in people:
        say(f"    {name:<6} {password:<34} {' '.join(role)}")
    register = f"http://127.0.0.1:{ports['register']}"
    say(
        "\n  The demo's outside service is the tree register, a stand-in."
        " In the console: Services, Connect a service, with\n"
        f"    base address      {register}\n"
        "    header            X-Register-Key\n"
        f"    API key           {(VAR / 'register.key').read_text().strip()}\n"
        f"    then an address   {register}/v1/trees?limit=100\n"
        "  For work of your own sign in as ada: the project's name at the top, New project.\n"
        "  Crew board, seed store, soil laboratory, inspection desk and permit counter are beside it:"
        f" {shown}/ports, {shown}/standins.json.\n\n"
        f"  The tree desk, an example of an application over Rondine: http://127.0.0.1:{ports['tree-desk']}\n\n"
        "Or walk from an address to kept records by command, and look at the result in the console\n\n"
        f"  {rondine} --url http://127.0.0.1:{ports['web']} login mira\n"
        f"  {rondine} guide\n"
        f"  {rondine} guide import      definitions: OpenAPI, OData and GraphQL\n"
        f"  {rondine} guide sign-in     the ways to sign in, at the other stand-ins\n"
        f"  {rondine} guide live        records found and changed at their service\n"
        f"  {rondine} guide flow        several services in one answer\n\n"
        "./start --status says what runs, ./start --stop stops it."
    )


def status() -> int:
    ports, processes = read_ports(), Supervisor().processes()
    states = []
    for name in PROGRAMS:
        process, port = processes.get(name, {}), ports.get(name)
        state = state_of(process, port)
        states.append(state)
        log = Program(name, []).log
        at = f" at {'http://' if name != 'postgres' else ''}127.0.0.1:{port}" if port else ""
        since = process.get("now", 0) - process.get("start", 0)
        if state == "runs":
            uptime = process["description"].partition("uptime ")[2]
            again = ", started again after it had ended" if was_started_again(process) and since < 60 else ""
            age = f"for {uptime}" if uptime else "just started"
            say(f"  {name:<9} runs{at} (pid {process['pid']}, {age}{again}, log {log})")
        elif state == "starts":
            say(f"  {name:<9} was started {since} s ago (pid {process['pid']}, log {log}); it does not listen{at} yet")
        elif state == "ends":
            how = (
                f"ended and was started again {since} s ago; it does not listen{at} yet"
                if process["statename"] in ("RUNNING", "STARTING")
                else "keeps ending; it is tried again a second later each time"
            )
            say(f"  {name:<9} {how}. Its log, {log}, ends so:")
            say("".join(f"            {line}\n" for line in Program(name, []).last_lines(4).splitlines()).rstrip())
        else:
            say(f"  {name:<9} does not run")
    if set(states) == {"runs", "starts"}:
        say("\nAsk again in a few seconds.")
    elif set(states) != {"runs"}:
        say("\n./start starts what is missing.")
    return 0 if set(states) == {"runs"} else 3


def state_of(process: dict[str, Any], port: int | None) -> str:
    """`runs`, `starts`, `ends` (once or again and again) or `stopped`. That a process lives says little: one that takes
    long to find that it cannot go on is RUNNING to the supervisor most of the time. So what has a port is asked of the
    kernel."""
    name = process.get("statename")
    if name in ("BACKOFF", "FATAL"):
        return "ends"
    if name not in ("RUNNING", "STARTING"):
        return "stopped"
    if port is None or listens(process["pid"], port):
        return "runs"
    return "ends" if was_started_again(process) else "starts"


def was_started_again(process: dict[str, Any]) -> bool:
    """Whether the supervisor started it because it had ended: it does so within a second or two."""
    return 0 <= process["start"] - process["stop"] <= 3


def stop(cluster: Cluster) -> int:
    supervisor = Supervisor()
    running = [name for name in PROGRAMS if name in supervisor.processes()]
    if supervisor.stop():
        say(f"  {', '.join(reversed(running))} are stopped")
    if (cluster.data / "PG_VERSION").exists():
        cluster.stop()
    return 0


if __name__ == "__main__":
    try:
        sys.exit(main())
    except subprocess.SubprocessError as error:
        sys.exit(str(error))
