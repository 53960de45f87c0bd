"""Who comes in by the applications' door: by which token, into which environment, and how often in a minute.

Every request is checked against the database as it is now, so that a token that was revoked, and a release that an
environment has gone over to, count at once. Requests with one token that come while a check is under way share the next
one.
"""

import asyncio
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from typing import Any

import psycopg
from django.db import transaction
from django.utils import timezone

from rondine.core.errors import DraftError, NotAllowed, Problem, RondineError, SignInNeeded, TooMany
from rondine.core.items.application import ApplicationDocument
from rondine.server.applications.models import Application, ApplicationToken
from rondine.server.applications.tokens import PREFIX, digest_of
from rondine.server.connecting.models import Environment
from rondine.server.threads import in_database, own_parameters

MINUTE = timedelta(minutes=1)
#: Tokens whose admissions a process remembers.
MOST_KNOWN = 1_000


class RateReached(TooMany):
    """An application has used up its requests of this minute. seconds: until the next one begins."""

    code = "rate_reached"

    def __init__(self, message: str, *, where: str, hint: str, seconds: int) -> None:
        super().__init__(message, where=where, hint=hint)
        self.seconds = seconds


@dataclass(frozen=True, slots=True)
class Admission:
    """An application that was let in. environment: with its project and release."""

    application: Application
    document: ApplicationDocument
    environment: Environment


@dataclass
class Admitting:
    """pool: the threads that talk to the database."""

    pool: ThreadPoolExecutor
    _waiting: dict[bytes, list[asyncio.Future[Admission]]] = field(default_factory=dict)
    _busy: dict[bytes, asyncio.Task[None]] = field(default_factory=dict)
    _known: dict[bytes, tuple[tuple[Any, ...], Admission]] = field(default_factory=dict)
    _stamps: "_Stamps" = field(default_factory=lambda: _Stamps())

    async def admit(self, authorization: str, project: str, environment: str) -> Admission:
        """Raises SignInNeeded, NotAllowed for a token of another environment, DraftError for an application that is not
        ready, RateReached."""
        scheme, _, token = authorization.partition(" ")
        if scheme.lower() != "bearer" or not token.strip():
            raise SignInNeeded(
                "the request has no token",
                where="Authorization header",
                hint="send Authorization: Bearer and the application's token; an administrator makes one",
            )
        if not token.strip().startswith(PREFIX):
            raise SignInNeeded(
                "this is not the token of an application",
                where="Authorization header",
                hint=f"applications' tokens begin with {PREFIX}: rondine application token make",
            )
        digest = digest_of(token.strip())
        future: asyncio.Future[Admission] = asyncio.get_running_loop().create_future()
        self._waiting.setdefault(digest, []).append(future)
        if digest not in self._busy:
            self._busy[digest] = asyncio.create_task(self._check(digest))
        admission = await future
        found = admission.environment
        if (found.project.name, found.name) != (project, environment):
            raise NotAllowed(
                f"this token is for {found.project.name}/{found.name}, not for {project}/{environment}",
                where="Authorization header",
                hint="use the address and the token of one environment",
            )
        return admission

    async def _check(self, digest: bytes) -> None:
        try:
            while waiting := self._waiting.pop(digest, []):
                results: Sequence[Admission | Exception]
                try:
                    results = await self._results(digest, len(waiting))
                except Exception as error:
                    results = [error] * len(waiting)
                for future, result in zip(waiting, results, strict=True):
                    if future.done():
                        continue
                    if isinstance(result, Admission):
                        future.set_result(result)
                    else:
                        future.set_exception(own_error(result))
        finally:
            del self._busy[digest]

    async def _results(self, digest: bytes, requests: int) -> Sequence[Admission | Exception]:
        """What becomes of so many requests with one token. Raises what refuses them all."""
        found = await self._stamps.read(digest)
        if found is None:
            self._known.pop(digest, None)
            raise _unknown()
        *parts, used_at = found
        stamp = tuple(parts)
        held = self._known.get(digest)
        if held is None or held[0] != stamp or held[1].application.problems:  # which change without a version
            admission = await in_database(self.pool, _admission, digest)
            if len(self._known) >= MOST_KNOWN:
                self._known.clear()
            held = self._known[digest] = (stamp, admission)
        admission = held[1]
        now = timezone.now()
        token_id, expires_at = parts[:2]
        if expires_at is not None and expires_at <= now:
            raise SignInNeeded(
                f"the token expired on {expires_at:%Y-%m-%d}",
                where="Authorization header",
                hint="ask an administrator for another one: rondine application token make",
            )
        if used_at is None or now - used_at > MINUTE:
            await in_database(self.pool, _mark_used, token_id, now)
        check_ready(admission.application, admission.document)
        if admission.document.calls_a_minute is None:
            return [admission] * requests
        return await in_database(self.pool, _within_rate, admission, admission.document.calls_a_minute, requests, now)


class _Stamps:
    """What tells whether an admission is as it was, read with every request: by one narrow statement, on a connection
    of the event loop's own. It takes a tenth of the time that reading all of it in a thread takes."""

    STATEMENT = (
        "SELECT token.id, token.expires_at, application.version, environment.release_id, environment.name,"
        " application.problems = '[]'::jsonb, token.used_at"
        f" FROM {ApplicationToken._meta.db_table} token"
        f" JOIN {Application._meta.db_table} application ON application.id = token.application_id"
        f" JOIN {Environment._meta.db_table} environment ON environment.id = application.environment_id"
        " WHERE token.digest = %s"
    )

    def __init__(self) -> None:
        self._connection: psycopg.AsyncConnection[Any] | None = None
        self._lock = asyncio.Lock()

    async def read(self, digest: bytes) -> tuple[Any, ...] | None:
        """(token's id, its end, application's version, release's id, environment's name, whether the application is
        ready, token's last use); None for an unknown token. A connection that was lost is replaced once. Raises
        OperationalError if there is none to be had."""
        async with self._lock:
            if self._connection is not None:
                try:
                    return await self._asked(self._connection, digest)
                except psycopg.OperationalError:
                    await self._connection.close()
            self._connection = await psycopg.AsyncConnection.connect(**own_parameters(), autocommit=True)
            return await self._asked(self._connection, digest)

    async def _asked(self, connection: "psycopg.AsyncConnection[Any]", digest: bytes) -> tuple[Any, ...] | None:
        found = await connection.execute(self.STATEMENT, (digest,), prepare=True)
        row: tuple[Any, ...] | None = await found.fetchone()
        return row


def own_error(error: Exception) -> Exception:
    """An error of its own for each request: one that is raised in several places gathers the traces of all."""
    if isinstance(error, RateReached):
        return RateReached(error.message, where=error.where, hint=error.hint, seconds=error.seconds)
    if isinstance(error, RondineError):
        return type(error)(error.message, where=error.where, hint=error.hint, problems=error.problems)
    return error


def _unknown() -> SignInNeeded:
    return SignInNeeded(
        "the token is not known, or was revoked",
        where="Authorization header",
        hint="ask an administrator for another one: rondine application token make",
    )


def _admission(digest: bytes) -> Admission:
    tokens = ApplicationToken.objects.select_related(
        "application__environment__project", "application__environment__release"
    )
    token = tokens.filter(digest=digest).first()
    if token is None:
        raise _unknown()
    application = token.application
    return Admission(application, application.loaded(), application.environment)


def _mark_used(token_id: int, now: datetime) -> None:
    ApplicationToken.objects.filter(pk=token_id).update(used_at=now)


def _within_rate(admission: Admission, most: int, requests: int, now: datetime) -> list[Admission | Exception]:
    """Those of the requests that are within this minute's limit are let in."""
    application = admission.application
    left = _left(application, most, requests, now)
    seconds = max(1, 60 - int((now - now.replace(second=0, microsecond=0)).total_seconds()))
    error = RateReached(
        f"{application.name} may send {most} requests a minute, and has sent them",
        where=f"application {application.name}",
        hint=f"go on in {seconds} s; an administrator may raise the limit",
        seconds=seconds,
    )
    return [*[admission] * left, *[error] * (requests - left)]


def check_ready(application: Application, document: ApplicationDocument) -> None:
    """Raises NotAllowed for an application that is switched off, DraftError for one that is not ready."""
    if not document.enabled:
        raise NotAllowed(
            f'application "{application.name}" is disabled',
            where=f"application {application.name}",
            hint="ask an administrator to enable it",
        )
    if application.problems:
        first = application.problems[0]
        raise DraftError(
            f'application "{application.name}" is not ready: {first["message"]}',
            where=f"application {application.name}",
            hint=first["hint"],
            problems=[Problem(**problem) for problem in application.problems],
        )


def _left(application: Application, most: int, requests: int, now: Any) -> int:
    """How many of the requests are within this minute's limit; they are counted, for all processes."""
    minute = now.replace(second=0, microsecond=0)
    with transaction.atomic():
        row = (
            Application.objects.select_for_update(no_key=True).only("window_at", "window_calls").get(pk=application.pk)
        )
        calls = row.window_calls if row.window_at == minute else 0
        left = min(requests, max(0, most - calls))
        Application.objects.filter(pk=application.pk).update(window_at=minute, window_calls=calls + left)
    return left
