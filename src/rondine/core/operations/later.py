"""Answers that come later: a service takes an order (202), says where to look, and has the answer when it is ready.

Sources: RFC 9110, sections 15.3.3 (202), 15.4.4 (303) and 10.2.2 (Location); RFC 7240 for `Prefer: respond-async`.
Pure: what came is an argument, what to do next is the result.
"""

from dataclasses import dataclass
from datetime import datetime
from typing import Annotated, Any, Literal
from urllib.parse import urljoin

from msgspec import Meta

from rondine.core.errors import InputError, Problem, ServiceError
from rondine.core.http.limits import retry_after
from rondine.core.http.messages import Headers
from rondine.core.paths import parse_pointer, resolve
from rondine.core.settings import Document

Pointer = Annotated[str, Meta(description="a JSON Pointer in the response")]


class LaterAnswer(Document, frozen=True):
    """The operation orders something that is ready later; it is looked after until then, and fetched."""

    look_at: Annotated[
        str,
        Meta(description="where its address stands in the first response, a JSON Pointer; blank: the Location header"),
    ] = ""
    state: Annotated[
        str, Meta(description="where its state stands, a JSON Pointer; blank: the status tells, 202 until it is ready")
    ] = ""
    ready: Annotated[list[str], Meta(description="states in which it is ready")] = []
    failed: Annotated[list[str], Meta(description="states in which it never will be")] = []
    result: Annotated[
        str, Meta(description="where the answer's address stands then, a JSON Pointer; blank: it came with the state")
    ] = ""
    every: Annotated[float, Meta(ge=0.2, description="seconds between two looks; Retry-After counts more")] = 5.0
    longest: Annotated[float, Meta(gt=0, description="seconds after which it is given up")] = 3_600.0


@dataclass(frozen=True, slots=True)
class Look:
    """What a look shows. state: waiting, ready (the answer is at `address`, or came with this if that is empty), or
    failed.  seconds: until the next look.  message: of a failure."""

    state: Literal["waiting", "ready", "failed"]
    address: str = ""
    seconds: float = 0.0
    message: str = ""


def ordered_at(setting: LaterAnswer, url: str, status: int, headers: Headers, value: Any) -> str | None:
    """The address to look at, after the first response; None if that is the answer itself. Raises ServiceError if it
    was taken and nothing says where to look."""
    if status not in (202, 201, 200) or (status != 202 and not setting.look_at and not setting.state):
        return None
    told = _text_at(value, setting.look_at) if setting.look_at else _header(headers, "location")
    if told:
        return urljoin(url, told)
    if status == 202:
        where = setting.look_at or "the Location header"
        raise ServiceError(
            f"the order was taken, and nothing says where to look after it ({where})",
            where=f"response of {url}",
            hint="look at the response, and say where its address stands (later.look_at)",
        )
    return None


def look(setting: LaterAnswer, url: str, status: int, headers: Headers, value: Any, now: datetime) -> Look:
    """What a response to a look shows. url: that was looked at."""
    pause = retry_after(_header(headers, "retry-after"), now)
    seconds = pause.total_seconds() if pause is not None else setting.every
    if status == 303:
        return Look("ready", urljoin(url, _header(headers, "location")))
    if status == 202:
        return Look("waiting", seconds=seconds)
    if not 200 <= status < 300:
        return Look("failed", message=f"the service answered {status}")
    if not setting.state:
        return _ready(setting, url, value)
    state = _text_at(value, setting.state)
    if state in setting.ready:
        return _ready(setting, url, value)
    if state in setting.failed or not state:
        words = f'its state is "{state}"' if state else f"it has no state at {setting.state}"
        return Look("failed", message=words)
    return Look("waiting", seconds=seconds)


def _ready(setting: LaterAnswer, url: str, value: Any) -> Look:
    if not setting.result:
        return Look("ready")
    told = _text_at(value, setting.result)
    if not told:
        return Look("failed", message=f"it is ready, and nothing at {setting.result} says where the answer is")
    return Look("ready", urljoin(url, told))


def _text_at(value: Any, pointer: str) -> str:
    found = resolve(value, parse_pointer(pointer))
    return str(found[1]) if found is not None and isinstance(found[1], str | int) else ""


def _header(headers: Headers, name: str) -> str:
    return next((value for key, value in headers if key.lower() == name), "")


def later_problems(setting: LaterAnswer) -> list[Problem]:
    """What keeps an answer from ever coming, with its place below the operation's `later`."""
    problems = []
    for name in ("look_at", "state", "result"):
        try:
            parse_pointer(getattr(setting, name))
        except InputError as error:
            problems.append(Problem(f"/{name}", error.message, "write a JSON Pointer, such as /links/self"))
    if setting.state and not setting.ready:
        problems.append(Problem("/ready", "no state says that it is ready", "name one, as the documentation has it"))
    return problems
