"""Imports point inwards only, and the client knows nothing of the server."""

import ast
from pathlib import Path

import pytest

SOURCE = Path(__file__).resolve().parents[2] / "src"
FORBIDDEN = {
    "rondine/core": (
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
    "rondine/engine": ("django", "rest_framework", "psycopg", "procrastinate", "rondine.server", "rondine.standins"),
    "rondine_client": ("rondine", "django", "rondine_cli"),
    "rondine_cli": ("rondine", "django", "httpx"),
}


@pytest.mark.parametrize("ring", FORBIDDEN)
def test_imports_point_inwards_only(ring):
    found = []
    for path in (SOURCE / ring).rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text())):
            names = (
                [one.name for one in node.names]
                if isinstance(node, ast.Import)
                else [node.module or ""]
                if isinstance(node, ast.ImportFrom)
                else []
            )
            found += [
                f"{path.relative_to(SOURCE)}:{node.lineno} {name}"
                for name in names
                for bad in FORBIDDEN[ring]
                if name == bad or name.startswith(bad + ".")
            ]
    assert not found
