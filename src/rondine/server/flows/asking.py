"""What a flow asks, carried out: operations, lists of records, and records found and written. What comes of it is data,
also when it fails."""

import asyncio
import hashlib
from array import array
from collections.abc import Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from functools import partial
from typing import Any

from django.db import transaction
from django.utils import timezone

from rondine.core.conversions.types import CONVERSIONS, ConversionError
from rondine.core.errors import InputError, NotFound, Problem, RondineError, did_you_mean
from rondine.core.flow.document import Asked, RecordsStep
from rondine.core.flow.failures import UNKNOWN
from rondine.core.flow.history import failed, failure_of
from rondine.core.flow.tasks import Task
from rondine.core.live.asking import read_question
from rondine.core.live.document import Role
from rondine.core.mapping.document import RecordTypeDocument
from rondine.core.mapping.row_encoding import EncodedRow, PartOfRecord, encode_row
from rondine.core.operations.inputs import value_text
from rondine.engine.client import Engine
from rondine.engine.receiving import Received, SideCall
from rondine.server.connecting.user_sessions import OpenSession
from rondine.server.flows.calls import MOST_BODY, Calls, CarriedCall
from rondine.server.held import Held
from rondine.server.live.asking import live_records
from rondine.server.live.ready import find_record_type, made_ready
from rondine.server.live.showing import shown_found, shown_live_page, shown_written
from rondine.server.live.traces import Asker
from rondine.server.mappings.kinds import MAPPINGS
from rondine.server.mappings.ready import ready_mapping
from rondine.server.operations.answering import OutsideFailed, ReadyMapping, understood
from rondine.server.operations.calling import ReadyOperation, ready_operation
from rondine.server.operations.kinds import OPERATIONS
from rondine.server.operations.page_parts import Going, part_of
from rondine.server.operations.replying import may_pass, records_of
from rondine.server.operations.sending import send_within
from rondine.server.records.actions import record_set, record_set_to_fill
from rondine.server.records.browsing import browse, find_record, key_of, shown_data
from rondine.server.records.going import mark_gone
from rondine.server.records.keeping import Filling, PlacedRow
from rondine.server.records.models import Record
from rondine.server.releases.configuration import Configuration
from rondine.server.runs.models import Run
from rondine.server.threads import in_database

#: Seconds for one call, where no step says less.
TIME_LIMIT = 300.0


ReadyToAsk = tuple[ReadyOperation, ReadyMapping | None]


def made_ready_to_ask(configuration: Configuration, operation: str, mapping: str) -> ReadyToAsk:
    """By their names. Raises NotFound and DraftError."""
    ready = ready_operation(configuration, configuration.named(OPERATIONS, operation))
    if not mapping:
        return ready, None
    return ready, ready_mapping(configuration, configuration.named(MAPPINGS, mapping))


@dataclass
class Carrier:
    """Carries out what one run asks. calls: where they are written down.  caller: the application's user.  sessions: in
    which that user has signed in at services; None if no application began the run.  ready: operations and mappings, of
    this run alone or of all of an application."""

    run: Run
    configuration: Configuration
    engine: Engine
    pool: ThreadPoolExecutor
    calls: Calls
    caller: str = ""
    sessions: Sequence[OpenSession] | None = None
    ready: Held[ReadyToAsk] = field(default_factory=lambda: Held(3600.0, 1_000))

    async def do(self, task: Task, *, again: bool = False) -> dict[str, Any]:
        """What comes of a task. again: it was begun before by a process that died, and may have had its effect."""
        try:
            if isinstance(task.what, RecordsStep):
                return await self._record(task, task.what, again=again)
            if task.what.operation:
                return await self._operation(task, task.what, again=again)
            return await self._list(task.what.record_type, task.given)
        except RondineError as error:
            return failed(_told(error))

    # --- operations

    async def _operation(self, task: Task, asked: Asked, *, again: bool) -> dict[str, Any]:
        configuration = self.configuration
        key = (configuration.environment.pk, configuration.environment.release_id, asked.operation, asked.mapping)
        ready, mapping = await self.ready.get(
            key, partial(in_database, self.pool, made_ready_to_ask, configuration, asked.operation, asked.mapping)
        )
        ready = ready.signed_in(self.sessions)
        page = ready.page(task.given)
        request = ready.with_key(page.ask.request, key_outside(self.run.pk, task.name))
        request = ready.with_caller(request, self.caller)
        if again and not ready.may_repeat(request):
            return _unknown(task)
        received: Received | None = None
        error: RondineError | None = None
        sides: list[SideCall] = []
        at = timezone.now()
        try:
            received = await send_within(self.engine, ready, request, TIME_LIMIT, sides.append)
            answered = understood(ready, task.given, mapping, received)
        except RondineError as problem:
            error = problem
        except asyncio.CancelledError:
            stopped = InputError("it was stopped before it was answered", where=task.name)
            await asyncio.shield(self.calls.add(CarriedCall(task.name, ready, request, None, stopped, sides, at)))
            raise
        number = await self.calls.add(CarriedCall(task.name, ready, request, received, error, sides, at))
        if error is not None:
            return failed(_told(error, call=number))
        assert received is not None
        part, _ = part_of(
            ready, page, received, answered.read, mapping, Going(), is_partial=answered.outcome.kind == "partial"
        )
        made: dict[str, Any] = {
            "outcome": answered.outcome.kind,
            "status": received.status,
            "message": answered.outcome.message,
            "call": number,
            "is_all": part.is_all,
            "all_why": part.words,
        }
        if mapping is not None:
            return {**made, **records_of(answered, mapping)}
        if len(received.body) > MOST_BODY:
            words = f"the answer has {len(received.body):,} bytes, and {MOST_BODY:,} at most are given to later steps"
            hint = "choose a mapping that takes what is needed of it"
            return failed({"kind": "response_too_large", "message": words, "hint": hint, "call": number})
        return {**made, "body": answered.read.value}

    # --- records

    async def _list(self, name: str, given: Mapping[str, Any]) -> dict[str, Any]:
        query = {one: value_text(value) for one, value in given.items() if one not in ("limit", "after")}
        limit = int(given.get("limit", 50))
        environment = self.configuration.environment
        record_type = await in_database(self.pool, find_record_type, environment, name)
        document = record_type.loaded()
        if document.kind == "live":
            ready = await in_database(self.pool, made_ready, environment, record_type)
            question, after = read_question(document, query), str(given.get("after", ""))
            aged = await live_records().page(ready, question, self._asker(), limit=limit, after=after)
            shown = shown_live_page(aged, document)
            rejects = shown["rejects"]
        else:
            shown = await in_database(self.pool, partial(self._kept_page, record_type, document, query, limit, given))
            rejects = []
        records = [one["data"] for one in shown["items"]]
        return {
            "outcome": "good" if records else "nothing_found",
            "records": {name: records},
            "is_all": shown["is_all"],
            "rejects": rejects,
        }

    def _kept_page(
        self,
        record_type: Any,
        document: RecordTypeDocument,
        query: dict[str, str],
        limit: int,
        given: Mapping[str, Any],
    ) -> dict[str, Any]:
        records = record_set(self.configuration.environment, record_type)
        found = browse(records, document, query, limit=limit, cursor=given.get("after"))
        return {
            "items": [{"data": shown_data(one.data, document)} for one in found.records],
            "is_all": found.next is None,
        }

    async def _record(self, task: Task, step: RecordsStep, *, again: bool) -> dict[str, Any]:
        environment = self.configuration.environment
        record_type = await in_database(self.pool, find_record_type, environment, step.record_type)
        document: RecordTypeDocument = record_type.loaded()
        if document.kind == "live":
            return await self._live_record(task, step, record_type, document, again=again)
        return await in_database(self.pool, self._kept_record, task, step, record_type, document)

    def _kept_record(
        self, task: Task, step: RecordsStep, record_type: Any, document: RecordTypeDocument
    ) -> dict[str, Any]:
        given = {**task.given["key"], **task.given["fields"]}
        data = _typed(given, document)
        key = [value_text(data[name]) for name in document.key if name in data]
        records = record_set(self.configuration.environment, record_type)
        if step.action != "keep":
            try:
                record: Record | None = find_record(records, document, key)
            except NotFound:
                record = None
            if record is None or record.gone_at is not None:
                return {"outcome": "nothing_found"}
            if step.action == "find":
                return {"outcome": "good", "record": shown_data(record.data, document)}
            if step.action == "remove":
                with transaction.atomic():
                    filling = Filling(records.pk, self.run.pk, record_type.version, history=document.history)
                    mark_gone(filling, array("q", [record.pk]), timezone.now(), alive=0)
                return {"outcome": "good", "record": shown_data(record.data, document)}
        key_of(document, key)
        self._keep(step, record_type, document, data)
        return {"outcome": "good", "record": shown_data(data, document)}

    def _keep(self, step: RecordsStep, record_type: Any, document: RecordTypeDocument, data: dict[str, Any]) -> None:
        """Keeps one record, whole or in part; the same one again changes nothing."""
        owner = str(self.run.flow_id)
        records = record_set_to_fill(self.configuration.environment, record_type, owner)
        fields = tuple((one.name, one.type) for one in document.fields)
        is_part = step.action == "change"
        row: EncodedRow = encode_row(data, document)
        filling = Filling(
            records.pk,
            self.run.pk,
            record_type.version,
            records.bit_of(owner),
            document.history,
            PartOfRecord(fields, frozenset(data)) if is_part else None,
        )
        with transaction.atomic():
            Record.objects.keep(filling, [PlacedRow(row, 0)], timezone.now())

    async def _live_record(
        self, task: Task, step: RecordsStep, record_type: Any, document: RecordTypeDocument, *, again: bool
    ) -> dict[str, Any]:
        ready = await in_database(self.pool, made_ready, self.configuration.environment, record_type)
        live, asker = live_records(), self._asker(key_outside(self.run.pk, task.name))
        key = [value_text(task.given["key"][name]) for name in document.key if name in task.given["key"]]
        role = role_of(step, has_key=bool(key))
        if again and not ready.role(role).operation.has_effect_of_once:
            return _unknown(task)
        try:
            if role == "find":
                found = shown_found(await live.find(ready, key, asker), document)
                return {"outcome": "good", "record": found["data"]}
            if role == "create":
                written = await live.create(ready, task.given["fields"], asker)
            else:
                written = await live.change(ready, role, key, task.given["fields"], "*", asker)
        except NotFound:
            return {"outcome": "nothing_found"}
        shown = shown_written(written, document)
        return {"outcome": "good", "record": shown["data"] or {}, "confirmed": shown["confirmed"]}

    def _asker(self, key: str = "") -> Asker:
        run = {"by_id": self.run.by_id, "begun_by": f"run {self.run.pk}"}
        return Asker(run, key=key, caller=self.caller, sessions=self.sessions)


def _unknown(task: Task) -> dict[str, Any]:
    """What comes of a task that may have had its effect, and may not be begun again."""
    words = "the process that made the call ended meanwhile, and nobody knows whether the service has acted"
    return failed({"kind": UNKNOWN, "message": words, "step": task.step})


def role_of(step: RecordsStep, *, has_key: bool) -> Role:
    """What a step does with a live record, as its binding calls it."""
    match step.action:
        case "keep":
            return "replace" if has_key else "create"
        case "find" | "change" | "remove" as role:
            return role


def _typed(given: Mapping[str, Any], document: RecordTypeDocument) -> dict[str, Any]:
    """Values in their fields' types, in the order of the record type. Raises InputError for each that does not fit."""
    problems, data = [], {}
    names = [one.name for one in document.fields]
    for one in document.fields:
        if one.name in given:
            try:
                data[one.name] = CONVERSIONS[one.type](given[one.name])
            except ConversionError as error:
                hint = f"the field is of type {one.type}"
                problems.append(Problem(f"/fields/{one.name}", f'"{one.name}" {error}', hint))
    problems += [
        Problem(f"/fields/{name}", f'there is no field "{name}"', did_you_mean(name, names))
        for name in given
        if name not in names
    ]
    if problems:
        raise InputError(problems[0].message, where=problems[0].where, hint=problems[0].hint, problems=problems)
    return data


def key_outside(run: int, task: str) -> str:
    """The Idempotency-Key that a service is given for a task: the same after a crash, another one for any other."""
    return hashlib.sha256(f"flow {run} {task}".encode()).hexdigest()[:40]


def _told(error: RondineError, **more: Any) -> dict[str, Any]:
    """An error as data."""
    if isinstance(error, OutsideFailed):
        more |= {"status": error.outside_status, "service_message": error.outside_message}
    return failure_of(error, may_pass=may_pass(error) or None, **more)
