"""Forms with files (multipart/form-data, RFC 7578): each part is an input, files are spooled while they come in."""

import hashlib
from collections.abc import Awaitable, Callable
from dataclasses import dataclass, field
from typing import Any

from python_multipart.exceptions import FormParserError
from python_multipart.multipart import MultipartParser, parse_options_header

from rondine.core.errors import InputError
from rondine.core.http.files import GivenFile
from rondine.engine.spool import LargeBody
from rondine.server.api.problems import refusal

#: Parts of a form; bytes of all of its texts.
MOST_PARTS, MOST_TEXT = 1_000, 16 * 1024 * 1024
_WHERE = "the request's body"


@dataclass
class _Part:
    """One part while it comes in. content: of a file."""

    name: str
    file_name: str | None
    media_type: str
    content: LargeBody | None
    text: bytearray = field(default_factory=bytearray)
    digest: Any = field(default_factory=hashlib.sha256)

    def value(self) -> str | GivenFile | None:
        """None for a file that was not chosen. Raises InputError for a text that is none."""
        if self.content is None:
            try:
                text = self.text.decode()
            except UnicodeDecodeError as error:
                raise InputError("it is not UTF-8", where=f"/{self.name}", hint="send it as a file") from error
            if "\0" in text:
                raise InputError("it has the character U+0000", where=f"/{self.name}", hint="leave it out")
            return text
        if not self.file_name and not self.content.size:
            return None
        return GivenFile(self.file_name or "", self.media_type, self.digest.hexdigest(), self.content)


class _Form:
    """What the parser tells."""

    def __init__(self, boundary: bytes) -> None:
        self.values: dict[str, Any] = {}
        self.is_whole = False
        self._text = self._count = 0
        self._headers: dict[str, bytes] = {}
        self._name, self._value = bytearray(), bytearray()
        self._part: _Part | None = None
        self.parser = MultipartParser(
            boundary,
            {
                "on_part_begin": self._begin,
                "on_header_field": lambda data, start, end: self._name.extend(data[start:end]),
                "on_header_value": lambda data, start, end: self._value.extend(data[start:end]),
                "on_header_end": self._header,
                "on_headers_finished": self._open,
                "on_part_data": self._data,
                "on_part_end": self._end,
                "on_end": self._over,
            },
        )

    def _begin(self) -> None:
        self._headers = {}
        self._count += 1
        if self._count > MOST_PARTS:
            raise refusal(413, f"the form has more than {MOST_PARTS:,} parts", _WHERE, "send fewer")

    def _header(self) -> None:
        self._headers[self._name.decode("latin-1").lower()] = bytes(self._value)
        self._name, self._value = bytearray(), bytearray()

    def _open(self) -> None:
        kind, options = parse_options_header(self._headers.get("content-disposition", b""))
        name = options.get(b"name", b"").decode("utf-8", "replace")
        if kind != b"form-data" or not name:
            raise InputError(
                "a part has no name", where=_WHERE, hint='each begins with Content-Disposition: form-data; name="..."'
            )
        media_type = self._headers.get("content-type", b"").decode("latin-1")
        given = options.get(b"filename")
        file_name = None if given is None else _bare(given.decode("utf-8", "replace"))
        is_file = file_name is not None or not (
            media_type == "" or media_type.startswith(("text/", "application/json"))
        )
        self._part = _Part(name, file_name, media_type, LargeBody() if is_file else None)

    def _data(self, data: bytes, start: int, end: int) -> None:
        assert self._part is not None
        piece = data[start:end]
        if self._part.content is not None:
            self._part.content.write(piece)
            self._part.digest.update(piece)
            return
        self._text += len(piece)
        if self._text > MOST_TEXT:
            raise refusal(
                413, f"the form has more than {MOST_TEXT // 1024**2} MiB of text", _WHERE, "send it as a file"
            )
        self._part.text += piece

    def _end(self) -> None:
        part = self._part
        assert part is not None
        value = part.value()
        if value is None:
            return
        if part.name not in self.values:
            self.values[part.name] = value
        elif isinstance(self.values[part.name], list):
            self.values[part.name].append(value)
        else:
            self.values[part.name] = [self.values[part.name], value]

    def _over(self) -> None:
        self.is_whole = True


async def read_form(receive: Callable[[], Awaitable[Any]], headers: dict[str, str], most: int) -> dict[str, Any]:
    """The values of a form by the names of its parts, files as GivenFile; several of one name are a list. most: bytes
    of the whole request.

    Raises InputError for what is no form, and refusals for one that is too large or breaks off.
    """
    _, options = parse_options_header(headers.get("content-type", "").encode("latin-1"))
    boundary = options.get(b"boundary", b"")
    if not 0 < len(boundary) <= 200:
        raise InputError(
            "multipart/form-data without a boundary", where="Content-Type header", hint="name its boundary"
        )
    length = headers.get("content-length", "")
    if length.isascii() and length.isdecimal() and int(length) > most:
        raise _too_large(most)
    form, size, more = _Form(boundary), 0, True
    while more:
        message = await receive()
        if message["type"] == "http.disconnect":
            raise refusal(400, "the request broke off", _WHERE, "send it again, whole")
        size += len(message.get("body", b""))
        if size > most:
            raise _too_large(most)
        try:
            form.parser.write(message.get("body", b""))
        except FormParserError as error:
            raise InputError(f"it is no multipart/form-data: {error}", where=_WHERE, hint="see RFC 7578") from error
        more = message.get("more_body", False)
    if not form.is_whole:
        raise refusal(400, "the form breaks off before its end", _WHERE, "send it again, whole")
    return form.values


def _bare(file_name: str) -> str:
    """Without the way to it (RFC 7578, section 4.2)."""
    return file_name.replace("\\", "/").rpartition("/")[2][:255]


def _too_large(most: int) -> InputError:
    return refusal(
        413,
        f"the request is larger than {most:,} bytes",
        _WHERE,
        "send less, or ask an administrator to raise most_upload_bytes of the application",
    )
