"""What aiohttp, TLS and the sockets raise, as errors of ours: what happened, where, and what to do.

`FAILURES` is gone through from the top, so that a class stands before those that it comes from.
"""

import socket
import ssl
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import aiohttp

from rondine.core.errors import BrokenOff, RondineError, ServiceError, ServiceTooSlow, Unreachable, short
from rondine.core.http.messages import without_secrets
from rondine.engine.connection import OpenConnection, tls_failure


@dataclass(frozen=True, slots=True)
class FailedCall:
    """The call that failed. host: that was to be dialled.  where: method and address, without secrets."""

    connection: OpenConnection
    host: str
    where: str


Failure = Callable[[Any, FailedCall], RondineError]


def failure_of(error: Exception, call: FailedCall) -> RondineError:
    """The error of ours. Raises TypeError for what no call can raise: a fault of the engine's."""
    if isinstance(error, RondineError):
        return error
    for kind, failure in FAILURES:
        if isinstance(error, kind):
            return failure(error, call)
    raise TypeError(f"{type(error).__name__} is not a failure of a call") from error


def _told(kind: type[RondineError], words: str, hint: str) -> Failure:
    """An error of one class. words: with {error}, {call} and {proxy} filled in."""

    def failure(error: Any, call: FailedCall) -> RondineError:
        proxy = without_secrets(call.connection.proxy)
        return kind(words.format(error=error, call=call, proxy=proxy), where=call.where, hint=hint)

    return failure


def _certificate(error: Any, call: FailedCall) -> RondineError:
    return tls_failure(error.certificate_error, call.where)


def _tls(error: Any, call: FailedCall) -> RondineError:
    return tls_failure(getattr(error, "os_error", error), call.where)


def _not_connected(error: Any, call: FailedCall) -> RondineError:
    if isinstance(error.os_error, RondineError):  # the guard refuses the address that a name leads to
        return error.os_error
    return Unreachable(
        _refusal(error.os_error),
        where=call.where,
        hint="check host and port, and whether the service runs; it is dialled from where Rondine runs",
    )


def _refusal(error: OSError) -> str:
    if isinstance(error, ConnectionRefusedError) or "refused" in str(error).lower():
        return "the connection was refused: nothing listens there"
    if isinstance(error, socket.gaierror):
        return "the name is not known"
    if isinstance(error, ssl.SSLError):
        return "TLS could not be agreed on"
    return f"no connection: {error.strerror or type(error).__name__}"


def _broken(error: Any, call: FailedCall) -> RondineError:
    if isinstance(error.__cause__, ssl.SSLError) or "SSL" in str(error):
        return tls_failure(error, call.where)
    return BrokenOff(
        f"the connection broke: {error.strerror or type(error).__name__}",
        where=call.where,
        hint="try again; the service may be restarting, or it wants a client certificate",
    )


def _no_address(error: Any, call: FailedCall) -> RondineError:
    return ServiceError(
        f"the address cannot be called: {short(str(error)).strip(chr(34))}",
        where=call.where,
        hint="look at the request, and at the values in its path",
    )


#: What aiohttp says of a head that it cannot read -> the cause, and what to do.
_BAD_HEADS = (
    ("Got more than", "a header, or the status line, is longer than 16,384 bytes", "tell the service's provider"),
    ("Too many headers", "the response has more headers than can be read", "tell the service's provider"),
    (
        "Duplicate Content-Length",
        "Content-Length is duplicated, so that nobody knows where the body ends",
        "tell the service's provider",
    ),
    ("Invalid HTTP header", "a header holds a character that none may have", "tell the service's provider"),
    (
        "Bad status line",
        "what came is not an HTTP response: a body behind a status that has none (204, 304), or another protocol",
        "check that host and port are the service's; if they are, tell its provider",
    ),
)


def _not_http(error: Any, call: FailedCall) -> RondineError:
    message = str(getattr(error, "message", "") or error)
    for mark, words, hint in _BAD_HEADS:
        if mark in message:
            return ServiceError(words, where=call.where, hint=hint)
    first_line = next((text.strip() for text in message.splitlines() if text.strip()), type(error).__name__)
    return ServiceError(
        f"what came back is not HTTP that can be read: {short(first_line).strip(chr(34))}",
        where=call.where,
        hint="check that host and port are the service's",
    )


#: (what is raised, the error of ours for it).
FAILURES: tuple[tuple[type[Exception], Failure], ...] = (
    (aiohttp.ClientConnectorCertificateError, _certificate),
    (aiohttp.ClientSSLError, _tls),
    (
        aiohttp.ClientHttpProxyError,
        _told(
            Unreachable,
            "the proxy {proxy} answered {error.status} and lets the call not through",
            "check its user name and password, and that it may reach the service",
        ),
    ),
    (
        aiohttp.ClientProxyConnectionError,
        _told(Unreachable, "the proxy {proxy} cannot be reached", "check the proxy's address, and whether it runs"),
    ),
    (
        aiohttp.ClientConnectorDNSError,
        _told(
            Unreachable,
            'the name "{call.host}" is not known',
            "check the host in the base address; it is looked up where Rondine runs",
        ),
    ),
    (aiohttp.ClientConnectorError, _not_connected),
    (
        aiohttp.SocketTimeoutError,
        _told(
            ServiceTooSlow,
            "nothing came for {call.connection.time_outs.idle:g} s in the middle of the body",
            "raise the idle time-out, or ask for less",
        ),
    ),
    (
        aiohttp.ConnectionTimeoutError,
        _told(
            ServiceTooSlow,
            "no connection within {call.connection.time_outs.connect:g} s",
            "check host and port; a firewall may swallow the call",
        ),
    ),
    (
        aiohttp.ClientPayloadError,
        _told(
            BrokenOff,
            "the body broke off before its end",
            "try again; if it stays so, tell the service's provider",
        ),
    ),
    (
        aiohttp.ServerConnectionError,  # time-outs of it stand above
        _told(
            BrokenOff,
            "the service closed the connection without a response",
            "try again; it may be restarting",
        ),
    ),
    (ssl.SSLError, _tls),
    (OSError, _broken),  # aiohttp.ClientOSError too
    (
        aiohttp.UploadAbortedError,
        _told(
            ServiceError,
            "the service ended the call before it had the whole request body",
            "it may take no body of this size; look in its documentation",
        ),
    ),
    (aiohttp.InvalidURL, _no_address),
    (aiohttp.NonHttpUrlClientError, _no_address),
    (aiohttp.ClientResponseError, _not_http),  # a head or body that its parser refuses
    (aiohttp.ClientError, _not_http),
)
