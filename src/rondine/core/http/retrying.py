"""What comes after a call: nothing more, the same again a while later, or another address. One pure rule decides;
whoever calls does the waiting, and brings the time and the chance.

A call is sent again where what failed may pass by itself, and where sending it twice does no harm: reading (RFC 9110,
section 9.2.1), idempotent methods (9.2.2), what carries an Idempotency-Key, or what somebody permits.
"""

from collections.abc import Set
from dataclasses import dataclass, field, replace
from datetime import datetime
from typing import Annotated, Literal

from msgspec import Meta

from rondine.core.errors import RedirectRefused
from rondine.core.http.limits import retry_after
from rondine.core.http.messages import Headers, Request, without_secrets
from rondine.core.http.redirects import Redirect, redirected
from rondine.core.settings import Document

#: Methods that may be sent twice with the effect of once (RFC 9110, section 9.2.2).
IDEMPOTENT = frozenset({"GET", "HEAD", "OPTIONS", "PUT", "DELETE"})


class RetryPolicy(Document, frozen=True):
    """When a call is sent again, and how far it is led elsewhere. Calls of runs are sent again after failures that may
    pass; a trial shows the first failure."""

    max_waits: Annotated[
        int, Meta(ge=0, le=20, description="how often a call is sent again that the service told to wait (Retry-After)")
    ] = 3
    max_retries: Annotated[
        int,
        Meta(
            ge=0,
            le=20,
            description=(
                "how often a call is sent again that failed in a way that may pass: no connection, one that broke, a"
                " time-out, or one of the statuses"
            ),
        ),
    ] = 4
    statuses: Annotated[
        tuple[Annotated[int, Meta(ge=400, le=599)], ...], Meta(description="statuses of failures that may pass")
    ] = (408, 425, 429, 500, 502, 503, 504)
    first_pause: Annotated[
        float, Meta(gt=0, le=3600, description="seconds before the first time; each pause is twice the one before it")
    ] = 1.0
    max_pause: Annotated[float, Meta(gt=0, le=3600, description="seconds at most")] = 60.0
    max_retries_of_run: Annotated[
        int, Meta(ge=0, le=100_000, description="how often calls of one run are sent again in all")
    ] = 100
    repeats: Annotated[
        Literal["reading", "idempotent", "always"],
        Meta(
            description=(
                "what may be sent again after a failure: what only reads; also PUT, DELETE and what has an"
                " Idempotency-Key; or everything, which may do a thing twice"
            )
        ),
    ] = "idempotent"
    max_redirects: Annotated[int, Meta(ge=0, le=20, description="how many redirects in a row are followed")] = 5


@dataclass(frozen=True, slots=True)
class Tries:
    """How a call has gone so far. waits: that the service asked for.  retries: after failures.  redirects: a redirect
    begins the others anew, as it leads to something else."""

    waits: int = 0
    retries: int = 0
    redirects: int = 0


@dataclass(frozen=True, slots=True)
class Wait:
    """Try the same again after so many seconds. is_asked: the service named them."""

    seconds: float
    is_asked: bool = True


@dataclass(slots=True)
class Retries:
    """What retrying needs to know beside a call: that it is wanted at all, and what is left of its run's budget.

    reads: the operation changes nothing, whatever its method.  chance: from 0 to 1, so that many callers do not come
    back at the same moment.
    """

    left: int
    reads: bool = False
    chance: float = field(default=0.5)


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
    retries: Retries | None = None,
) -> tuple[Wait | Redirect | None, Tries]:
    """(what to do after a response, None if it is the final one; how the call has gone with it).

    left: seconds that may still be waited.  secret_names: query parameters that carry a secret.  retries: where
    failures are tried again. Raises RedirectRefused for a redirect that is not followed, or too many of them.
    """
    if 200 <= status < 300 and status not in policy.statuses:
        return None, tries
    by_name = {name.lower(): value for name, value in headers}
    wait = told_to_wait(request, status, by_name.get("retry-after", ""), now)
    if wait is not None:  # what the service asks for is done as often as the policy says, and not by our own pauses
        may_wait = tries.waits < policy.max_waits and wait <= left
        return (Wait(wait), replace(tries, waits=tries.waits + 1)) if may_wait else (None, tries)
    if status in policy.statuses:
        return after_failure(policy, tries, request, left=left, retries=retries)
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


def after_failure(
    policy: RetryPolicy, tries: Tries, request: Request, *, left: float, retries: Retries | None
) -> tuple[Wait | None, Tries]:
    """What to do after a failure that may pass, as `next_try`.

    The pause doubles from one failure to the next, up to the policy's; between half and all of it is waited, as the
    chance has it. Takes one from the run's budget.
    """
    if retries is None or retries.left <= 0 or tries.retries >= policy.max_retries:
        return None, tries
    if not may_repeat(policy, request, reads=retries.reads):
        return None, tries
    pause = min(policy.first_pause * 2**tries.retries, policy.max_pause) * (0.5 + retries.chance / 2)
    if pause > left:
        return None, tries
    retries.left -= 1
    return Wait(pause, is_asked=False), replace(tries, retries=tries.retries + 1)


def may_repeat(policy: RetryPolicy, request: Request, *, reads: bool) -> bool:
    """Whether a call may be sent again of which nobody knows whether it was acted on."""
    if reads or request.method in ("GET", "HEAD", "OPTIONS") or policy.repeats == "always":
        return True
    is_idempotent = request.method in IDEMPOTENT or request.header("Idempotency-Key") is not None
    return policy.repeats == "idempotent" and is_idempotent


def told_to_wait(request: Request, status: int, value: str, now: datetime) -> float | None:
    """Seconds to wait as Retry-After says: 429 means that nothing was done; 503 is trusted for reading alone. None: it
    is not to be tried again."""
    if status == 429 or (status == 503 and request.method in ("GET", "HEAD")):
        wait = retry_after(value, now)
        return wait.total_seconds() if wait is not None else None
    return None
