"""./start for real, with a folder of its own: what it starts stays alive, and it finds its way when something has
changed."""

import os
import shutil
import signal
import socket
import subprocess
import sys
from pathlib import Path

import httpx
import pytest
from tests.whole_rondine import ROOT, responds, wait_until

import supervision  # isort: skip
from ground import is_alive  # isort: skip


class Started:
    """An installation made by ./start."""

    def __init__(self, home: Path) -> None:
        self.home = home
        self.env = {**os.environ, "RONDINE_HOME": str(home)}
        self.env.pop("RONDINE_DATABASE", None)

    def start(self, *words: str) -> subprocess.CompletedProcess[str]:
        return subprocess.run(
            [sys.executable, "tools/start.py", *words],
            cwd=ROOT,
            env=self.env,
            capture_output=True,
            text=True,
            check=False,
        )

    @property
    def ports(self) -> dict[str, int]:
        return {
            name: int(port) for name, port in (line.split("=") for line in (self.home / "ports").read_text().split())
        }

    @property
    def health(self) -> str:
        return f"http://127.0.0.1:{self.ports['web']}/api/v1/health"

    def pid(self, name: str) -> int:
        return int(supervision.Supervisor().processes().get(name, {}).get("pid", 0))


@pytest.fixture(scope="module")
def started():
    home = Path(os.environ["RONDINE_HOME"]).parent / "test-start"  # beside the tests' database, where PostgreSQL may be
    one = Started(home)
    supervision.VAR = home
    one.start("--stop")
    shutil.rmtree(home, ignore_errors=True)
    found = one.start()
    assert found.returncode == 0, found.stdout + found.stderr
    yield one
    one.start("--stop")
    shutil.rmtree(home, ignore_errors=True)


def sign_in(started) -> int:
    name, password, *_ = (started.home / "people.txt").read_text().split()
    url = started.health.replace("health", "tokens")
    return httpx.post(url, json={"name": name, "password": password}, timeout=60).status_code


@pytest.mark.parametrize("name", ["web", "worker", "register", "postgres"])
def test_what_dies_comes_back_by_itself(started, name):
    before = started.pid(name)
    os.kill(before, signal.SIGKILL)
    wait_until(lambda: started.pid(name) not in (0, before), 60)
    wait_until(lambda: responds(started.health), 60)
    assert sign_in(started) == 201


def test_a_second_start_changes_nothing(started):
    before = [started.pid(name) for name in ("postgres", "register", "worker", "web")]
    found = started.start()
    assert found.returncode == 0 and "Rondine is up" in found.stdout
    assert [started.pid(name) for name in ("postgres", "register", "worker", "web")] == before
    assert started.start("--status").returncode == 0


def test_what_keeps_ending_is_told_and_waited_with(started):
    """Another process sits on the web service's port: it cannot start, says so, and ./start finds it another one."""
    port, before = started.ports["web"], started.pid("web")
    supervision.Supervisor().ask("stopProcess", "web")
    wait_until(lambda: not is_alive(before), 30)
    with socket.socket() as taken:
        taken.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        taken.bind(("127.0.0.1", port))
        taken.listen()
        supervision.Supervisor().ask("startProcess", "web", False)

        def told():
            status = started.start("--status")
            return status if "address already in use" in status.stdout else None

        status = wait_until(told, 90)
        assert status.returncode == 3
        assert "keeps ending" in status.stdout or "ended and was started again" in status.stdout
        found = started.start()
        assert found.returncode == 0, found.stdout
        assert started.ports["web"] != port and sign_in(started) == 201


def test_the_database_on_another_port_is_noticed_by_all(started):
    assert started.start("--stop").returncode == 0
    port = started.ports["postgres"]
    with socket.socket() as taken:
        taken.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        taken.bind(("127.0.0.1", port))
        taken.listen()
        found = started.start()
        assert found.returncode == 0, found.stdout
        assert started.ports["postgres"] != port
        assert sign_in(started) == 201  # the data is the same


def test_nothing_outlives_the_supervisor(started):
    pids = [started.pid(name) for name in ("postgres", "register", "worker", "web")]
    os.kill(int(supervision.Supervisor().ask("getPID")), signal.SIGKILL)
    wait_until(lambda: not any(map(is_alive, pids)), 30)
    assert started.start("--status").returncode == 3
    found = started.start()
    assert found.returncode == 0 and sign_in(started) == 201, found.stdout


def test_the_supervisors_settings_are_for_this_user_only(started):
    config = started.home / "supervisor" / "supervisor.conf"
    assert config.stat().st_mode & 0o077 == 0 and config.parent.stat().st_mode & 0o077 == 0
