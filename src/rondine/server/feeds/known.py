"""Rows that come as they came in the run before: they need not be read, mapped or looked up.

A row is known by the hash of its text. What it became is kept already, as long as rows become records in the same way
(`plan_of`) and nobody else has changed a record of the set (`RecordSet.revision`); whoever is in doubt reads the row.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from hashlib import blake2b
from typing import Any
from uuid import UUID

from django.db import connection
from msgspec import json

from rondine import __version__
from rondine.server.records.keeping import Filling, lock
from rondine.server.records.models import Record, RecordSet, SeenBatch
from rondine.server.records.seen import RowMemory, unpacked
from rondine.server.runs.models import Run, RunCount

#: A batch of rows: the id of each one's record, by the hash of its text.
KnownBatch = dict[bytes, int]
HASH = 16
#: Rows of which none is known, after which another batch is looked into.
FURTHER = 5_000
#: Records of which one is looked at, whether it is there still.
SAMPLED = 97


class KnownRows:
    """The rows of the run before, in batches as they were kept. A few of them are held at a time: rows come mostly in
    the order in which they came."""

    HELD = 3

    def __init__(self, batches: Sequence[int], load: Callable[[int], KnownBatch]) -> None:
        """batches: their ids.  load: gives one, by its id."""
        self._batches, self._load = batches, load
        self._held: dict[int, KnownBatch] = {}
        self._at = 0
        #: Rows since one was last known.
        self._in_vain = 0

    @property
    def is_over(self) -> bool:
        """Whether no row is known, or none has been for long."""
        return not self._batches or self._in_vain > FURTHER * (len(self._batches) + 4)

    def ids_of(self, hashes: Sequence[bytes]) -> Sequence[int]:
        """The id of each row's record; 0 for a row that is not known."""
        found = [0] * len(hashes)
        if self.is_over:
            return found
        missing: Sequence[int] = range(len(hashes))
        most, best = 0, self._at
        for index in (self._at, self._at + 1, self._at - 1):
            if missing and 0 <= index < len(self._batches):
                batch = self._batch(index)
                rest = []
                for number in missing:
                    if record_id := batch.get(hashes[number], 0):
                        found[number] = record_id
                    else:
                        rest.append(number)
                if len(missing) - len(rest) > most:
                    most, best = len(missing) - len(rest), index
                missing = rest
        steps, self._in_vain = self._in_vain // FURTHER, 0 if most else self._in_vain + len(hashes)
        if most:
            self._at = best
        elif self._in_vain // FURTHER > steps:  # they may come in another order
            self._at = (self._at + 1) % len(self._batches)
        return found

    def _batch(self, index: int) -> KnownBatch:
        batch = self._held.pop(index, None)
        self._held[index] = self._load(self._batches[index]) if batch is None else batch
        while len(self._held) > self.HELD:
            del self._held[next(iter(self._held))]
        return self._held[index]


@dataclass(slots=True)
class Recollection:
    """What a run has of the rows of the run before, and remembers of its own. set_id: of the records that its rows
    become.  batches: of the run before, that it knows rows of."""

    set_id: int
    memory: RowMemory
    batches: Sequence[int] = ()

    def is_sound(self) -> bool:
        """Within the transaction of a batch: whether what is kept is as this run left or found it. If not, nothing is
        known or remembered from now on."""
        memory = self.memory
        with connection.cursor() as cursor:
            lock(cursor, self.set_id)
        revision = RecordSet.objects.values_list("revision", flat=True).filter(pk=self.set_id).first()
        if memory.revision is None:
            memory.revision = revision
        memory.is_over = memory.is_over or memory.revision != revision
        return not memory.is_over


def recollection_of(run: Run, record_type: str, filling: Filling) -> Recollection:
    """Of a run whose rows are told by their texts alone."""
    memory = RowMemory(plan_of(run, record_type))
    own = list(SeenBatch.objects.filter(run_id=run.pk, set_id=filling.set_id).order_by("pk"))
    if own:  # a later attempt remembers on, and knows nothing: rows may have been kept by the earlier one
        memory.revision, memory.is_over = own[-1].revision, any(batch.hashes is None for batch in own)
        return Recollection(filling.set_id, memory)
    of_plan = SeenBatch.objects.filter(set_id=filling.set_id, plan=memory.plan, run_id__lt=run.pk)
    before = of_plan.order_by("-run_id").values_list("run_id", flat=True).first()
    if before is None or RunCount.objects.filter(run_id=before, repeated__gt=0).exists():
        return Recollection(filling.set_id, memory)
    batches = SeenBatch.objects.filter(run_id=before, set_id=filling.set_id).order_by("pk")
    revisions = list(batches.values_list("pk", "revision"))
    current = RecordSet.objects.values_list("revision", flat=True).get(pk=filling.set_id)
    if any(revision is None for _, revision in revisions) or revisions[-1][1] != current:
        return Recollection(filling.set_id, memory)
    memory.revision = current
    return Recollection(filling.set_id, memory, [pk for pk, _ in revisions])


def plan_of(run: Run, record_type: str) -> UUID:
    """What rows become records by: the same for two runs that make the same of the same text."""
    content = run.content
    parts: Any = (__version__, str(run.feed_id), content["mapping"], content["record_types"][record_type])
    return UUID(bytes=blake2b(json.encode(parts, order="sorted"), digest_size=HASH).digest())


def known_batch(pk: int) -> KnownBatch:
    """Empty, if it is not there any more, or if a sample of its records shows that somebody has removed some behind our
    back."""
    batch = SeenBatch.objects.filter(pk=pk).first()
    if batch is None or batch.hashes is None:
        return {}
    hashes, ids = bytes(batch.hashes), unpacked(bytes(batch.ids))
    sample = ids[::SAMPLED]
    if Record.objects.filter(pk__in=sample, set_id=batch.set_id, gone_at=None).count() < len(sample):
        return {}
    texts = (hashes[start : start + HASH] for start in range(0, len(hashes), HASH))
    return dict(zip(texts, ids, strict=True))


def forget_earlier(run: Run) -> None:
    """Leaves of what a feed's runs have met what the next one can know rows by: of a run that is done."""
    runs = Run.objects.filter(feed=run.feed_id, pk__lte=run.pk)  # earlier ones cannot go on any more
    SeenBatch.objects.filter(run_id__in=runs.values("pk")).exclude(run_id=run.pk, hashes__isnull=False).delete()
