"""When a feed runs by itself: at times, at intervals, or after another feed. Pure: whoever asks brings the moment."""

import re
from dataclasses import dataclass
from datetime import UTC, datetime, time, timedelta
from typing import Annotated, ClassVar, Literal
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError, available_timezones

from cronsim import CronSim, CronSimError
from msgspec import Meta

from rondine.core.errors import Problem, did_you_mean
from rondine.core.settings import Document

TimeZone = Annotated[str, Meta(description="an IANA time zone, such as Europe/Vienna")]
TimeOfDay = Annotated[str, Meta(pattern=r"^(([01]\d|2[0-3]):[0-5]\d)?$")]
_INTERVAL = re.compile(
    r"P(?!$)(?:(?P<weeks>\d{1,4})W)?(?:(?P<days>\d{1,5})D)?"
    r"(?:T(?!$)(?:(?P<hours>\d{1,5})H)?(?:(?P<minutes>\d{1,6})M)?(?:(?P<seconds>\d{1,8})S)?)?",
    re.ASCII,
)
#: The shortest interval.
SHORTEST = timedelta(seconds=10)


class Timed(Document, frozen=True):
    """What times and intervals share."""

    RARE: ClassVar[frozenset[str]] = frozenset({"jitter", "quiet_from", "quiet_until"})

    enabled: Annotated[bool, Meta(description="off, it starts nothing")] = True
    time_zone: TimeZone = "UTC"
    jitter: Annotated[
        int,
        Meta(
            ge=0,
            le=86_400,
            description="seconds by which it is put off at most, by chance, so that not all come at once",
        ),
    ] = 0
    quiet_from: Annotated[
        TimeOfDay, Meta(description="from this time of day on, such as 22:00, nothing begins; it waits for the end")
    ] = ""
    quiet_until: Annotated[TimeOfDay, Meta(description="the end of that time")] = ""


class Cron(Timed, tag="cron", frozen=True, kw_only=True):
    """Runs at times that a cron expression names. Where clocks are put forward, what falls into the missing hour
    runs right after it; where they are put back, it runs once."""

    expression: Annotated[
        str, Meta(description="minute, hour, day, month and day of the week, such as 30 2 * * MON-FRI")
    ]


class Interval(Timed, tag="interval", frozen=True, kw_only=True):
    """Runs again and again, so long after the time before."""

    every: Annotated[str, Meta(description="a duration such as PT15M, PT6H or P1D (ISO 8601), 10 seconds at least")]


class AfterFeed(Document, tag="after_feed", frozen=True):
    """Runs when a run of another feed has ended well."""

    REFERENCES: ClassVar[dict[str, str]] = {"feed": "feeds"}

    feed: Annotated[str, Meta(description="the other feed, by name")]
    when: Annotated[
        Literal["done", "complete"], Meta(description="after every run that is done, or after complete ones alone")
    ] = "done"
    enabled: Annotated[bool, Meta(description="off, it starts nothing")] = True


class Watch(Document, tag="watch", frozen=True):
    """Runs when a field of a kept record changes, rises or falls: once for each change, and not for what was there
    before. A feed that asks for each record of this type asks for the changed ones alone."""

    REFERENCES: ClassVar[dict[str, str]] = {"record_type": "record-types"}

    record_type: Annotated[str, Meta(description="whose records, in the feed's environment")]
    field: Annotated[str, Meta(description="of them")]
    when: Annotated[
        Literal["changes", "rises", "falls"],
        Meta(description="what it does; numbers and times rise and fall"),
    ] = "changes"
    enabled: Annotated[bool, Meta(description="off, it starts nothing")] = True


Schedule = Cron | Interval | AfterFeed | Watch


@dataclass(frozen=True, slots=True)
class Due:
    """The moment at which a run is due, and the one that jitter and quiet hours make of it; both in UTC."""

    planned: datetime
    begins: datetime


def next_due(
    schedule: Schedule | None, after: datetime, *, chance: float = 0.0, last: datetime | None = None
) -> Due | None:
    """The next time after a moment; None if the schedule names none.

    chance: from 0 to 1, of the jitter.  last: the time before, from which intervals are counted.
    """
    if not isinstance(schedule, Cron | Interval) or not schedule.enabled or schedule_problems(schedule):
        return None
    zone = ZoneInfo(schedule.time_zone)
    if isinstance(schedule, Cron):
        planned = next(CronSim(schedule.expression, after.astimezone(zone)), None)
        if planned is None:
            return None
    else:
        step = duration_of(schedule.every)
        assert step is not None
        last = last if last is not None and last <= after else after
        planned = last + ((after - last) // step + 1) * step
    begins = planned + timedelta(seconds=schedule.jitter * chance)
    return Due(planned.astimezone(UTC), _after_quiet(schedule, begins.astimezone(zone)).astimezone(UTC))


def duration_of(text: str) -> timedelta | None:
    """The duration that a text says (ISO 8601, without years and months, which have no fixed length), None if it says
    none."""
    found = _INTERVAL.fullmatch(text)
    if found is None:
        return None
    return timedelta(**{name: int(number) for name, number in found.groupdict("0").items()})


def _after_quiet(schedule: Timed, moment: datetime) -> datetime:
    if not schedule.quiet_from or not schedule.quiet_until:
        return moment
    begin, end = time.fromisoformat(schedule.quiet_from), time.fromisoformat(schedule.quiet_until)
    now = moment.time()
    if begin <= end:
        is_quiet, is_tomorrow = begin <= now < end, False
    else:  # over midnight
        is_quiet, is_tomorrow = now >= begin or now < end, now >= begin
    if not is_quiet:
        return moment
    day = moment.date() + timedelta(days=is_tomorrow)
    return datetime.combine(day, end, moment.tzinfo)


def schedule_problems(schedule: Schedule | None) -> list[Problem]:
    """What keeps a schedule from ever starting anything, with places in it."""
    if not isinstance(schedule, Timed):
        return []
    problems = []
    if unknown := zone_problems(schedule.time_zone):
        return unknown
    zone = ZoneInfo(schedule.time_zone)
    if bool(schedule.quiet_from) != bool(schedule.quiet_until) or (
        schedule.quiet_from and schedule.quiet_from == schedule.quiet_until
    ):
        words = "quiet hours need a beginning and another end"
        problems.append(Problem("/quiet_until", words, "give both, or leave both out"))
    if isinstance(schedule, Cron):
        try:
            next(CronSim(schedule.expression, datetime(2026, 1, 1, tzinfo=zone)))
        except (CronSimError, StopIteration) as error:
            words = str(error) or "it names no time that ever comes"
            hint = "five fields: minute, hour, day of the month, month, day of the week"
            problems.append(Problem("/expression", f'"{schedule.expression}" never fires: {words}', hint))
    elif isinstance(schedule, Interval):
        step = duration_of(schedule.every)
        if step is None or step < SHORTEST:
            words = f'"{schedule.every}" is not a duration of 10 seconds or more'
            problems.append(Problem("/every", words, "write it as PT15M, PT6H or P1D"))
    return problems


def zone_problems(name: str) -> list[Problem]:
    """Whether there is a time zone of this name."""
    try:
        ZoneInfo(name)
    except (ZoneInfoNotFoundError, ValueError, OSError):
        hint = did_you_mean(name, available_timezones()) or "name one as Europe/Vienna or UTC"
        return [Problem("/time_zone", f'there is no time zone "{name}"', hint)]
    return []


def schedule_words(schedule: Schedule | None) -> str:
    """A schedule in words, such as `at 02:30 on Monday through Friday (Europe/Vienna)`."""
    match schedule:
        case Cron(expression=expression, time_zone=zone):
            if schedule_problems(schedule):
                return f"never: {expression}"
            words = CronSim(expression, datetime(2026, 1, 1, tzinfo=UTC)).explain()
            words = f"{words[:1].lower()}{words[1:]} ({zone})"
        case Interval(every=every):
            words = f"every {every}"
        case AfterFeed(feed=feed, when=when):
            words = f"after {'each complete run' if when == 'complete' else 'each run'} of {feed}"
        case Watch(record_type=record_type, field=field, when=when):
            words = f"when {field} of a record of {record_type} {when}"
        case None:
            return ""
    return words if schedule.enabled else f"{words}, paused"
