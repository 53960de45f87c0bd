"""The backend itself; Django finds it here.

A pool that checks its connections itself waits a second, then two, then four between one that has ended and the next.
After a restart of PostgreSQL, which ends all of them, a request would use up its time with three.
"""

import select
from typing import Any

import psycopg
from django.db.backends.postgresql import base
from psycopg_pool import ConnectionPool


class DatabaseWrapper(base.DatabaseWrapper):
    """As Django's. CONN_HEALTH_CHECKS is to be off with a pool."""

    def get_new_connection(self, conn_params: Any) -> Any:
        """One that is alive; where one has ended, all that rest in the pool are replaced. Raises PoolTimeout."""
        connection = super().get_new_connection(conn_params)
        while self.pool and has_ended(connection):
            self.pool.drain()
            self.pool.putconn(connection)
            connection = super().get_new_connection(conn_params)
        return connection


def has_ended(connection: "psycopg.Connection[Any]") -> bool:
    """Whether PostgreSQL has ended a connection on which nothing is asked at the moment. That comes as something to be
    read, so that it costs no round trip to see that nothing has come."""
    if not connection.closed:
        poll = select.poll()
        poll.register(connection.fileno(), select.POLLIN)
        if not poll.poll(0):
            return False
    try:
        ConnectionPool.check_connection(connection)
    except psycopg.Error:
        return True
    return False
