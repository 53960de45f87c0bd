"""Several workers at one queue: each run is carried out once, long ones hold up no short one, and no project another."""

from tests.made_feed import ROWS, feed, whole
from tests.whole_rondine import wait_until

FEEDS = 12


def names(rondine, trees, prefix, count):
    """Feeds of one service."""
    first = feed(rondine, trees, f"{prefix}-0", whole(ROWS))
    office = rondine.office()
    for number in range(1, count):
        name = f"{prefix}-{number}"
        office.feeds.make(name, operation=first, mapping=first, environment="test")
    return [f"{prefix}-{number}" for number in range(count)]


def slowly(trees, seconds):
    trees.seconds = seconds


def test_runs_are_shared_by_all_workers_and_each_is_carried_out_once(rondine, trees):
    feeds = names(rondine, trees, "shared-out", FEEDS)
    slowly(trees, 2.0)
    logs = [rondine.home / f"worker-{number}.log" for number in (2, 3)]
    for log in logs:
        rondine.spawn(log.stem, "-m", "rondine.server.main", "work", "--parallel", "2")
    try:
        wait_until(lambda: all("worker is ready" in log.read_text() for log in logs), 60)
        office = rondine.office()
        runs = [office.feeds.run(name)["id"] for name in feeds]
        ended = [rondine.watch(run) for run in runs]
    finally:
        for log in logs:
            rondine.end(log.stem)
    assert {run["state"] for run in ended} == {"done"} and {run["attempt"] for run in ended} == {1}
    callers = {call["by"] for run in runs for call in office.runs.calls(run)}
    assert len(callers) == 3
    assert sum(one["rows"] for run in ended for one in run["counts"]) == FEEDS * len(ROWS)
    records = rondine.sql(
        "SELECT count(*) FROM records_record r JOIN records_recordset s ON s.id = r.set_id"
        " JOIN records_recordtype t ON t.id = s.record_type_id WHERE t.name = 'shared-out-0'"
    )
    assert records == [(len(ROWS),)]


def test_long_runs_hold_up_no_short_one(rondine, trees):
    """However many of them wait, there is a place that they do not take."""
    long = names(rondine, trees, "long-run", 6)
    for name in long:
        rondine.finish(name)
    rondine.sql(
        "UPDATE runs_run SET started_at = ended_at - interval '5 minutes' WHERE feed_id IN"
        " (SELECT id FROM feeds_feed WHERE name LIKE 'long-run-%%') RETURNING 1"
    )
    short = feed(rondine, trees, "short-run", whole(ROWS), path="/short")
    slowly(trees, 15.0)
    office = rondine.office()
    runs = [office.feeds.run(name)["id"] for name in long]
    wait_until(lambda: sum(office.runs.get(run)["state"] == "running" for run in runs) == 3, 30)
    done = rondine.finish(short)
    assert done["state"] == "done"
    assert not any(office.runs.get(run)["state"] == "done" for run in runs)
    trees.seconds = 0
    assert {rondine.watch(run)["state"] for run in runs} == {"done"}


def test_of_projects_that_have_many_runs_waiting_as_many_come_from_each(rondine, trees):
    """The more a project has waiting, the later comes its next; what a person waits for comes first."""
    feeds = names(rondine, trees, "by-turns", 4)
    office = rondine.office()
    rondine.end("worker")
    try:
        runs = [office.feeds.run(name)["id"] for name in feeds]
        jobs = rondine.sql(
            "SELECT (args->>'run_id')::int, priority FROM procrastinate_jobs WHERE task_name = 'rondine.carry_out'"
            " AND status = 'todo' ORDER BY id"
        )
        found = [priority for run, priority in jobs if run in runs]
        assert len(found) == 4 and found == sorted(found, reverse=True) and len(set(found)) == 4
        assert found[-1] > 0  # a schedule's run comes after all of them
    finally:
        rondine.start_worker()
    for run in runs:
        assert rondine.watch(run)["state"] == "done"
