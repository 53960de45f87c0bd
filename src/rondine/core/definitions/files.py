"""The files that a definition is made of: read as JSON or YAML, references between them followed, places found again as
lines."""

import io
import posixpath
import re
import zipfile
import zlib
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any
from urllib.parse import unquote, urldefrag, urljoin, urlsplit

from rondine.core.documents.json import (
    Limits,
    Location,
    duplicate_keys,
    json_lines,
    looks_like_html,
    pointer_text,
    read_json,
)
from rondine.core.documents.yaml import read_yaml, yaml_lines
from rondine.core.errors import DocumentError, Problem, did_you_mean

#: A reference that leads to another, and that to another: nobody writes longer chains.
MOST_STEPS = 50


@dataclass(frozen=True, slots=True)
class Place:
    """A place in one of the files."""

    file: str
    location: Location = ()

    def __truediv__(self, step: str | int) -> "Place":
        return Place(self.file, (*self.location, step))

    @property
    def pointer(self) -> str:
        return pointer_text(self.location)


class Broken(Exception):
    """A reference or part that cannot be used; the reader goes on without it."""

    def __init__(self, place: Place, message: str, hint: str = "") -> None:
        super().__init__(message)
        self.place, self.message, self.hint = place, message, hint


#: What an upload may hold, unpacked.
MOST_BYTES, MOST_FILES = 200 * 1024 * 1024, 1_000


def unpacked(contents: Mapping[str, bytes]) -> dict[str, bytes]:
    """The files of an upload, archives (zip) opened. Raises DocumentError for one that is broken or holds too much."""
    out: dict[str, bytes] = {}
    for name, content in contents.items():
        if content[:4] != b"PK\x03\x04":
            out[posixpath.normpath(name)] = content
            continue
        try:
            with zipfile.ZipFile(io.BytesIO(content)) as archive:
                members = [
                    one for one in archive.infolist() if not one.is_dir() and not one.filename.startswith("__MACOSX")
                ]
                if sum(one.file_size for one in members) > MOST_BYTES or len(members) > MOST_FILES:
                    words = f"the archive holds more than {MOST_FILES:,} files or {MOST_BYTES:,} bytes"
                    raise DocumentError(words, where=name, hint="pack only what the definition is made of")
                for one in members:
                    with archive.open(one) as member:
                        out[posixpath.normpath(one.filename).lstrip("./")] = member.read(one.file_size + 1)[
                            : one.file_size
                        ]
        except (zipfile.BadZipFile, RuntimeError, NotImplementedError, OSError, EOFError, zlib.error) as error:
            raise DocumentError(
                f"the archive cannot be opened: {error}", where=name, hint="pack it as zip again"
            ) from error
    return out


#: Broken references of one definition for which the nearest name is looked for; what breaks more often has one cause.
MOST_HINTS = 50
#: Where WSDL and XSD name other files.
_LOCATION = re.compile(
    rb"""<(?:\w+:)?(?:import|include|redefine)\b[^>]*?\b(?:schemaLocation|location)\s*=\s*(?:"([^"]*)"|'([^']*)')"""
)
_MAIN = re.compile(
    rb"""^\s*["']?(openapi|swagger|swaggerVersion)["']?\s*:|<(\w+:)?(Edmx|definitions|description)\b|"""
    rb"""^\s*\{\s*"(log|\$Version|data|__schema)"|"""
    rb"""^\s*(type\s+Query|schema\s*\{)""",
    re.MULTILINE,
)


def main_of(contents: Mapping[str, bytes]) -> str:
    """The file that most likely is the definition itself: by its content, then by how far up it lies."""
    if not contents:
        raise DocumentError("there is no file", where="files", hint="choose a file, or give an address")
    return min(contents, key=lambda name: (not _MAIN.search(contents[name][:20_000]), name.count("/"), len(name)))


#: Escapes of what no database of texts holds: NUL, and halves of surrogate pairs.
ODD = re.compile(rb"\x00|\\0|\\x00|\\u0000|\\U0000(0000|[dD][89a-fA-F])|\\u[dD][89a-fA-F]")


def storable(value: Any) -> Any:
    """The value with what cannot be stored in its texts and names left out, or shown as U+FFFD."""
    if isinstance(value, str):
        return value.replace("\0", "").encode("utf-16", "surrogatepass").decode("utf-16", "replace")
    if isinstance(value, dict):
        return {storable(name): storable(one) for name, one in value.items()}
    return [storable(one) for one in value] if isinstance(value, list) else value


#: Told how far reading has come: what is counted (files, operations), how many are done, of how many. What it raises
#: ends the reading.
Report = Callable[[str, int, int], None]


def to_nobody(what: str, done: int, of: int) -> None:
    """Reports to nobody."""


@dataclass
class Files:
    """main: the name of the file with the definition.  contents: by name: a path within an upload, or an address.
    report: told of progress."""

    main: str
    contents: Mapping[str, bytes]
    report: Report = to_nobody
    values: dict[str, Any] = field(default_factory=dict)
    problems: list[Problem] = field(default_factory=list)
    _hints_left: int = MOST_HINTS

    def value(self, name: str) -> Any:
        """The file's value. Raises DocumentError with line and column, KeyError if there is no such file."""
        if name not in self.values:
            self.report("files", len(self.values), len(self.contents))
            value = self._read(name, self.contents[name])
            self.values[name] = storable(value) if ODD.search(self.contents[name]) else value
        return self.values[name]

    def _read(self, name: str, content: bytes) -> Any:
        limits = Limits(size=100 * 1024 * 1024)
        text = content.decode("utf-8", "replace").lstrip("\ufeff")
        if text.lstrip()[:1] in ("{", "["):
            try:
                value = read_json(content, limits=limits, name=_short(name))
            except DocumentError as error:
                try:  # flow style YAML, with comments or trailing commas
                    value, problems = read_yaml(content, limits=limits, name=_short(name))
                except DocumentError:
                    raise error from None
                self.problems += problems
                return value
            self.problems += [
                Problem(
                    _short(name),
                    f'the name "{duplicate_key[:80]}" is duplicated in one object; the last one counts',
                    "",
                )
                for duplicate_key in duplicate_keys(text)[:20]
            ]
            return value
        if looks_like_html(text):
            raise DocumentError(
                "this is a page of HTML, not a definition",
                where=_short(name),
                hint="the page may link to the definition: look for openapi.json, $metadata, ?wsdl or a download",
            )
        value, problems = read_yaml(content, limits=limits, name=_short(name))
        self.problems += problems
        return value

    def is_xml(self) -> bool:
        """Whether the definition itself is XML, and no page of HTML."""
        text = self.contents[self.main][:2000].decode("utf-8", "replace").replace("\0", "").lstrip("\ufeff \t\r\n")
        return text.startswith("<") and not looks_like_html(text)

    def follow(self, value: Any, place: Place) -> tuple[Any, Place]:
        """What a reference leads to, over any number of steps; anything else as it is. Raises Broken."""
        seen: set[Place] = set()
        while isinstance(value, dict) and isinstance(value.get("$ref"), str):
            target = self.target(value["$ref"], place)
            if target in seen or len(seen) > MOST_STEPS:
                raise Broken(place, f'"{value["$ref"][:120]}" leads back to itself', "name what it stands for")
            seen.add(target)
            value, place = self.at(target, place), target
        return value, place

    def target(self, reference: str, place: Place) -> Place:
        """The place that a `$ref` names (RFC 3986, RFC 6901), from the file it stands in."""
        address, fragment = urldefrag(reference)
        file = self.joined(place.file, address) if address else place.file
        if fragment and not fragment.startswith("/"):
            raise Broken(place, f'"{reference[:120]}" is not a JSON Pointer', "anchors are not followed")
        steps = [unquote(step).replace("~1", "/").replace("~0", "~") for step in fragment.split("/")[1:]]
        return Place(file, tuple(steps))

    def joined(self, base: str, reference: str) -> str:
        if urlsplit(base).scheme in ("http", "https") or urlsplit(reference).scheme:
            return urljoin(base, reference)
        return posixpath.normpath(posixpath.join(posixpath.dirname(base), unquote(reference)))

    def at(self, target: Place, place: Place) -> Any:
        """The value there. Raises Broken, said of `place`, with the nearest name."""
        try:
            value = self.value(target.file)
        except KeyError:
            raise Broken(
                place,
                f'the file "{target.file[:120]}" is not here',
                "upload it too, or import by address" if "://" not in target.file else "it was not fetched",
            ) from None
        except DocumentError as error:
            raise Broken(place, f'"{target.file[:120]}" cannot be read: {error}', "") from error
        for depth, step in enumerate(target.location):
            try:
                value = value[int(step) if isinstance(value, list) else step]
            except (KeyError, IndexError, ValueError, TypeError):
                names = [str(name) for name in value] if isinstance(value, dict) else []
                where = pointer_text(target.location[: depth + 1])
                file = "the document" if target.file == place.file else f'"{_short(target.file)}"'
                near = did_you_mean(str(step), names) if self._hints_left > 0 else ""
                self._hints_left -= 1
                raise Broken(place, f'it refers to "#{where}", which {file} does not define', near) from None
        return value

    def outside(self) -> list[str]:
        """Names of files that the ones read so far refer to and that are not here."""
        missing: dict[str, None] = {}
        for name, content in list(self.contents.items()):
            if content[:2000].lstrip(b"\xef\xbb\xbf \t\r\n")[:1] == b"<":
                for found in _LOCATION.finditer(content):
                    location = found.group(1) or found.group(2)
                    joined = self.joined(name, location.decode("utf-8", "replace").replace("&amp;", "&"))
                    if joined not in self.contents:
                        missing[joined] = None
                continue
            try:
                pending = [self.value(name)]
            except (DocumentError, KeyError):
                continue
            seen: set[int] = set()
            while pending:
                one = pending.pop()
                if isinstance(one, (dict, list)):
                    if id(one) in seen:
                        continue
                    seen.add(id(one))
                    pending += one.values() if isinstance(one, dict) else one
                if isinstance(one, dict) and isinstance(one.get("$ref"), str):
                    address, _ = urldefrag(one["$ref"])
                    if address and (joined := self.joined(name, address)) not in self.contents:
                        missing[joined] = None
        return list(missing)

    def with_lines(self, found: list[tuple[Place, str, str]]) -> list[Problem]:
        """Messages with the line of their place: "register.yaml, line 41: /paths/~1trees/get"."""
        out = []
        lines = self._lines({place for place, _, _ in found[:300]})
        for place, message, hint in found:
            line = lines.get(place)
            where = f"{_short(place.file)}, line {line}" if line else _short(place.file)
            out.append(Problem(f"{where}: {place.pointer}" if place.pointer else where, message, hint))
        return out

    def _lines(self, places: set[Place]) -> dict[Place, int]:
        out: dict[Place, int] = {}
        for file in {place.file for place in places}:
            if file not in self.contents:
                continue
            wanted = {_typed(self.values.get(file), place.location): place for place in places if place.file == file}
            content = self.contents[file]
            text = content.decode("utf-8", "replace").lstrip("\ufeff")
            is_json = text.lstrip()[:1] in ("{", "[")
            try:
                found = json_lines(text, set(wanted)) if is_json else yaml_lines(content, set(wanted))
            except (ValueError, IndexError, TypeError):
                continue  # JSON with comments: sound enough to be read, not to be counted in
            out |= {wanted[location]: line for location, line in found.items()}
        return out


def _typed(value: Any, location: Location) -> Location:
    """The location with list positions as numbers."""
    out: list[str | int] = []
    for step in location:
        key: str | int = int(step) if isinstance(value, list) and str(step).isdigit() else step
        out.append(key)
        try:
            value = value[key]
        except (KeyError, IndexError, TypeError):
            value = None
    return tuple(out)


def _short(name: str) -> str:
    """The last part of a file's name or address."""
    return name.rstrip("/").rpartition("/")[2][:80] or name[:80]
