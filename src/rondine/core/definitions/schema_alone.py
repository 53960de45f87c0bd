"""A JSON Schema, or a sample of a response, in place of a definition: they describe what comes back, and nothing of how
it is asked for.

A sample that was read from an address is more: one operation, a GET of that address, which answers so.
"""

import re
from typing import Any
from urllib.parse import urlsplit

from msgspec import structs

from rondine.core.definitions.files import Files, Place
from rondine.core.definitions.json_schema import Schemas, file_stem
from rondine.core.definitions.model import Definition, DescribedOperation, Server
from rondine.core.documents import ReadDocument, likely_media_type
from rondine.core.errors import DocumentError, InputError
from rondine.core.names import free_name
from rondine.core.operations.document import ResponseDescription
from rondine.core.protocols.address import parse_address
from rondine.core.schema import infer, to_json_schema

_WORDS = frozenset({"type", "properties", "items", "allOf", "anyOf", "oneOf", "enum", "const", "$ref"})
_TYPES = frozenset({"object", "array", "string", "integer", "number", "boolean", "null"})


def is_json_schema(value: Any) -> bool:
    """Whether a value is a JSON Schema: it says so by `$schema`, or has the words of one and nothing that looks like
    data."""
    if not isinstance(value, dict):
        return False
    if "json-schema.org" in str(value.get("$schema", "")):
        return True
    kind = value.get("type")
    has_type = isinstance(kind, str) and kind in _TYPES and isinstance(value.get("properties", {}), dict)
    has_defs = any(isinstance(value.get(word), dict) for word in ("$defs", "definitions"))
    return (has_type and bool({"properties", "items", "$defs", "definitions"} & set(value))) or (
        has_defs and (bool(_WORDS & set(value)) or len(value) == 1)
    )


def read_json_schema(files: Files) -> Definition:
    """A schema with the ones it refers to, from any draft as 2020-12. A document of definitions alone offers each of
    them."""
    found: list[tuple[Place, str, str]] = []
    schemas = Schemas(files, "3.1", lambda place, message, hint: found.append((place, message, hint)))
    value, here = files.value(files.main), Place(files.main)
    title = value.get("title") if isinstance(value.get("title"), str) else ""
    stem = file_stem(files.main) or "schema"
    roots: list[str] = []
    if _WORDS & set(value):
        roots.append(schemas.name_of(here, value))
    for word in ("$defs", "definitions"):
        for name, one in (value.get(word) if isinstance(value.get(word), dict) else {}).items():
            label = schemas.name_of(here / word / str(name), one)
            if not _WORDS & set(value):
                roots.append(label)
    schemas.finish()
    defs = schemas.defs
    if roots and _WORDS & set(value):
        wanted = re.sub(r"[^A-Za-z0-9_.-]+", "_", title or stem)
        defs, roots = _renamed(defs, roots[0], free_name(wanted, set(defs) - {roots[0]}, separator="_"))
    return Definition(
        format="JSON Schema",
        title=title or stem,
        description=str(value.get("description", ""))[:4000],
        schemas=defs,
        roots=tuple(roots),
        warnings=(*files.problems, *files.with_lines(found)),
        files=tuple(files.contents),
    )


def _renamed(defs: dict[str, Any], old: str, new: str) -> tuple[dict[str, Any], list[str]]:
    """The definitions with one of them renamed, wherever it is referred to."""

    def made(value: Any) -> Any:
        if isinstance(value, dict):
            return {
                name: f"#/$defs/{new}" if name == "$ref" and one == f"#/$defs/{old}" else made(one)
                for name, one in value.items()
            }
        return [made(one) for one in value] if isinstance(value, list) else value

    return {new if name == old else name: made(one) for name, one in defs.items()}, [new]


def read_sample(read: ReadDocument, content: bytes, name: str, address: str = "") -> Definition:
    """What one response shows. address: where it was read from, empty if it was uploaded. Raises DocumentError if there
    is nothing in it."""
    value = read.value
    root = next(iter(value), "") if read.is_xml else ""
    held = value[root] if root else value
    if not isinstance(held, (dict, list)) or not held:
        begins = f"; the document begins with <{root.rpartition(':')[2][:60]}>" if root else ""
        raise DocumentError(
            f"no format is recognised{begins}, and as a sample of a response it holds nothing",
            where=f"{name}, line 1",
            hint="give a definition, or a response with an object or a list in it",
        )
    schema = to_json_schema(
        infer([value], is_xml=read.is_xml), top=False, is_xml=read.is_xml, namespaces=read.namespaces
    )
    if read.is_xml:
        schema = next(iter(schema["properties"].values()))
    words = {"json": "JSON", "ndjson": "one JSON value a line", "csv": "CSV", "xml": "XML"}[read.format]
    stem = file_stem(urlsplit(name).path) or "sample"
    label = re.sub(r"[^A-Za-z0-9_.-]+", "_", stem)
    definition = Definition(
        format=f"sample ({words})", title=stem, schemas={label: schema}, roots=(label,), files=(name,)
    )
    if not address:
        return definition
    try:
        taken = parse_address(address)
    except InputError as error:
        raise DocumentError(error.message, where=name, hint=error.hint) from error
    response = ResponseDescription(
        status="200", media_type=likely_media_type(content), schema={"$ref": f"#/$defs/{label}"}
    )
    document = structs.replace(taken.operation, responses=[response])
    key = f"GET {taken.operation.path}"
    return Definition(
        format=definition.format,
        title=urlsplit(address).hostname or stem,
        servers=(Server(taken.base_address),),
        operations=(DescribedOperation(key, taken.name, taken.title, document),),
        schemas=definition.schemas,
        files=(name,),
    )
