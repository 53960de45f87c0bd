"""Questions about live records, and changes of them, put to the service."""

import hashlib
import json
import re
from collections.abc import Awaitable, Callable, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field, replace
from datetime import datetime
from typing import Any, TypeVar

from django.utils import timezone

from rondine.core.documents.json import json_text
from rondine.core.errors import InputError, NotFound, Problem, RondineError, Stale, VersionNeeded
from rondine.core.live.asking import Filter, ListQuestion, Ordering, asked, in_order, passes
from rondine.core.live.checking import VERSION_FIELD
from rondine.core.live.document import ListBinding, Role
from rondine.core.live.writing import fields_needed, role_inputs, typed_key
from rondine.core.mapping.compile import Reject
from rondine.core.operations.inputs import value_text
from rondine.core.pagination.one_page import OnePage
from rondine.engine.client import Engine
from rondine.server.connecting.process import parts
from rondine.server.connecting.user_sessions import told_to_user
from rondine.server.live.cache import Aged, Answers
from rondine.server.live.copies import KeptCopy
from rondine.server.live.ready import ReadyBinding, ReadyRole
from rondine.server.live.traces import Asker, MadeCall, Tracing
from rondine.server.operations.answering import (
    Answered,
    AnswerNotMapped,
    OutsideFailed,
    understood,
)
from rondine.server.operations.calling import ReadyOperation
from rondine.server.operations.page_parts import Going, opened, part_of, sealed
from rondine.server.operations.sending import send_within
from rondine.server.records.browsing import shown_data
from rondine.server.threads import in_database

T = TypeVar("T")
#: Pages that are gone through at most for what the service cannot do.
MOST_PAGES = 200
#: How versions begin that are made here, as the service gives none.
OURS = 'W/"as-read-'
#: Answers of a service that say that there is no such record.
_GONE = (404, 410)


@dataclass(frozen=True, slots=True)
class LiveRecord:
    """data: in the fields' types.  version: an entity tag; a weak one is made here of what was read. Empty for one of a
    list whose service gives none."""

    data: Mapping[str, Any]
    version: str


@dataclass(frozen=True, slots=True)
class Listed:
    """A page of records. next: what the page after is asked for with; None at the end.  is_all: these, with those of
    the pages before, are proven to be all; None if nothing says.  why: that.  local: what was done here and not by the
    service.  calls: outside calls that it took.  run: where they are told.  milliseconds: that the service took."""

    records: Sequence[LiveRecord]
    rejects: Sequence[Reject]
    next: str | None
    is_all: bool | None
    why: str
    local: Sequence[str]
    calls: int
    run: int | None
    read_at: datetime
    size: int
    milliseconds: float = 0.0


@dataclass(frozen=True, slots=True)
class Found:
    """One record."""

    record: LiveRecord
    calls: int
    run: int | None
    read_at: datetime
    size: int
    milliseconds: float = 0.0


@dataclass(frozen=True, slots=True)
class Written:
    """What came of a change. key: as texts; None if the service did not say it.  record: as it is now; None if it was
    removed, or nobody knows. confirmed: by what it is known: read back, answered (by the service, in its response), or
    accepted (it said that it worked, and nothing more). differences: fields that are read back as something else than
    was sent."""

    key: list[str] | None
    record: LiveRecord | None
    confirmed: str
    differences: Sequence[Problem]
    calls: int
    run: int | None
    milliseconds: float = 0.0


@dataclass
class LiveRecords:
    """engine, pool: of this process."""

    engine: Engine
    pool: ThreadPoolExecutor
    lists: Answers[Listed] = field(default_factory=lambda: Answers(lambda listed: listed.size))
    finds: Answers[Found] = field(default_factory=lambda: Answers(lambda found: found.size))

    # --- reading

    async def page(
        self,
        ready: ReadyBinding,
        question: ListQuestion,
        asker: Asker,
        *,
        limit: int,
        after: str = "",
        max_age: float = 0.0,
        is_local: bool = False,
    ) -> Aged[Listed]:
        """max_age: seconds that the answer may be old, as far as the binding permits.  is_local: what the service
        cannot do is done here, over all of its pages.

        Raises InputError for a filter or order that it cannot do, beside what the call raises.
        """
        role = ready.role("list")
        assert isinstance(role.bound, ListBinding)
        put = asked(role.bound, role.operation.document, role.fields, question)
        if put.why and not is_local:
            first = put.why[0]
            raise InputError(first.message, where=first.where, hint=first.hint, problems=list(put.why))
        words = _in_words(question)
        operation = replace(role.operation, document=put.document)

        async def ask() -> Listed:
            tracing = Tracing(asker, ready, "list", {**words, "limit": limit})
            if put.left or put.order is not None:
                going = self._all_of(role, operation, put.inputs, put.left, put.order, tracing, limit, after, words)
            else:
                going = self._page_of(role, operation, put.inputs, tracing, limit, after, words)
            return await self._traced(tracing, going)

        key = (_scope(ready), "list", json_text(words), limit, after, is_local, _told_to(role, asker))
        return await self._aged(self.lists, ready, key, max_age, ask)

    async def find(self, ready: ReadyBinding, key: list[str], asker: Asker, *, max_age: float = 0.0) -> Aged[Found]:
        """key: as texts. Raises NotFound."""
        role = ready.role("find")
        typed = typed_key(ready.record_type, key)

        async def ask() -> Found:
            tracing = Tracing(asker, ready, "find", {"key": key})

            async def go() -> Found:
                record = await self._found(role, ready, typed, tracing)
                size = sum(len(call.received.body) for call in tracing.calls if call.received is not None)
                return Found(record, len(tracing.calls), None, timezone.now(), size)

            return await self._traced(tracing, go())

        asked_for = (_scope(ready), "find", tuple(key), _told_to(role, asker))
        return await self._aged(self.finds, ready, asked_for, max_age, ask)

    async def _aged(
        self, answers: Answers[T], ready: ReadyBinding, key: Any, max_age: float, ask: Callable[[], Awaitable[T]]
    ) -> Aged[T]:
        document = ready.document
        return await answers.get(key, min(max_age, document.max_age), document.stale_for, ask)

    async def _traced(self, tracing: Tracing, going: Awaitable[T]) -> T:
        """What comes of it, with its run; which is stored however it ends, if a call was made."""
        try:
            value = await going
        except RondineError as error:
            if tracing.calls or tracing.run is not None:
                await in_database(self.pool, tracing.end, error)
                _with_run(error, tracing)
            raise
        await in_database(self.pool, tracing.end)
        told: Any = value
        made: T = replace(told, run=tracing.run, milliseconds=tracing.milliseconds)
        return made

    async def _page_of(
        self,
        role: ReadyRole,
        operation: ReadyOperation,
        inputs: Mapping[str, Any],
        tracing: Tracing,
        limit: int,
        after: str,
        words: Mapping[str, Any],
    ) -> Listed:
        asked_for = (_scope(tracing.ready), words, limit)
        going = opened(after, *asked_for) if after else Going()
        page = operation.page(inputs, going.position)
        answered = await self._call(operation, role, inputs, page, tracing)
        records, rejects = _records(role, answered)
        part, onward = self._part(operation, role, page, answered, going)
        until = going.skip + limit
        is_all, why = part.is_all, part.words
        if len(records) > until:
            onward, is_all, why = replace(going, skip=until), False, "there are more of them"
        return Listed(
            records[going.skip : until],
            rejects if not going.skip else [],
            sealed(onward, *asked_for) if onward is not None else None,
            is_all,
            why,
            [],
            len(tracing.calls),
            None,
            timezone.now(),
            len(answered.received.body),
        )

    async def _all_of(
        self,
        role: ReadyRole,
        operation: ReadyOperation,
        inputs: Mapping[str, Any],
        left: Sequence[Filter],
        order: Ordering | None,
        tracing: Tracing,
        limit: int,
        after: str,
        words: Mapping[str, Any],
    ) -> Listed:
        """A part of all records, filtered and put in order here. Raises InputError if they are more than may be gone
        through."""
        asked_for = (_scope(tracing.ready), words, limit, "local")
        begin = opened(after, *asked_for).skip if after else 0
        most = tracing.ready.document.most_local
        going: Going | None = Going()
        rows, size = 0, 0
        kept: list[LiveRecord] = []
        rejects: list[Reject] = []
        is_all: bool | None = None
        why = ""
        while going is not None:
            page = operation.page(inputs, going.position)
            answered = await self._call(operation, role, inputs, page, tracing)
            records, wrong = _records(role, answered)
            rows, size = rows + len(records) + len(wrong), size + len(answered.received.body)
            part, onward = self._part(operation, role, page, answered, going)
            is_all, why = part.is_all, part.words
            if (onward is not None or is_all is False) and (
                onward is None or rows >= most or len(tracing.calls) >= MOST_PAGES
            ):
                done = f"{rows:,} rows in {len(tracing.calls)} calls"
                reason = why if onward is None else "there are more"
                raise InputError(
                    f"not all rows could be gone through: after {done}, {reason}",
                    where="?local",
                    hint="filter by more that the service can do, or let the binding go through more (most_local)",
                )
            kept += [record for record in records if passes(left, record.data)]
            rejects += wrong
            going = onward
        kept = in_order(kept, order, lambda record: record.data)
        until = begin + limit
        has_more = len(kept) > until
        local = [f"filter {one.name}" for one in left] + ([f"order {order.name}"] if order is not None else [])
        return Listed(
            kept[begin:until],
            rejects if not begin else [],
            sealed(Going(skip=until), *asked_for) if has_more else None,
            False if has_more else is_all,
            "there are more of them" if has_more else f"{rows:,} rows were gone through: {why}",
            local,
            len(tracing.calls),
            None,
            timezone.now(),
            size,
        )

    @staticmethod
    def _part(
        operation: ReadyOperation, role: ReadyRole, page: OnePage, answered: Answered, going: Going
    ) -> tuple[Any, Going | None]:
        is_partial = answered.outcome.kind == "partial"
        return part_of(operation, page, answered.received, answered.read, role.mapping, going, is_partial=is_partial)

    async def _found(
        self, role: ReadyRole, ready: ReadyBinding, key: Mapping[str, Any], tracing: Tracing
    ) -> LiveRecord:
        """Raises NotFound, and AnswerNotMapped for an answer with another record."""
        operation = role.operation
        inputs = role_inputs(role.bound, operation.document, role.fields, key=key, data={})
        shown = ", ".join(str(value) for value in key.values())
        missing = NotFound(
            f"the service has no {ready.record_type_name} {shown}",
            where=f"operation {operation.name}",
            hint="it may have been removed there",
        )
        try:
            answered = await self._call(operation, role, inputs, operation.page(inputs), tracing)
        except OutsideFailed as error:
            if error.outside_status in _GONE:
                tracing.calls[-1].error = None
                raise missing from error
            raise
        records, rejects = _records(role, answered)
        if answered.outcome.kind == "nothing_found" or (not records and all(one.row is None for one in rejects)):
            raise missing
        if not records:
            raise _not_mapped(role, rejects)
        if any(records[0].data.get(name) != value for name, value in key.items()):
            raise AnswerNotMapped(
                f"the service answered with another {ready.record_type_name} than {shown}",
                where=f"operation {operation.name}",
                hint="look at the run's call, and at what the input of the key is given",
            )
        return records[0]

    # --- writing

    async def create(self, ready: ReadyBinding, data: Mapping[str, Any], asker: Asker) -> Written:
        """data: typed values; null ones are as if they were not given."""
        values = {name: value for name, value in data.items() if value is not None}
        return await self._write(ready, "create", {}, values, "", asker)

    async def change(
        self, ready: ReadyBinding, role: Role, key: list[str], data: Mapping[str, Any], version: str, asker: Asker
    ) -> Written:
        """role: change, replace or remove.  version: the entity tag that was read; "*" for any. Raises VersionNeeded
        if there is none, Stale if the record is another one now."""
        if not version:
            raise VersionNeeded(
                "the request does not say which version of the record it is about",
                where="If-Match header",
                hint="read the record, and send its version; or * for whatever it is now",
            )
        return await self._write(ready, role, typed_key(ready.record_type, key), data, version, asker)

    async def write_back(
        self, ready: ReadyBinding, role: Role, key: list[str], data: Mapping[str, Any], copy: KeptCopy, asker: Asker
    ) -> Written:
        """Changes a record of which there is a kept copy. Raises Stale, with each field, if both sides have changed
        it."""
        return await self._write(ready, role, typed_key(ready.record_type, key), data, "*", asker, copy)

    async def _write(
        self,
        ready: ReadyBinding,
        role_name: Role,
        key: Mapping[str, Any],
        data: Mapping[str, Any],
        version: str,
        asker: Asker,
        copy: KeptCopy | None = None,
    ) -> Written:
        role = ready.role(role_name)
        operation = role.operation
        takes_version = any(source.version for source in role.bound.inputs.values())
        tracing = Tracing(asker, ready, role_name, {"key": _texts(key), "data": shown_data(data, ready.record_type)})
        needed = fields_needed(role.bound, operation.document, {*key, *data}) if role_name == "change" else []

        def page_with(more: Mapping[str, Any], sent: str) -> tuple[dict[str, Any], OnePage]:
            values = {**more, **data}
            made = role_inputs(role.bound, operation.document, role.fields, key=key, data=values, version=sent)
            return made, operation.page(made)

        # what is wrong with the values is told before anything is called
        if not needed:
            page_with({}, version)
        else:
            role_inputs(role.bound, operation.document, role.fields, key=key, data=data, version=version)

        async def go() -> Written:
            sent, more = version, {}
            before: LiveRecord | None = None
            is_compared = version not in ("", "*") and (version.startswith(OURS) or not takes_version)
            if is_compared or needed or copy is not None:
                before = await self._found(ready.role("find"), ready, key, tracing)
                if version not in ("", "*", before.version):
                    raise self._stale(ready, key)
                more = {name: before.data[name] for name in needed if before.data.get(name) is not None}
                if copy is not None:
                    copy.check(before.data, data, ready.record_type)
                if is_compared or copy is not None:
                    sent = "" if before.version.startswith(OURS) else before.version
            if sent == "*" and not takes_version:
                sent = ""
            made, page = page_with(more, sent)
            await in_database(self.pool, tracing.begin)
            self.forget(ready)
            try:
                answered = await self._call(operation, role, made, page, tracing)
            except OutsideFailed as error:
                raise self._told(error, ready, key) from error
            finally:
                self.forget(ready)
            written = await self._confirmed(ready, role, key, data, answered, tracing)
            if role_name == "change" and before is not None and written.record is not None:
                lost = _lost(before, written.record, data, ready)
                written = replace(written, differences=[*written.differences, *lost])
            return written

        return await self._traced(tracing, go())

    @staticmethod
    def _stale(ready: ReadyBinding, key: Mapping[str, Any]) -> Stale:
        shown = ", ".join(_texts(key))
        return Stale(
            f"{ready.record_type_name} {shown} was changed at the service since it was read",
            where="If-Match header",
            hint="read it again, look at what differs, and send the new version",
        )

    def _told(self, error: OutsideFailed, ready: ReadyBinding, key: Mapping[str, Any]) -> RondineError:
        if error.outside_status == 412 and key:
            return self._stale(ready, key)
        if error.outside_status in _GONE and key:
            shown = ", ".join(_texts(key))
            return NotFound(
                f"the service has no {ready.record_type_name} {shown}", where=error.where, hint="it was removed there"
            )
        return error

    async def _confirmed(
        self,
        ready: ReadyBinding,
        role: ReadyRole,
        key: Mapping[str, Any],
        data: Mapping[str, Any],
        answered: Answered,
        tracing: Tracing,
    ) -> Written:
        """What is known of the record after the write: read back where it can be."""
        if role.role == "remove":
            return Written(_texts(key), None, "accepted", [], len(tracing.calls), None)
        record: LiveRecord | None = None
        names = ready.record_type.key
        if role.mapping is not None and answered.read.value is not None:
            records, _ = _records(role, answered)
            record = records[0] if records else None
        known = key or (record.data if record is not None else data)
        full_key = {name: known[name] for name in names if known.get(name) is not None}
        if len(full_key) < len(names):
            return Written(None, None, "accepted", [], len(tracing.calls), None)
        confirmed = "answered"
        find = ready.roles.get("find")
        if find is not None:
            try:
                record, confirmed = await self._found(find, ready, full_key, tracing), "read back"
            except RondineError as error:
                problem = Problem("", f"it was written, and could not be read back: {error.message}", error.hint)
                return Written(_texts(full_key), None, "accepted", [problem], len(tracing.calls), None)
        elif record is None or role.bound.brings != "record":
            return Written(_texts(full_key), None, "accepted", [], len(tracing.calls), None)
        differences = _differences(data, record, ready) if record is not None else []
        return Written(_texts(full_key), record, confirmed, differences, len(tracing.calls), None)

    def forget(self, ready: ReadyBinding) -> None:
        """Nothing that was read of these records before is used again."""
        self.lists.forget(_scope(ready))
        self.finds.forget(_scope(ready))

    # --- calls

    async def _call(
        self, operation: ReadyOperation, role: ReadyRole, inputs: Mapping[str, Any], page: OnePage, tracing: Tracing
    ) -> Answered:
        """One call, in the trace however it ends."""
        operation = operation.signed_in(tracing.asker.sessions)
        request = page.ask.request
        if tracing.asker.key and not operation.is_reading:
            request = operation.with_key(request, tracing.asker.key)
        request = operation.with_caller(request, tracing.asker.caller)
        made = MadeCall(operation, request, timezone.now())
        sides: list[Any] = []
        made.sides = sides
        tracing.calls.append(made)
        try:
            seconds = tracing.asker.time_limit
            made.received = await send_within(self.engine, operation, request, seconds, sides.append)
            return understood(operation, inputs, role.mapping, made.received)
        except RondineError as error:
            status = made.received.status if made.received is not None else None
            made.error = told_to_user(operation.connection, error, status)
            if made.error is error:
                raise
            raise made.error from error


def _scope(ready: ReadyBinding) -> tuple[Any, ...]:
    """What answers are about: they are no use for another version of the binding, or another release."""
    return (str(ready.environment.pk), str(ready.id), ready.version, ready.release)


def _told_to(role: ReadyRole, asker: Asker) -> str:
    """Whom the service answers, where it is told who asks: its answer is nobody else's."""
    opened = role.operation.connection
    return f"{asker.caller if opened.caller is not None else ''} {asker.session_at(opened)}"


def _in_words(question: ListQuestion) -> dict[str, str]:
    words = {
        one.name: json_text(one.value) if not isinstance(one.value, str) else one.value for one in question.filters
    }
    return words | ({"sort": question.order.name} if question.order is not None else {})


def _texts(key: Mapping[str, Any]) -> list[str]:
    return [value_text(value) for value in key.values()]


def _records(role: ReadyRole, answered: Answered) -> tuple[list[LiveRecord], list[Reject]]:
    records: list[LiveRecord] = []
    rejects: list[Reject] = []
    etag = (answered.received.header("etag") or "") if role.role != "list" else ""
    for mapped in answered.mapped:
        for data in mapped.data:
            version = data.pop(VERSION_FIELD, None) or etag
            # a list may show less of each than its address does: a version made of that would be another one
            records.append(LiveRecord(data, version or ("" if role.role == "list" else weak_version(data))))
        rejects += mapped.rejects
    return records, rejects


def weak_version(data: Mapping[str, Any]) -> str:
    """An entity tag made of what was read, for services that give none (RFC 9110, section 8.8.1)."""
    text = json.dumps(data, sort_keys=True, default=str, ensure_ascii=False)
    return f'{OURS}{hashlib.blake2b(text.encode("utf-8", "surrogatepass"), digest_size=12).hexdigest()}"'


def _not_mapped(role: ReadyRole, rejects: Sequence[Reject]) -> AnswerNotMapped:
    problem = rejects[0].problems[0]
    return AnswerNotMapped(
        f"the record does not fit: {problem.field} {problem.reason}",
        where=f"operation {role.operation.name}",
        hint="look at the run's call, and correct the mapping",
    )


def _differences(data: Mapping[str, Any], record: LiveRecord, ready: ReadyBinding) -> list[Problem]:
    """Fields that are something else at the service than what was sent."""
    out = []
    shown = shown_data(record.data, ready.record_type)
    sent = shown_data(data, ready.record_type)
    for name, value in data.items():
        if record.data.get(name) != value:
            words = f"{name} was sent as {json_text(sent.get(name))}, and is {json_text(shown.get(name))} now"
            out.append(Problem(f"/data/{name}", words, "the service made something else of it"))
    return out


def _lost(before: LiveRecord, now: LiveRecord, data: Mapping[str, Any], ready: ReadyBinding) -> list[Problem]:
    """Fields that were not to change, and have lost their value."""
    shown = shown_data(before.data, ready.record_type)
    return [
        Problem(f"/data/{name}", f"{name} was {json_text(shown.get(name))}, and is empty now", "it was not sent")
        for name, value in before.data.items()
        if name not in data and value is not None and now.data.get(name) is None
    ]


def _with_run(error: RondineError, tracing: Tracing) -> None:
    """Lets whoever tells the error say where its calls are told."""
    error.run = tracing.run  # type: ignore[attr-defined]


_live: LiveRecords | None = None


def live_records() -> LiveRecords:
    """Those of this process, which share what they remember."""
    global _live
    if _live is None:
        _live = LiveRecords(*parts())
    return _live


def max_age_of(text: str | None) -> float:
    """The age that a request permits (RFC 9111, section 5.2.1.1); others of its directives are passed over. Raises
    InputError for one that is no number."""
    for part in (text or "").split(","):
        name, _, value = part.strip().partition("=")
        if name.lower() == "max-age":
            if not re.fullmatch(r"\d{1,9}", value.strip('"')):
                raise InputError(f'"{value[:20]}" is no number of seconds', where="Cache-Control", hint="max-age=60")
            return float(value.strip('"'))
    return 0.0
