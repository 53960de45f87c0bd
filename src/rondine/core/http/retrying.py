"""What comes after a response: nothing more, waiting as the service asks, or another address. One pure rule decides;
whoever calls does the waiting."""

from collections.abc import Set
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Annotated

from msgspec import Meta

from rondine.core.errors import RedirectRefused
from rondine.core.http.limits import retry_after
from rondine.core.http.messages import Headers, Request, without_secrets
from rondine.core.http.redirects import Redirect, redirected
from rondine.core.settings import Document


class RetryPolicy(Document, frozen=True):
    """When a call is sent again, and how far it is led elsewhere."""

    max_waits: Annotated[
        int, Meta(ge=0, le=20, description="how often a call is sent again that the service told to wait (Retry-After)")
    ] = 3
    max_redirects: Annotated[int, Meta(ge=0, le=20, description="how many redirects in a row are followed")] = 5


@dataclass(frozen=True, slots=True)
class Tries:
    """How a call has gone so far. waits, redirects: how many there were; a redirect begins the waits anew, as it leads
    to something else."""

    waits: int = 0
    redirects: int = 0


@dataclass(frozen=True, slots=True)
class Wait:
    """Try the same again after so many seconds."""

    seconds: float


def next_try(
    policy: RetryPolicy,
    tries: Tries,
    request: Request,
    status: int,
    headers: Headers,
    *,
    now: datetime,
    left: float,
    secret_names: Set[str] = frozenset(),
) -> tuple[Wait | Redirect | None, Tries]:
    """(what to do after a response, None if it is the final one; how the call has gone with it).

    left: seconds that may still be waited.  secret_names: query parameters that carry a secret. Raises RedirectRefused
    for a redirect that is not followed, or more of them than the policy allows.
    """
    by_name = {name.lower(): value for name, value in headers}
    wait = told_to_wait(request, status, by_name.get("retry-after", ""), now)
    if wait is not None and tries.waits < policy.max_waits:
        return (Wait(wait), replace(tries, waits=tries.waits + 1)) if wait <= left else (None, tries)
    redirect = redirected(request, status, by_name.get("location"), secret_names)
    if redirect is None:
        return None, tries
    if tries.redirects >= policy.max_redirects:
        raise RedirectRefused(
            f"the service redirects more than {policy.max_redirects} times",
            where=f"{request.method} {without_secrets(request.url)}",
            hint="tell its provider, as it may lead in a circle; or raise retrying.max_redirects of the connection",
        )
    return redirect, Tries(redirects=tries.redirects + 1)


def told_to_wait(request: Request, status: int, value: str, now: datetime) -> float | None:
    """Seconds to wait as Retry-After says: 429 means that nothing was done; 503 is trusted for reading alone. None: it
    is not to be tried again."""
    if status == 429 or (status == 503 and request.method in ("GET", "HEAD")):
        wait = retry_after(value, now)
        return wait.total_seconds() if wait is not None else None
    return None
