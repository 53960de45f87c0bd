"""Rooms and directions: each import goes to a room that was named before, within a ring and between rings."""

import ast
from collections.abc import Iterator
from pathlib import Path

import pytest

SOURCE = Path(__file__).resolve().parents[2] / "src"

#: Rooms of a ring in their order. A room may import what stands on lines above its own, never what stands below or
#: beside it.
ROOMS = {
    "rondine.core": [
        "errors media_types secret",
        "names documents",
        "settings paths cloud_events",
        "naming forms http conversions",
        "schema pagination",
        "mapping",
        "operations",
        "protocols",
        "signin",
        "definitions items",
        "live flow",
    ],
    "rondine.server": [
        "database",
        "logs threads settings upgrading held",
        "api",
        "access",
        "items",
        "runs",
        "connecting",
        "releases",
        "records",
        "operations",
        "mappings",
        "definitions subscriptions",
        "live",
        "feeds",
        "webhooks",
        "flows",
        "cases",
        "applications",
        "finding",
        "urls demo administering retention",
        "asgi working",
        "main",
    ],
}
#: Commands that have to set Django up before its models can be imported; everywhere else an import within a function
#: hides a circle.
LATE = ("rondine/server/main.py", "rondine/server/administering.py")
#: What a ring must not import at all.
FORBIDDEN = {
    "rondine.core": (
        "django",
        "rest_framework",
        "aiohttp",
        "httpx",
        "requests",
        "psycopg",
        "procrastinate",
        "os",
        "socket",
        "time",
        "rondine.engine",
        "rondine.server",
        "rondine.standins",
    ),
    "rondine.engine": ("django", "rest_framework", "psycopg", "procrastinate", "rondine.server", "rondine.standins"),
    "rondine_client": ("rondine", "django", "rondine_cli"),
    "rondine_cli": ("rondine", "django", "httpx"),
}


def modules(ring: str) -> Iterator[tuple[str, Path]]:
    """Each module of a ring by its dotted name."""
    for path in sorted((SOURCE / Path(*ring.split("."))).rglob("*.py")):
        parts = path.relative_to(SOURCE).with_suffix("").parts
        if "migrations" not in parts:
            yield ".".join(parts[:-1] if parts[-1] == "__init__" else parts), path


def imports(path: Path) -> Iterator[tuple[int, str]]:
    """(line, the dotted name of a module or of something in it) of everything that a file imports, wherever in it."""
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.Import):
            yield from ((node.lineno, alias.name) for alias in node.names)
        elif isinstance(node, ast.ImportFrom):
            assert node.level == 0, f"{path}:{node.lineno}: imports are absolute"
            yield from ((node.lineno, f"{node.module}.{alias.name}") for alias in node.names)


def is_within(name: str, package: str) -> bool:
    return name == package or name.startswith(package + ".")


@pytest.mark.parametrize("ring", FORBIDDEN)
def test_rings_import_inwards_only(ring):
    wrong = [
        f"{path.relative_to(SOURCE)}:{line} {name}"
        for _, path in modules(ring)
        for line, name in imports(path)
        for forbidden in FORBIDDEN[ring]
        if is_within(name, forbidden)
    ]
    assert not wrong


@pytest.mark.parametrize("ring", ROOMS)
def test_rooms_import_what_stands_above_them(ring):
    place = {room: number for number, line in enumerate(ROOMS[ring]) for room in line.split()}
    wrong = []
    for module, path in modules(ring):
        room = module.removeprefix(ring).strip(".").partition(".")[0]
        if not room:
            continue
        assert room in place, f"{path.relative_to(SOURCE)}: this room has no place in the order yet"
        for line, name in imports(path):
            other = name.removeprefix(ring + ".").partition(".")[0] if is_within(name, ring) else room
            if other != room and place.get(other, 0) >= place[room]:
                wrong.append(f"{path.relative_to(SOURCE)}:{line} {room} imports {name}")
    assert not wrong


@pytest.mark.parametrize("ring", ["rondine", "rondine_client", "rondine_cli"])
def test_no_import_hides_in_a_function(ring):
    wrong = [
        f"{path.relative_to(SOURCE)}:{inner.lineno}"
        for _, path in modules(ring)
        if str(path.relative_to(SOURCE)) not in LATE
        for node in ast.walk(ast.parse(path.read_text()))
        if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef)
        for inner in ast.walk(node)
        if isinstance(inner, ast.ImportFrom) and (inner.module or "").startswith("rondine")
    ]
    assert not wrong
