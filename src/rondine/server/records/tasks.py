"""The indexes and SQL views of sets of records, made outside of what changes them."""

from procrastinate import RetryStrategy
from procrastinate.contrib.django import app

from rondine.server.connecting.process import waiting_for_database
from rondine.server.records.browsing import make_indexes
from rondine.server.records.models import RecordSet
from rondine.server.records.sql_views import VIEWS, make_views


@app.task(queue="runs", name=VIEWS, lock=VIEWS, retry=RetryStrategy(max_attempts=5, wait=3))
async def make_sql_views() -> None:
    await waiting_for_database(make_views)


# building two indexes of one table at a time makes PostgreSQL see a deadlock, so there is one lock for all
@app.task(
    queue="runs",
    name="rondine.index_records",
    lock="rondine.index_records",
    retry=RetryStrategy(max_attempts=5, wait=3),
)
async def index_records(set_id: int) -> None:
    def make() -> list[str]:
        records = RecordSet.objects.select_related("record_type").get(pk=set_id)
        return make_indexes(records, records.record_type.loaded())

    await waiting_for_database(make)
