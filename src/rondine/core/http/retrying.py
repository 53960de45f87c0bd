"""What comes after a response: nothing more, waiting as the service asks, or another address. One place decides, and
counts each by itself."""

from collections.abc import Set
from dataclasses import dataclass, field
from datetime import datetime

from rondine.core.errors import RedirectRefused
from rondine.core.http.limits import retry_after
from rondine.core.http.messages import Headers, Request, without_secrets
from rondine.core.http.redirects import MOST as MOST_REDIRECTS
from rondine.core.http.redirects import Redirect, redirected

#: How often a call that was told to wait (Retry-After) is tried again.
MOST_WAITS = 3


@dataclass(frozen=True, slots=True)
class Wait:
    """Try the same again after so many seconds."""

    seconds: float


@dataclass(slots=True)
class Course:
    """How a call has gone so far. waits, redirects: how many there were; a redirect begins the waits anew, as it leads
    to something else."""

    waits: int = 0
    redirects: int = 0
    chain: list[str] = field(default_factory=list)

    def after(
        self,
        request: Request,
        status: int,
        headers: Headers,
        *,
        now: datetime,
        left: float,
        secret_names: Set[str] = frozenset(),
    ) -> Wait | Redirect | None:
        """What to do after a response, None if it is the final one. left: seconds that may still be waited.

        Raises RedirectRefused for a redirect that is not followed, or more than five of them.
        """
        by_name = {name.lower(): value for name, value in headers}
        if (
            self.waits < MOST_WAITS
            and (wait := told_to_wait(request, status, by_name.get("retry-after", ""), now)) is not None
        ):
            if wait <= left:
                self.waits += 1
                return Wait(wait)
            return None
        found = redirected(request, status, by_name.get("location"), secret_names)
        if found is None:
            return None
        self.redirects += 1
        if self.redirects > MOST_REDIRECTS:
            raise RedirectRefused(
                f"the service redirects more than {MOST_REDIRECTS} times",
                where=f"{request.method} {without_secrets(request.url)}",
                hint="tell its provider; it may lead in a circle",
            )
        self.waits = 0
        return found


def told_to_wait(request: Request, status: int, value: str, now: datetime) -> float | None:
    """Seconds to wait as Retry-After says: 429 means that nothing was done; 503 is trusted for reading alone. None: it
    is not to be tried again."""
    if status == 429 or (status == 503 and request.method in ("GET", "HEAD")):
        wait = retry_after(value, now)
        return wait.total_seconds() if wait is not None else None
    return None
