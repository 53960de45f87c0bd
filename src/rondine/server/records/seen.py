"""Which records of a set a run has met, by their ids: a bit each in memory, and a compact row a batch in the database,
from which a later attempt goes on.

The rows in the database hold besides, for the next run of the feed, how the text was written that each record was made
of (`RowMemory`); and in memory a run that found its set empty knows which keys it cannot have met (`Newcomers`).
"""

import struct
import sys
import zlib
from array import array
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Any
from uuid import UUID

from django.db import models


class Newcomers:
    """Keys that a run has brought to a set that was empty: a Bloom filter over their digests, two bits each. With 10
    million keys, one in 15 new ones is taken for an old one, and looked up in vain."""

    BYTES = 1 << 23

    def __init__(self) -> None:
        self._bits = bytearray(self.BYTES)

    def met(self, digests: Iterable[bytes]) -> list[bytes]:
        """Those that may have been met before; all others are new for certain. All are met from now on."""
        bits, places = self._bits, self.BYTES - 1
        met = []
        for digest in digests:
            one, other = _two_numbers(digest)
            at, mask = one >> 3 & places, 1 << (one & 7)
            beside, veil = other >> 3 & places, 1 << (other & 7)
            if bits[at] & mask and bits[beside] & veil:
                met.append(digest)
            else:
                bits[at] |= mask
                bits[beside] |= veil
        return met


_two_numbers = struct.Struct("<II8x").unpack


@dataclass(slots=True)
class RowMemory:
    """What a run remembers of its rows for the next one: of which text each record was made.

    plan: how rows become records; rows are known only to a run with the same.  revision: of the set, as this run found
    or left it; None before its first batch.  is_over: somebody else has changed records of the set meanwhile, so that
    what was remembered need not be there any more.
    """

    plan: UUID
    revision: int | None = None
    is_over: bool = False


class SeenRecords:
    """The records of one set that a run has met, by their ids. One bit each, in chunks: ids of a set come in runs.

    newcomers: of a run that found the set empty.  memory: for the next run, if rows can be known again.
    """

    CHUNK = 1 << 16

    def __init__(self) -> None:
        self._chunks: dict[int, bytearray] = {}
        self.count = 0
        self.newcomers: Newcomers | None = None
        self.memory: RowMemory | None = None

    @classmethod
    def of(cls, run_id: int, set_id: int, batches: "models.Manager[Any]") -> "SeenRecords":
        """What the batches of a run say that are kept so far."""
        seen = cls()
        for packed in batches.filter(run_id=run_id, set_id=set_id).values_list("ids", flat=True).iterator(100):
            for record_id in unpacked(packed):
                seen.add(record_id)
        return seen

    def add(self, record_id: int) -> bool:
        """Whether the record is met for the first time."""
        chunk, bit = divmod(record_id, self.CHUNK)
        bits = self._chunks.get(chunk)
        if bits is None:
            bits = self._chunks[chunk] = bytearray(self.CHUNK >> 3)
        byte, mask = bit >> 3, 1 << (bit & 7)
        if bits[byte] & mask:
            return False
        bits[byte] |= mask
        self.count += 1
        return True

    def __contains__(self, record_id: int) -> bool:
        chunk, bit = divmod(record_id, self.CHUNK)
        bits = self._chunks.get(chunk)
        return bits is not None and bool(bits[bit >> 3] & 1 << (bit & 7))


def packed(ids: Sequence[int]) -> bytes:
    """As 64-bit numbers, little end first, compressed."""
    numbers = array("q", ids)
    if sys.byteorder == "big":
        numbers.byteswap()
    return zlib.compress(numbers.tobytes(), 1)


def unpacked(packed: bytes) -> Sequence[int]:
    numbers = array("q")
    numbers.frombytes(zlib.decompress(packed))
    if sys.byteorder == "big":
        numbers.byteswap()
    return numbers
