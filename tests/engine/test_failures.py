"""What aiohttp and the sockets raise becomes an error of ours, whatever it is."""

import ssl
from types import SimpleNamespace

import aiohttp
import pytest

from rondine.core.errors import BrokenOff, RondineError, ServiceError, ServiceTooSlow, TlsFailed, Unreachable
from rondine.core.signin import NoSignIn
from rondine.engine.connection import OpenConnection
from rondine.engine.failures import FAILURES, FailedCall, failure_of
from rondine.engine.guard import Guard

CONNECTION = OpenConnection("test", 1, "https://r.example", NoSignIn(), Guard(()), proxy="http://proxy.example:3128")
CALL = FailedCall(CONNECTION, "r.example", "GET https://r.example/trees")
KEY = SimpleNamespace(host="r.example", port=443, ssl=True, is_ssl=True)
REFUSED = ConnectionRefusedError(111, "Connection refused")
REQUEST = SimpleNamespace(real_url="https://r.example/trees")


def all_below(kind):
    return {kind} | {one for below in kind.__subclasses__() for one in all_below(below)}


def made(kind):
    """One of a class of aiohttp's, made as aiohttp makes it."""
    if issubclass(kind, aiohttp.ClientConnectorCertificateError):
        return kind(KEY, ssl.SSLCertVerificationError(1, "certificate verify failed"))
    if issubclass(kind, aiohttp.client_exceptions.UnixClientConnectorError):
        return kind("/run/socket", KEY, REFUSED)
    if issubclass(kind, aiohttp.ClientConnectorError):
        return kind(KEY, ssl.SSLError(1, "handshake failure") if issubclass(kind, ssl.SSLError) else REFUSED)
    if issubclass(kind, aiohttp.ClientResponseError):
        return kind(REQUEST, (), status=400, message="Bad status line 'x'")
    if issubclass(kind, aiohttp.InvalidURL):
        return kind("https://r.example:x", "not a port")
    if kind is aiohttp.ServerFingerprintMismatch:
        return kind(b"a", b"b", "r.example", 443)
    return kind("it broke") if not issubclass(kind, OSError) else kind(104, "Connection reset by peer")


#: What only the table's last line catches: the base classes, and what aiohttp raises for nothing that a call does.
LAST = {"ClientError", "ClientConnectionError", "RedirectClientError", "WSMessageTypeError"}


@pytest.mark.parametrize("kind", sorted(all_below(aiohttp.ClientError), key=lambda kind: kind.__name__))
def test_every_exception_of_aiohttp_is_told_as_an_error_of_ours(kind):
    failure = failure_of(made(kind), CALL)
    assert isinstance(failure, RondineError) and failure.message and failure.hint and failure.where == CALL.where
    named = next(one for one, _ in FAILURES if issubclass(kind, one))
    assert (named is aiohttp.ClientError) == (kind.__name__ in LAST)


@pytest.mark.parametrize(
    ("error", "kind", "words"),
    [
        (aiohttp.ClientConnectorError(KEY, REFUSED), Unreachable, "nothing listens there"),
        (aiohttp.ClientConnectorDNSError(KEY, OSError(-2, "unknown")), Unreachable, '"r.example" is not known'),
        (aiohttp.ClientProxyConnectionError(KEY, REFUSED), Unreachable, "the proxy http://proxy.example:3128"),
        (aiohttp.SocketTimeoutError(), ServiceTooSlow, "in the middle of the body"),
        (aiohttp.ConnectionTimeoutError(), ServiceTooSlow, "no connection within 5 s"),
        (aiohttp.ServerDisconnectedError(), BrokenOff, "closed the connection without a response"),
        (aiohttp.ClientPayloadError("x"), BrokenOff, "broke off before its end"),
        (ssl.SSLError(1, "handshake failure"), TlsFailed, "broke TLS off"),
        (ConnectionResetError(104, "Connection reset by peer"), BrokenOff, "Connection reset by peer"),
        (aiohttp.InvalidURL("https://r.example:x"), ServiceError, "the address cannot be called"),
        (aiohttp.ClientResponseError(REQUEST, (), message="Got more than 16384"), ServiceError, "longer than 16,384"),
        (aiohttp.ClientResponseError(REQUEST, (), message="odd\nsecond line"), ServiceError, "HTTP that can be read: odd"),
    ],
)  # fmt: skip
def test_each_says_what_happened(error, kind, words):
    failure = failure_of(error, CALL)
    assert type(failure) is kind and words in failure.message


def test_no_line_of_the_table_is_out_of_reach_and_a_fault_of_the_engine_is_none_of_the_service():
    for number, (kind, _) in enumerate(FAILURES):
        assert not any(issubclass(kind, before) for before, _ in FAILURES[:number]), kind
    with pytest.raises(TypeError, match="KeyError"):
        failure_of(KeyError("x"), CALL)
