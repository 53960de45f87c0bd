"""Content codings undone while a body comes in (RFC 9110, section 8.4.1), with the proof that it came whole.

A stream that breaks off is told from one that ended: each coding has a trailer or a last block, and a body without it
is refused whatever its length says. Several codings are undone in the reverse of their order.
"""

import zlib
from collections.abc import Iterator
from typing import Protocol

from rondine.core.errors import ServiceError, short

#: Bytes given on at a time, so that what unpacks to much more than it was is noticed early.
PIECE = 256 * 1024
_GZIP = b"\x1f\x8b"


class Step(Protocol):
    def feed(self, data: bytes) -> Iterator[bytes]: ...

    def finish(self) -> None: ...


class ContentDecoder:
    """Undoes the codings of one body. where: the request, for messages. Raises ServiceError for a coding that is not
    known."""

    def __init__(self, content_encoding: str, where: str) -> None:
        names = [one.strip().lower() for one in content_encoding.split(",")]
        self._steps = [_step(name, where) for name in reversed(names) if name not in ("", "identity")]

    @property
    def shows_end(self) -> bool:
        """Whether a body that broke off is told from one that ended."""
        return bool(self._steps)

    def feed(self, data: bytes) -> Iterator[bytes]:
        """The pieces that these bytes of the body give. Raises ServiceError for what is not coded as it says."""
        yield from _through(self._steps, data)

    def finish(self) -> None:
        """At the end of the body. Raises ServiceError if it broke off."""
        for step in self._steps:
            step.finish()


def _through(steps: list[Step], data: bytes) -> Iterator[bytes]:
    if not steps:
        if data:
            yield data
        return
    for piece in steps[0].feed(data):
        yield from _through(steps[1:], piece)


def _step(name: str, where: str) -> Step:
    if name in ("gzip", "x-gzip"):
        return _Deflated("gzip", where)
    if name == "deflate":
        return _Deflated("deflate", where)
    raise ServiceError(
        f"the body is coded as {short(name)}, which was not asked for and cannot be read",
        where=where,
        hint="tell the service's provider: Rondine asks for gzip and deflate (Accept-Encoding)",
    )


class _Deflated:
    """gzip (RFC 1952), with all its members; deflate: zlib (RFC 1950), or bare as some services send it (RFC 1951)."""

    def __init__(self, name: str, where: str) -> None:
        self.name, self.where = name, where
        self._inflate = zlib.decompressobj(wbits=31) if name == "gzip" else None
        self._begin = b""

    def feed(self, data: bytes) -> Iterator[bytes]:
        if self._inflate is None:
            data, self._begin = self._begin + data, b""
            if len(data) < 2:
                self._begin = data
                return
            is_zlib = data[0] & 0x0F == 8 and int.from_bytes(data[:2], "big") % 31 == 0
            self._inflate = zlib.decompressobj(wbits=15 if is_zlib else -15)
        elif not self._begin:
            self._begin = data[:2]
        while data:
            if self._inflate.eof:
                data = self._next_member(data)
                if not data:
                    return
            try:
                piece = self._inflate.decompress(data, PIECE)
            except zlib.error as error:
                raise self._damaged(error) from error
            data = self._inflate.unconsumed_tail or self._inflate.unused_data
            if piece:
                yield piece
            elif not data:
                return

    def _next_member(self, data: bytes) -> bytes:
        """What follows a whole stream: another one of gzip, or zeros that fill it up; anything else is refused."""
        if self.name == "gzip" and data.startswith(_GZIP[: len(data)]):
            self._inflate = zlib.decompressobj(wbits=31)
            return data
        if data.strip(b"\0"):
            raise ServiceError(
                f"something follows behind the end of the {self.name} content",
                where=self.where,
                hint="tell the service's provider",
            )
        return b""

    def _damaged(self, error: zlib.error) -> ServiceError:
        if self.name == "gzip" and not self._begin.startswith(_GZIP[: len(self._begin)]):
            return ServiceError(
                "the body is not gzip, although its Content-Encoding says so",
                where=self.where,
                hint="tell the service's provider; perhaps something on the way unpacked it",
            )
        return ServiceError(
            f"the {self.name} content is damaged: {str(error).rpartition(': ')[2]}",
            where=self.where,
            hint="try again; if it stays so, tell the service's provider",
        )

    def finish(self) -> None:
        is_empty = (self._inflate is None and not self._begin) or (self.name == "gzip" and not self._begin)
        if is_empty or (self._inflate is not None and self._inflate.eof):
            return
        raise ServiceError(
            f"the body broke off before its end: its {self.name} content has no end",
            where=self.where,
            hint="try again; if it stays so, tell the service's provider",
        )


def header_text(value: bytes, *, is_address: bool = False) -> str:
    """A header's value as text: UTF-8 if it is that, else ISO 8859-1, as HTTP had it (RFC 9110, section 5.5).

    is_address: bytes outside of ASCII are percent-encoded as they are, which is what the service meant.
    """
    if is_address and not value.isascii():
        value = b"".join(bytes([byte]) if byte < 128 else b"%%%02X" % byte for byte in value)
    try:
        return value.decode("utf-8")
    except UnicodeDecodeError:
        return value.decode("latin-1")
