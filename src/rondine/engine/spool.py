"""A body too large for memory, in a file without a name that is gone when nobody holds it any more."""

import os
import tempfile
from collections.abc import Iterable, Iterator, Sequence

from rondine.engine.connection import overwritten

#: Bodies with more bytes than this are spooled, where that is asked for.
SPOOLED_OVER = 8 * 1024 * 1024
_PIECE = 256 * 1024


class LargeBody:
    """size: in bytes, after decompression."""

    def __init__(self, chunks: Iterable[bytes] = ()) -> None:
        self._file = tempfile.TemporaryFile(prefix="rondine-")  # noqa: SIM115 it lives as long as this object
        self._secrets: Sequence[bytes] = ()
        self.size = 0
        for chunk in chunks:
            self.write(chunk)

    def write(self, chunk: bytes) -> None:
        self._file.write(chunk)
        self.size += len(chunk)

    def hide(self, secrets: Sequence[bytes]) -> None:
        """From now on these forms are read as asterisks."""
        self._secrets = secrets

    def chunks(self, first: int = 0, end: int | None = None) -> Iterator[bytes]:
        """The body, or what of it lies from one byte to before another; any number of readers may go through it."""
        at = 0
        for chunk in self._whole():
            if end is not None and at >= end:
                return
            if piece := chunk[max(0, first - at) : None if end is None else end - at]:
                yield piece
            at += len(chunk)

    def _whole(self) -> Iterator[bytes]:
        self._file.flush()
        longest = max(map(len, self._secrets), default=1) - 1
        held, at = b"", 0
        while piece := os.pread(self._file.fileno(), _PIECE, at):
            at += len(piece)
            held = overwritten(held + piece, self._secrets)
            cut = len(held) - longest  # what may be the beginning of a secret waits for its end
            yield held[:cut]
            held = held[cut:]
        if held:
            yield held

    def head(self, size: int) -> bytes:
        found = b""
        for chunk in self.chunks():
            found += chunk
            if len(found) >= size:
                break
        return found[:size]
