"""Redirects, by our own rule (RFC 9110, section 15.4): credentials never follow to another origin, and writing is never
repeated elsewhere."""

from collections.abc import Set
from dataclasses import dataclass, replace
from urllib.parse import unquote, urljoin, urlsplit

from rondine.core.errors import RedirectRefused, short
from rondine.core.http.messages import Request, origin, without_secrets

STATUSES = frozenset({301, 302, 303, 307, 308})
#: What may go with a request to another origin: nothing that a person or the connection put in but these.
HARMLESS = frozenset({"accept", "accept-language", "accept-encoding"})


@dataclass(frozen=True, slots=True)
class Redirect:
    """request: the one to send now.  is_same_origin: it is signed in again; else it goes out bare."""

    request: Request
    is_same_origin: bool


def redirected(
    request: Request, status: int, location: str | None, secret_names: Set[str] = frozenset()
) -> Redirect | None:
    """What to send after this response, None if it is no redirect. Raises RedirectRefused.

    secret_names: query parameters that carry a secret; the sign-in puts them in again, so those in the location are
    dropped.
    """
    if status not in STATUSES:
        return None
    where = f"{request.method} {without_secrets(request.url)}"
    if not location:
        raise RedirectRefused(
            f"the service answered {status} without saying where to go", where=where, hint="tell the service's provider"
        )
    try:
        target = urljoin(request.url, location.strip())
        there, here = origin(target), origin(request.url)
        parts = urlsplit(target)
    except ValueError as error:
        raise RedirectRefused(
            f"the service redirects to {short(location)}, which is not an address",
            where=where,
            hint="tell its provider",
        ) from error
    if parts.scheme not in ("http", "https") or not parts.hostname or "@" in parts.netloc:
        raise RedirectRefused(
            f"the service redirects to {short(without_secrets(target))}, which Rondine does not follow",
            where=where,
            hint="check the path of the operation",
        )
    pairs = [pair for pair in parts.query.split("&") if unquote(pair.partition("=")[0]) not in secret_names]
    target = parts._replace(query="&".join(pairs), fragment="").geturl()
    is_reading = request.method in ("GET", "HEAD")
    if there == here:
        if is_reading or status in (307, 308):
            return Redirect(replace(request, url=target), True)
        headers = tuple(pair for pair in request.headers if not pair[0].lower().startswith("content-"))
        return Redirect(replace(request, method="GET", url=target, body=None, headers=headers), True)
    if urlsplit(request.url).scheme == "https" and parts.scheme == "http":
        raise RedirectRefused(
            f"the service redirects from https to {there}, which is not encrypted",
            where=where,
            hint="correct the base address, or tell the service's provider",
        )
    if not is_reading:
        raise RedirectRefused(
            f"the service redirects {request.method} to {there}: what writes is not repeated at another origin",
            where=where,
            hint="if the service has moved there, correct the base address",
        )
    headers = tuple(pair for pair in request.headers if pair[0].lower() in HARMLESS and isinstance(pair[1], str))
    return Redirect(Request(request.method, target, headers), False)
