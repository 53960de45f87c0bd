"""What is forgotten by age, and what is not: what a feed goes on from, and what samples and deliveries show."""

from datetime import UTC, datetime, timedelta

import pytest
from django.db import connection

from rondine.server.access.models import Project
from rondine.server.connecting.models import Environment, Service
from rondine.server.feeds.models import DriftPeriod, Feed
from rondine.server.mappings.models import Mapping
from rondine.server.operations.models import Operation, Sample
from rondine.server.retention import LOCK, forget_old
from rondine.server.runs.models import Body, Call, RejectedRow, Run

NOW = datetime(2026, 6, 30, tzinfo=UTC)


@pytest.fixture
def feed(transactional_db):
    project = Project.objects.create(name="aged")
    environment = Environment.objects.create(project=project, name="test", runs_days=100, bodies_days=10)
    service = Service.objects.create(project=project, name="register")
    operation = Operation.objects.create(project=project, name="trees", service=service)
    mapping = Mapping.objects.create(project=project, name="trees", service=service)
    return Feed.objects.create(
        project=project, name="trees", operation=operation, mapping=mapping, environment=environment
    )


def ran(feed, days, **fields):
    """A run that ended so many days ago, with a call whose body is kept, and a reject."""
    at = NOW - timedelta(days=days)
    run = Run.objects.create(
        **{
            "project": feed.project,
            "environment": feed.environment,
            "kind": "feed",
            "feed": feed,
            "state": "done",
            "ended_at": at,
            **fields,
        }
    )
    body = Body.of(feed.project_id, b'{"trees": []}', "application/json", "utf-8")
    body.save()
    Call.objects.create(run=run, number=1, method="GET", url="/trees", request="", at=at, body=body, rows=1)
    RejectedRow.objects.create(run_id=run.pk, record_type="tree", call=1, ordinal=0, path="", problems=[], row="{}")
    return run


def left():
    return (
        list(Run.objects.order_by("pk").values_list("pk", flat=True)),
        list(Call.objects.exclude(body=None).order_by("pk").values_list("run_id", flat=True)),
        Body.objects.count(),
    )


def test_bodies_go_before_runs_and_what_a_feed_goes_on_from_stays(feed):
    oldest = ran(feed, 300)
    marked = ran(feed, 200, completeness="complete", marks={"since": 1})
    ran(feed, 150)
    middle, new = ran(feed, 50), ran(feed, 5)
    assert forget_old(NOW) == {"bodies": 3, "runs": 2, "deliveries": 0, "events": 0}
    assert left() == ([marked.pk, middle.pk, new.pk], [marked.pk, new.pk], 2)
    assert set(RejectedRow.objects.values_list("run_id", flat=True)) == {marked.pk, middle.pk, new.pk}
    assert not Call.objects.filter(run_id=oldest.pk).exists()
    assert forget_old(NOW) == {"bodies": 0, "runs": 0, "deliveries": 0, "events": 0}


def test_the_response_that_later_ones_are_compared_with_stays(feed):
    """As long as the service differs from it: no sample or definition says what it should be."""
    good = ran(feed, 200)
    differing = [ran(feed, days) for days in (150, 120, 90, 20, 5)]
    first, last = differing[0].pk, differing[-1].pk
    DriftPeriod.objects.create(
        feed=feed, path="$", kind="changed", words="", on_file="", first_run=first, call=1, first_at=NOW,
        last_run=last, last_at=NOW,
    )  # fmt: skip
    forget_old(NOW)
    assert good.pk in left()[0] and good.pk in left()[1]
    assert first not in left()[0]


def test_bodies_that_something_else_shows_stay(feed):
    shown, other, newest = ran(feed, 50), ran(feed, 40), ran(feed, 1)
    Sample.objects.create(
        project=feed.project, name="kept", operation=feed.operation, body=Call.objects.get(run=shown).body
    )
    forget_old(NOW)
    assert left() == ([shown.pk, other.pk, newest.pk], [newest.pk], 2)


def test_nothing_is_forgotten_where_nothing_is_said_and_by_one_worker_at_a_time(feed):
    ran(feed, 400)
    ran(feed, 1)
    Environment.objects.update(runs_days=None, bodies_days=None)
    assert not any(forget_old(NOW).values())
    Environment.objects.update(runs_days=1, bodies_days=1)
    other = connection.copy()
    try:
        with other.cursor() as held:
            held.execute("SELECT pg_advisory_lock(%s)", (LOCK,))
            assert forget_old(NOW) == {}
            # Asked for: PostgreSQL notices a closed connection, and lets its locks go, only some time after.
            held.execute("SELECT pg_advisory_unlock(%s)", (LOCK,))
    finally:
        other.close()
    assert forget_old(NOW)["runs"] == 1
