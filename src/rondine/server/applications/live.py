"""Live records as applications find and change them."""

import asyncio
import time
from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import partial
from typing import Any

from rondine.core.errors import InputError, NotAllowed, RondineError
from rondine.core.live.asking import read_question
from rondine.core.live.document import Role
from rondine.core.live.writing import typed_values
from rondine.server.api.rendering import JsonRenderer
from rondine.server.api.requests import checked_limit
from rondine.server.applications.admission import Admission, own_error
from rondine.server.applications.invoking import Invoker, key_outside
from rondine.server.applications.lasting import keep_reply, run_address, settle_as_refused, settle_as_unknown
from rondine.server.applications.offering import Offer
from rondine.server.applications.reading import one_record, page_of_records
from rondine.server.applications.replies import Caller, KeyNeeded, Reply
from rondine.server.held import MOST_READY, TRUSTED, Held
from rondine.server.live.asking import LiveRecords
from rondine.server.live.ready import ReadyBinding, made_ready
from rondine.server.live.showing import shown_found, shown_live_page, shown_written
from rondine.server.live.traces import Asker, Tracing
from rondine.server.runs.actions import notify
from rondine.server.threads import in_database

#: Parameters of a list of live records that are no fields.
RESERVED = frozenset({"cursor", "limit", "local"})
_render = JsonRenderer().render
METHODS: Mapping[str, Role] = {"POST": "create", "PATCH": "change", "PUT": "replace", "DELETE": "remove"}


@dataclass
class LiveDoor:
    """invoker: has the threads, the traces, and the keys of calls."""

    invoker: Invoker
    live: LiveRecords
    _ready: Held[ReadyBinding | None] = field(default_factory=lambda: Held(TRUSTED, MOST_READY))

    async def page(
        self, admission: Admission, name: str, query: Mapping[str, str], max_age: float, caller: Caller
    ) -> Reply:
        """A page of records, kept or live."""
        ready = await self.ready(admission, name)
        if ready is None:
            return await self._kept(admission, name, page_of_records, admission, name, query)
        local = query.get("local", "false")
        if local not in ("true", "false"):
            raise InputError(f'"{local[:20]}" is neither true nor false', where="?local", hint="local=true")
        filters = {key: value for key, value in query.items() if key not in RESERVED and value != ""}
        began = time.perf_counter()
        aged = await self.live.page(
            ready,
            read_question(ready.record_type, filters),
            self._asker(admission, caller),
            limit=checked_limit(query.get("limit")),
            after=query.get("cursor", ""),
            max_age=max_age,
            is_local=local == "true",
        )
        self._count(admission, name, began, 0.0 if aged.is_cached else aged.value.milliseconds)
        return Reply(200, _render(shown_live_page(aged, ready.record_type)))

    async def one(self, admission: Admission, name: str, key: list[str], max_age: float, caller: Caller) -> Reply:
        ready = await self.ready(admission, name)
        if ready is None:
            return await self._kept(admission, name, one_record, admission, name, key)
        began = time.perf_counter()
        asker = self._asker(admission, caller)
        aged = await self.live.find(ready, key, asker, max_age=max_age)
        self._count(admission, name, began, 0.0 if aged.is_cached else aged.value.milliseconds)
        body = _render(shown_found(aged, ready.record_type))
        return Reply(200, body, headers=(("ETag", aged.value.record.version),))

    async def _kept(self, admission: Admission, name: str, action: Any, *arguments: Any) -> Reply:
        began = time.perf_counter()
        reply = Reply(200, _render(await in_database(self.invoker.pool, action, *arguments)))
        self._count(admission, name, began, 0.0)
        return reply

    async def write(
        self,
        admission: Admission,
        name: str,
        role: Role,
        key: list[str],
        data: Mapping[str, Any],
        version: str,
        mark: str,
        caller: Caller,
    ) -> Reply:
        """A change, made once for each key (mark). Raises KeyNeeded without one, NotAllowed where the application may
        not write."""
        if not admission.document.may_write:
            raise NotAllowed(
                f'application "{admission.application.name}" may only read',
                where=f"record type {name}",
                hint="ask an administrator: rondine application make NAME --may-write",
            )
        ready = await self.ready(admission, name)
        if ready is None:
            raise InputError(
                f"records of {name} are kept: what is in them comes from their feeds",
                where=f"record type {name}",
                hint="call an operation that writes, or let the type be live",
            )
        if not mark:
            raise KeyNeeded(
                f"this writes {name}, and the request has no key",
                where="Idempotency-Key header",
                hint="send one, such as a new UUID for everything that is to be done: repeated with the same key, it is"
                " done once",
            )
        values = typed_values(ready.record_type, data)
        asked = {
            "record_type": name,
            "role": role,
            "key": key,
            "data": dict(data),
            "version": version,
            "caller": caller.name,
        }
        own = ready.role(role).operation.signed_in(caller.sessions).connection
        if own.session is not None:
            asked["session"] = own.session.id
        asker = self._asker(admission, caller, key=key_outside(admission.application.pk, mark))
        number = await self.invoker.traces.next_run()
        run = Tracing(asker, ready, role, {"key": key, "data": dict(data)}).new_run(id=number, state="running")
        found = await self.invoker.claimed(run, asked, mark, admission.document.time_limit)
        if found.reply is not None:
            return found.reply
        address = run_address(admission.environment.project.name, admission.environment.name, found.run)
        if found.is_ == "again" and not ready.role(role).operation.document.takes_key:
            return await in_database(self.invoker.pool, settle_as_unknown, found.run, address)
        asker = self._asker(admission, caller, key=asker.key, run_number=found.run)
        going = self._write_and_settle(admission, ready, role, key, values, version, asker, address)
        return await asyncio.shield(going)

    async def _write_and_settle(
        self,
        admission: Admission,
        ready: ReadyBinding,
        role: Role,
        key: list[str],
        values: Mapping[str, Any],
        version: str,
        asker: Asker,
        address: str,
    ) -> Reply:
        began, run = time.perf_counter(), asker.run_number
        assert run is not None
        try:
            if role == "create":
                written = await self.live.create(ready, values, asker)
            else:
                written = await self.live.change(ready, role, key, values, version, asker)
        except RondineError as error:
            self._count(admission, ready.record_type_name, began, 0.0, failed=True)
            return await in_database(self.invoker.pool, settle_as_refused, run, address, error)
        except asyncio.CancelledError:
            await asyncio.shield(in_database(self.invoker.pool, settle_as_unknown, run, address))
            raise
        self._count(admission, ready.record_type_name, began, written.milliseconds)
        shown = shown_written(written, ready.record_type)
        shown["differences"] = [one.to_json() for one in written.differences]
        reply = Reply(201 if role == "create" else 200, _render({**shown, "run": address}))

        def settle() -> None:
            keep_reply(run, reply)
            notify(run)

        await in_database(self.invoker.pool, settle)
        return reply

    async def ready(self, admission: Admission, name: str) -> ReadyBinding | None:
        """None for a type that is kept. Raises NotFound, also for one that the application may not use."""
        application = admission.application
        key = (application.pk, application.version, admission.environment.release_id, name)
        try:
            return await self._ready.get(key, partial(in_database, self.invoker.pool, _binding, admission, name))
        except RondineError as error:
            raise own_error(error) from error

    @staticmethod
    def _asker(admission: Admission, caller: Caller, **more: Any) -> Asker:
        application, document = admission.application, admission.document
        run = {"kind": "application", "application": application, "begun_by": f"application {application.name}"}
        limit = document.time_limit
        return Asker(run, document.keeps_responses, limit, caller=caller.name, sessions=caller.sessions, **more)

    def _count(self, admission: Admission, name: str, began: float, service: float, *, failed: bool = False) -> None:
        milliseconds = (time.perf_counter() - began) * 1000
        what = f"records {name}"
        self.invoker.traces.count(
            admission.application.pk, what, failed=failed, milliseconds=milliseconds, service=service
        )


def _binding(admission: Admission, name: str) -> ReadyBinding | None:
    item = Offer(admission).record_type(name)
    kind = item.loaded().kind
    if kind == "passing":
        raise InputError(
            f"records of {name} are passing: a call brings them, and nothing keeps them",
            where=f"record type {name}",
            hint="call an operation with the mapping that makes them",
        )
    return made_ready(admission.environment, item) if kind == "live" else None


def given_data(body: bytes, value: Any) -> dict[str, Any]:
    """The member data of a request's body. Raises InputError."""
    if not body.strip():
        return {}
    if not isinstance(value, dict) or set(value) != {"data"} or not isinstance(value["data"], dict):
        hint = 'such as {"data": {"girth": "1.25"}}'
        raise InputError("the body is not an object with the member data alone", where="/", hint=hint)
    return dict(value["data"])
