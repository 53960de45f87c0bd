"""What inputs are that move with a feed's runs."""

from datetime import UTC, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rondine.core.items.moving import Ago, FromHighest, LastRun, SinceLastRun, mark_of, moved_inputs, moving_problems
from rondine.core.mapping.document import RecordField, RecordTypeDocument
from rondine.core.operations.inputs import Input

NOW = datetime(2026, 6, 1, 22, 30, tzinfo=UTC)
BEGAN = datetime(2026, 5, 31, 8, 0, tzinfo=UTC)
LAST = LastRun(BEGAN, BEGAN + timedelta(seconds=40), {})


def moved(setting, kind="datetime", last=LAST):
    return moved_inputs({"since": setting}, {"since": Input(name="since", type=kind)}, NOW, last).get("since")


@pytest.mark.parametrize(
    ("kind", "zone", "expected"),
    [
        ("datetime", "UTC", "2026-05-02T22:30:00Z"),
        ("text", "UTC", "2026-05-02T22:30:00Z"),
        ("date", "UTC", "2026-05-02"),
        ("date", "Europe/Vienna", "2026-05-03"),
        ("integer", "UTC", int((NOW - timedelta(days=30)).timestamp())),
    ],
)
def test_a_time_before_the_run_is_written_as_the_input_is_typed(kind, zone, expected):
    assert moved(Ago(span="P30D", time_zone=zone), kind) == expected


def test_the_last_run_began_when_the_service_said_so_or_rondine():
    assert moved(SinceLastRun(overlap="PT1M")) == "2026-05-31T07:59:40Z"
    assert moved(SinceLastRun(clock="rondine", overlap="")) == "2026-05-31T08:00:00Z"
    silent = LastRun(BEGAN, None, {})
    assert moved(SinceLastRun(overlap=""), last=silent) == "2026-05-31T08:00:00Z"


def test_the_first_run_sends_what_is_said_for_it_or_nothing():
    assert moved(SinceLastRun(), last=None) is None
    assert moved(SinceLastRun(first="2020-01-01T00:00:00Z"), last=None) == "2020-01-01T00:00:00Z"
    highest = FromHighest(record_type="tree", field="girth", first=0)
    assert moved(highest, "integer") == moved(highest, "integer", None) == 0


@pytest.mark.parametrize(
    ("value", "kind", "overlap", "given_as", "expected"),
    [
        (2_412, "integer", "", "integer", 2_412),
        (2_412, "integer", "12", "integer", 2_400),
        (12345678901234567890, "integer", "1", "text", 12345678901234567889),
        ("1.25", "decimal", "0.5", "decimal", "0.75"),
        (datetime(2026, 5, 1, 12, 0, 0, 250_000, UTC), "datetime", "PT1H", "datetime", "2026-05-01T11:00:00.250000Z"),
        (NOW.date(), "date", "P1D", "date", "2026-05-31"),
        (NOW.date(), "date", "", "text", "2026-06-01"),
    ],
)
def test_the_highest_value_keeps_every_digit(value, kind, overlap, given_as, expected):
    setting = FromHighest(record_type="tree", field="mark", overlap=overlap)
    last = LastRun(BEGAN, None, {"since": mark_of(value, kind)})
    assert moved(setting, given_as, last) == expected


@given(st.integers(10**6, 4 * 10**15), st.integers(0, 10**6))
def test_what_is_sent_is_never_later_than_the_mark(microseconds, seconds):
    moment = datetime.fromtimestamp(0, UTC) + timedelta(microseconds=microseconds)
    mark = mark_of(moment, "datetime")
    setting = FromHighest(record_type="tree", field="mark", overlap=f"PT{seconds}S")
    sent = moved(setting, "datetime", LastRun(BEGAN, None, {"since": mark}))
    assert datetime.fromisoformat(sent) == moment - timedelta(seconds=seconds)


def test_whatever_keeps_an_input_from_moving_is_told_with_its_place():
    inputs = {"since": Input(name="since"), "all": Input(name="all", type="boolean")}
    tree = RecordTypeDocument(
        fields=[RecordField(name="number", type="text"), RecordField(name="girth", type="decimal")]
    )

    def told(**moving):
        return [(problem.where, problem.message) for problem in moving_problems(moving, inputs, {}, {"tree": tree})]

    assert told(since=Ago(span="P1D")) == []
    assert told(sinc=Ago(span="P1D")) == [("/sinc", 'the operation has no input "sinc"')]
    assert told(all=Ago(span="P1D"))[0][0] == "/all"
    assert told(since=Ago(span="a month")) == [("/since/span", '"a month" is not a duration')]
    assert told(since=Ago(span="P1D", time_zone="Olmara"))[0][0] == "/since/time_zone"
    assert told(since=FromHighest(record_type="tre", field="girth"))[0][0] == "/since/record_type"
    assert told(since=FromHighest(record_type="tree", field="grth"))[0][0] == "/since/field"
    assert "no highest value" in told(since=FromHighest(record_type="tree", field="number"))[0][1]
    where = [where for where, _ in told(since=FromHighest(record_type="tree", field="girth", overlap="PT1H"))]
    assert where == ["/since/field", "/since/overlap"]
