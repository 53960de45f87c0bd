"""What ./start and ./test stand on: ports, processes, failing steps."""

import socket
import subprocess
import sys

import pytest
from tests.whole_rondine import ROOT

import ground  # isort: skip


@pytest.fixture(autouse=True)
def folder(tmp_path, monkeypatch):
    monkeypatch.setattr(ground, "VAR", tmp_path)
    return tmp_path


def test_a_taken_port_is_passed_over():
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        port = taken.getsockname()[1]
        assert next(ground.free_ports(port)) != port


def test_two_that_look_for_a_port_at_once_get_different_ones():
    script = "import ground; print(next(ground.free_ports(47310)), flush=True); input()"
    with subprocess.Popen([sys.executable, "-c", script], cwd=ROOT / "tools", stdin=subprocess.PIPE,
    stdout=subprocess.PIPE, text=True) as other:  # fmt: skip
        theirs = int(other.stdout.readline())
        assert next(ground.free_ports(theirs)) != theirs  # nobody listens on it yet
        other.stdin.write("\n")
    assert next(ground.free_ports(theirs)) == theirs


def test_many_busy_ports_are_told_in_words(monkeypatch):
    monkeypatch.setattr(ground, "_reserve", lambda port: False)
    with pytest.raises(ground.Failed) as raised:
        next(ground.free_ports(47310))
    assert "47310 to 47359" in raised.value.what and raised.value.hint


def test_a_failing_step_says_what_failed_and_what_to_do(folder):
    words = [sys.executable, "-c", "print('one'); print('the last line'); raise SystemExit(3)"]
    with pytest.raises(ground.Failed) as raised:
        ground.run(words, hint="check the registry")
    assert "ended with 3" in raised.value.what and "the last line" in raised.value.what
    assert raised.value.hint == "check the registry"
    assert "the last line" in (folder / "log" / "setup.log").read_text()


def test_all_parallel_steps_end_before_the_first_failure_is_raised():
    ended = []

    def fail():
        raise ground.Failed("no registry")

    with pytest.raises(ground.Failed, match="no registry"):
        ground.in_parallel(fail, lambda: ended.append(1), lambda: ended.append(2))
    assert sorted(ended) == [1, 2]


def test_a_stamp_holds_until_something_changes(folder):
    (folder / "a").mkdir()
    (folder / "a" / "x").write_text("1")
    it, other = folder / "a" / "it", folder / "a" / "other"
    ground.stamp(it, "one")
    assert ground.is_stamped(it, "one") and not ground.is_stamped(it, "two") and not ground.is_stamped(other, "one")
