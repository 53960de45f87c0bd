"""A connection ready to use: everything a call needs, its secrets opened."""

import base64
import json
import os
import re
import ssl
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any
from urllib.parse import quote, quote_plus

from rondine.core.errors import TlsFailed
from rondine.core.http.breaker import BreakerPolicy
from rondine.core.http.limits import Limit
from rondine.core.http.messages import Headers
from rondine.core.http.retrying import RetryPolicy
from rondine.core.http.time_outs import TimeOuts
from rondine.core.items.connection import CallerIdentity
from rondine.core.secret import Secret
from rondine.core.signin import SignIn
from rondine.engine.guard import Guard

#: Shorter secrets are not looked for in what comes back: they may stand there by chance.
LEAST_CLEANED = 8


@dataclass(frozen=True, slots=True)
class Seal:
    """What opens the session of a user: its id, and its token, which only the application holds."""

    id: str
    key: Secret


@dataclass(frozen=True, slots=True)
class OpenConnection:
    """id: names what all processes share of the connection (limits); id and version name its pool.  token_id: names its
    token; own sign-ins of operations have their own.  secrets: the sets of secrets valid in turn, the preferred one
    first.  operations: for sign-in operations. further_origins: where next pages may be besides.  max_size: bytes of a
    body after decompression.  memory: what the sign-in keeps between calls in this process.  is_connection: false for a
    call to an address that is not a connection's, such as a definition's: no process keeps limits for it.  is_spooling:
    large bodies go to a file.  callers_sign_in: users of applications have a sign-in of their own; `lacking` are the
    secrets that only they give.  session: of the user whose sign-in this is.
    """

    id: str
    version: int
    base_address: str
    sign_in: SignIn
    guard: Guard
    secrets: tuple[Mapping[str, Secret], ...] = ({},)
    headers: tuple[tuple[str, str], ...] = ()
    query: tuple[tuple[str, str], ...] = ()
    time_outs: TimeOuts = field(default_factory=TimeOuts)
    retrying: RetryPolicy = field(default_factory=RetryPolicy)
    breaker: BreakerPolicy | None = None
    max_size: int = 64 * 1024 * 1024
    token_id: str = ""
    name: str = ""
    authority: str = ""
    certificate: str = ""
    proxy: str = ""
    proxy_user: str = ""
    further_origins: tuple[str, ...] = ()
    limits: tuple[Limit, ...] = ()
    parallel: int | None = None
    operations: Mapping[str, Any] = field(default_factory=dict)
    memory: dict[str, Any] = field(default_factory=dict, repr=False)
    caller: CallerIdentity | None = None
    callers_sign_in: bool = False
    lacking: tuple[str, ...] = ()
    session: "Seal | None" = None
    is_connection: bool = True
    is_spooling: bool = False

    @property
    def own_operation(self) -> str:
        """The operation whose own sign-in this is, empty for the connection's."""
        return self.token_id.partition("/")[2].partition("@")[0]

    def all_secrets(self) -> list[Secret]:
        """The secrets, and what is made of them for a proxy's Authorization header."""
        secrets = [secret for one in self.secrets for secret in one.values()]
        if self.proxy_user and (password := self.secrets[0].get("proxy_password")):
            pair = base64.b64encode(f"{self.proxy_user}:{password.bare()}".encode()).decode()
            secrets.append(Secret(pair, password.label))
        return secrets


class HeldForms:
    """The forms of some secrets, made once. It has no representation that shows them."""

    __slots__ = ("_values", "forms")

    def __init__(self, values: tuple[str, ...], forms: tuple[bytes, ...]) -> None:
        self._values, self.forms = values, forms

    def is_of(self, values: tuple[str, ...]) -> bool:
        return self._values == values


def forms_of(secrets: list[Secret]) -> tuple[bytes, ...]:
    """How secrets may stand in what comes back, the longest forms first: as they are, in UTF-16, and in the encodings
    that services put into answers and errors."""
    forms: set[bytes] = set()
    for value in {secret.bare() for secret in secrets}:
        if len(value) >= LEAST_CLEANED:
            forms |= {form.encode() for form in escaped(value)} | set(_encoded(value.encode()))
            forms |= {value.encode("utf-16-le"), value.encode("utf-16-be")}
    return tuple(sorted(forms, key=lambda form: (-len(form), form)))


def escaped(value: str) -> set[str]:
    """As text: escaped for JSON (RFC 8259, section 7), a URL (RFC 3986, section 2.1) or a form."""
    in_json = json.dumps(value)[1:-1]
    in_url = quote(value, safe="")
    lower = re.sub("%[0-9A-F]{2}", lambda found: found.group().lower(), in_url)
    return {value, in_json, in_json.replace("/", "\\/"), in_url, lower, quote_plus(value)}


def _encoded(raw: bytes) -> Iterator[bytes]:
    """Every byte encoded: in hex, percent, JSON's \\u, and base64 (RFC 4648) wherever it begins in what was encoded."""
    text = raw.decode()
    for case in (str.lower, str.upper):
        yield case(raw.hex()).encode()
        yield "".join("%" + case(f"{byte:02x}") for byte in raw).encode()
        yield "".join("\\u" + case(f"{unit:04x}") for unit in _utf16(text)).encode()
    for before in range(3):  # bytes before it, in the same group of three
        whole = base64.b64encode(b"\0" * before + raw)
        part = whole[(0, 2, 3)[before] : (before + len(raw)) * 8 // 6]  # the characters that are made of nothing else
        yield part
        yield part.translate(bytes.maketrans(b"+/", b"-_"))


def _utf16(text: str) -> Iterator[int]:
    units = text.encode("utf-16-be")
    return (units[at] << 8 | units[at + 1] for at in range(0, len(units), 2))


def overwritten(content: bytes, forms: Sequence[bytes]) -> bytes:
    """The content with each of the forms overwritten by asterisks of the same length."""
    for form in forms:
        if form in content:
            content = content.replace(form, b"*" * len(form))
    return content


def cleaned(body: bytes, secrets: list[Secret]) -> bytes:
    """The body with every secret in it overwritten by asterisks of the same length."""
    return overwritten(body, forms_of(secrets))


def cleaned_text(text: str, secrets: list[Secret]) -> str:
    return cleaned(text.encode("utf-8", "surrogateescape"), secrets).decode("utf-8", "surrogateescape")


def cleaned_headers(headers: Headers, forms: Sequence[bytes]) -> Headers:
    joined = "\n".join(value for _, value in headers).encode("utf-8", "surrogateescape")
    clean = overwritten(joined, forms)
    if clean == joined:
        return headers
    values = clean.decode("utf-8", "surrogateescape").split("\n")
    return tuple((name, value) for (name, _), value in zip(headers, values, strict=True))


def tls_context(connection: OpenConnection) -> ssl.SSLContext:
    """TLS as the connection wants it: its own authority instead of the public ones, and its client certificate. Raises
    TlsFailed."""
    try:
        context = ssl.create_default_context(cadata=connection.authority or None)
    except (ssl.SSLError, ValueError) as error:
        raise TlsFailed(
            "the authority's certificate cannot be read",
            where=f"connection {connection.name}: tls/authority",
            hint="paste it in PEM, from -----BEGIN CERTIFICATE----- to -----END CERTIFICATE-----",
        ) from error
    if connection.certificate:
        key = connection.secrets[0]["tls_private_key"].reveal()
        # load_cert_chain reads files only; this one is in memory and gone when it is closed
        handle = os.memfd_create("certificate", os.MFD_CLOEXEC)
        try:
            os.write(handle, f"{connection.certificate.strip()}\n{key.strip()}\n".encode())
            context.load_cert_chain(f"/proc/self/fd/{handle}")
        except (ssl.SSLError, OSError) as error:
            raise TlsFailed(
                "the client certificate and its private key do not go together, or one of them cannot be read",
                where=f"connection {connection.name}: tls/certificate",
                hint="paste both in PEM; the key without a passphrase",
            ) from error
        finally:
            os.close(handle)
    return context


def tls_failure(error: ssl.SSLError | Exception, where: str) -> TlsFailed:
    """What went wrong with a certificate, in words (OpenSSL's verify codes)."""
    code = getattr(error, "verify_code", None)
    told = getattr(error, "verify_message", "") or str(error)
    match code:
        case 10:
            return TlsFailed(
                "the service's certificate has expired", where=where, hint="its provider must renew it; tell them"
            )
        case 9:
            return TlsFailed(
                "the service's certificate is not valid yet",
                where=where,
                hint="check the clock here, or tell its provider",
            )
        case 62 | 64:
            return TlsFailed(
                f"the service's certificate is for another name: {told}",
                where=where,
                hint="check the host in the base address",
            )
        case 18 | 19 | 20 | 21:
            return TlsFailed(
                f"the service's certificate comes from an authority that is not trusted here: {told}",
                where=where,
                hint="if it is the service's own authority, give its certificate to the connection (tls/authority)",
            )
    text = str(error).lower()
    if "certificate required" in text or "handshake failure" in text or "alert" in text:
        return TlsFailed(
            f"the service broke TLS off: {_reason(error)}",
            where=where,
            hint="it may want a client certificate, or another one than the connection has",
        )
    if code is not None:
        return TlsFailed(f"the service's certificate is not valid: {told}", where=where, hint="tell its provider")
    return TlsFailed(
        f"TLS could not be agreed on: {_reason(error)}", where=where, hint="check that the port speaks https"
    )


def _reason(error: Exception) -> str:
    return str(getattr(error, "reason", "") or error).replace("_", " ").lower()[:160]
