"""What a status means, in words (RFC 9110, section 15), and the service's own message."""

from collections.abc import Iterable
from dataclasses import dataclass, replace
from typing import Any, Literal

from rondine.core.errors import short

#: Header fields as they came: names in any case, values.
Headers = tuple[tuple[str, str], ...]
_MEANINGS: dict[int, tuple[str, str]] = {
    204: ("done; there is nothing to show", ""),
    304: ("nothing has changed since then", "to get the content, leave out what the If-... header asks for"),
    400: ("the service does not understand the request", "compare the inputs with its documentation"),
    401: (
        "the service does not accept the sign-in",
        "check the connection's credential: is the key right, and in the place the service wants it?",
    ),
    403: ("the sign-in is good, but may not do this", "ask the service's provider for the permission"),
    404: ("the service has nothing at this address", "check the path and the values in it"),
    405: ("the service does not take this method here", "check the operation's method"),
    406: ("the service has no such media type to offer", "check the Accept header"),
    408: ("the service waited too long for the request", "try again"),
    409: (
        "the request conflicts with the state of the service",
        "look at its message, read the present state, and try again",
    ),
    410: ("it was there once and is gone for good", "ask the service's provider for the new address"),
    412: (
        "somebody has changed it since the version that was given",
        "read it again, look at what is different, and give the ETag that it has now for If-Match",
    ),
    415: ("the service does not take this media type", "check the Content-Type header"),
    422: ("the service understands the request but not its values", "compare the inputs with its documentation"),
    428: (
        "the service changes it only for who says which version was seen",
        (
            "read it first, and give its ETag for If-Match: an input for that header, or on the bench 'change only this"
            " one'"
        ),
    ),
    429: ("too many calls in a short time", "wait as long as Retry-After says, then try again with fewer calls"),
    500: ("the service failed on its side", "try again later; if it stays so, tell its provider what was sent"),
    502: ("something between here and the service failed", "try again later"),
    503: ("the service is not available just now", "wait as long as Retry-After says, then try again"),
    504: ("something between here and the service took too long", "try again later, or ask for less"),
}


@dataclass(frozen=True, slots=True)
class Outcome:
    """kind: good; partial, if only a part could be given; nothing_found; failure.  is_good: whether it is no failure.
    words: its meaning.  hint: what to do.  message: the service's own words, empty if none."""

    is_good: bool
    words: str
    hint: str = ""
    message: str = ""
    kind: Literal["good", "partial", "nothing_found", "failure"] = "good"

    def __post_init__(self) -> None:
        if not self.is_good and self.kind == "good":
            object.__setattr__(self, "kind", "failure")


#: Header fields that make a request conditional (RFC 9110, section 13.1).
CONDITIONAL = frozenset({"if-none-match", "if-modified-since", "if-match", "if-unmodified-since", "if-range"})


def without_sign_in(outcome: Outcome, *, is_one_off: bool = False) -> Outcome:
    """What a 401 means where nothing signed in: of a connection that has no sign-in, or of a one-off, which has no
    connection."""
    if is_one_off:
        words = "the service wants a sign-in, and a one-off has none"
        hint = "keep it as a service, and say on its connection's page how to sign in"
    else:
        words = "the service wants a sign-in, and the connection has none"
        hint = "say on the connection's page how to sign in, or: rondine connection make NAME --sign-in SCHEME"
    return replace(outcome, words=words, hint=hint)


def meaning_of(status: int) -> tuple[str, str]:
    """A failure's words, and what to do."""
    return _MEANINGS[status]


def unasked_304() -> Outcome:
    return Outcome(
        False,
        "the service answers that nothing has changed, which nobody asked",
        "the request was not conditional, so there must be a content; tell the service's provider, or a cache on"
        " the way",
    )


def is_conditional(names: Iterable[str]) -> bool:
    """Whether a request with these header fields asks for a change since then: only so may a 304 answer it (RFC 9110,
    section 15.4.5)."""
    return any(name.lower() in CONDITIONAL for name in names)


def by_status(status: int, document: Any = None, headers: Headers = ()) -> Outcome:
    """document: the body's value, if it could be read."""
    if 200 <= status < 300 or status == 304:
        return Outcome(True, *_MEANINGS.get(status, ("it worked", "")))
    if 300 <= status < 400 and status != 304:
        target = next((value for name, value in headers if name.lower() == "location"), "")
        return Outcome(
            False,
            f"the service points to another address{': ' + short(target) if target else ''}",
            "Rondine does not follow by itself; use that address as the base address",
        )
    family = {
        4: ("the service refuses the request", "look at its message"),
        5: ("the service failed on its side", "try again later"),
    }
    words, hint = (
        _MEANINGS.get(status)
        or family.get(status // 100)
        or ("this status is outside HTTP's ranges", "look at the body")
    )
    wait = next((value for name, value in headers if name.lower() == "retry-after"), "")
    return Outcome(False, words, f"{hint} (Retry-After: {wait[:60]})" if wait else hint, service_message(document))


def service_message(document: Any) -> str:
    """The message in an error body: RFC 9457's detail or title, or a member that is usually one, up to 500
    characters."""
    if isinstance(document, dict):
        if isinstance(document.get("value"), str) and "lang" in document:  # OData before 4.0
            return str(document["value"])[:500]
        if any(":" in name for name in document):  # XML: whatever its namespaces
            document = {name.rpartition(":")[2]: value for name, value in document.items()}
        for name in ("detail", "message", "error_description", "error", "title", "errors", "text()"):
            value = document.get(name)
            if isinstance(value, str) and value:
                return (value + _details(document))[:500] if name == "message" else value[:500]
            if isinstance(value, (dict, list)) and (found := service_message(value)):
                return found
        if len(document) == 1:
            return service_message(next(iter(document.values())))
    if isinstance(document, list) and document:
        return service_message(document[0])
    return document[:500] if isinstance(document, str) else ""


def _details(error: dict[str, Any]) -> str:
    """Of an OData error: what it is about, and its details (JSON Format 4.01, section 21.1)."""
    target = error.get("target")
    found = f" (at {target})" if isinstance(target, str) and target else ""
    details = error.get("details")
    for one in details[:5] if isinstance(details, list) else []:
        if isinstance(one, dict) and isinstance(one.get("message"), str):
            place = one.get("target")
            found += f"; {place}: {one['message']}" if isinstance(place, str) and place else f"; {one['message']}"
    return found
