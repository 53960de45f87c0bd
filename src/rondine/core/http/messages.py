"""Request and Response: what the core says to the engine, and what it is told.

What takes more than one round trip (signing in, paging) is a generator: it yields what it asks for, is sent the reply,
and comes to a result. It never does I/O and never knows who sent its requests, so that every rule is tested without a
server. The engine has the driver of a sign-in (`core/signin`), feeds have that of paging (`core/pagination`).
"""

import re
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from functools import lru_cache
from urllib.parse import SplitResult, parse_qsl, quote, urlsplit, urlunsplit

from rondine.core.http.files import FileBody
from rondine.core.secret import MASK, Secret

Headers = tuple[tuple[str, str], ...]
#: RFC 3986, section 2.2 and 3.4: what may stand in a query unencoded; "+" is encoded, as some services read it as a
#: space.
QUERY_SAFE = "-._~!$'()*,;:@/?"


@dataclass(frozen=True, slots=True)
class SecretBody:
    """A body with secrets in it. shown: the same text with each secret masked.  charset: that it is sent in."""

    shown: bytes
    sent: Secret
    charset: str = "utf-8"


@dataclass(frozen=True, slots=True)
class Request:
    """One HTTP request. Secrets stand beside the text, never in it: `url` and `repr` are safe to show.

    url: absolute, encoded.  secret_query: pairs the engine appends to the query when it sends.
    """

    method: str
    url: str
    headers: tuple[tuple[str, str | Secret], ...] = ()
    body: bytes | SecretBody | FileBody | None = None
    secret_query: tuple[tuple[str, Secret], ...] = ()

    def header(self, name: str) -> str | Secret | None:
        return next((value for key, value in self.headers if key.lower() == name.lower()), None)

    @property
    def has_secrets(self) -> bool:
        return (
            bool(self.secret_query)
            or isinstance(self.body, SecretBody)
            or any(isinstance(value, Secret) for _, value in self.headers)
        )

    @property
    def shown_body(self) -> bytes:
        return self.body.shown if isinstance(self.body, SecretBody | FileBody) else self.body or b""

    @property
    def sent_body(self) -> bytes:
        """What really goes out: only the sign-in schemes and the engine look at it."""
        match self.body:
            case SecretBody(sent=sent, charset=charset):
                return sent.reveal().encode(charset)
            case FileBody():
                return b"".join(self.body.chunks())
            case _:
                return self.body or b""

    def without_headers(self, *names: str) -> "Request":
        """names: in lower case."""
        return replace(self, headers=tuple(pair for pair in self.headers if pair[0].lower() not in names))

    def with_header(self, name: str, value: "str | Secret") -> "Request":
        """The request with this header set, in place of any of the same name."""
        others = tuple(pair for pair in self.headers if pair[0].lower() != name.lower())
        return replace(self, headers=(*others, (name, value)))


@dataclass(frozen=True, slots=True)
class Response:
    """The head of a response, and the few values of its body that the exchange asked for.

    values: by the name the strategy declared; an absent one is missing from the mapping. rows: how many rows the
    response had, None if nobody counted.  fingerprint: of its rows, equal for the same rows in the same order; empty if
    nobody made one.  more, whole: what says that there are more rows, or that these are all, in words; empty if nothing
    does or nobody looked.  content: the whole body, of sign-in requests alone.
    """

    status: int
    headers: Headers = ()
    url: str = ""
    values: Mapping[str, object] = field(default_factory=dict)
    rows: int | None = None
    content: bytes = b""
    fingerprint: bytes = b""
    more: str = ""
    whole: str = ""

    def header(self, name: str) -> str | None:
        """The value of a header field, several joined with ", " (RFC 9110, section 5.3)."""
        found = [value for key, value in self.headers if key.lower() == name.lower()]
        return ", ".join(found) if found else None


#: From where an exchange goes on after a break, as JSON: an address, a number, a cursor, several numbers; None for its
#: beginning.
Position = str | int | list[int] | None


@dataclass(frozen=True, slots=True)
class Send:
    """Send this request; the reply is its Response.

    wanted: places of body values to report, by name: JSON Pointers, JSONPaths (from `$` on), in XML XPaths.  position:
    from which the exchange comes to this request again.
    """

    request: Request
    wanted: Mapping[str, str] = field(default_factory=dict)
    position: Position = None


def origin(url: str) -> str:
    """Scheme, host and port of a URL (RFC 6454), with the default port left out."""
    parts = urlsplit(url)
    return _origin(parts.scheme, parts.netloc)


@lru_cache(maxsize=256)
def _origin(scheme: str, authority: str) -> str:
    parts = SplitResult(scheme, authority, "", "", "")
    host = (parts.hostname or "").lower()
    host = f"[{host}]" if ":" in host else host
    default = {"http": 80, "https": 443}.get(parts.scheme)
    port = "" if parts.port in (None, default) else f":{parts.port}"
    return f"{parts.scheme}://{host}{port}"


def without_secrets(url: str) -> str:
    """The URL without user information and with its query values masked, for messages and logs."""
    parts = urlsplit(url)
    host = parts.netloc.rpartition("@")[2]
    query = "&".join(f"{quote(name, safe='')}=…" for name, _ in parse_qsl(parts.query, keep_blank_values=True))
    return urlunsplit((parts.scheme, host, parts.path, query, ""))


def http_text(request: Request) -> str:
    """The request as HTTP/1.1 text, secrets masked, for people to read and copy. Of a body that is no text, what cannot
    stand in one is shown escaped."""
    parts = urlsplit(request.url)
    target = urlunsplit(("", "", parts.path or "/", parts.query, ""))
    for name, secret in request.secret_query:
        target += f"{'&' if '?' in target else '?'}{quote(name, safe='')}={secret}"
    lines = [f"{request.method} {target} HTTP/1.1", f"Host: {parts.netloc.rpartition('@')[2]}"]
    lines += [f"{name}: {value}" for name, value in request.headers]
    text = "\n".join(lines)
    body = _body_text(request)
    return storable_text(f"{text}\n\n{body}" if body else text)


def storable_text(text: str) -> str:
    """Text that databases can hold: U+0000 and half surrogates are shown escaped."""
    return text.replace("\0", "\\u0000").encode("utf-8", "backslashreplace").decode()


def _body_text(request: Request) -> str:
    """The body in the charset that its Content-Type says."""
    said = re.search(r";\s*charset\s*=\s*\"?([^\s;\"]+)", str(request.header("Content-Type") or ""), re.IGNORECASE)
    try:
        return request.shown_body.decode(said.group(1) if said else "utf-8", "replace")
    except LookupError:
        return request.shown_body.decode("utf-8", "replace")


SENSITIVE_HEADERS = frozenset({"authorization", "proxy-authorization", "cookie", "set-cookie"})


def shown_headers(headers: tuple[tuple[str, str | Secret], ...] | Headers) -> list[tuple[str, str]]:
    """Headers as they may be stored and shown: secrets, and fields that always hold one, are masked."""
    return [
        (name, MASK if name.lower() in SENSITIVE_HEADERS and not isinstance(value, Secret) else str(value))
        for name, value in headers
    ]
