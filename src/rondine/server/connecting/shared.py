"""What all processes share of a connection, in PostgreSQL: its access token, renewed by one at a time, and the usage of its limits.

No transaction is open and no lock of the database is held while a service is asked: whoever renews a token holds a lease in its row, longer
than the call may take, and the others look again until it is done.
"""

import asyncio
import hashlib
import json
import random
import time
import uuid
from collections.abc import Callable, Mapping
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from typing import Any, TypeVar

from django.db import connection as database
from django.db import transaction
from django.utils import timezone

from rondine.core.errors import LimitReached, RondineError, ServiceTooSlow, SignInAgain, SignInRefused
from rondine.core.http import limits
from rondine.core.http.limits import Usage, wait_words
from rondine.core.http.messages import Headers, origin
from rondine.core.secret import Secret
from rondine.core.settings import dump
from rondine.core.signin import Token
from rondine.engine.line import Line
from rondine.engine.shared import PLACE_SECONDS, Obtain, no_place
from rondine.server.connecting.models import AccessToken, Connection, ConnectionUsage, Credential
from rondine.server.connecting.sealing import seal, unseal
from rondine.server.threads import in_database

T = TypeVar("T")
#: Seconds for which a process trusts the token it has read; a service that refuses it is asked again at once.
TOKEN_CACHE = 10.0
#: Seconds for which a process trusts what it knows of a connection without limits being held back.
HELD_CACHE = 1.0
#: A lease outlasts the call it is for by this many seconds.
LEASE_EXTRA = 15.0


@dataclass
class SharedByAll:
    """pool: the threads that talk to the database."""

    pool: ThreadPoolExecutor
    _tokens: dict[tuple[str, int], tuple[float, Token]] = field(default_factory=dict)
    _waiting: dict[str, list[asyncio.Future[float]]] = field(default_factory=dict)
    _serving: set[asyncio.Task[None]] = field(default_factory=set)
    _held: dict[str, tuple[float, float]] = field(default_factory=dict)
    _said: dict[str, float] = field(default_factory=dict)

    async def _do(self, action: Callable[..., T], *arguments: Any) -> T:
        return await in_database(self.pool, action, *arguments)

    # --- tokens

    async def read_token(self, line: Line) -> Token | None:
        known = self._tokens.get((line.token_id, line.version))
        if known is not None and time.monotonic() - known[0] < TOKEN_CACHE:
            return known[1]
        token = await self._do(stored_token, line)
        self._remember(line, token)
        return token

    async def renew_token(self, line: Line, seen: Token | None, obtain: Obtain) -> Token:
        me, began = uuid.uuid4(), timezone.now()
        lease = line.time_outs.whole + LEASE_EXTRA
        until = time.monotonic() + 2 * lease
        while True:
            claimed, held = await self._do(claim_renewal, line, seen, me, began, lease)
            if claimed:
                break
            if held is not None:
                self._remember(line, held)
                return held
            if time.monotonic() > until:
                raise ServiceTooSlow(
                    "another process renews the access token and does not come to an end",
                    where=f"connection {line.name}",
                    hint="check the token address; try again",
                )
            await asyncio.sleep(random.uniform(0.03, 0.12))
        try:
            token = await obtain(held)
        except SignInRefused as error:
            self._remember(line, None)
            await asyncio.shield(self._do(store_refusal, line, me, error))
            raise
        except BaseException:
            await asyncio.shield(self._do(release_renewal, line, me))
            raise
        await asyncio.shield(self._do(store_token, line, me, token))
        self._remember(line, token)
        return token

    def _remember(self, line: Line, token: Token | None) -> None:
        if token is None:
            self._tokens.pop((line.token_id, line.version), None)
        else:
            self._tokens[line.token_id, line.version] = (time.monotonic(), token)

    # --- limits

    async def begin_call(self, line: Line, patience: float) -> str:
        if not line.limits and not line.parallel:
            await self._wait_if_held(line, patience)
            return ""
        until = time.monotonic() + patience
        place = uuid.uuid4().hex if line.parallel else ""
        while place and not await self._do(take_place, line, place):
            if time.monotonic() > until:
                raise no_place(line)
            await asyncio.sleep(random.uniform(0.02, 0.08))
        try:
            delay = await self._reserve(line, max(0.0, until - time.monotonic()))
            await asyncio.sleep(max(0.0, delay - time.monotonic()))
        except BaseException:
            if place:
                await asyncio.shield(self._do(leave_place, line, place))
            raise
        return place

    async def end_call(self, line: Line, place: str) -> None:
        await self._do(leave_place, line, place)

    async def _reserve(self, line: Line, patience: float) -> float:
        """The moment (of time.monotonic) at which a call may begin. Callers that wait at the same time are served by one statement."""
        mine: asyncio.Future[float] = asyncio.get_running_loop().create_future()
        waiting = self._waiting.get(line.id)
        if waiting is None:
            self._waiting[line.id] = [mine]
            self._serving.add(task := asyncio.create_task(self._serve(line, patience)))
            task.add_done_callback(self._serving.discard)
        else:
            waiting.append(mine)
        return await mine

    async def _serve(self, line: Line, patience: float) -> None:
        """Reserves for all who wait, until nobody does."""
        while batch := self._waiting[line.id]:
            self._waiting[line.id] = []
            refusal: Exception = LimitReached(
                "more calls wait than the connection's limits let through in time",
                where=f"connection {line.name}",
                hint="call less at a time, or raise the limit",
            )
            moments: list[float] = []
            try:
                offset, found = await self._do(reserve_moments, line, len(batch), patience)
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
        del self._waiting[line.id]

    async def _wait_if_held(self, line: Line, patience: float) -> None:
        read_at, until = self._held.get(line.id, (0.0, 0.0))
        if time.monotonic() - read_at > HELD_CACHE:
            self._held[line.id] = (time.monotonic(), until)  # others need not ask at the same time
            until = await self._do(held_until, line)
            self._held[line.id] = (time.monotonic(), until)
        wait = until - time.time()
        if 0 < wait <= patience:  # a little at a time: somebody may lift it
            await asyncio.sleep(min(wait, HELD_CACHE))
            return await self._wait_if_held(line, patience - min(wait, HELD_CACHE))
        if wait > patience:
            raise LimitReached(
                f"the service asked to wait {wait_words(wait)} more",
                where=f"connection {line.name}",
                hint=f"wait until then, call less, or lift it: rondine connection wait {line.name} --lift",
            )

    async def note_response(self, line: Line, status: int, headers: Headers) -> None:
        names = {name.lower() for name, _ in headers}
        says = any("ratelimit" in name for name in names)
        if not (status in (429, 503) and "retry-after" in names) and not says:
            return
        before = Usage()
        after = limits.heard(before, status, headers, now=time.time())
        is_held = after.held_until > time.time()
        if not is_held and time.monotonic() - self._said.get(line.id, 0.0) < HELD_CACHE:
            return
        self._said[line.id] = time.monotonic()
        self._held[line.id] = (time.monotonic(), await self._do(note_heard, line, status, headers))

    async def prefer_secrets(self, line: Line, number: int) -> None:
        await self._do(swap_secrets, line, number)

    async def newer_line(self, line: Line) -> Line | None:
        return await self._do(changed_line, line)


def fingerprint(line: Line) -> str:
    """Of the sign-in's settings, of our certificate, and of where its token goes: what was obtained with others, or for another origin, is not sent."""
    settled = [dump(line.sign_in), origin(line.base_address), *([line.certificate] if line.certificate else [])]
    return hashlib.sha256(json.dumps(settled, sort_keys=True).encode()).hexdigest()


def token_row(line: Line) -> AccessToken:
    """The row, locked. Within a transaction."""
    AccessToken.objects.get_or_create(connection_id=line.id, operation=line.own_operation)
    return AccessToken.objects.select_for_update().get(connection_id=line.id, operation=line.own_operation)


def token_of(row: AccessToken | None, line: Line) -> Token | None:
    if row is None or not row.sealed or row.fingerprint != fingerprint(line) or row.obtained_at is None:
        return None
    values = unseal(row.key_version, bytes(row.sealed), f"token {row.connection_id}")
    refresh = values.get("refresh")
    return Token(
        Secret(values["access"], "access token"),
        row.obtained_at,
        row.expires_at,
        Secret(refresh, "refresh token") if refresh else None,
        row.scope,
    )


def stored_token(line: Line) -> Token | None:
    row = AccessToken.objects.filter(connection_id=line.id, operation=line.own_operation).first()
    return token_of(row, line) if row is None or row.state == "valid" else None


def claim_renewal(
    line: Line, seen: Token | None, me: uuid.UUID, began: datetime, lease: float
) -> tuple[bool, Token | None]:
    """(True, the token stored last) if the renewal is mine; (False, a newer token) if there is one; (False, None) to look again soon.

    Raises the refusal that another caller has met since `began`.
    """
    with transaction.atomic():
        row, now = token_row(line), timezone.now()
        held = token_of(row, line)
        if held is not None and row.state == "valid" and not held.is_same(seen) and not held.has_ended(now):
            return False, held
        if row.refusal and row.refused_at is not None and row.refused_at >= began:
            kind = SignInAgain if row.state == "sign_in_again" else SignInRefused
            raise kind(row.refusal["message"], where=row.refusal["where"], hint=row.refusal["hint"])
        if row.renewing_until is not None and row.renewing_until > now and row.renewing_by != me:
            return False, None
        row.renewing_by, row.renewing_until = me, now + timedelta(seconds=lease)
        row.save(update_fields=["renewing_by", "renewing_until"])
        return True, held


def store_token(line: Line, me: uuid.UUID | None, token: Token, person_id: int | None = None) -> None:
    """me: who holds the lease; None for a person's own sign-in, which always counts."""
    with transaction.atomic():
        row = token_row(line)
        if me is not None and row.renewing_by != me:
            return  # the lease ran out and another has renewed meanwhile
        values = {"access": token.access.bare(), **({"refresh": token.refresh.bare()} if token.refresh else {})}
        row.key_version, row.sealed = seal(values, f"token {row.connection_id}")
        row.renewed = row.renewed + 1 if row.obtained_at and me is not None else 0
        row.fingerprint, row.scope, row.has_refresh = fingerprint(line), token.scope, token.refresh is not None
        row.obtained_at, row.expires_at = token.obtained_at, token.expires_at
        row.state, row.refusal, row.refused_at = "valid", None, None
        row.renewing_by = row.renewing_until = None
        if person_id is not None:
            row.signed_in_by_id = person_id
        row.save()


def store_refusal(line: Line, me: uuid.UUID | None, error: RondineError) -> None:
    """What is stored of the token stays: a refresh token is not lost by an attempt that failed."""
    with transaction.atomic():
        row = token_row(line)
        if me is not None and row.renewing_by != me:
            return
        row.state = "sign_in_again" if isinstance(error, SignInAgain) else "refused"
        row.refusal = {"code": error.code, "message": error.message, "where": error.where, "hint": error.hint}
        row.refused_at = timezone.now()
        row.renewing_by = row.renewing_until = None
        row.save()


def release_renewal(line: Line, me: uuid.UUID) -> None:
    AccessToken.objects.filter(connection_id=line.id, operation=line.own_operation, renewing_by=me).update(
        renewing_by=None, renewing_until=None
    )


def clock() -> float:
    """The database's clock, the one that all processes share: seconds since 1970."""
    with database.cursor() as cursor:
        cursor.execute("SELECT extract(epoch FROM clock_timestamp())::float8")
        now: float = cursor.fetchone()[0]
    return now


def usage_row(line_id: str) -> tuple[ConnectionUsage, Usage, float]:
    """(the row, locked; its usage; the database's clock). Within a transaction."""
    row = ConnectionUsage.objects.select_for_update().filter(connection_id=line_id).first()
    if row is None:
        ConnectionUsage.objects.get_or_create(connection_id=line_id)
        row = ConnectionUsage.objects.select_for_update().get(connection_id=line_id)
    return row, Usage.from_json(row.usage), clock()


def reserve_moments(line: Line, wanted: int, patience: float) -> tuple[float, list[float]]:
    """(what to take away from a moment to have time.monotonic's, the moments)."""
    with transaction.atomic():
        row, usage, now = usage_row(line.id)
        offset = now - time.monotonic()
        usage, moments = limits.reserve(line.limits, usage, now=now, wanted=wanted, most_wait=patience)
        row.usage = usage.to_json()
        row.save(update_fields=["usage"])
        return offset, moments


def take_place(line: Line, name: str) -> bool:
    assert line.parallel
    with transaction.atomic():
        row, usage, now = usage_row(line.id)
        seconds = line.time_outs.whole + PLACE_SECONDS
        usage, given = limits.take_places(usage, now=now, parallel=line.parallel, names=[name], seconds=seconds)
        row.usage = usage.to_json()
        row.save(update_fields=["usage"])
        return bool(given)


def leave_place(line: Line, name: str) -> None:
    with transaction.atomic():
        row, usage, _ = usage_row(line.id)
        row.usage = limits.leave_places(usage, [name]).to_json()
        row.save(update_fields=["usage"])


def held_until(line: Line) -> float:
    found = ConnectionUsage.objects.filter(connection_id=line.id).values_list("usage__held_until", flat=True).first()
    return float(found or 0.0)


def note_heard(line: Line, status: int, headers: Headers) -> float:
    with transaction.atomic():
        row, usage, now = usage_row(line.id)
        heard = limits.heard(usage, status, headers, now=now)
        row.usage = heard.to_json()
        row.save(update_fields=["usage"])
        return heard.held_until


def decide_wait(connection_id: Any, *, is_believed: bool) -> None:
    """A wait that a service asked for counts whole, or is lifted, for all processes."""
    with transaction.atomic():
        row, usage, _ = usage_row(connection_id)
        row.usage = limits.decided(usage, is_believed=is_believed).to_json()
        row.save(update_fields=["usage"])


def usage_of(connection_id: Any) -> tuple[Usage, float]:
    """(the usage, not locked; the database's clock)."""
    row = ConnectionUsage.objects.filter(connection_id=connection_id).first()
    return (Usage.from_json(row.usage) if row else Usage()), clock()


def swap_secrets(line: Line, number: int) -> None:
    """The set that the service accepted becomes the first of the line's credential; all processes open it again."""
    from rondine.server.connecting.opening import credential_of_line
    from rondine.server.connecting.secrets import credential_changed

    accepted = {name: secret.bare() for name, secret in line.secrets[number].items()}
    with transaction.atomic():
        credential = credential_of_line(line)
        if credential is None:
            return
        row = Credential.objects.select_for_update().get(pk=credential.pk)
        second = unseal(row.second_key_version, bytes(row.second_sealed), str(row.pk)) if row.second_sealed else {}
        if not second or not second.items() <= accepted.items():
            return  # another process has done it, or the secrets were replaced meanwhile
        row.sealed, row.second_sealed = row.second_sealed, row.sealed
        row.key_version, row.second_key_version = row.second_key_version, row.key_version
        row.set_at, row.second_set_at = row.second_set_at, row.set_at
        credential_changed(row)


def changed_line(line: Line) -> Line | None:
    """The connection as it is now, if it or its secrets have changed since the line was made."""
    from rondine.server.connecting.opening import line_of

    row = (
        Connection.objects.select_related("credential", "service", "environment")
        .filter(pk=line.id)
        .exclude(version=line.version)
        .first()
    )
    if row is None:
        return None
    with suppress(RondineError):
        return line_of(row, operation=line.own_operation)
    return None


def secret_sets(credential: Credential) -> tuple[Mapping[str, Secret], ...]:
    """The sets valid in turn, opened; the first is the preferred one."""
    found = []
    for version, sealed in (
        (credential.key_version, credential.sealed),
        (credential.second_key_version, credential.second_sealed),
    ):
        if sealed:
            values = unseal(version, bytes(sealed), str(credential.pk))
            found.append({name: Secret(value, credential.name) for name, value in values.items()})
    return tuple(found)
