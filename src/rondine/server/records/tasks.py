"""The indexes and SQL views of sets of records, made outside of what changes them."""

from django.db import connection
from procrastinate import RetryStrategy
from procrastinate.contrib.django import app

from rondine.server.connecting.process import waiting_for_database
from rondine.server.records.browsing import make_indexes
from rondine.server.records.models import RecordSet
from rondine.server.records.sql_views import VIEWS, make_views


@app.task(queue="runs", name=VIEWS, lock=VIEWS, retry=RetryStrategy(max_attempts=5, wait=3))
async def make_sql_views() -> None:
    await waiting_for_database(make_views)


#: Of an advisory lock: one connection builds indexes at a time. Two of one table make PostgreSQL see a deadlock; and a
#: statement goes on for a while when the worker that sent it has died.
BUILDING = 0x696E6478
#: Seconds until it is looked again whether somebody else still builds.
LATER = 5


@app.task(
    queue="runs",
    name="rondine.index_records",
    lock="rondine.index_records",
    retry=RetryStrategy(max_attempts=5, wait=3),
)
async def index_records(set_id: int) -> None:
    if not await waiting_for_database(build_indexes, set_id):
        await index_records.configure(schedule_in={"seconds": LATER}).defer_async(set_id=set_id)


def build_indexes(set_id: int) -> bool:
    """False, if somebody else builds some. It is not waited for with a lock: who waits in a statement is waited for by
    who builds an index beside others' work."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT pg_try_advisory_lock(%s)", (BUILDING,))
        if not cursor.fetchone()[0]:
            return False
        try:
            records = RecordSet.objects.select_related("record_type", "environment").get(pk=set_id)
            make_indexes(records, records.loaded())
        finally:
            cursor.execute("SELECT pg_advisory_unlock(%s)", (BUILDING,))
    return True
