"""The database from within the event loop: in threads, on connections that are alive."""

import asyncio
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from typing import Any, TypeVar

from django.db import connections

T = TypeVar("T")


async def in_database(pool: ThreadPoolExecutor, action: Callable[..., T], *arguments: Any, **named: Any) -> T:
    """Runs an action in a thread of the pool. The thread keeps its connection; one that has died meanwhile is replaced first."""

    def fresh() -> T:
        for held in connections.all(initialized_only=True):
            if held.connection is not None and not held.is_usable():
                held.close()
        return action(*arguments, **named)

    return await asyncio.get_running_loop().run_in_executor(pool, fresh)
