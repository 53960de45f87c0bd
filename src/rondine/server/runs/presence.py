"""Which processes live: each holds a lock in PostgreSQL under a number of its own. The lock goes with the process,
however that ends, so that what it had begun can be taken up at once."""

import random
from threading import Lock

import psycopg
from django.db import connection

from rondine.server.threads import own_parameters

#: Of the advisory locks that stand for processes.
LOCKS = 0x52505243


class Presence:
    """The number of this process. Its lock is on a connection of its own, which does nothing else."""

    def __init__(self) -> None:
        self._lock = Lock()
        self._connection: psycopg.Connection | None = None
        self._number = 0

    def number(self) -> int:
        """Raises OperationalError if the database cannot be reached. A lock that was lost is replaced under a new
        number."""
        with self._lock:
            if self._connection is not None:
                if is_alive(self._number):
                    return self._number
                self._connection.close()
            self._connection = psycopg.connect(**own_parameters(), autocommit=True)
            self._number = random.randrange(1, 2**31)
            self._connection.execute("SELECT pg_advisory_lock(%s, %s)", (LOCKS, self._number))
            return self._number


def is_alive(number: int) -> bool:
    """Whether the process of this number still holds its lock."""
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT EXISTS (SELECT 1 FROM pg_locks WHERE locktype = 'advisory' AND classid = %s AND objid = %s"
            " AND objsubid = 2 AND granted"
            " AND database = (SELECT oid FROM pg_database WHERE datname = current_database()))",
            (LOCKS, number),
        )
        return bool(cursor.fetchone()[0])


presence = Presence()
