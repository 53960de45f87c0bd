"""Looks at a connection stage by stage: resolve, connect, TLS. Each stage has its time and its outcome in words; the
first failure ends it."""

import asyncio
import socket
import ssl
import time
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass
from datetime import UTC, datetime
from urllib.parse import urlsplit

from cryptography import x509

from rondine.core.errors import RondineError, ServiceTooSlow, Unreachable
from rondine.core.http.messages import without_secrets
from rondine.engine.connection import OpenConnection, tls_context, tls_failure


@dataclass(frozen=True, slots=True)
class Stage:
    """ms: how long it took, None where nothing was measured.  where: what it was about."""

    name: str
    is_good: bool
    words: str
    hint: str = ""
    ms: float | None = None


async def probe(connection: OpenConnection, note: Callable[[Stage], None]) -> bool:
    """Resolves, connects and agrees on TLS with the base address, or connects to the proxy. False if a stage failed;
    nothing is sent over HTTP."""
    target = connection.proxy or connection.base_address
    parts = urlsplit(target)
    host = parts.hostname or ""
    port = parts.port or {"https": 443}.get(parts.scheme, 80)
    via = "the proxy " if connection.proxy else ""
    stage, began = "resolve", time.perf_counter()

    def good(words: str) -> None:
        note(Stage(stage, True, words, ms=_since(began)))

    plain: socket.socket | None = None
    try:
        permission = connection.guard.permission(target)
        if connection.proxy:
            connection.guard.check_literal(
                connection.base_address, connection.guard.permission(connection.base_address)
            )
        addresses = await _resolve(host, port, connection)
        for _, _, _, _, address in addresses:
            connection.guard.check_address(str(address[0]), permission)
        good(f"{via}{host} is {', '.join(dict.fromkeys(str(one[4][0]) for one in addresses))}")
        stage, began = "connect", time.perf_counter()
        plain = await _connect(addresses, host, port, connection)
        good(f"{via}port {port} is open")
        if parts.scheme == "https" and not connection.proxy:
            stage, began = "TLS", time.perf_counter()
            good(await _agree(plain, host, connection))
        return True
    except RondineError as error:
        note(Stage(stage, False, error.message, error.hint, _since(began)))
        return False
    finally:
        if plain is not None:
            plain.close()


async def _resolve(
    host: str, port: int, connection: OpenConnection
) -> list[tuple[object, object, int, str, tuple[object, ...]]]:
    try:
        async with asyncio.timeout(connection.time_outs.connect):
            return await asyncio.get_running_loop().getaddrinfo(host, port, type=socket.SOCK_STREAM)  # type: ignore[return-value]
    except TimeoutError as error:
        raise ServiceTooSlow(
            f'looking up "{host}" took longer than {connection.time_outs.connect:g} s',
            where=host,
            hint="check the name server",
        ) from error
    except (OSError, UnicodeError) as error:
        raise Unreachable(
            f'the name "{host}" is not known here',
            where=host,
            hint="check the host in the base address; it is looked up where Rondine runs, not where your browser does",
        ) from error


async def _connect(
    addresses: list[tuple[object, object, int, str, tuple[object, ...]]],
    host: str,
    port: int,
    connection: OpenConnection,
) -> socket.socket:
    family, kind, proto, _, address = addresses[0]
    made = socket.socket(family, kind, proto)  # type: ignore[arg-type]
    made.setblocking(False)
    try:
        async with asyncio.timeout(connection.time_outs.connect):
            await asyncio.get_running_loop().sock_connect(made, address)
    except TimeoutError as error:
        made.close()
        raise ServiceTooSlow(
            f"no connection to {host}:{port} within {connection.time_outs.connect:g} s",
            where=host,
            hint="a firewall may swallow the call; check host and port",
        ) from error
    except OSError as error:
        made.close()
        words = (
            "is refused: nothing listens there"
            if isinstance(error, ConnectionRefusedError)
            else f"fails: {error.strerror}"
        )
        raise Unreachable(
            f"the connection to {host}:{port} {words}",
            where=host,
            hint="check the port in the base address, and whether the service runs",
        ) from error
    return made


async def _agree(plain: socket.socket, host: str, connection: OpenConnection) -> str:
    """Agrees on TLS; gives what the service's certificate says."""
    where = without_secrets(connection.base_address)
    context = tls_context(connection)
    writer = None
    try:
        async with asyncio.timeout(connection.time_outs.connect):
            _, writer = await asyncio.open_connection(sock=plain.dup(), ssl=context, server_hostname=host)
        agreed = writer.get_extra_info("ssl_object")
        found = x509.load_der_x509_certificate(agreed.getpeercert(binary_form=True))
    except TimeoutError as error:
        raise ServiceTooSlow(
            "TLS was not agreed on in time", where=where, hint="check that the port speaks https"
        ) from error
    except (ssl.SSLError, OSError) as error:
        raise tls_failure(error, where) from error
    finally:
        if writer is not None:
            writer.close()
            with suppress(Exception):
                await writer.wait_closed()
    left = found.not_valid_after_utc - datetime.now(UTC)
    ends = f"valid until {found.not_valid_after_utc:%Y-%m-%d} ({left.days} days)"
    return (
        f"{agreed.version()}; certificate of {found.subject.rfc4514_string() or host} from"
        f" {found.issuer.rfc4514_string()}, {ends}"
    )


def _since(began: float) -> float:
    return round((time.perf_counter() - began) * 1000, 1)
