"""What becomes of deliveries: records, in the order that they say themselves, or a run of a feed. Some at a time, in
one transaction with what is said of them, so that each acts once."""

import asyncio
import json as stdlib_json
from array import array
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from decimal import Decimal
from typing import Any
from uuid import UUID

import structlog
from django.db import OperationalError, connection, transaction
from django.db.models import Exists, F, OuterRef
from django.utils import timezone

from rondine.core.conversions.types import CONVERSIONS
from rondine.core.documents import ReadDocument, json_text
from rondine.core.errors import Conflict, DraftError, RondineError
from rondine.core.items.webhook import ToFlow, ToRecords, ToRun
from rondine.core.mapping.compile import CompiledOutput, FieldProblem, Reject, check_format, compile_mapping
from rondine.core.mapping.document import RecordTypeDocument, kept_part
from rondine.core.mapping.row_encoding import EncodedRow, PartOfRecord, encode_rows
from rondine.core.mapping.taking import holds_in, mapping_inputs
from rondine.core.settings import dump, load
from rondine.server.connecting.opening import standing_values
from rondine.server.feeds.batches import rejected_row
from rondine.server.feeds.loading import filling_of
from rondine.server.feeds.models import Feed
from rondine.server.feeds.queueing import queue_feed
from rondine.server.items.actions import find_item
from rondine.server.mappings.kinds import MAPPINGS, resolved_mapping
from rondine.server.records.going import mark_gone
from rondine.server.records.keeping import Filling, PlacedRow, lock
from rondine.server.records.kinds import RECORD_TYPES, record_types_in
from rondine.server.records.models import Record, RecordSet, SeenBatch
from rondine.server.releases.configuration import Configuration
from rondine.server.runs.bodies import read_for
from rondine.server.runs.calls import problem_of
from rondine.server.runs.models import Call, RejectedRow, Run, RunCount
from rondine.server.runs.remarks import Remark
from rondine.server.threads import in_database
from rondine.server.webhooks.models import Delivery, Webhook

log = structlog.get_logger("rondine.webhooks")
#: Deliveries that are acted on in one transaction.
AT_ONCE = 500
#: What acts on deliveries for flows, how many it acted on; flows say so themselves.
TO_FLOWS: list[Callable[[Webhook, ToFlow, Sequence[Delivery]], int]] = []


@dataclass(slots=True)
class _Row:
    """A row of a delivery. newness: what `newest_by` says; None without it.  is_removal: its record is gone."""

    placed: PlacedRow
    newness: Any
    is_removal: bool


def act_all() -> int:
    """Acts on some deliveries of each webhook that has any waiting; how many they were."""
    waiting = Delivery.objects.filter(webhook=OuterRef("pk"), state="waiting")
    return sum(act(pk) for pk in Webhook.objects.filter(Exists(waiting), problems=[]).values_list("pk", flat=True))


def act(webhook_id: Any) -> int:
    """Acts on deliveries of one webhook, in the order in which they came; nobody else does so at the same time."""
    with transaction.atomic():
        webhook = (
            # not locked against deliveries that come in meanwhile, which refer to it
            Webhook.objects.select_for_update(skip_locked=True, no_key=True, of=("self",))
            .select_related("project", "environment")
            .filter(pk=webhook_id)
            .first()
        )
        if webhook is None:
            return 0
        waiting = webhook.deliveries.filter(state="waiting").select_related("body").order_by("pk")
        deliveries = list(waiting[:AT_ONCE])
        if not deliveries:
            return 0
        becomes = webhook.loaded().becomes
        if isinstance(becomes, ToRun):
            return _start_run(webhook, becomes, deliveries)
        if isinstance(becomes, ToFlow):
            return TO_FLOWS[0](webhook, becomes, deliveries)
        _Records(webhook, becomes).act(deliveries)
        return len(deliveries)


def _start_run(webhook: Webhook, becomes: ToRun, deliveries: Sequence[Delivery]) -> int:
    """One run for all that wait; they wait on while the feed is running."""
    feed = Feed.objects.select_related("project", "environment", "mapping", "operation__service").get(
        project=webhook.project_id, name=becomes.feed
    )
    ids = [delivery.pk for delivery in deliveries]
    try:
        with transaction.atomic():
            run = queue_feed(webhook.project, feed, None, {}, begun_by=f"webhook {webhook.name}")
    except Conflict:
        return 0
    except RondineError as error:
        Delivery.objects.filter(pk__in=ids).update(state="failed", error=problem_of(error))
        return len(ids)
    Delivery.objects.filter(pk__in=ids).update(state="done", run=run)
    return len(ids)


class _Records:
    """Deliveries of one webhook turned into records, as one run."""

    def __init__(self, webhook: Webhook, becomes: ToRecords) -> None:
        self.webhook, self.becomes = webhook, becomes
        configuration = Configuration(webhook.environment)
        item = configuration.item(MAPPINGS, find_item(MAPPINGS, webhook.project, becomes.mapping))
        whole = resolved_mapping(webhook.project_id, item.loaded(), configuration=configuration)
        self.mapping, others = kept_part(whole, configuration.documents(RECORD_TYPES))
        if not self.mapping.outputs:
            raise DraftError(
                f'webhook "{webhook.name}" would keep nothing: {", ".join(others)}',
                where=f"mapping {becomes.mapping}",
                hint="let the record type be kept",
            )
        types = record_types_in(configuration, {output.record_type for output in self.mapping.outputs})
        self.content = {
            "webhook": webhook.name,
            "release": configuration.release.number if configuration.release else None,
            "mapping": dump(self.mapping),
            **types,
        }
        self.types = {name: load(RecordTypeDocument, document) for name, document in types["record_types"].items()}
        self.outputs = compile_mapping(self.mapping, self.types)
        self.standing = standing_values(webhook.project, webhook.environment.name)
        self.now = timezone.now()

    def act(self, deliveries: Sequence[Delivery]) -> None:
        run = Run.objects.create(
            project=self.webhook.project,
            environment=self.webhook.environment,
            kind="webhook",
            title=self.webhook.title or self.webhook.name,
            state="done",
            attempt=1,
            begun_by=f"webhook {self.webhook.name}",
            started_at=self.now,
            content=self.content,
            checkpoint={"next": None, "calls": len(deliveries)},
        )
        rows: dict[str, list[_Row]] = {output.record_type: [] for output in self.outputs}
        rejects: dict[str, list[tuple[int, Reject]]] = {output.record_type: [] for output in self.outputs}
        totals = dict.fromkeys(rows, (0, 0))
        calls = []
        for number, delivery in enumerate(deliveries, 1):
            delivery.run, delivery.call, delivery.state = run, number, "done"
            try:
                self._map(delivery, number, rows, rejects, totals)
            except RondineError as error:
                delivery.state, delivery.error = "failed", problem_of(error)
            calls.append(self._call(run, delivery, number))
        Call.objects.bulk_create(calls)
        outdated = 0
        for output in self.outputs:
            outdated += self._keep(run, output, rows[output.record_type], rejects[output.record_type], totals)
        SeenBatch.objects.filter(run_id=run.pk).delete()
        Delivery.objects.bulk_update(deliveries, ["run", "call", "state", "error"])
        failed = sum(delivery.state == "failed" for delivery in deliveries)
        remarks = [Remark("outdated", f"{outdated:,} rows were older than what is kept").to_json()] if outdated else []
        run.remarks, run.ended_at = remarks, timezone.now()
        run.ending = f"{len(deliveries):,} deliveries" + (f", {failed:,} of them could not be read" if failed else "")
        run.save(update_fields=["remarks", "ended_at", "ending"])

    def _map(
        self,
        delivery: Delivery,
        number: int,
        rows: dict[str, list[_Row]],
        rejects: dict[str, list[tuple[int, Reject]]],
        totals: dict[str, tuple[int, int]],
    ) -> None:
        read: ReadDocument = read_for(self.mapping, delivery.body)
        check_format(self.mapping, read)
        headers = tuple((name, value) for name, value in delivery.headers)
        inputs = mapping_inputs({}, self.standing, headers)
        conditions = self.becomes.removed_when
        is_removal = bool(conditions) and all(holds_in(read, condition, inputs) for condition in conditions)
        for output in self.outputs:
            name = output.record_type
            mapped = output.run(read.value, inputs)
            encoded, refused = encode_rows(output, mapped)
            total, filtered = totals[name]
            totals[name] = total + mapped.rows, filtered + mapped.filtered
            rejects[name] += [(number, reject) for reject in refused]
            for row in encoded:
                newness, problem = self._newness(name, row)
                if problem is not None:
                    data = stdlib_json.loads(row.data, parse_float=Decimal)
                    rejects[name].append((number, Reject(row.ordinal, "", (problem,), json_text(data))))
                else:
                    rows[name].append(_Row(PlacedRow(row, number), newness, is_removal))

    def _newness(self, record_type: str, row: EncodedRow) -> tuple[Any, FieldProblem | None]:
        name = self.becomes.newest_by
        field = self.types[record_type].field(name) if name else None
        if field is None:
            return None, None
        value = stdlib_json.loads(row.data, parse_float=Decimal).get(name)
        if value is None:
            reason = "is missing, so that nobody can tell whether it is newer than what is kept"
            return None, FieldProblem(name, "", reason, None)
        return CONVERSIONS[field.type](value), None

    def _keep(
        self,
        run: Run,
        output: CompiledOutput,
        rows: list[_Row],
        rejects: list[tuple[int, Reject]],
        totals: dict[str, tuple[int, int]],
    ) -> int:
        """Keeps the newest row of each key, and gives how many were older than what is kept."""
        name = output.record_type
        document = self.types[name]
        filling = filling_of(run, str(self.webhook.pk), document, output)
        with connection.cursor() as cursor:
            lock(cursor, filling.set_id)
        if self.becomes.newest_by:
            rows = sorted(rows, key=lambda row: row.newness)  # of equal ones the later stays behind the earlier
        kept = self._kept(filling.set_id, rows)
        current = [row for row in rows if not self._is_older(row, kept, document)]
        outdated = len(rows) - len(current)
        updates = [row.placed for row in current if not row.is_removal]
        last = {row.placed.row.digest: row for row in current}
        removals = [row for row in last.values() if row.is_removal]
        result = Record.objects.keep(filling, updates, self.now)
        self._remove(filling, removals, document)
        rejected = [rejected_row(run.pk, name, number, reject) for number, reject in rejects]
        RejectedRow.objects.bulk_create(rejected, batch_size=1_000)
        total, filtered = totals[name]
        gone_rows = len(current) - len(updates)
        RunCount.objects.create(
            run=run,
            record_type=name,
            rows=total,
            created=result.created,
            changed=result.changed + len(removals),
            unchanged=result.unchanged,
            repeated=result.repeated + outdated + gone_rows - len(removals),
            rejected=len(rejected),
            filtered=filtered,
            gone=len(removals),
        )
        return outdated

    def _kept(self, set_id: int, rows: Sequence[_Row]) -> dict[bytes, Record]:
        digests = {UUID(bytes=row.placed.row.digest) for row in rows}
        found = Record.objects.filter(set_id=set_id, digest__in=digests)
        return {record.digest.bytes: record for record in found}

    def _is_older(self, row: _Row, kept: dict[bytes, Record], document: RecordTypeDocument) -> bool:
        record = kept.get(row.placed.row.digest)
        field = document.field(self.becomes.newest_by) if self.becomes.newest_by else None
        if record is None or field is None or record.data.get(field.name) is None:
            return False
        return bool(row.newness < CONVERSIONS[field.type](record.data[field.name]))

    def _remove(self, filling: Filling, rows: Sequence[_Row], document: RecordTypeDocument) -> None:
        """Records that are gone: their key and newness stay, so that nothing older brings them back."""
        if not rows:
            return
        wanted = [*document.key, *([self.becomes.newest_by] if self.becomes.newest_by else [])]
        fields = tuple((field.name, field.type) for field in document.fields)
        part = PartOfRecord(fields, frozenset(wanted))
        placed = []
        for row in rows:
            data = stdlib_json.loads(row.placed.row.data, parse_float=Decimal)
            shown = json_text({name: data[name] for name in wanted if name in data}).encode()
            placed.append(PlacedRow(replace_data(row.placed.row, shown), row.placed.call))
        Record.objects.keep(replace(filling, part=part), placed, self.now)
        digests = [UUID(bytes=row.placed.row.digest) for row in rows]
        ids = Record.objects.filter(set_id=filling.set_id, digest__in=digests).values_list("pk", flat=True)
        mark_gone(filling, array("q", ids), self.now, alive=0)
        RecordSet.objects.filter(pk=filling.set_id).update(revision=F("revision") + 1)  # feeds know them no more

    def _call(self, run: Run, delivery: Delivery, number: int) -> Call:
        return Call(
            run=run,
            number=number,
            method="POST",
            url=f"webhook {self.webhook.name}",
            request="".join(f"{name}: {value}\n" for name, value in delivery.headers),
            headers=delivery.headers,
            size=delivery.body.size,
            body=delivery.body,
            error=delivery.error,
            at=delivery.at,
            purpose="delivery",
        )


def replace_data(row: EncodedRow, data: bytes) -> EncodedRow:
    """The row with other data; its hash is that of the row it is merged into."""
    return EncodedRow(row.digest, row.key, row.hash, data, row.ordinal)


async def act_for_ever(pool: ThreadPoolExecutor, seconds: float = 0.5) -> None:
    """Acts on deliveries as they come, until cancelled. Any number of workers may do so at once."""
    while True:
        acted = 0
        try:
            acted = await in_database(pool, act_all)
        except OperationalError:
            pass
        except Exception:
            log.exception("acting on deliveries failed")
        if acted < AT_ONCE:  # what comes within a moment is one run
            await asyncio.sleep(seconds)
