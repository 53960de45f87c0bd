"""Failures as the standards write them into bodies, whatever the status: GraphQL errors, OData errors, SOAP faults,
problem documents.

A form is one function and one line in the table. It tells a response that is one of its own from all others, so that
rows are never taken for an error.
"""

from collections.abc import Callable
from typing import Any

from rondine.core.documents.reading import ReadDocument
from rondine.core.media_types import bare_media_type
from rondine.core.operations.outcome import Headers, Outcome, meaning_of, service_message
from rondine.core.protocols.soap import fault_of

#: (status, the body, headers) -> what the response means, None if it is not of this form.
ErrorForm = Callable[[int, ReadDocument, Headers], Outcome | None]


def _graphql(status: int, read: ReadDocument, headers: Headers) -> Outcome | None:
    """The errors of a GraphQL response (October 2021, section 7.1.2). With a good status it failed if there is no data,
    and else answered in part (section 6.4.4)."""
    document = read.value
    if read.is_xml or not isinstance(document, dict) or not set(document) <= {"data", "errors", "extensions"}:
        return None
    listed = document.get("errors")
    errors = [one for one in listed if isinstance(one, dict)] if isinstance(listed, list) else []
    errors = [error for error in errors if isinstance(error.get("message"), str)]
    if not errors or not 200 <= status < 300:
        return None
    texts = []
    for error in errors[:5]:
        path = ".".join(map(str, error["path"])) if isinstance(error.get("path"), list) else ""
        code = _code(error)
        named = f" ({code})" if code and code.lower() not in error["message"].lower() else ""
        texts.append(f"{path}: {error['message']}{named}" if path else f"{error['message']}{named}")
    message = "; ".join(texts)[:500] + (f" and {len(errors) - 5} more" if len(errors) > 5 else "")
    data = document.get("data")
    if not isinstance(data, dict) or all(value is None for value in data.values()):
        words, hint = (
            "the service answers with errors and no data",
            "look at its message; compare the query with its schema",
        )
        status_like = next((known for error in errors if (known := _LIKE_STATUS.get(_code(error).upper()))), None)
        if status_like:
            words, hint = meaning_of(status_like)
        return Outcome(False, words, hint, message)
    count = f"{len(errors)} error{'s' if len(errors) > 1 else ''}"
    return Outcome(True, f"it answered in part, with {count}", "what could not be given is null", message, "partial")


#: Codes that many services give in an error's extensions, with the status that says the same.
_LIKE_STATUS = {
    "UNAUTHENTICATED": 401,
    "UNAUTHORIZED": 401,
    "FORBIDDEN": 403,
    "NOT_FOUND": 404,
    "BAD_USER_INPUT": 422,
    "THROTTLED": 429,
    "RATE_LIMITED": 429,
    "TOO_MANY_REQUESTS": 429,
    "INTERNAL_SERVER_ERROR": 500,
}


def _code(error: dict[str, Any]) -> str:
    """The code in the extensions of an error, empty without one (GraphQL October 2021, section 7.1.2: they are the
    service's own)."""
    extensions = error.get("extensions")
    code = extensions.get("code") if isinstance(extensions, dict) else None
    return code if isinstance(code, str) else ""


def _odata(status: int, read: ReadDocument, headers: Headers) -> Outcome | None:
    """An error body (OData JSON Format 4.01, section 21.1; before 4.0 `odata.error`, and in XML an `error` of the
    metadata namespace)."""
    error = None
    if isinstance(read.value, dict) and len(read.value) == 1:
        (name, error), *_ = read.value.items()
        wanted = name.rpartition(":")[2] == "error" if read.is_xml else name in ("error", "odata.error")
        error = error if wanted else None
    members = {name.rpartition(":")[2] for name in error} if isinstance(error, dict) else set()
    if not {"code", "message"} <= members or not 200 <= status < 300:
        return None
    words, hint = "the service answers with an error", "look at its message; compare the request with its metadata"
    return Outcome(False, words, hint, service_message(error))


def _soap(status: int, read: ReadDocument, headers: Headers) -> Outcome | None:
    """A fault in an envelope (SOAP 1.1, section 4.4; SOAP 1.2 Part 1, section 5.4)."""
    fault = fault_of(read.value) if read.is_xml else ""
    if not fault:
        return None
    return Outcome(
        False, "the service answers with a fault", "look at its message; compare the inputs with its WSDL", fault
    )


def _problem(status: int, read: ReadDocument, headers: Headers) -> Outcome | None:
    """A problem document (RFC 9457), which its media type tells, with a good status."""
    media_type = next((value for name, value in headers if name.lower() == "content-type"), "")
    plain = bare_media_type(media_type)
    if plain not in ("application/problem+json", "application/problem+xml") or not 200 <= status < 300:
        return None
    return Outcome(
        False, "the service answers with a problem", "look at its message", service_message(as_whole(read.value))
    )


def as_whole(document: Any) -> Any:
    """An object of one element as that element's value, any other as it is."""
    return next(iter(document.values())) if isinstance(document, dict) and len(document) == 1 else document


#: By the name that an operation's rules choose them with.
ERROR_FORMS: dict[str, ErrorForm] = {"graphql": _graphql, "odata": _odata, "soap": _soap, "problem": _problem}
