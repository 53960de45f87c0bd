"""YAML (1.2, core schema) as plain JSON values: no objects, no surprises, bounded cost.

libyaml parses; the values are made here, so that tags cannot construct anything, "no" stays a text, a date stays a
text, numbers stay exact, a key that is duplicated is reported, and aliases that would unfold to millions of nodes end
with an error (sharing itself costs nothing).
"""

import re
from collections.abc import Iterator
from dataclasses import dataclass, field
from decimal import Decimal
from typing import Any

import yaml

from rondine.core.documents.json import Limits, Location
from rondine.core.errors import DocumentError, Problem

_INTEGER = re.compile(r"[-+]?\d{1,1000}")
_OCTAL, _HEX = re.compile(r"0o([0-7]{1,1000})"), re.compile(r"0x([0-9a-fA-F]{1,1000})")
_NUMBER = re.compile(r"[-+]?(\.\d+|\d+(\.\d*)?)([eE][-+]?\d{1,6})?")
_NULLS, _TRUE, _FALSE = {"", "~", "null", "Null", "NULL"}, {"true", "True", "TRUE"}, {"false", "False", "FALSE"}
_TAGS = {f"tag:yaml.org,2002:{name}" for name in ("str", "int", "float", "bool", "null", "map", "seq")}
#: Nodes that a document may unfold to, aliases counted each time.
MOST_NODES = 2_000_000


@dataclass(slots=True)
class _Open:
    """A list or mapping that is being read. key: the one whose value comes next.  nodes: how many it unfolds to."""

    value: Any
    anchor: str | None
    key: str | None = None
    nodes: int = 1
    merged: list[dict[str, Any]] = field(default_factory=list)


_LIMITS = Limits()


def read_yaml(
    body: bytes, *, limits: Limits = _LIMITS, name: str = "the document", most_nodes: int = MOST_NODES
) -> tuple[Any, list[Problem]]:
    """(the value, keys that are duplicated). Raises DocumentError with line and column."""
    if len(body) > limits.size:
        raise DocumentError(f"{name} has {len(body):,} bytes, more than the {limits.size:,} that are read", where=name)
    reader = _Reader(name, limits, most_nodes)
    try:
        for event in yaml.parse(body, Loader=yaml.CSafeLoader):
            reader.take(event)
    except yaml.YAMLError as error:
        raise _unreadable(error, name) from error
    except (UnicodeDecodeError, ValueError) as error:
        raise DocumentError(f"not YAML: {error}", where=name) from error
    return reader.root, reader.problems


class _Reader:
    def __init__(self, name: str, limits: Limits, most_nodes: int) -> None:
        self.name, self.limits, self.most_nodes = name, limits, most_nodes
        self.root: Any = None
        self.problems: list[Problem] = []
        self.open: list[_Open] = []
        self.anchors: dict[str, tuple[Any, int]] = {}
        self.documents = 0

    def take(self, event: Any) -> None:
        match event:
            case yaml.DocumentStartEvent():
                self.documents += 1
                if self.documents > 1:
                    raise self._refused(event, "a second document begins here", "keep one document in a file")
            case yaml.MappingStartEvent() | yaml.SequenceStartEvent():
                self._check_tag(event)
                if self.limits.depth is not None and len(self.open) >= self.limits.depth:
                    raise self._refused(event, f"it is nested more than {self.limits.depth} levels deep", "")
                empty: Any = {} if isinstance(event, yaml.MappingStartEvent) else []
                self.open.append(_Open(empty, event.anchor))
            case yaml.MappingEndEvent() | yaml.SequenceEndEvent():
                ended = self.open.pop()
                for more in ended.merged:
                    for key, value in more.items():
                        ended.value.setdefault(key, value)
                self._put(event, ended.value, ended.anchor, ended.nodes)
            case yaml.ScalarEvent():
                if self.open and isinstance(self.open[-1].value, dict) and self.open[-1].key is None:
                    self._key(event)
                else:
                    self._put(event, self._scalar(event), event.anchor, 1)
            case yaml.AliasEvent():
                if event.anchor not in self.anchors:
                    raise self._refused(event, f'there is no anchor "&{event.anchor}" before it', "")
                value, nodes = self.anchors[event.anchor]
                if self.open and isinstance(self.open[-1].value, dict) and self.open[-1].key is None:
                    raise self._refused(event, "a key is an alias", "write the key itself")
                self._put(event, value, None, nodes)
            case _:
                pass

    def _key(self, event: Any) -> None:
        here = self.open[-1]
        key = event.value
        if key in here.value:
            words = f'the key "{key[:80]}" is duplicated; the second one counts'
            self.problems.append(Problem(f"{self.name}, line {event.start_mark.line + 1}", words, "take one away"))
        here.key = key

    def _put(self, event: Any, value: Any, anchor: str | None, nodes: int) -> None:
        if anchor:
            self.anchors[anchor] = (value, nodes)
        if not self.open:
            self.root = value
            return
        here = self.open[-1]
        here.nodes += nodes
        if here.nodes > self.most_nodes:
            raise self._refused(event, f"its aliases unfold to more than {self.most_nodes:,} nodes", "")
        if isinstance(here.value, list):
            here.value.append(value)
        elif here.key is None:
            raise self._refused(event, "a key is a list or a mapping", "keys are texts")
        else:
            if here.key == "<<" and isinstance(value, (dict, list)):
                here.merged += [one for one in (value if isinstance(value, list) else [value]) if isinstance(one, dict)]
            else:
                here.value[here.key] = value
            here.key = None

    def _scalar(self, event: Any) -> Any:
        self._check_tag(event)
        text: str = event.value
        tag = (event.tag or "").rpartition(":")[2]
        if tag == "str" or (not event.implicit[0] and not tag):
            return text
        return core_scalar(text)

    def _check_tag(self, event: Any) -> None:
        if event.tag and event.tag not in _TAGS and event.tag != "!":
            raise self._refused(event, f'the tag "{event.tag[:60]}" is not read', "write a plain value")

    def _refused(self, event: Any, words: str, hint: str) -> DocumentError:
        mark = event.start_mark
        return DocumentError(words, where=f"{self.name}, line {mark.line + 1}, column {mark.column + 1}", hint=hint)


def core_scalar(text: str) -> Any:
    """What a plain text is in YAML 1.2's core schema (section 10.3.2)."""
    if text in _NULLS:
        return None
    if text in _TRUE or text in _FALSE:
        return text in _TRUE
    if text[0] in "+-.0123456789":
        if _INTEGER.fullmatch(text):
            return int(text)
        if found := _OCTAL.fullmatch(text):
            return int(found.group(1), 8)
        if found := _HEX.fullmatch(text):
            return int(found.group(1), 16)
        if _NUMBER.fullmatch(text):
            return Decimal(text)
    return text


def _unreadable(error: yaml.YAMLError, name: str) -> DocumentError:
    mark = getattr(error, "problem_mark", None)
    place = f"{name}, line {mark.line + 1}, column {mark.column + 1}" if mark else name
    words = getattr(error, "problem", None) or str(error)
    return DocumentError(f"not YAML: {words}", where=place, hint="look at the indentation and the quotes there")


def yaml_lines(body: bytes, wanted: set[Location]) -> dict[Location, int]:
    """The line (from 1) on which each of these places begins; of places that are not there, nothing."""
    found: dict[Location, int] = {}
    path: list[str | int] = []
    kinds: list[bool] = []  # of the open containers: whether it is a mapping
    expects_key: list[bool] = []

    def step(line: int) -> None:
        if kinds and not kinds[-1]:
            path[-1] = int(path[-1]) + 1
        here = tuple(path)
        if here in wanted:
            found.setdefault(here, line)

    for event in _events(body):
        line = event.start_mark.line + 1
        match event:
            case yaml.MappingStartEvent() | yaml.SequenceStartEvent():
                if not (kinds and kinds[-1]):
                    step(line)
                is_mapping = isinstance(event, yaml.MappingStartEvent)
                kinds.append(is_mapping)
                expects_key.append(True)
                path.append("" if is_mapping else -1)
            case yaml.MappingEndEvent() | yaml.SequenceEndEvent():
                kinds.pop()
                expects_key.pop()
                path.pop()
                if kinds and kinds[-1]:
                    expects_key[-1] = True
            case yaml.ScalarEvent() | yaml.AliasEvent():
                if kinds and kinds[-1] and expects_key[-1]:
                    path[-1] = getattr(event, "value", "")
                    step(line)
                    expects_key[-1] = False
                else:
                    if not (kinds and kinds[-1]):
                        step(line)
                    if kinds and kinds[-1]:
                        expects_key[-1] = True
            case _:
                pass
    return found


def _events(body: bytes) -> Iterator[Any]:
    try:
        yield from yaml.parse(body, Loader=yaml.CSafeLoader)
    except yaml.YAMLError:
        return
