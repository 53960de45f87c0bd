"""What a response means, in words: its status (RFC 9110, section 15) and the service's own message."""

from dataclasses import dataclass
from typing import Any, Literal

from rondine.core.documents.json import json_text
from rondine.core.documents.members import MISSING
from rondine.core.documents.reading import ReadDocument
from rondine.core.errors import short
from rondine.core.mapping.taking import given_values, holds_in, is_nothing_in, value_in
from rondine.core.protocols.operation import OutcomeRules
from rondine.core.protocols.soap import fault_of

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
    415: ("the service does not take this media type", "check the Content-Type header"),
    422: ("the service understands the request but not its values", "compare the inputs with its documentation"),
    429: ("too many calls in a short time", "wait as long as Retry-After says, then try again with fewer calls"),
    500: ("the service failed on its side", "try again later; if it stays so, tell its provider what was sent"),
    502: ("something between here and the service failed", "try again later"),
    503: ("the service is not available just now", "wait as long as Retry-After says, then try again"),
    504: ("something between here and the service took too long", "try again later, or ask for less"),
}


@dataclass(frozen=True, slots=True)
class Outcome:
    """kind: good; partial, if only a part could be given; nothing_found; failure.  is_good: whether it is no failure.  words: its meaning.  hint: what to do.  message: the service's own words, empty if none."""

    is_good: bool
    words: str
    hint: str = ""
    message: str = ""
    kind: Literal["good", "partial", "nothing_found", "failure"] = "good"

    def __post_init__(self) -> None:
        if not self.is_good and self.kind == "good":
            object.__setattr__(self, "kind", "failure")


def outcome(
    status: int, document: Any = None, headers: tuple[tuple[str, str], ...] = (), *, fault: str = ""
) -> Outcome:
    """document: the body's value, if it could be read.  fault: the message of a SOAP fault in it, whatever the status."""
    if fault:
        return Outcome(
            False, "the service answers with a fault", "look at its message; compare the inputs with its WSDL", fault
        )
    if 200 <= status < 300 and (errors := graphql_errors(document)):
        return _graphql(document, errors)
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


def judged(rules: OutcomeRules, status: int, read: ReadDocument, headers: tuple[tuple[str, str], ...] = ()) -> Outcome:
    """What a response means by an operation's own rules, and where they say nothing, by its status and the usual forms of errors.

    read: the body; a value of None if there is none that could be read.
    """
    nothing = Outcome(True, "nothing was found", "", "", "nothing_found")
    if status in rules.nothing_found.statuses:
        return nothing
    usual = outcome(status, read.value, headers, fault=fault_of(read.value) if read.is_xml else "")
    if not usual.is_good or read.value is None:
        return usual
    given = given_values({}, headers=headers)
    for rule in rules.failures:
        if all(holds_in(read, condition, given) for condition in rule.when):
            found = value_in(read, rule.message, given) if rule.message is not None else MISSING
            text = "" if found is MISSING or found is None else found if isinstance(found, str) else json_text(found)
            hint = "look at its message; the operation's own rules take this response for a failure"
            return Outcome(False, "the service says that it failed", hint, text[:500] or service_message(read.value))
    if rules.nothing_found.empty is not None and is_nothing_in(read, rules.nothing_found.empty):
        return nothing
    return usual


def graphql_errors(document: Any) -> list[dict[str, Any]]:
    """The errors of a GraphQL response (October 2021, section 7.1.2); none if it is no such response."""
    if not isinstance(document, dict) or not set(document) <= {"data", "errors", "extensions"}:
        return []
    errors = document.get("errors")
    if not isinstance(errors, list) or not errors:
        return []
    return [one for one in errors if isinstance(one, dict) and isinstance(one.get("message"), str)]


def _graphql(document: dict[str, Any], errors: list[dict[str, Any]]) -> Outcome:
    """Status 200 says nothing: without data it failed, with data and errors it answered in part (section 6.4.4)."""
    texts = []
    for one in errors[:5]:
        path = ".".join(map(str, one["path"])) if isinstance(one.get("path"), list) else ""
        texts.append(f"{path}: {one['message']}" if path else one["message"])
    message = "; ".join(texts)[:500] + (f" and {len(errors) - 5} more" if len(errors) > 5 else "")
    data = document.get("data")
    if not isinstance(data, dict) or all(value is None for value in data.values()):
        return Outcome(
            False,
            "the service answers with errors and no data",
            "look at its message; compare the query with its schema",
            message,
        )
    count = f"{len(errors)} error{'s' if len(errors) > 1 else ''}"
    return Outcome(True, f"it answered in part, with {count}", "what could not be given is null", message, "partial")


def service_message(document: Any) -> str:
    """The message in an error body: RFC 9457's detail or title, or a member that is usually one, up to 500 characters."""
    if isinstance(document, dict):
        if isinstance(document.get("value"), str) and "lang" in document:  # OData before 4.0
            return str(document["value"])[:500]
        if any(":" in name for name in document):  # XML: whatever its namespaces
            document = {name.rpartition(":")[2]: value for name, value in document.items()}
        for name in ("detail", "message", "error_description", "error", "title", "errors", "text()"):
            value = document.get(name)
            if isinstance(value, str) and value:
                return value[:500]
            if isinstance(value, (dict, list)) and (found := service_message(value)):
                return found
        if len(document) == 1:
            return service_message(next(iter(document.values())))
    if isinstance(document, list) and document:
        return service_message(document[0])
    return document[:500] if isinstance(document, str) else ""
