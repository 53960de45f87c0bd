"""Drift: what a response has that the schema on file does not allow, told by path.

The schema on file is what a definition says of the response, or else what earlier responses of the operation showed.
"""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from rondine.core.documents.reading import ReadDocument
from rondine.core.errors import PathError, Problem
from rondine.core.paths import parse_normalized
from rondine.core.paths.jsonpath import step_text
from rondine.core.schema.check import as_described, differences
from rondine.core.schema.compare import compare_outlines
from rondine.core.schema.data_keys import Keys
from rondine.core.schema.infer import infer
from rondine.core.schema.json_schema import fields_of
from rondine.core.schema.outline import OutlineRow, document_outline

#: Elements of a list that are looked at: the first and the last ones. What drifts, drifts in all of them.
MOST_ELEMENTS = 400


@dataclass(frozen=True, slots=True)
class Drift:
    """path: as in outlines, [*] for any element.  words: what differs."""

    path: str
    words: str


@dataclass(frozen=True, slots=True)
class DescribedSchema:
    """By a definition. schema: JSON Schema 2020-12, which may refer to `#/$defs/...`, the `schemas`."""

    name: str
    schema: Any
    schemas: Mapping[str, Any]

    def drift(self, read: ReadDocument) -> list[Drift]:
        value = thinned(read.value)
        value = as_described(value, self.schema, self.schemas) if read.is_xml else value
        found = dict.fromkeys(_by_path(differences(value, self.schema, self.schemas)))
        return [*found, *self._added(value)]

    def _added(self, value: Any) -> Iterator[Drift]:
        """Members that the description does not have, of objects some of whose members it has."""
        known = set(fields_of(self.schema, self.schemas))
        around = {one for path in known for one in _around(path)}
        plain: list[str] = []  # of the lines around, as `fields_of` writes paths
        for line in document_outline(infer([value])):
            holder = plain[line.depth - 1] if line.depth else ""
            del plain[line.depth :]
            step = "" if not line.depth else "[*]" if line.path.endswith("[*]") else line.name
            path = holder + step if step in ("", "[*]") or not holder else f"{holder}.{step}"
            plain.append(path)
            if path and path not in known and path not in around and holder in around:
                yield Drift(line.path, f"is new: {line.type or 'an object or a list'}")


@dataclass(frozen=True, slots=True)
class SeenSchema:
    """By earlier responses. lines: their outline.  keys: what people said of objects, see `infer`."""

    name: str
    lines: Sequence[OutlineRow]
    keys: Mapping[str, Keys]
    is_xml: bool

    def drift(self, read: ReadDocument) -> list[Drift]:
        if read.is_xml != self.is_xml:
            return [Drift("$", f"is {read.format.upper()}")]
        shape = infer([thinned(read.value)], is_xml=self.is_xml, keys=self.keys)
        structure_differences = compare_outlines(self.lines, document_outline(shape, is_xml=self.is_xml))
        told = {
            "added": lambda one: f"is new: {one.after}",
            "removed": lambda one: f"is gone, was {one.before}",
            "changed": lambda one: f"is {one.after}, was {one.before}",
        }
        return [Drift(difference.path, told[difference.kind](difference)) for difference in structure_differences]


SchemaOnFile = DescribedSchema | SeenSchema


def seen_schema(name: str, documents: Sequence[ReadDocument], keys: Mapping[str, Keys]) -> SeenSchema:
    """documents: of one format."""
    is_xml = documents[0].is_xml
    shape = infer([thinned(document.value) for document in documents], is_xml=is_xml, keys=keys)
    return SeenSchema(name, document_outline(shape, is_xml=is_xml), keys, is_xml)


def thinned(value: Any) -> Any:
    """A value whose long lists have their first and last elements only."""
    if isinstance(value, list):
        half = MOST_ELEMENTS // 2
        kept = value if len(value) <= MOST_ELEMENTS else [*value[:half], *value[-half:]]
        return [thinned(one) for one in kept]
    return {name: thinned(one) for name, one in value.items()} if isinstance(value, dict) else value


def _by_path(problems: Sequence[Problem]) -> Iterator[Drift]:
    for problem in problems:
        yield Drift(_outlined(problem.where), problem.message)


def _outlined(normalized: str) -> str:
    """A normalized path as outlines write it."""
    try:
        location = parse_normalized(normalized)
    except PathError:
        return normalized
    return "$" + "".join("[*]" if isinstance(part, int) else step_text(part) for part in location)


def _around(path: str) -> Iterator[str]:
    """What is around a field, as `fields_of` writes paths; the whole is empty."""
    while path and path != "$":
        path = path[:-3] if path.endswith("[*]") else path.rpartition(".")[0]
        yield path
