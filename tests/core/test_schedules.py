"""When feeds run by themselves: cron with time zones and clock changes, intervals, jitter, quiet hours."""

from datetime import UTC, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rondine.core.items.feed import FeedDocument
from rondine.core.items.references import references
from rondine.core.items.schedule import AfterFeed, Cron, Interval, next_due, schedule_problems, schedule_words
from rondine.core.settings import load


def at(text):
    return datetime.fromisoformat(text).replace(tzinfo=UTC)


def following(schedule, after, count=3, **options):
    found, moment = [], at(after)
    for _ in range(count):
        due = next_due(schedule, moment, **options)
        moment = due.planned
        found.append(due.begins.strftime("%m-%d %H:%M"))
    return found


def test_times_are_of_the_time_zone_also_where_clocks_change():
    night = Cron(expression="30 2 * * *", time_zone="Europe/Vienna")
    assert following(night, "2026-03-27T12:00") == [
        "03-28 01:30",
        "03-29 01:00",
        "03-30 00:30",
    ]  # 02:30 is missing once
    assert following(night, "2026-10-23T12:00") == ["10-24 00:30", "10-25 00:30", "10-26 01:30"]  # and comes twice
    assert following(Cron(expression="0 9 * * MON-FRI"), "2026-11-27T10:00") == [
        "11-30 09:00",
        "12-01 09:00",
        "12-02 09:00",
    ]


def test_intervals_are_counted_from_the_time_before_and_what_was_missed_is_not_made_up_for():
    quarter = Interval(every="PT15M")
    assert next_due(quarter, at("2026-11-03T09:07"), last=at("2026-11-03T09:00")).planned == at("2026-11-03T09:15")
    assert next_due(quarter, at("2026-11-03T12:07"), last=at("2026-11-03T09:00")).planned == at("2026-11-03T12:15")
    assert next_due(quarter, at("2026-11-03T09:07")).planned == at("2026-11-03T09:22")


@given(st.integers(10, 10**6), st.integers(0, 10**7))
def test_the_next_time_is_after_now_by_one_interval_at_most(seconds, gone):
    last = at("2026-01-01T00:00")
    now = last + timedelta(seconds=gone)
    due = next_due(Interval(every=f"PT{seconds}S"), now, last=last).planned
    assert now < due <= now + timedelta(seconds=seconds) and (due - last).total_seconds() % seconds == 0


@given(st.floats(0, 1))
def test_jitter_puts_off_by_no_more_than_it_says(chance):
    due = next_due(Cron(expression="0 * * * *", jitter=600), at("2026-11-03T09:30"), chance=chance)
    assert due.planned == at("2026-11-03T10:00")
    assert due.planned <= due.begins <= due.planned + timedelta(seconds=600)


@pytest.mark.parametrize(
    ("quiet", "now", "begins"),
    [
        (("22:00", "06:00"), "2026-11-03T22:30", "11-04 06:00"),
        (("22:00", "06:00"), "2026-11-03T03:30", "11-03 06:00"),
        (("22:00", "06:00"), "2026-11-03T12:30", "11-03 13:00"),
        (("12:00", "14:00"), "2026-11-03T12:30", "11-03 14:00"),
        (("12:00", "14:00"), "2026-11-03T13:30", "11-03 14:00"),
    ],
)
def test_nothing_begins_in_quiet_hours(quiet, now, begins):
    hourly = Cron(expression="0 * * * *", quiet_from=quiet[0], quiet_until=quiet[1])
    assert following(hourly, now, 1) == [begins]


@pytest.mark.parametrize(
    ("schedule", "where", "words"),
    [
        (Cron(expression="0 0 30 2 *"), "/expression", "never fires"),
        (Cron(expression="61 * * * *"), "/expression", "never fires: Bad minute"),
        (Cron(expression=""), "/expression", "never fires"),
        (Cron(expression="0 2 * * *", time_zone="Europe/Viena"), "/time_zone", 'no time zone "Europe/Viena"'),
        (Interval(every="PT1S"), "/every", "10 seconds or more"),
        (Interval(every="P1M"), "/every", "10 seconds or more"),
        (Interval(every="soon"), "/every", "10 seconds or more"),
        (Interval(every="PT1H", quiet_from="22:00"), "/quiet_until", "quiet hours"),
        (Interval(every="PT1H", quiet_from="22:00", quiet_until="22:00"), "/quiet_until", "quiet hours"),
    ],
)
def test_a_schedule_that_never_starts_anything_is_told_and_starts_nothing(schedule, where, words):
    (problem,) = schedule_problems(schedule)
    assert problem.where == where and words in problem.message and problem.hint
    assert next_due(schedule, at("2026-11-03T09:00")) is None
    assert schedule_words(schedule)


def test_schedules_are_told_in_words_and_refer_to_feeds():
    weekdays = Cron(expression="30 2 * * MON-FRI", time_zone="Europe/Vienna")
    assert schedule_words(weekdays) == "at 02:30 on Monday through Friday (Europe/Vienna)"
    assert schedule_words(Interval(every="PT15M", enabled=False)) == "every PT15M, paused"
    assert schedule_words(AfterFeed(feed="trees", when="complete")) == "after each complete run of trees"
    assert schedule_words(None) == ""
    document = load(FeedDocument, {"schedule": {"type": "after_feed", "feed": "trees"}})
    assert [(one.kind, one.name, one.pointer) for one in references(document)] == [("feeds", "trees", "/schedule/feed")]
    assert next_due(document.schedule, at("2026-11-03T09:00")) is None
    assert next_due(Interval(every="PT1H", enabled=False), at("2026-11-03T09:00")) is None
