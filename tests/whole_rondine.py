"""A whole Rondine for tests: real processes, real PostgreSQL, loopback only."""

import os
import secrets
import signal
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import httpx
import psycopg

from rondine.standins.papers import Papers, papers_in
from rondine_client import Client, Project
from tests import described

ROOT = Path(__file__).resolve().parent.parent
sys.path.insert(0, str(ROOT / "tools"))
from ground import die_with_parent, free_ports, is_alive  # noqa: E402


class WholeRondine:
    """home: for keys, people and logs.  name: of its database, where a process has several."""

    def __init__(self, home: Path, name: str = "whole") -> None:
        self.home = home
        self.cluster_uri = os.environ["RONDINE_DATABASE"]
        self.database = f"rondine_{name}_{os.getpid()}"
        self.uri = self.cluster_uri.rpartition("/")[0] + f"/{self.database}"
        self.env = {
            **os.environ,
            "RONDINE_HOME": str(home),
            "RONDINE_DATABASE": self.uri,
            "PYTHONPATH": str(ROOT / "src"),
        }
        self.processes: dict[str, subprocess.Popen[bytes]] = {}
        worker = int(os.environ.get("PYTEST_XDIST_WORKER", "gw0").removeprefix("gw"))
        ports = free_ports(18300 + 60 * worker)
        self.port, self.register_port, self.smtp_port = next(ports), next(ports), next(ports)
        self.env["RONDINE_SMTP"] = f"smtp://127.0.0.1:{self.smtp_port}"
        self.more = {name: next(ports) for name in ("crew", "seeds", "soil", "soil-tls", "desk", "permits")}
        self.url = f"http://127.0.0.1:{self.port}"
        self.env["RONDINE_ADDRESS"] = self.url
        self.register_url = f"http://127.0.0.1:{self.register_port}"
        self.key = secrets.token_hex(16)
        self._tokens: dict[str, str] = {}

    def start(self) -> None:
        with psycopg.connect(self.cluster_uri, autocommit=True) as connection:
            connection.execute(f"CREATE DATABASE {self.database}")  # type: ignore[arg-type]
        (self.home / "register.key").write_text(self.key)
        self.run_server("prepare")
        self.run_server(
            "demo",
            "--register-port",
            str(self.register_port),
            "--more-ports",
            *map(str, self.more.values()),
            "--people-file",
            str(self.home / "people.txt"),
        )
        self.spawn(
            "register",
            "-m",
            "rondine.standins",
            "--port",
            str(self.register_port),
            "--key-file",
            str(self.home / "register.key"),
            "--home",
            str(self.home),
            "--more",
            *(f"{name}={port}" for name, port in self.more.items()),
        )
        described.PORTS.add(self.port)
        self.spawn("web", "-m", "rondine.server.main", "serve", "--port", str(self.port))
        self.start_worker()
        wait_until(lambda: responds(f"{self.url}/api/v1/health") and responds(f"{self.register_url}/control"))

    def stop(self) -> None:
        for name in list(self.processes):
            self.end(name)
        with psycopg.connect(self.cluster_uri, autocommit=True) as connection:
            connection.execute(f"DROP DATABASE {self.database} WITH (FORCE)")  # type: ignore[arg-type]

    def run_server(self, *words: str) -> None:
        subprocess.run([sys.executable, "-m", "rondine.server.main", *words], env=self.env, cwd=ROOT, check=True)

    def spawn(self, name: str, *words: str) -> None:
        with (self.home / f"{name}.log").open("ab") as log:
            self.processes[name] = subprocess.Popen(
                [sys.executable, *words],
                env=self.env,
                cwd=ROOT,
                stdout=log,
                stderr=log,
                stdin=subprocess.DEVNULL,
                preexec_fn=die_with_parent,
            )

    def start_worker(self) -> None:
        self.spawn("worker", "-m", "rondine.server.main", "work")

    def end(self, name: str, how: int = signal.SIGTERM) -> None:
        process = self.processes.pop(name)
        process.send_signal(how)
        try:
            process.wait(15)
        except subprocess.TimeoutExpired:
            process.kill()
            process.wait(5)
        assert not is_alive(process.pid)

    def check(self) -> None:
        """Says which process has ended by itself, with the end of its log, and starts it again, so that one test fails
        and not all that come after it."""
        for name, process in list(self.processes.items()):
            if (code := process.poll()) is not None:
                words = [str(word) for word in process.args[1:]]  # type: ignore[index, union-attr]
                self.spawn(name, *words)
                wait_until(lambda: responds(f"{self.url}/api/v1/health"))
                end = (self.home / f"{name}.log").read_text(errors="replace")[-3000:]
                raise AssertionError(f"{name} has ended by itself ({code}); its log ends:\n{end}")

    @property
    def passwords(self) -> dict[str, str]:
        return dict(line.split()[:2] for line in (self.home / "people.txt").read_text().splitlines())  # type: ignore[misc]

    def client(self, person: str = "mira") -> Client:
        if person not in self._tokens:
            with Client(self.url) as client:
                self._tokens[person] = client.sign_in(person, self.passwords[person])
        return Client(self.url, self._tokens[person])

    def token(self, person: str = "mira") -> str:
        if person not in self._tokens:
            self.client(person).close()
        return self._tokens[person]

    def office(self, person: str = "mira") -> Project:
        return self.client(person).project("olmara")

    def outside(self, name: str) -> str:
        """The address of another stand-in: crew, seeds, soil, soil-tls, desk or permits."""
        return f"{'https' if name.endswith('tls') else 'http'}://127.0.0.1:{self.more[name]}"

    @property
    def papers(self) -> Papers:
        """The secrets that the stand-ins gave to the tree office."""
        return papers_in(self.home)

    def tell(self, name: str, **how: Any) -> dict[str, Any]:
        """Tells another stand-in how to behave; nothing: well."""
        return httpx.put(f"{self.outside(name)}/control", json=how).raise_for_status().json()  # type: ignore[no-any-return]

    def sign_in(
        self, name: str, base_address: str, sign_in: dict[str, Any], secrets: dict[str, str], **document: Any
    ) -> str:
        """A service with a connection in test that signs in so. Gives its name, which is the service's and the
        connection's."""
        office = self.office()
        office.services.make(name)
        office.credentials.make(f"{name}-key", environment="test")
        if secrets:
            office.credentials.set_secrets(f"{name}-key", **secrets)
        office.connections.make(
            name,
            service=name,
            environment="test",
            credential=f"{name}-key",
            document={"base_address": base_address, "sign_in": sign_in, **document},
        )
        return name

    def control(self, **how: Any) -> None:
        """Tells the register how to behave; nothing: well."""
        httpx.put(f"{self.register_url}/control", json=how).raise_for_status()

    def permit(self, port: int) -> None:
        try:
            self.office("ada").hosts.permit("127.0.0.1", port, is_private=True)
        except Exception as error:
            if "already" not in str(error):
                raise

    def connect(self, name: str, base_address: str | None = None, *, key: str | None = None, **document: Any) -> str:
        """A service with a connection in test; to the register, with its key, unless an address is given. Gives the
        service's name."""
        office = self.office()
        office.services.make(name)
        credential = None
        if base_address is None:
            base_address, key = self.register_url, key or self.key
            document["sign_in"] = {"type": "api_key", "name": "X-Register-Key"}
        if key:
            credential = f"{name}-key"
            office.credentials.make(credential, environment="test")
            office.credentials.set_secrets(credential, key=key)
        office.connections.make(
            f"{name}-test",
            service=name,
            environment="test",
            credential=credential,
            document={"base_address": base_address, **document},
        )
        return name

    def feed(
        self,
        name: str,
        path: str,
        *,
        paging: dict[str, Any] | None = None,
        limit: int = 200,
        parameter: str = "limit",
        key: str = "number",
        rows: str = "$.trees[*]",
        service: str | None = None,
    ) -> str:
        """A feed of all trees at a path of the register, its record type and mapping proposed from the first page. All
        are called `name`."""
        office = self.office()
        service = service or self.connect(name)
        query = [{"name": parameter, "value": str(limit)}] if parameter else []
        document = {"path": path, "query": query, **({"paging": paging} if paging else {})}
        office.operations.make(name, service=service, document=document)
        trial = office.trials.send(service=service, operation=name)
        assert trial["body"], trial
        found = office.mappings.propose(trial["body"], rows=[rows], name=name)
        found["record_type"]["key"] = [key]
        office.record_types.make(name, document=found["record_type"])
        office.mappings.make(name, service=service, document=found["mapping"])
        office.feeds.make(name, operation=name, mapping=name, environment="test")
        return name

    def finish(self, feed: str) -> dict[str, Any]:
        """Runs a feed to its end."""
        office = self.office()
        return self.watch(office.feeds.run(feed)["id"])

    def watch(self, run_id: int) -> dict[str, Any]:
        *_, last = self.office().runs.watch(run_id)
        return last

    def cli(
        self, *words: str, person: str = "mira", stdin: str = "", check: bool = True
    ) -> subprocess.CompletedProcess[str]:
        env = {
            **self.env,
            "RONDINE_URL": self.url,
            "RONDINE_TOKEN": self.token(person),
            "RONDINE_PROJECT": "olmara",
            "RONDINE_CLI_HOME": str(self.home / "cli"),
        }
        found = subprocess.run(
            [sys.executable, "-m", "rondine_cli.main", *words],
            env=env,
            cwd=ROOT,
            input=stdin,
            capture_output=True,
            text=True,
            check=False,
        )
        assert not check or found.returncode == 0, found.stderr
        return found

    def sql(self, statement: str, *values: Any) -> list[Any]:
        with psycopg.connect(self.uri, autocommit=True) as connection:
            return connection.execute(statement, values).fetchall()  # type: ignore[arg-type]


def resident(pid: int) -> int:
    """The memory that a process holds, in bytes."""
    return int(Path(f"/proc/{pid}/statm").read_text().split()[1]) * os.sysconf("SC_PAGE_SIZE")


def responds(url: str) -> bool:
    try:
        return httpx.get(url, timeout=10).status_code == 200
    except httpx.HTTPError:
        return False


@contextmanager
def running(words: list[str], address: str) -> Iterator[None]:
    """Another server, from when it answers at an address until the end of the block."""

    def answers() -> bool:
        try:
            return httpx.get(address).is_success
        except httpx.TransportError:
            return False

    process = subprocess.Popen(words, stderr=subprocess.DEVNULL, preexec_fn=die_with_parent)
    try:
        wait_until(answers)
        yield
    finally:
        process.terminate()
        process.wait()


def wait_until(condition: Callable[[], Any], seconds: float = 180) -> Any:
    """What the condition is when it comes true."""
    until = time.monotonic() + seconds
    while not (value := condition()):
        assert time.monotonic() < until, "the condition did not come true in time"
        time.sleep(0.05)
    return value
