"""The check of a connection by a worker."""

from procrastinate.contrib.django import app

from rondine.server.connecting.checking import CHECK_HERE, check_connection
from rondine.server.connecting.models import Connection
from rondine.server.connecting.process import parts, waiting_for_database


@app.task(queue="runs", name=CHECK_HERE)
async def check_here(connection_id: str) -> None:
    """Checks a connection from this worker; the result stands with the connection."""

    def find() -> Connection | None:
        return Connection.objects.select_related("project").filter(pk=connection_id).first()

    connection = await waiting_for_database(find)
    if connection is not None:
        await check_connection(connection.project, connection.name, parts()[0], is_worker=True)
