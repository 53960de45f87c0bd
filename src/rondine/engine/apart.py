"""Responses read and mapped in a process of their own, so that a long run keeps records on another processor meanwhile.

The process is this module run by itself. It is asked through its standard input, answers through its standard output,
one after another, and ends when nobody can ask any more. A message is its length, 4 bytes, and a pickle: both ends are
the same program, of the same user.
"""

import os
import pickle
import select
import signal
import struct
import subprocess
import sys
from collections.abc import Hashable, Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache
from threading import Semaphore
from typing import IO, Any

import msgspec

from rondine.core.documents.reading import BodyForm
from rondine.core.mapping.compile import CompiledOutput, Mapped, Reject, compile_mapping
from rondine.core.mapping.document import MappingDocument, RecordTypeDocument
from rondine.core.mapping.row_encoding import EncodedRow, encode_rows
from rondine.core.mapping.rowwise import Known, RowReader, row_reader

_LENGTH = struct.Struct("!I")
_HERE = b"here"
_pack = msgspec.msgpack.Encoder().encode
_unpack = msgspec.msgpack.Decoder(list[EncodedRow]).decode


#: Processes at a time: one processor stays with the one who asks.
_places = Semaphore(len(os.sched_getaffinity(0)) - 1)


class ProcessLost(Exception):
    """The process has ended, or was ended."""


@dataclass(frozen=True, slots=True)
class ReadRows:
    """A response read. mapped: of each output, rows and filtered ones counted, the rows to keep, the rejects.  items:
    elements of the list that is read.  around: what is around the rows, as far as it is wanted.  hashes, known: see
    `Part`."""

    mapped: Sequence[tuple[Mapped, list[EncodedRow], list[Reject]]]
    items: int
    around: Any
    hashes: Sequence[bytes] = ()
    known: Sequence[tuple[int, bytes]] = ()


def read_rows(
    reader: RowReader,
    outputs: Sequence[CompiledOutput],
    body: bytes,
    inputs: Mapping[Hashable, Any],
    form: BodyForm,
    known: Known | None = None,
) -> ReadRows | None:
    """None for a response that has to be read as a whole. known: see `RowReader.page`."""
    found = reader.page(body, inputs, form=form, known=known)
    if found is None:
        return None
    part, around = found
    mapped = []
    for output, one in zip(outputs, part.mapped, strict=True):
        rows, rejects = encode_rows(output, one)
        mapped.append((Mapped(one.rows, one.filtered), rows, rejects))
    return ReadRows(mapped, part.upto.first, around, part.hashes, part.known)


def none_known(hashes: Sequence[bytes]) -> Sequence[int]:
    """Asks for the hashes of rows of which none is known."""
    return [0] * len(hashes)


class RowsProcess:
    """Reads responses for one mapping. One thread asks at a time; another may end it meanwhile.

    also: see `row_reader`.
    """

    @classmethod
    def started(
        cls, mapping: MappingDocument, record_types: Mapping[str, RecordTypeDocument], also: Sequence[str]
    ) -> "RowsProcess | None":
        """None, if no processor is left for it, or the system lets no process begin."""
        if not _places.acquire(blocking=False):
            return None
        try:
            one = cls(mapping, record_types, also)
        except OSError:  # no memory for it, or too many processes
            _places.release()
            return None
        one._has_place = True
        return one

    def __init__(
        self, mapping: MappingDocument, record_types: Mapping[str, RecordTypeDocument], also: Sequence[str]
    ) -> None:
        self._plan = pickle.dumps((mapping, dict(record_types), list(also)))
        self._is_up = self._has_place = False
        self._process = subprocess.Popen(
            [sys.executable, "-m", __name__], stdin=subprocess.PIPE, stdout=subprocess.PIPE, bufsize=0
        )

    @property
    def is_up(self) -> bool:
        """Whether it has started, and answers at once."""
        end = self._process.stdout
        if not self._is_up and end is not None and not end.closed:
            waiting = select.poll()  # select() itself takes no descriptor over 1,023
            waiting.register(end, select.POLLIN)
            self._is_up = bool(waiting.poll(0)) and end.read(len(_HERE)) == _HERE
        return self._is_up

    def read(self, body: bytes, inputs: Mapping[Hashable, Any], form: BodyForm, *, is_hashed: bool) -> ReadRows | None:
        """As `read_rows`, once it is up. Raises ProcessLost."""
        asking, answering = self._process.stdin, self._process.stdout
        assert asking is not None and answering is not None
        try:
            _write(asking, pickle.dumps((self._plan, body, dict(inputs), form, is_hashed), protocol=5))
            answer = _read(answering)
        except (OSError, ValueError, EOFError) as error:
            raise ProcessLost(f"{type(error).__name__}: {error}") from error
        found = pickle.loads(answer)
        if found is None:
            return None
        outputs, items, around, hashes = found
        mapped = [(Mapped(rows, filtered), _unpack(packed), rejects) for rows, filtered, packed, rejects in outputs]
        return ReadRows(mapped, items, around, [hashes[at : at + 16] for at in range(0, len(hashes), 16)])

    def close(self) -> None:
        """Ends it, whatever it does."""
        if self._has_place:
            self._has_place = False
            _places.release()
        self._process.kill()
        self._process.wait()
        for end in (self._process.stdin, self._process.stdout):
            if end is not None:
                end.close()


def _write(end: IO[bytes], message: bytes) -> None:
    end.write(_LENGTH.pack(len(message)))
    rest = memoryview(message)
    while rest:
        rest = rest[end.write(rest) :]


def _read(end: IO[bytes]) -> bytearray:
    (length,) = _LENGTH.unpack(_exactly(end, _LENGTH.size))
    return _exactly(end, length)


def _exactly(end: IO[bytes], length: int) -> bytearray:
    """Raises EOFError."""
    found = bytearray(length)
    rest = memoryview(found)
    while rest:
        count = end.readinto(rest)  # type: ignore[attr-defined]
        if not count:
            raise EOFError("nobody is at the other end any more")
        rest = rest[count:]
    return found


@lru_cache(maxsize=4)
def _prepared(plan: bytes) -> tuple[RowReader, list[CompiledOutput]]:
    mapping, record_types, also = pickle.loads(plan)
    outputs = compile_mapping(mapping, record_types)
    reader = row_reader(mapping, outputs, also)
    assert reader is not None  # the one who asks has one
    return reader, outputs


def answer_for_ever(asking: IO[bytes], answering: IO[bytes]) -> None:
    """Until nobody asks any more."""
    answering.write(_HERE)
    while True:
        try:
            plan, body, inputs, form, is_hashed = pickle.loads(_read(asking))
        except EOFError:
            return
        reader, outputs = _prepared(bytes(plan))
        found = read_rows(reader, outputs, body, inputs, form, none_known if is_hashed else None)
        answer = None
        if found is not None:
            told = [(one.rows, one.filtered, _pack(rows), rejects) for one, rows, rejects in found.mapped]
            answer = told, found.items, found.around, b"".join(found.hashes)
        _write(answering, pickle.dumps(answer, protocol=5))


if __name__ == "__main__":
    import gc

    signal.signal(signal.SIGINT, signal.SIG_IGN)  # who asks decides when it ends
    gc.freeze()
    gc.set_threshold(200_000, 50, 100)
    with open(0, "rb", buffering=0) as asking, open(1, "wb", buffering=0) as answering:
        answer_for_ever(asking, answering)
