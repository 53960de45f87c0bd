"""Which records of a set a run has met, by their ids: a bit each in memory, and a compact row a batch in the database,
from which a later attempt goes on."""

import sys
import zlib
from array import array
from collections.abc import Sequence
from typing import Any

from django.db import models


class SeenRecords:
    """The records of one set that a run has met, by their ids. One bit each, in chunks: ids of a set come in runs."""

    CHUNK = 1 << 16

    def __init__(self) -> None:
        self._chunks: dict[int, bytearray] = {}
        self.count = 0

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
