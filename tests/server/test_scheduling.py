"""What is due is started once, whoever looks and however often; what was missed is caught up with one run."""

from datetime import UTC, datetime, timedelta

import pytest
from django.db import connection, transaction
from django.utils import timezone

from rondine.core.items.feed import FeedDocument
from rondine.core.settings import load
from rondine.server.access.models import Project
from rondine.server.connecting.models import Connection, Environment, Service
from rondine.server.feeds.calendar import due_times
from rondine.server.feeds.models import Feed
from rondine.server.feeds.obstacles import obstacles
from rondine.server.feeds.scheduling import start_due
from rondine.server.mappings.models import Mapping
from rondine.server.operations.models import Operation
from rondine.server.records.models import RecordType
from rondine.server.runs.actions import end_run
from rondine.server.runs.models import Run

NOW = datetime(2026, 11, 3, 9, 7, tzinfo=UTC)


@pytest.fixture
def feed(db):
    project = Project.objects.create(name="grove")
    environment = Environment.objects.create(project=project, name="test")
    service = Service.objects.create(project=project, name="register")
    Connection.objects.create(
        project=project, name="register-test", service=service, environment=environment,
        document={"base_address": "http://127.0.0.1:1"},
    )  # fmt: skip
    operation = Operation.objects.create(project=project, name="trees", service=service, document={"path": "/trees"})
    fields = [{"name": "number", "type": "text"}]
    RecordType.objects.create(project=project, name="tree", document={"key": ["number"], "fields": fields})
    output = {"record_type": "tree", "fields": [{"name": "number", "from": "number"}]}
    mapping = Mapping.objects.create(project=project, name="trees", service=service, document={"outputs": [output]})
    document = {"schedule": {"type": "interval", "every": "PT15M"}}
    return Feed.objects.create(
        project=project, name="trees", operation=operation, mapping=mapping, environment=environment, document=document
    )


def test_a_changed_schedule_is_planned_and_what_is_due_starts_once(feed):
    assert start_due(NOW) == []
    feed.refresh_from_db()
    assert feed.due_at == NOW + timedelta(minutes=15)
    (run,) = start_due(NOW + timedelta(minutes=15))
    assert start_due(NOW + timedelta(minutes=15)) == []
    feed.refresh_from_db()
    assert feed.due_at == NOW + timedelta(minutes=30) and feed.refusal is None
    run = Run.objects.get(pk=run)
    assert (run.begun_by, run.due_at, run.by) == ("schedule", NOW + timedelta(minutes=15), None)


def test_a_feed_that_is_still_running_runs_again_when_it_has_ended_and_misses_are_one_run(feed):
    start_due(NOW)
    (first,) = start_due(NOW + timedelta(hours=5))  # twenty times were missed
    feed.refresh_from_db()
    assert feed.due_at == NOW + timedelta(hours=5, minutes=15)
    assert start_due(NOW + timedelta(hours=6)) == []
    Run.objects.filter(pk=first).update(state="running", attempt=1)
    end_run(first, 1, state="done", ending="")
    (second,) = start_due(NOW + timedelta(hours=6))
    assert Run.objects.get(pk=second).due_at == NOW + timedelta(hours=5, minutes=15)
    assert start_due(NOW + timedelta(hours=6)) == []


def test_what_cannot_start_is_told_and_planned_again(feed):
    start_due(NOW)
    Operation.objects.update(document={"path": "/trees", "enabled": False})
    assert start_due(NOW + timedelta(minutes=20)) == []
    feed.refresh_from_db()
    assert "is disabled" in feed.refusal["message"] and feed.due_at == NOW + timedelta(minutes=30)
    Operation.objects.update(document={"path": "/trees"})
    assert len(start_due(NOW + timedelta(minutes=30))) == 1
    feed.refresh_from_db()
    assert feed.refusal is None


def test_a_paused_schedule_stands_with_what_keeps_a_feed_from_starting(feed):
    Feed.objects.update(document={"schedule": {"type": "interval", "every": "PT15M", "enabled": False}}, version=2)
    assert start_due(NOW) == start_due(NOW + timedelta(days=1)) == []
    (found,) = [one for one in obstacles(feed.project) if one.kind == "feed"]
    assert ("its schedule is paused", "resume it: rondine feed schedule trees --resume") in [
        (reason.message, reason.hint) for reason in found.reasons
    ]


def test_a_change_plans_anew_and_no_schedule_is_never_due(feed):
    start_due(NOW)
    Feed.objects.update(document={"schedule": {"type": "cron", "expression": "0 2 * * *"}}, version=2)
    assert start_due(NOW + timedelta(minutes=20)) == []  # the old time counts no more
    feed.refresh_from_db()
    assert feed.due_at == datetime(2026, 11, 4, 2, tzinfo=UTC)
    Feed.objects.update(document={}, version=3)
    assert start_due(NOW + timedelta(days=2)) == []
    feed.refresh_from_db()
    assert feed.due_at is None


@pytest.mark.django_db(transaction=True)
def test_two_that_look_at_once_start_it_once(feed):
    """The one holds the feed, in a transaction that is not at its end; the other passes it over."""
    from concurrent.futures import ThreadPoolExecutor

    start_due(timezone.now() - timedelta(hours=1))

    def other():
        try:
            return start_due()
        finally:
            connection.close()

    with ThreadPoolExecutor(1) as pool, transaction.atomic():
        (run,) = start_due()
        assert pool.submit(other).result(30) == []
    assert Run.objects.filter(feed=feed).count() == 1 and Run.objects.get().pk == run


def test_the_times_of_a_calendar_go_on_from_what_the_workers_put_down():
    def times(schedule, due_at=None, hours=6):
        start = datetime(2026, 3, 28, 22, tzinfo=UTC)
        document = load(FeedDocument, {"schedule": schedule} if schedule else {})
        found = due_times(document.schedule, start, start + timedelta(hours=hours), due_at)
        return [f"{one:%d %H:%M}" for one in found]

    every = {"type": "interval", "every": "PT2H"}
    assert times(every, datetime(2026, 3, 28, 22, 30, tzinfo=UTC)) == ["28 22:30", "29 00:30", "29 02:30"]
    assert times(every, datetime(2026, 3, 28, 21, 30, tzinfo=UTC)) == ["28 23:30", "29 01:30", "29 03:30"]
    night = {"type": "cron", "expression": "30 2 * * *", "time_zone": "Europe/Vienna"}
    assert times(night, hours=30) == ["29 01:00", "30 00:30"]  # the clocks are put forward at 2
    assert times(None) == [] and times({**every, "enabled": False}) == []
