"""A connection ready to use: everything a call needs, its secrets opened."""

import json
import os
import ssl
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any
from urllib.parse import quote, quote_plus

from rondine.core.errors import TlsFailed
from rondine.core.http import Headers
from rondine.core.limits import Limit
from rondine.core.secret import Secret
from rondine.core.signin import SignIn
from rondine.engine.guard import Guard

#: Shorter secrets are not looked for in what comes back: they may stand there by chance.
LEAST_CLEANED = 8


@dataclass(frozen=True, slots=True)
class TimeOuts:
    """Seconds. connect: until the connection stands.  first_byte: until the head of the response.  idle: between two pieces of the body.
    whole: for all of it."""

    connect: float = 5.0
    first_byte: float = 30.0
    idle: float = 15.0
    whole: float = 120.0


@dataclass(frozen=True, slots=True)
class Line:
    """id: names what all processes share of the connection (limits); id and version name its pool.  token_id: names its token; own sign-ins of
    operations have their own.  secrets: the sets of secrets valid in turn, the preferred one first.  operations: for sign-in operations.
    max_size: bytes of a body after decompression.  memory: what the sign-in keeps between calls in this process.  is_connection: false for a call
    to an address that is no connection's, such as a definition's: no process keeps limits for it.  is_spooling: large bodies go to a file.
    """

    id: str
    version: int
    base_address: str
    sign_in: SignIn
    guard: Guard
    secrets: tuple[Mapping[str, Secret], ...] = ({},)
    headers: tuple[tuple[str, str], ...] = ()
    query: tuple[tuple[str, str], ...] = ()
    time_outs: TimeOuts = TimeOuts()
    max_size: int = 64 * 1024 * 1024
    token_id: str = ""
    name: str = ""
    authority: str = ""
    certificate: str = ""
    proxy: str = ""
    proxy_user: str = ""
    limits: tuple[Limit, ...] = ()
    parallel: int | None = None
    operations: Mapping[str, Any] = field(default_factory=dict)
    memory: dict[str, Any] = field(default_factory=dict)
    is_connection: bool = True
    is_spooling: bool = False

    @property
    def own_operation(self) -> str:
        """The operation whose own sign-in this is, empty for the connection's."""
        return self.token_id.partition("/")[2]

    def all_secrets(self) -> list[Secret]:
        return [secret for one in self.secrets for secret in one.values()]


def forms_of(secrets: list[Secret]) -> set[bytes]:
    """How secrets may stand in what comes back: as they are, JSON-escaped and percent-encoded."""
    values = {secret.bare() for secret in secrets}
    return {
        form.encode()
        for value in values
        if len(value) >= LEAST_CLEANED
        for form in (value, json.dumps(value)[1:-1], quote(value, safe=""), quote_plus(value))
    }


def overwritten(content: bytes, forms: set[bytes]) -> bytes:
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


def cleaned_headers(headers: Headers, forms: set[bytes]) -> Headers:
    joined = "\n".join(value for _, value in headers).encode("utf-8", "surrogateescape")
    clean = overwritten(joined, forms)
    if clean == joined:
        return headers
    values = clean.decode("utf-8", "surrogateescape").split("\n")
    return tuple((name, value) for (name, _), value in zip(headers, values, strict=True))


def tls_context(line: Line) -> ssl.SSLContext:
    """TLS as the connection wants it: its own authority instead of the public ones, and its client certificate. Raises TlsFailed."""
    try:
        context = ssl.create_default_context(cadata=line.authority or None)
    except (ssl.SSLError, ValueError) as error:
        raise TlsFailed(
            "the authority's certificate cannot be read",
            where=f"connection {line.name}: tls/authority",
            hint="paste it in PEM, from -----BEGIN CERTIFICATE----- to -----END CERTIFICATE-----",
        ) from error
    if line.certificate:
        key = line.secrets[0]["tls_private_key"].reveal()
        # load_cert_chain reads files only; this one is in memory and gone when it is closed
        handle = os.memfd_create("certificate", os.MFD_CLOEXEC)
        try:
            os.write(handle, f"{line.certificate.strip()}\n{key.strip()}\n".encode())
            context.load_cert_chain(f"/proc/self/fd/{handle}")
        except (ssl.SSLError, OSError) as error:
            raise TlsFailed(
                "the client certificate and its private key do not go together, or one of them cannot be read",
                where=f"connection {line.name}: tls/certificate",
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
