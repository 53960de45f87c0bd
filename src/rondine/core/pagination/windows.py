"""Pagination by windows: a range of time or of numbers, asked for in parts."""

import calendar
import re
from collections.abc import Callable, Iterator
from datetime import date, datetime, time, timedelta
from decimal import Decimal
from itertools import islice
from typing import Annotated, Any, ClassVar

from msgspec import Meta

from rondine.core.errors import PaginationError
from rondine.core.http.messages import Position, Send, without_secrets
from rondine.core.pagination.steps import Ahead, Ending, PagedOperation, Pages, Strategy, send

#: ISO 8601-1, section 5.5.2.2: the forms of a duration with designators, in whole numbers.
_DURATION = re.compile(
    r"P(?!$)(?:(?P<years>\d{1,4})Y)?(?:(?P<months>\d{1,5})M)?(?:(?P<weeks>\d{1,6})W)?(?:(?P<days>\d{1,6})D)?"
    r"(?:T(?!$)(?:(?P<hours>\d{1,6})H)?(?:(?P<minutes>\d{1,8})M)?(?:(?P<seconds>\d{1,9})S)?)?",
    re.ASCII,
)
_NUMBER = re.compile(r"[1-9]\d{0,14}", re.ASCII)
Bound = date | datetime | int | Decimal


class Windows(Strategy, tag="windows", frozen=True):
    """Parts the range between two inputs into windows and asks for each, several at a time. The rows of a window must
    come in one response: one that shows that there are more makes the run incomplete, and a smaller window is wanted.
    It is complete if each response with rows says that these are all.
    """

    ASKS_FOR_SIGNS: ClassVar[bool] = True
    INPUTS: ClassVar[tuple[str, ...]] = ("start_input", "end_input")

    start_input: Annotated[str, Meta(description="the operation's input that takes where a window begins")]
    end_input: Annotated[str, Meta(description="the input that takes where it ends")]
    size: Annotated[
        str, Meta(description="of a window: a duration such as P1D, P1M or PT6H (ISO 8601), or a whole number")
    ]
    is_end_included: Annotated[
        bool,
        Meta(
            description=(
                "the service takes the end as a part of the window, so the next one begins a day, a second or one later"
            )
        ),
    ] = False
    max_pages: Annotated[int, Meta(ge=1, description="windows to ask for at most")] = 10_000

    def __post_init__(self) -> None:
        found = _DURATION.fullmatch(self.size)
        if not _NUMBER.fullmatch(self.size) and (found is None or not any(map(int, found.groups("0")))):
            raise ValueError(f'"{self.size}" is neither a duration, such as P1D, nor a whole number')

    def exchange(self, paged: PagedOperation, position: Position = None) -> Pages:
        begin = position if isinstance(position, int) else 0
        windows = list(islice(self.windows(paged), self.max_pages + 1))
        if len(windows) > self.max_pages:
            raise PaginationError(
                f"there are more than {self.max_pages:,} windows",
                where=without_secrets(paged.first.url),
                hint="take larger windows, or a smaller range; or raise max_pages",
            )
        asks = [
            Send(paged.page({self.start_input: start, self.end_input: end}), {}, number)
            for number, (start, end) in enumerate(windows)
        ][begin:]
        yield Ahead(asks)
        missing, open_windows = "", 0
        for ask, (start, end) in zip(asks, windows[begin:], strict=True):
            response = yield from send(ask.request, position=ask.position)
            if response.more and not missing:
                missing = f"the window from {start} to {end} is not whole: {response.more}"
            open_windows += bool(response.rows) and not response.whole
        words = f"all {len(windows):,} windows were asked for"
        if open_windows and not missing:
            words += f", and {open_windows:,} of the responses do not say whether they are whole"
        return Ending(words, is_proven=not missing and not open_windows, pages=len(asks), missing=missing)

    def windows(self, paged: PagedOperation) -> Iterator[tuple[str | int, str | int]]:
        """Where each window begins and ends, as values for the inputs. Raises PaginationError if the range is not
        given, or its bounds and the size do not go together."""
        start, end = self._bound(paged, self.start_input), self._bound(paged, self.end_input)
        if type(start) is not type(end):
            raise self._refused(paged, f"{self.start_input} and {self.end_input} are of different types")
        following = self._following(paged, start)
        gap: Any = _smallest(start) if self.is_end_included else 0
        number = 0
        at: Any = start
        while at < end or (at == end and (number == 0 or self.is_end_included)):
            number += 1
            upto = following(start, number)
            if upto <= at:
                raise self._refused(paged, f"a window of {self.size} has no length")
            last = upto - gap if gap else upto
            yield _value(at), _value(min(last, end))
            at = upto

    def _bound(self, paged: PagedOperation, name: str) -> Bound:
        value = paged.value(name)
        if isinstance(value, (date, datetime, int, Decimal)) and not isinstance(value, bool):
            return value
        for read in (_whole, date.fromisoformat, datetime.fromisoformat):
            try:
                return read(str(value))
            except ValueError:
                continue
        words = f"{name} has no value" if value in (None, "") else f'{name} is "{value}", neither a time nor a number'
        raise self._refused(paged, words)

    def _following(self, paged: PagedOperation, start: Bound) -> "Callable[[Any, int], Any]":
        """Gives the end of the n-th window from the range's start."""
        is_number = isinstance(start, int | Decimal)
        if _NUMBER.fullmatch(self.size):
            if not is_number:
                raise self._refused(paged, f"{self.start_input} is a time, and the windows are a number wide")
            return lambda base, number: base + number * int(self.size)
        if is_number:
            raise self._refused(paged, f"{self.start_input} is a number, and the windows are a duration long")
        found = _DURATION.fullmatch(self.size)
        assert found is not None
        parts = {name: int(text) for name, text in found.groupdict("0").items()}
        months = parts.pop("years") * 12 + parts.pop("months")
        span = timedelta(**parts)
        if not isinstance(start, datetime) and span.seconds:
            raise self._refused(paged, f"{self.start_input} is a day, and the windows are parts of one")
        return lambda base, number: _months_later(base, months * number) + span * number

    def _refused(self, paged: PagedOperation, words: str) -> PaginationError:
        return PaginationError(
            f"the range cannot be parted into windows: {words}",
            where=f"paging of {without_secrets(paged.first.url)}",
            hint=f"give {self.start_input} and {self.end_input} values, such as 2026-01-01",
        )


def _whole(text: str) -> int:
    if not re.fullmatch(r"-?\d{1,15}", text, re.ASCII):
        raise ValueError(text)
    return int(text)


def _months_later(base: Any, months: int) -> Any:
    """The same day of a later month, or its last day."""
    year, month = divmod(base.year * 12 + base.month - 1 + months, 12)
    if year > date.max.year:
        return date.max if not isinstance(base, datetime) else datetime.combine(date.max, time.min, base.tzinfo)
    return base.replace(year=year, month=month + 1, day=min(base.day, calendar.monthrange(year, month + 1)[1]))


def _smallest(bound: Bound) -> Any:
    """What parts a window from the next where both ends are included."""
    if isinstance(bound, datetime):
        return timedelta(seconds=1)
    return timedelta(days=1) if isinstance(bound, date) else 1


def _value(bound: Any) -> str | int:
    if isinstance(bound, date):
        return bound.isoformat().replace("+00:00", "Z")
    return bound if isinstance(bound, int) else format(bound, "f")
