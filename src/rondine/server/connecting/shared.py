"""What all processes share of a connection, in PostgreSQL: its access token, renewed by one at a time, and the usage of
its limits.

No transaction is open and no lock of the database is held while a service is asked: whoever renews a token holds a
lease in its row, longer than the call may take, and the others look again until it is done.
"""

import asyncio
import random
import time
import uuid
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from dataclasses import dataclass, field
from typing import Any, TypeVar

from django.db import transaction
from django.utils import timezone

from rondine.core.errors import LimitReached, RondineError, ServiceTooSlow, SignInRefused
from rondine.core.http import limits
from rondine.core.http.limits import Usage, wait_words
from rondine.core.http.messages import Headers
from rondine.core.signin import Token
from rondine.engine.connection import OpenConnection
from rondine.engine.shared import Obtain, no_slot
from rondine.server.connecting.encryption import decrypt_secrets
from rondine.server.connecting.models import Connection, Credential
from rondine.server.connecting.opening import credential_of_connection, open_connection
from rondine.server.connecting.secrets import credential_changed
from rondine.server.connecting.tokens import (
    LEASE_EXTRA,
    claim_renewal,
    release_renewal,
    store_refusal,
    store_token,
    stored_token,
)
from rondine.server.connecting.usage import (
    Held,
    claim_try,
    held,
    leave_slot,
    note_heard,
    note_outcome,
    reserve_moments,
    take_slot,
)
from rondine.server.threads import in_database

T = TypeVar("T")
#: Seconds for which a process trusts the token it has read; a service that refuses it is asked again at once.
TOKEN_CACHE = 10.0
#: Tokens that a process remembers; it reads them anew when there are more.
MOST_TOKENS = 5_000
#: Seconds for which a process trusts what it knows of a connection without limits being held back.
HELD_CACHE = 1.0


@dataclass
class SharedByAll:
    """pool: the threads that talk to the database."""

    pool: ThreadPoolExecutor
    _tokens: dict[tuple[str, int], tuple[float, Token]] = field(default_factory=dict)
    _waiting: dict[str, list[asyncio.Future[float]]] = field(default_factory=dict)
    _serving: set[asyncio.Task[None]] = field(default_factory=set)
    _held: dict[str, tuple[float, Held]] = field(default_factory=dict)
    _said: dict[str, float] = field(default_factory=dict)

    async def _do(self, action: Callable[..., T], *arguments: Any) -> T:
        return await in_database(self.pool, action, *arguments)

    # --- tokens

    async def read_token(self, opened: OpenConnection) -> Token | None:
        known = self._tokens.get((opened.token_id, opened.version))
        if known is not None and time.monotonic() - known[0] < TOKEN_CACHE:
            return known[1]
        token = await self._do(stored_token, opened)
        self._remember(opened, token)
        return token

    async def renew_token(self, opened: OpenConnection, seen: Token | None, obtain: Obtain) -> Token:
        me, began = uuid.uuid4(), timezone.now()
        lease = opened.time_outs.whole + LEASE_EXTRA
        until = time.monotonic() + 2 * lease
        while True:
            claimed, held = await self._do(claim_renewal, opened, seen, me, began, lease)
            if claimed:
                break
            if held is not None:
                self._remember(opened, held)
                return held
            if time.monotonic() > until:
                raise ServiceTooSlow(
                    "another process renews the access token and does not come to an end",
                    where=f"connection {opened.name}",
                    hint="check the token address; try again",
                )
            await asyncio.sleep(random.uniform(0.03, 0.12))
        try:
            token = await obtain(held)
        except SignInRefused as error:
            self._remember(opened, None)
            await asyncio.shield(self._do(store_refusal, opened, me, error))
            raise
        except BaseException:
            await asyncio.shield(self._do(release_renewal, opened, me))
            raise
        await asyncio.shield(self._do(store_token, opened, me, token))
        self._remember(opened, token)
        return token

    def _remember(self, opened: OpenConnection, token: Token | None) -> None:
        if token is None:
            self._tokens.pop((opened.token_id, opened.version), None)
        else:
            if len(self._tokens) >= MOST_TOKENS:
                self._tokens.clear()
            self._tokens[opened.token_id, opened.version] = (time.monotonic(), token)

    # --- limits

    async def begin_call(self, opened: OpenConnection, patience: float) -> str:
        until = time.monotonic() + patience
        await self._wait_if_held(opened, patience)
        if not opened.limits and not opened.parallel:
            return ""
        slot = uuid.uuid4().hex if opened.parallel else ""
        while slot and not await self._do(take_slot, opened, slot):
            if time.monotonic() > until:
                raise no_slot(opened)
            await asyncio.sleep(random.uniform(0.02, 0.08))
        try:
            delay = await self._reserve(opened, max(0.0, until - time.monotonic()))
            await asyncio.sleep(max(0.0, delay - time.monotonic()))
        except BaseException:
            if slot:
                await asyncio.shield(self._do(leave_slot, opened, slot))
            raise
        return slot

    async def end_call(self, opened: OpenConnection, slot: str) -> None:
        await self._do(leave_slot, opened, slot)

    async def _reserve(self, opened: OpenConnection, patience: float) -> float:
        """The moment (of time.monotonic) at which a call may begin. Callers that wait at the same time are served by
        one statement."""
        mine: asyncio.Future[float] = asyncio.get_running_loop().create_future()
        waiting = self._waiting.get(opened.id)
        if waiting is None:
            self._waiting[opened.id] = [mine]
            self._serving.add(task := asyncio.create_task(self._serve(opened, patience)))
            task.add_done_callback(self._serving.discard)
        else:
            waiting.append(mine)
        return await mine

    async def _serve(self, opened: OpenConnection, patience: float) -> None:
        """Reserves for all who wait, until nobody does."""
        while batch := self._waiting[opened.id]:
            self._waiting[opened.id] = []
            refusal: Exception = LimitReached(
                "more calls wait than the connection's limits let through in time",
                where=f"connection {opened.name}",
                hint="call less at a time, or raise the limit",
            )
            moments: list[float] = []
            try:
                offset, found = await self._do(reserve_moments, opened, len(batch), patience)
                moments = [moment - offset for moment in found]
            except Exception as error:
                refusal = error
            for number, one in enumerate(batch):
                if one.done():
                    continue
                if number < len(moments):
                    one.set_result(moments[number])
                else:
                    one.set_exception(refusal)
        del self._waiting[opened.id]

    async def _known(self, opened: OpenConnection) -> Held:
        read_at, known = self._held.get(opened.id, (0.0, Held()))
        if time.monotonic() - read_at > HELD_CACHE:
            self._held[opened.id] = (time.monotonic(), known)  # others need not ask at the same time
            known = await self._do(held, opened)
            self._held[opened.id] = (time.monotonic(), known)
        return known

    async def _wait_if_held(self, opened: OpenConnection, patience: float) -> None:
        """Waits for as long as all calls are held back; after a rest, one call is tried."""
        until = time.monotonic() + patience
        while True:
            known = await self._known(opened)
            wait = known.until - time.time()
            if wait <= 0 and (not known.rests or await self._do(claim_try, opened)):
                return
            if wait <= 0:  # somebody else tries it
                self._held.pop(opened.id, None)
                wait = HELD_CACHE
            left = until - time.monotonic()
            if wait > left:
                raise LimitReached(
                    f"calls wait {wait_words(wait)} more: {known.why}",
                    where=f"connection {opened.name}",
                    hint=f"wait until then, call less, or lift it: rondine connection wait {opened.name} --lift",
                )
            await asyncio.sleep(min(wait, HELD_CACHE))  # a little at a time: somebody may lift it

    async def note_outcome(self, opened: OpenConnection, failure: str) -> None:
        if opened.breaker is None:
            return
        if failure or self._held.get(opened.id, (0.0, Held()))[1].failed:
            self._held[opened.id] = (time.monotonic(), await self._do(note_outcome, opened, failure))

    async def note_response(self, opened: OpenConnection, status: int, headers: Headers) -> None:
        names = {name.lower() for name, _ in headers}
        says = any("ratelimit" in name for name in names)
        if not (status in (429, 503) and "retry-after" in names) and not says:
            return
        before = Usage()
        after = limits.heard(before, status, headers, now=time.time())
        is_held = after.held_until > time.time()
        if not is_held and time.monotonic() - self._said.get(opened.id, 0.0) < HELD_CACHE:
            return
        self._said[opened.id] = time.monotonic()
        await self._do(note_heard, opened, status, headers)
        self._held.pop(opened.id, None)

    async def prefer_secrets(self, opened: OpenConnection, number: int) -> None:
        await self._do(swap_secrets, opened, number)

    async def newer_connection(self, opened: OpenConnection) -> OpenConnection | None:
        if opened.session is not None:  # nobody else's sign-in takes the place of a user's
            return None
        return await self._do(changed_connection, opened)


def swap_secrets(opened: OpenConnection, number: int) -> None:
    """The set that the service accepted becomes the first of the connection's credential; all processes open it
    again."""
    accepted = {name: secret.bare() for name, secret in opened.secrets[number].items()}
    with transaction.atomic():
        credential = credential_of_connection(opened)
        if credential is None:
            return
        row = Credential.objects.select_for_update().get(pk=credential.pk)
        second = {}
        if row.second_encrypted:
            second = decrypt_secrets(row.second_key_version, bytes(row.second_encrypted), str(row.pk))
        if not second or not second.items() <= accepted.items():
            return  # another process has done it, or the secrets were replaced meanwhile
        row.encrypted, row.second_encrypted = row.second_encrypted, row.encrypted
        row.key_version, row.second_key_version = row.second_key_version, row.key_version
        row.set_at, row.second_set_at = row.second_set_at, row.set_at
        credential_changed(row)


def changed_connection(opened: OpenConnection) -> OpenConnection | None:
    """The connection as it is now, if it or its secrets have changed since it was opened."""
    row = (
        Connection.objects.select_related("credential", "service", "environment")
        .filter(pk=opened.id)
        .exclude(version=opened.version)
        .first()
    )
    if row is None:
        return None
    with suppress(RondineError):
        return open_connection(row, operation=opened.own_operation)
    return None
