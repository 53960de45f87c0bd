"""Every error Rondine names, one tree.

Each class has a stable `code` that programs test and a `status`, the HTTP status the API answers with: whose fault it
is decides the class (the input 4xx, the outside service 502, its slowness 504, ours 500). `where` says the place,
`hint` what to do; both are shown on every surface.
"""

import difflib
from collections.abc import Iterable
from typing import ClassVar


class RondineError(Exception):
    """Something Rondine can explain: what happened, where, and what to do."""

    code: ClassVar[str] = "error"
    status: ClassVar[int] = 500

    def __init__(self, message: str, *, where: str = "", hint: str = "", problems: Iterable["Problem"] = ()) -> None:
        super().__init__(message)
        self.message = message
        self.where = where
        self.hint = hint
        self.problems = tuple(problems)

    def __str__(self) -> str:
        start = f"{self.where}: {self.message}" if self.where else self.message
        return f"{start}. {sentence(self.hint)}" if self.hint else start

    def as_problem(self, where: str | None = None) -> "Problem":
        """The error as a problem of a draft. where: in the draft, if it is told there."""
        return Problem(self.where if where is None else where, self.message, self.hint)

    def as_problems(self) -> list["Problem"]:
        """Every problem that it lists; itself, if it lists none."""
        return list(self.problems) or [self.as_problem()]


class Problem:
    """One thing that is wrong with an input or a draft: where it stands, and what to do."""

    __slots__ = ("hint", "message", "where")

    def __init__(self, where: str, message: str, hint: str = "") -> None:
        self.where, self.message, self.hint = where, message, hint

    def to_json(self) -> dict[str, str]:
        return {"where": self.where, "message": self.message, "hint": self.hint}

    def __repr__(self) -> str:
        return f"Problem({self.where!r}, {self.message!r})"

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Problem) and self.to_json() == other.to_json()

    __hash__ = None  # type: ignore[assignment]


class InputError(RondineError):
    """What was given has the wrong shape or value."""

    code, status = "wrong_input", 400


class DocumentError(InputError):
    """A body or document that cannot be read; `where` has line and column, or the path."""

    code = "unreadable_document"


class PathError(InputError):
    """A path expression that is not well-formed, or outside the part that Rondine reads."""

    code = "wrong_path"


class MappingError(InputError):
    """A mapping that cannot run, or that does not fit the response."""

    code = "wrong_mapping"


class DraftError(InputError):
    """An item that is stored but cannot run yet; `problems` lists every reason."""

    code, status = "not_ready", 422


class SignInNeeded(RondineError):
    code, status = "sign_in_needed", 401


class NotAuthentic(RondineError):
    """A request from outside whose signature is wrong, or that has none."""

    code, status = "not_authentic", 401


class NotAllowed(RondineError):
    code, status = "not_allowed", 403


class NotFound(RondineError):
    code, status = "not_found", 404


class Conflict(RondineError):
    code, status = "conflict", 409


class Stale(RondineError):
    """Somebody else changed it since it was read."""

    code, status = "changed_meanwhile", 412


class VersionNeeded(RondineError):
    code, status = "version_needed", 428


class TooMany(RondineError):
    code, status = "too_many_attempts", 429


class HostRefused(RondineError):
    """The outbound rules do not permit the address."""

    code, status = "host_not_permitted", 403


class ServiceError(RondineError):
    """The outside service could not be reached, or what came back is not usable. may_pass: the same call may succeed a
    while later."""

    code, status = "service_failed", 502
    may_pass: ClassVar[bool] = False


class BrokenOff(ServiceError):
    """The connection ended before all of the response had come."""

    may_pass = True


class AllRowsRejected(ServiceError):
    """A run brought rows, and not one of them could become a record."""

    code = "all_rows_rejected"


class Unreachable(ServiceError):
    code = "unreachable"
    may_pass = True


class TlsFailed(ServiceError):
    code = "tls_failed"


class ServiceTooSlow(ServiceError):
    code, status = "service_too_slow", 504
    may_pass = True


class ResponseTooLarge(ServiceError):
    code = "response_too_large"


class SignInRefused(ServiceError):
    """The outside service does not accept the sign-in: a wrong secret, a scope it does not give, an answer without a
    token."""

    code = "sign_in_refused"


class SignInAgain(SignInRefused):
    """The consent that a person once gave has ended; somebody must sign in at the outside service again."""

    code = "sign_in_again"


class LimitReached(RondineError):
    """A limit of the connection is used up for longer than the caller waits."""

    code, status = "limit_reached", 429


class RedirectRefused(ServiceError):
    """A redirect that Rondine does not follow."""

    code = "redirect_refused"


class PaginationError(ServiceError):
    """The next page cannot be asked for: it leaves the origin, goes in a circle, or never ends."""

    code = "paging_failed"


class DriftStops(RondineError):
    """A response differs from the schema on file in a part that the mapping takes, and the feed is to stop then."""

    code, status = "drift", 409


class RunEnded(RondineError):
    """The run was cancelled, or taken over by another worker."""

    code, status = "run_ended", 409


def sentence(text: str) -> str:
    """The text with a capital first letter and a full stop."""
    text = text[:1].upper() + text[1:]
    return text if text.endswith((".", "?", "!")) else text + "."


#: Among more names than this no near one is looked for: it would take seconds.
MOST_KNOWN = 5_000
#: Names that one is compared with letter by letter; of more, those that look alike.
MOST_COMPARED = 200


def did_you_mean(name: str, known: Iterable[str]) -> str:
    """`did you mean "district"?`, or the known names if none is near, or empty if there are none, or too many."""
    names = sorted(known)
    if len(names) > MOST_KNOWN:
        return ""
    likely = names
    if len(names) > MOST_COMPARED:
        likely = sorted((one for one in names if _likeness(name, one)), key=lambda one: -_likeness(name, one))
    near = difflib.get_close_matches(name, likely[:MOST_COMPARED], n=1, cutoff=0.6)
    if near:
        return f'did you mean "{near[0]}"?'
    return f"known here: {', '.join(names[:12])}{' ...' if len(names) > 12 else ''}" if names else ""


def _likeness(name: str, other: str) -> int:
    """How likely one is a slip of the other, told at a glance: 0 unless it is about as long, then 1 for each end that
    is the same."""
    if abs(len(name) - len(other)) > 3:
        return 0
    a, b = name.lower(), other.lower()
    return (a[:2] == b[:2]) + (a[-3:] == b[-3:])


def short(value: object, most: int = 80) -> str:
    """A value quoted for a message, up to `most` characters."""
    text = value if isinstance(value, str) else repr(value)
    text = text if len(text) <= most else text[: most - 1] + "…"
    return f'"{text}"' if isinstance(value, str) else text
