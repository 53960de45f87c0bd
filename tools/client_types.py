"""Writes src/rondine_client/types.py: the shapes of the client library's results, from docs/openapi.json.

Each schema that a response can have becomes a TypedDict, or the name of a union. A test holds the
two against each other.
"""

import json
import keyword
import subprocess
import sys
from pathlib import Path
from typing import Any

TREE = Path(__file__).resolve().parent.parent
DOCUMENT = TREE / "docs/openapi.json"
TARGET = TREE / "src/rondine_client/types.py"

OPENING = '''"""What the API responds with, written by tools/client_types.py from docs/openapi.json, not by hand."""

from __future__ import annotations

from typing import Any, Literal, NotRequired, TypedDict
'''
TYPES = {"string": "str", "integer": "int", "number": "float", "boolean": "bool", "null": "None"}
REF = "#/components/schemas/"


def main() -> None:
    TARGET.write_text(formatted(types_of(json.loads(DOCUMENT.read_text()))))


def types_of(document: dict[str, Any]) -> str:
    """The module's text, before it is formatted."""
    schemas = document["components"]["schemas"]
    wanted: dict[str, str] = {}
    for path in document["paths"].values():
        for operation in path.values():
            for status, response in operation["responses"].items() if "responses" in operation else ():
                if status.startswith("2"):
                    for content in response.get("content", {}).values():
                        _collect(content["schema"], schemas, wanted)
    return "\n\n".join([OPENING, *(wanted[name] for name in sorted(wanted))]) + "\n"


def formatted(text: str) -> str:
    """As ruff writes it here."""
    command = [sys.executable, "-m", "ruff", "format", "--stdin-filename", str(TARGET), "-"]
    return subprocess.run(command, input=text, capture_output=True, text=True, check=True, cwd=TREE).stdout


def _collect(schema: Any, schemas: dict[str, Any], wanted: dict[str, str]) -> None:
    """Adds the definition of each schema that this one refers to."""
    if isinstance(schema, list):
        for one in schema:
            _collect(one, schemas, wanted)
    elif isinstance(schema, dict):
        name = schema.get("$ref", "").removeprefix(REF)
        if name and name not in wanted:
            wanted[name] = ""  # a schema may lead back to itself
            wanted[name] = _definition(_class_name(name), schemas[name])
            _collect(schemas[name], schemas, wanted)
        for value in schema.values():
            _collect(value, schemas, wanted)


def _class_name(name: str) -> str:
    """`Run`, and for one that is named by its module, as `core.mapping.document.Condition`: `DocumentCondition`."""
    if name.isidentifier():
        return name
    return "".join(part[:1].upper() + part[1:] for part in name.split(".")[-2:])


def _definition(name: str, schema: dict[str, Any]) -> str:
    properties = schema.get("properties")
    if not properties:
        # quoted, as it may name what comes later in the module
        return f"{name} = {_quoted(_annotation(schema))}"
    required = schema.get("required", [])
    members = {}
    for member, value in properties.items():
        annotation = _annotation(value)
        members[member] = annotation if member in required else f"NotRequired[{annotation}]"
    if all(member.isidentifier() and not keyword.iskeyword(member) for member in members):
        lines = [f"    {member}: {annotation}" for member, annotation in members.items()]
        return f"class {name}(TypedDict):\n" + "\n".join(lines)
    pairs = ", ".join(f'"{member}": "{annotation}"' for member, annotation in members.items())
    return f'{name} = TypedDict("{name}", {{{pairs}}})'


def _quoted(annotation: str) -> str:
    return annotation if annotation in ("Any", "str") or annotation.startswith("Literal") else f"'{annotation}'"


def _annotation(schema: dict[str, Any]) -> str:
    if "$ref" in schema:
        return _class_name(schema["$ref"].removeprefix(REF))
    if "enum" in schema:
        return f"Literal[{', '.join(repr(value) for value in schema['enum'])}]"
    for union in ("anyOf", "oneOf", "allOf"):
        if union in schema:
            kinds = list(dict.fromkeys(_annotation(one) for one in schema[union]))
            return "Any" if "Any" in kinds else " | ".join(sorted(kinds, key=lambda kind: kind == "None"))
    kind = schema.get("type")
    if isinstance(kind, list):
        return " | ".join(_annotation({**schema, "type": one}) for one in kind)
    if kind == "array":
        return f"list[{_annotation(schema.get('items', {}))}]"
    if kind == "object":
        values = schema.get("additionalProperties")
        return f"dict[str, {_annotation(values) if isinstance(values, dict) else 'Any'}]"
    return TYPES.get(kind or "", "Any")


if __name__ == "__main__":
    main()
