"""Drift: what a response has that the schema on file does not allow, told by path.

The schema on file is what a definition says of the response, or else what earlier responses of the operation showed.
"""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from itertools import islice
from typing import Annotated, Any, Literal

from msgspec import Meta

from rondine.core.documents.reading import ReadDocument
from rondine.core.paths.jsonpath import step_text
from rondine.core.schema.check import MISSING, as_described, schema_differences
from rondine.core.schema.compare import compare_outlines
from rondine.core.schema.data_keys import Keys
from rondine.core.schema.infer import infer
from rondine.core.schema.json_schema import fields_of
from rondine.core.schema.outline import OutlineRow, document_outline
from rondine.core.settings import Document

#: Elements of a list that are looked at: the first and the last ones. What drifts, drifts in all of them. A few: of
#: responses between the first and the last of a run, as looking at many would take longer than reading them.
MOST_ELEMENTS, FEW_ELEMENTS = 400, 40
#: Values that differ from a description, of one response; they are told by path.
MOST_VALUES = 20_000
#: Parts that differ, of one response; one that is another altogether would have thousands.
MOST_PARTS = 200
#: Characters of an example.
EXAMPLE = 80
DriftKind = Literal["new", "missing", "changed", "unseen"]


@dataclass(frozen=True, slots=True)
class Drift:
    """path: as in outlines, [*] for any element.  kind: unseen, a part that a mapping takes and no row had.  words:
    what differs, the same whatever the values are.  example: one of them, empty for what is not there."""

    path: str
    words: str
    kind: DriftKind = "changed"
    example: str = ""

    @property
    def identity(self) -> tuple[str, str, str]:
        """What makes it the same in another response."""
        return self.path, self.kind, self.words


class AcceptedDrift(Document, frozen=True):
    """A difference from the schema on file that a person looked at, and that is as it should be from now on."""

    path: Annotated[str, Meta(description="as in the outline")]
    kind: DriftKind
    words: Annotated[str, Meta(description="what differs, as it was told")]

    @property
    def identity(self) -> tuple[str, str, str]:
        return self.path, self.kind, self.words


@dataclass(frozen=True, slots=True)
class DescribedSchema:
    """By a definition. schema: JSON Schema 2020-12, which may refer to `#/$defs/...`, the `schemas`."""

    name: str
    schema: Any
    schemas: Mapping[str, Any]

    def outline(self, read: ReadDocument) -> list[OutlineRow]:
        """The outline of a thinned response, to be compared."""
        return _lines(read, {})

    def drift(self, read: ReadDocument, lines: Sequence[OutlineRow]) -> list[Drift]:
        """Each part of a thinned response once, with the first value that shows it. lines: its outline."""
        value = as_described(read.value, self.schema, self.schemas) if read.is_xml else read.value
        if read.is_xml:
            lines = document_outline(infer([value]))
        found: dict[tuple[str, str, str], Drift] = {}
        for one in islice(schema_differences(value, self.schema, self.schemas), MOST_VALUES):
            kind: DriftKind = "missing" if one.words == MISSING else "changed"
            drift = Drift(_outlined(one.place), one.words, kind, one.value[:EXAMPLE])
            found.setdefault(drift.identity, drift)
        return [*found.values(), *self._added(lines)][:MOST_PARTS]

    def _added(self, lines: Sequence[OutlineRow]) -> Iterator[Drift]:
        """Members that the description does not have, of objects some of whose members it has."""
        known = set(fields_of(self.schema, self.schemas))
        around = {one for path in known for one in _around(path)}
        plain: list[str] = []  # of the lines around, as `fields_of` writes paths
        for line in lines:
            holder = plain[line.depth - 1] if line.depth else ""
            del plain[line.depth :]
            step = "" if not line.depth else "[*]" if line.path.endswith("[*]") else line.name
            path = holder + step if step in ("", "[*]") or not holder else f"{holder}.{step}"
            plain.append(path)
            if path and path not in known and path not in around and holder in around:
                yield Drift(line.path, f"is new: {line.type or 'an object or a list'}", "new", _example(line))


@dataclass(frozen=True, slots=True)
class SeenSchema:
    """By earlier responses. lines: their outline.  keys: what people said of objects, see `infer`."""

    name: str
    lines: Sequence[OutlineRow]
    keys: Mapping[str, Keys]
    is_xml: bool

    def outline(self, read: ReadDocument) -> list[OutlineRow]:
        """The outline of a thinned response, to be compared."""
        return _lines(read, self.keys)

    def drift(self, read: ReadDocument, lines: Sequence[OutlineRow]) -> list[Drift]:
        """Each part of a thinned response once. lines: its outline."""
        if read.is_xml != self.is_xml:
            return [Drift("$", f"is {read.format.upper()}")]
        examples = {line.path: _example(line) for line in lines}
        found = []
        for one in compare_outlines(self.lines, lines):
            example = examples.get(one.path, "")
            match one.kind:
                case "added":
                    found.append(Drift(one.path, f"is new: {_kind_of(one.after)}", "new", example))
                case "removed":
                    found.append(Drift(one.path, f"is gone, was {_kind_of(one.before)}", "missing"))
                case _:
                    found.append(Drift(one.path, _changed(one.before, one.after), "changed", example))
        return found


SchemaOnFile = DescribedSchema | SeenSchema


def seen_schema(name: str, documents: Sequence[ReadDocument], keys: Mapping[str, Keys]) -> SeenSchema:
    """documents: of one format."""
    is_xml = documents[0].is_xml
    shape = infer([thinned(document.value) for document in documents], is_xml=is_xml, keys=keys)
    return SeenSchema(name, document_outline(shape, is_xml=is_xml), keys, is_xml)


def _lines(read: ReadDocument, keys: Mapping[str, Keys]) -> list[OutlineRow]:
    return document_outline(infer([read.value], is_xml=read.is_xml, keys=keys), is_xml=read.is_xml)


def thinned(value: Any, most: int = MOST_ELEMENTS) -> Any:
    """A value whose long lists have their first and last elements only."""
    if isinstance(value, list):
        half = most // 2
        kept = value if len(value) <= most else [*value[:half], *value[-half:]]
        return [thinned(one, most) for one in kept]
    return {name: thinned(one, most) for name, one in value.items()} if isinstance(value, dict) else value


def _kind_of(told: str) -> str:
    """Of a part in words, its type alone: how often it is there or null is another in each response."""
    return told.partition(",")[0]


def _changed(before: str, after: str) -> str:
    if _kind_of(before) != _kind_of(after):
        return f"changed from {_kind_of(before)} to {_kind_of(after)}"
    return " and ".join(f"is {one}" for one in after.split(", ")[1:] if one not in before.split(", ")[1:])


def _example(line: OutlineRow) -> str:
    return line.examples[0][:EXAMPLE] if line.examples else ""


def _outlined(place: Sequence[str | int]) -> str:
    """A place as outlines write it."""
    return "$" + "".join("[*]" if isinstance(part, int) else step_text(part) for part in place)


def _around(path: str) -> Iterator[str]:
    """What is around a field, as `fields_of` writes paths; the whole is empty."""
    while path and path != "$":
        path = path[:-3] if path.endswith("[*]") else path.rpartition(".")[0]
        yield path
