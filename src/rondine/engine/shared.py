"""What all processes share of a connection: its token and its usage. `Alone` is the same within one process, for tests
and single runs."""

import asyncio
import time
import uuid
from collections.abc import Awaitable, Callable
from dataclasses import dataclass, field
from typing import Protocol

from rondine.core.errors import LimitReached
from rondine.core.http.limits import Usage, heard, leave_slots, reserve, take_slots
from rondine.core.http.messages import Headers
from rondine.core.signin import Token
from rondine.engine.connection import OpenConnection

Obtain = Callable[[Token | None], Awaitable[Token]]
#: A slot for a call under way is free again this long after the call's whole time-out, should its process die.
PLACE_SECONDS = 5.0


class Shared(Protocol):
    async def read_token(self, connection: OpenConnection) -> Token | None: ...

    async def renew_token(self, connection: OpenConnection, seen: Token | None, obtain: Obtain) -> Token:
        """A token newer than `seen`: one caller of all obtains it, the others get the outcome. Raises what obtaining
        raised."""
        ...

    async def begin_call(self, connection: OpenConnection, patience: float) -> str:
        """Waits until the limits let a call begin; gives the name of its slot. Raises LimitReached beyond patience
        seconds."""
        ...

    async def end_call(self, connection: OpenConnection, slot: str) -> None: ...

    async def note_response(self, connection: OpenConnection, status: int, headers: Headers) -> None:
        """Takes to heart what the service says of its limits."""
        ...

    async def note_outcome(self, connection: OpenConnection, failure: str) -> None:
        """How a call went. failure: in words, where it failed in a way that speaks of the whole service; else empty."""
        ...

    async def prefer_secrets(self, connection: OpenConnection, number: int) -> None:
        """The set of secrets that the service accepted comes first from now on."""
        ...

    async def newer_connection(self, connection: OpenConnection) -> OpenConnection | None:
        """The connection as it is now, if somebody has changed it since it was opened."""
        ...


@dataclass
class Alone:
    """One process that shares with nobody."""

    tokens: dict[str, Token] = field(default_factory=dict)
    usages: dict[str, Usage] = field(default_factory=dict)
    preferred: dict[str, int] = field(default_factory=dict)
    _locks: dict[str, asyncio.Lock] = field(default_factory=dict)

    async def read_token(self, connection: OpenConnection) -> Token | None:
        return self.tokens.get(connection.token_id)

    async def renew_token(self, connection: OpenConnection, seen: Token | None, obtain: Obtain) -> Token:
        async with self._locks.setdefault(connection.token_id, asyncio.Lock()):
            token = self.tokens.get(connection.token_id)
            if token is None or token.is_same(seen):
                token = self.tokens[connection.token_id] = await obtain(token)
            return token

    async def begin_call(self, connection: OpenConnection, patience: float) -> str:
        if not connection.limits and not connection.parallel and connection.id not in self.usages:
            return ""
        name, until = uuid.uuid4().hex, time.time() + patience
        while connection.parallel:
            usage = self.usages.get(connection.id, Usage())
            seconds = connection.time_outs.whole + PLACE_SECONDS
            self.usages[connection.id], given = take_slots(
                usage, now=time.time(), parallel=connection.parallel, names=[name], seconds=seconds
            )
            if given:
                break
            if time.time() > until:
                raise no_slot(connection)
            await asyncio.sleep(0.01)
        usage, moments = reserve(
            connection.limits,
            self.usages.get(connection.id, Usage()),
            now=time.time(),
            wanted=1,
            most_wait=max(0.0, until - time.time()),
        )
        self.usages[connection.id] = usage
        await asyncio.sleep(max(0.0, moments[0] - time.time()))
        return name

    async def end_call(self, connection: OpenConnection, slot: str) -> None:
        if connection.parallel and connection.id in self.usages:
            self.usages[connection.id] = leave_slots(self.usages[connection.id], [slot])

    async def note_response(self, connection: OpenConnection, status: int, headers: Headers) -> None:
        before = self.usages.get(connection.id, Usage())
        after = heard(before, status, headers, now=time.time())
        if after is not before:
            self.usages[connection.id] = after

    async def note_outcome(self, connection: OpenConnection, failure: str) -> None:
        """A single run ends by its own rules."""

    async def prefer_secrets(self, connection: OpenConnection, number: int) -> None:
        self.preferred[connection.id] = number

    async def newer_connection(self, connection: OpenConnection) -> OpenConnection | None:
        return None


def no_slot(connection: OpenConnection) -> LimitReached:
    return LimitReached(
        f"{connection.parallel} calls of the connection are under way, as many as it allows at a time",
        where=f"connection {connection.name}",
        hint="wait for them, or raise its parallel calls",
    )
