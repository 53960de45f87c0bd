"""The database from within the event loop: in threads, on connections that are alive."""

import asyncio
from collections.abc import Callable, Coroutine, Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from typing import Any, TypeVar

from asgiref.sync import sync_to_async
from django.db import InterfaceError, OperationalError, connection, connections

from rondine.server.database.base import has_ended

T = TypeVar("T")


async def in_database(pool: ThreadPoolExecutor, action: Callable[..., T], *arguments: Any, **named: Any) -> T:
    """Runs an action in a thread of the pool. The thread keeps its connection; one that has died meanwhile is replaced
    first. Raises OperationalError if the database goes away, however that shows."""

    def fresh() -> T:
        for held in connections.all(initialized_only=True):
            if held.connection is not None and has_ended(held.connection):
                held.close()
        with database_errors():
            return action(*arguments, **named)

    return await asyncio.get_running_loop().run_in_executor(pool, fresh)


@contextmanager
def database_errors() -> Iterator[None]:
    """Lets what psycopg's own cursors raise be raised as Django's errors; a connection that is closed already is a
    database that cannot be reached."""
    try:
        with connection.wrap_database_errors:
            yield
    except InterfaceError as error:
        raise OperationalError(str(error) or "the connection is closed") from error


def in_own_thread(action: Callable[..., T]) -> Callable[..., Coroutine[Any, Any, T]]:
    """An action that takes long, for a view that waits for it: in a thread of its own, which gives its database
    connection back at the end."""

    def run(*arguments: Any, **named: Any) -> T:
        try:
            return action(*arguments, **named)
        finally:
            connections.close_all()

    return sync_to_async(run, thread_sensitive=False)


async def release_database() -> None:
    """Gives this request's database connection back before it waits for an outside service."""
    await sync_to_async(connections.close_all)()


def own_parameters() -> dict[str, Any]:
    """For a connection beside Django's: of an event loop, or one that does nothing but listen or hold a lock."""
    known = connection.get_connection_params()
    return {name: known[name] for name in ("dbname", "user", "password", "host", "port") if known.get(name)}
