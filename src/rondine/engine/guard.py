"""The address guard: which hosts may be reached, checked on the name asked for and on the address really dialled.

A project permits hosts by name and port. An address that is not a public one (private, loopback, link-local, mapped,
NAT64, multicast) is refused unless its permission says so. The check sits in the socket factory, after every way of
writing or resolving a name.
"""

import ipaddress
import socket
from collections.abc import Sequence
from dataclasses import dataclass, replace
from urllib.parse import SplitResult, urlsplit

from rondine.core.errors import HostRefused

#: IPv6 blocks whose last 32 bits are an IPv4 address: NAT64 (RFC 6052), IPv4-translated (RFC 2765), IPv4-compatible
#: (RFC 4291, section 2.5.5.1).
_WITH_IPV4 = [ipaddress.IPv6Network(one) for one in ("64:ff9b::/96", "::ffff:0:0:0/96", "::/96")]
#: Not reachable from everywhere, and not known as such to every version of Python: local NAT64 (RFC 8215), site-local
#: (RFC 3879), segment routing (RFC 9602), documentation (RFC 9637), the relays of 6to4 (RFC 7526).
_LOCAL = [
    ipaddress.ip_network(one) for one in ("64:ff9b:1::/48", "fec0::/10", "5f00::/16", "3fff::/20", "192.88.99.0/24")
]


#: Origins of which it is remembered what was found.
REMEMBERED = 256


@dataclass(frozen=True, slots=True)
class PermittedHost:
    """host: a name or address in lower case, without brackets.  port: None for any.  is_private: private addresses may
    be dialled."""

    host: str
    port: int | None = None
    is_private: bool = False


class Guard:
    """The permissions of one project."""

    def __init__(self, permitted: Sequence[PermittedHost]) -> None:
        self._permitted = tuple(permitted)
        #: By the URL's scheme and authority, the permission; and authorities that were found to be good with one.
        self._found: dict[tuple[str, str], PermittedHost] = {}
        self._good: set[tuple[str, PermittedHost]] = set()

    def permission(self, url: str) -> PermittedHost:
        """The permission that covers a URL. Raises HostRefused if none does."""
        parts = urlsplit(url)
        place = (parts.scheme, parts.netloc)
        if place not in self._found:
            if len(self._found) >= REMEMBERED:
                self._found.clear()
            self._found[place] = self._permission(parts)
        return self._found[place]

    def _permission(self, parts: SplitResult) -> PermittedHost:
        host = (parts.hostname or "").lower().rstrip(".")
        port = parts.port or {"https": 443}.get(parts.scheme, 80)
        if parts.scheme not in ("http", "https"):
            raise HostRefused(
                f'"{parts.scheme}" is not a scheme that Rondine speaks', where=host, hint="use http or https"
            )
        for permitted_host in self._permitted:
            if permitted_host.host == host and permitted_host.port in (None, port):
                return permitted_host
        raise HostRefused(
            f"{host}:{port} is not among the hosts this project may reach",
            where=f"{host}:{port}",
            hint=f"an administrator permits it with: {_command(PermittedHost(host, port, _is_known_private(host)))}",
        )

    def check_address(self, address: str, permission: PermittedHost) -> None:
        """Raises HostRefused if the dialled address is not public and the permission does not cover private ones."""
        if not permission.is_private and not is_public(address):
            wanted = replace(permission, is_private=True)
            raise HostRefused(
                f'"{permission.host}" leads to {address}, which is not a public address',
                where=permission.host,
                hint=f"if that is meant, an administrator permits it with: {_command(wanted)}",
            )

    def check_literal(self, url: str, permission: PermittedHost) -> None:
        """The same for an address written as such, in any of the ways that the system reads, before anything is
        dialled."""
        parts = urlsplit(url)
        place = (parts.netloc, permission)
        if place in self._good:
            return
        host = (parts.hostname or "").rstrip(".")
        try:
            found = socket.getaddrinfo(host, None, flags=socket.AI_NUMERICHOST)
        except OSError:
            pass
        else:
            self.check_address(str(found[0][4][0]), permission)
        if len(self._good) >= REMEMBERED:
            self._good.clear()
        self._good.add(place)

    def socket_factory(self, permission: PermittedHost) -> "SocketFactory":
        return SocketFactory(self, permission)


class SocketFactory:
    """Makes the sockets of one connection pool, refusing addresses before anything is dialled."""

    def __init__(self, guard: Guard, permission: PermittedHost) -> None:
        self._guard, self._permission = guard, permission

    def __call__(self, info: tuple[object, ...]) -> socket.socket:
        family, kind, proto, _, address = info
        assert isinstance(address, tuple)
        self._guard.check_address(str(address[0]), self._permission)
        made = socket.socket(family=family, type=kind, proto=proto)  # type: ignore[arg-type]
        made.setblocking(False)
        return made


def _command(wanted: PermittedHost) -> str:
    """The command that gives a permission."""
    port = "" if wanted.port is None else f" --port {wanted.port}"
    return f"rondine host permit {wanted.host}{port}{' --private' if wanted.is_private else ''}"


def _is_known_private(host: str) -> bool:
    """Whether the host will not do without leave for private addresses, as far as that can be told without looking its
    name up."""
    if host == "localhost" or host.endswith(".localhost"):  # RFC 6761, section 6.3
        return True
    try:
        found = socket.getaddrinfo(host, None, flags=socket.AI_NUMERICHOST)
    except OSError:
        return False
    return not is_public(str(found[0][4][0]))


def is_public(address: str) -> bool:
    """Whether an IP address is globally reachable (IANA's special-purpose registries), looking through the forms of
    IPv6 that hold an IPv4 address: mapped (::ffff:a.b.c.d), compatible, translated, NAT64 and 6to4."""
    try:
        ip = ipaddress.ip_address(address.partition("%")[0])
    except ValueError:
        return False
    if isinstance(ip, ipaddress.IPv6Address):
        if ip.ipv4_mapped:
            ip = ip.ipv4_mapped
        elif ip.sixtofour:
            ip = ip.sixtofour
        elif any(ip in one for one in _WITH_IPV4):
            ip = ipaddress.IPv4Address(int(ip) & 0xFFFFFFFF)
    is_local = any(ip in one for one in _LOCAL if one.version == ip.version)
    return ip.is_global and not ip.is_multicast and not is_local
