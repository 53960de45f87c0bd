"""Large definitions are read in a process of their own: the same result, errors with their places, and an end when
nobody waits."""

import json
import os
import signal
import subprocess
import threading
import time
from pathlib import Path

import pytest

from rondine.core.definitions import Files, read_definition
from rondine.core.errors import DocumentError
from rondine.server.definitions.reader import WORTH_A_PROCESS, read_in_own_process


def large(count=1200):
    """A definition with this many operations, whose schemas refer to each other."""
    schemas = {f"S{n}": {"type": "object", "description": "of the office " * 12, "properties": {"n": {"type": "number",
    "multipleOf": 0.01}, "o": {"$ref": f"#/components/schemas/S{(n * 7) % count}"}}} for n in range(count)}  # fmt: skip
    paths = {f"/trees/{n}": {"get": {"operationId": f"find{n}", "responses": {"200": {"description": "it", "content": {"application/json": {"schema": {"$ref": f"#/components/schemas/S{n}"}}}}}}} for n in range(count)}  # fmt: skip
    return json.dumps({"openapi": "3.0.3", "info": {"title": "large", "version": "1"}, "paths": paths,
    "components": {"schemas": schemas}})  # fmt: skip


def test_the_result_is_the_same_and_progress_is_told():
    contents = {"r.json": large().encode()}
    told = []
    found = read_in_own_process("r.json", contents, "https://register.example/r.json", lambda *how: told.append(how))
    assert found == read_definition(Files("r.json", contents), "https://register.example/r.json")
    assert len(found.operations) == 1200 and told


def test_an_error_has_its_class_place_and_hint():
    with pytest.raises(DocumentError) as caught:
        read_in_own_process("r.json", {"r.json": b'{"openapi": "3.0.3",\n "paths": {'}, "", lambda *how: None)
    assert caught.value.where.startswith("r.json, line 2")


def test_whoever_stops_waiting_ends_the_process():
    class Stop(Exception):
        pass

    def report(*how):
        raise Stop

    with pytest.raises(Stop):
        read_in_own_process("r.json", {"r.json": large().encode()}, "", report)
    assert not readers()


def readers():
    """The process ids of readers that this process started."""
    found = subprocess.run(
        ["pgrep", "-P", str(os.getpid()), "-f", "rondine.server.definitions.reader"],
        capture_output=True,
        text=True,
        check=False,
    )
    return found.stdout.split()


# which allocation fails depends on the limit and the machine: a copy of the file, a parser in C (which may crash), ours
@pytest.mark.parametrize("megabytes", [60, 113, 117, 150])
def test_what_needs_too_much_memory_is_refused_with_the_reason(megabytes):
    with pytest.raises(DocumentError) as caught:
        read_in_own_process("r.json", {"r.json": large(12000).encode()}, "", lambda *how: None, megabytes * 1024**2)
    assert f"{megabytes} MB" in caught.value.message and "memory" in caught.value.message
    assert caught.value.where == "r.json"


def test_a_process_that_the_system_ends_is_told_by_its_signal():
    def kill(*how):
        children = Path(f"/proc/self/task/{threading.main_thread().native_id}/children").read_text().split()
        for child in children:
            if b"definitions.reader" in Path(f"/proc/{child}/cmdline").read_bytes():
                os.kill(int(child), signal.SIGKILL)

    with pytest.raises(DocumentError) as caught:
        read_in_own_process("r.json", {"r.json": large(2500).encode()}, "", kill)
    assert "SIGKILL" in caught.value.message and caught.value.where == "r.json"


def test_a_large_definition_goes_the_whole_road(rondine):
    text = large(2500)
    assert len(text) > WORTH_A_PROCESS
    office = rondine.office()
    made = office.definitions.import_into("read-apart", files={"r.json": text}, record_types=[])
    assert len(made["operations"]) == 2500
    began = time.monotonic()
    same = office.definitions.compare(made["definition"], files={"r.json": text})
    assert (same["changes"], same["unchanged"]) == ([], 2500) and time.monotonic() - began < 60
