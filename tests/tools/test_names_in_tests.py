"""Tests that share one Rondine do not meet: what they make has names of their own."""

import re
from collections import defaultdict
from pathlib import Path

TESTS = Path(__file__).resolve().parent.parent
#: Where tests ask the one Rondine.
ROOMS = ("whole", "server", "console", "cli", "client", "tools")
#: What makes a service of the name given.
MAKES = re.compile(
    r"(?:\b\w+\((?:(?:rondine|register|trees|desk|office|service), ){1,3}|(?:(?<![.\w])make|\bfeed|\bservice|\bconnect)\(\s*"
    r'|services\.(?:make|save)\(\s*)"([\w-]{2,})"'
)


def test_no_two_files_make_a_service_of_one_name():
    files = defaultdict(set)
    for file in (one for room in ROOMS for one in TESTS.glob(f"{room}/*.py")):
        for name in MAKES.findall(file.read_text()):
            files[name].add(str(file.relative_to(TESTS)))
    assert len(files) > 150, "the pattern finds what tests make"
    assert {name: found for name, found in files.items() if len(found) > 1} == {}
