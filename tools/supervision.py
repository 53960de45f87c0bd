"""Keeping the parts of the service alive: a supervisor process, its configuration, and a few of its calls. Standard
library only.

The supervisor starts again what ends: at once if it had run for a while, else a second later each time. Its API is at a
Unix socket that only this user can open. When the supervisor itself dies, its processes are ended by the kernel, so
that the next ./start finds nothing half alive.
"""

import hashlib
import http.client
import os
import socket
import subprocess
import tempfile
import time
import xmlrpc.client
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from ground import VAR, VENV, Failed, environment_of

#: A process that lives for less than this is taken for one that does not start, and is waited with longer each time.
STEADY_SECONDS = 5
#: What the supervisor answers to everything while it ends (its SHUTDOWN_STATE).
ENDING = 6


@dataclass(frozen=True)
class Program:
    """A process to keep alive. order: lower ones start earlier and stop later. stop: the signal that ends it in good
    order."""

    name: str
    words: list[str]
    env: dict[str, str] = field(default_factory=dict)
    order: int = 10
    stop: str = "TERM"
    #: The signal when the supervisor itself has died.
    orphaned: str = "KILL"
    #: Words that change who runs the process, before its own.
    before: list[str] = field(default_factory=list)

    @property
    def log(self) -> Path:
        return VAR / "log" / f"{self.name}.log"

    def section(self) -> str:
        words = [*self.before, "setpriv", "--pdeathsig", self.orphaned, "--", *self.words]
        env = ",".join(f'{name}="{_quoted(value)}"' for name, value in sorted(self.env.items()))
        return "\n".join(
            [
                f"[program:{self.name}]",
                "command=" + " ".join(f'"{_quoted(word)}"' for word in words),
                f"environment={env}",
                f"priority={self.order}",
                f"startsecs={STEADY_SECONDS}",
                "startretries=1000000",
                "autorestart=true",
                f"stopsignal={self.stop}",
                "stopwaitsecs=15",
                f"stdout_logfile={_quoted(str(self.log))}",
                "redirect_stderr=true",
                "stdout_logfile_maxbytes=20MB",
                "stdout_logfile_backups=2",
                "",
            ]
        )

    def last_lines(self, count: int = 12) -> str:
        return "\n".join(self.log.read_text(errors="replace").splitlines()[-count:]) if self.log.exists() else ""


def _quoted(text: str) -> str:
    return text.replace("%", "%%").replace("\\", "\\\\").replace('"', '\\"')


class Supervisor:
    """The supervisor of this folder."""

    def __init__(self) -> None:
        self.folder = VAR / "supervisor"
        self.config = self.folder / "supervisor.conf"
        socket_file = self.folder / "socket"
        if len(str(socket_file)) > 90:  # a Unix socket's path has little room
            name = hashlib.sha256(str(socket_file).encode()).hexdigest()[:16]
            socket_file = Path(tempfile.gettempdir()) / f"rondine-{name}"
        self.socket = socket_file

    def ask(self, method: str, *arguments: Any) -> Any:
        """One call of the supervisor's API. Raises OSError if it does not run."""
        proxy = xmlrpc.client.ServerProxy("http://supervisor/RPC2", transport=_OverSocket(self.socket))
        return getattr(proxy.supervisor, method)(*arguments)

    def is_up(self, seconds: float = 60) -> bool:
        """One that is ending is waited for. Raises Failed if that takes longer."""
        until = time.monotonic() + seconds
        while True:
            try:
                return bool(self.ask("getState")["statename"] == "RUNNING")
            except (OSError, http.client.HTTPException):
                return False
            except xmlrpc.client.Fault as fault:
                if fault.faultCode != ENDING or time.monotonic() > until:
                    raise Failed(f"the supervisor is ending, and has not ended within {seconds:.0f} s") from fault
                time.sleep(0.1)

    def processes(self) -> dict[str, dict[str, Any]]:
        """By name: pid, statename (RUNNING, STARTING, BACKOFF ...), description. Empty if the supervisor does not
        run."""
        try:
            return {one["name"]: one for one in self.ask("getAllProcessInfo")}
        except (OSError, http.client.HTTPException, xmlrpc.client.Fault):
            return {}

    def run(self, programs: list[Program]) -> None:
        """Has these programs running and no others: starts the supervisor or tells it what has changed."""
        self._write(programs)
        if not self.is_up():
            self._start()
            return
        added, changed, removed = self.ask("reloadConfig")[0]
        for name in [*changed, *removed]:
            self.ask("stopProcessGroup", name)
            self.ask("removeProcessGroup", name)
        for name in [*added, *changed]:
            self.ask("addProcessGroup", name)

    def stop(self, seconds: float = 60) -> bool:
        """Ends all programs in order, and the supervisor. False if it did not run."""
        if not self.is_up():
            return False
        pid = self.ask("getPID")
        self.ask("shutdown")
        until = time.monotonic() + seconds
        while Path(f"/proc/{pid}").exists() and self.socket.exists() and time.monotonic() < until:
            time.sleep(0.05)
        return True

    def _write(self, programs: list[Program]) -> None:
        self.folder.mkdir(parents=True, exist_ok=True, mode=0o700)
        (VAR / "log").mkdir(parents=True, exist_ok=True)
        head = [
            "[unix_http_server]",
            f"file={_quoted(str(self.socket))}",
            "chmod=0700",
            "[supervisord]",
            f"logfile={_quoted(str(VAR / 'log' / 'supervisor.log'))}",
            "logfile_maxbytes=5MB",
            "logfile_backups=1",
            f"pidfile={_quoted(str(self.folder / 'pid'))}",
            f"childlogdir={_quoted(str(self.folder))}",
            *(["user=root"] if os.geteuid() == 0 else []),
            "[rpcinterface:supervisor]",
            "supervisor.rpcinterface_factory = supervisor.rpcinterface:make_main_rpcinterface",
            "",
        ]
        handle = os.open(self.config, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
        with os.fdopen(handle, "w") as file:
            file.write("\n".join(head) + "\n" + "\n".join(program.section() for program in programs))

    def _start(self, seconds: float = 20) -> None:
        found = subprocess.run(
            [str(VENV / "bin" / "supervisord"), "-c", str(self.config)],
            stdin=subprocess.DEVNULL,
            stdout=subprocess.PIPE,
            stderr=subprocess.STDOUT,
            text=True,
            env=environment_of({}),
            check=False,
        )
        until = time.monotonic() + seconds
        while not self.is_up():
            if found.returncode or time.monotonic() > until:
                raise Failed(
                    f"the supervisor does not start\n{found.stdout}", f"look at {VAR / 'log' / 'supervisor.log'}"
                )
            time.sleep(0.05)


class _OverSocket(xmlrpc.client.Transport):
    """XML-RPC over a Unix socket."""

    def __init__(self, path: Path) -> None:
        super().__init__()
        self._path = path

    def make_connection(self, host: Any) -> http.client.HTTPConnection:
        connection = http.client.HTTPConnection("supervisor", timeout=60)
        connection.sock = socket.socket(socket.AF_UNIX, socket.SOCK_STREAM)
        connection.sock.settimeout(60)
        connection.sock.connect(str(self._path))
        return connection
