"""Who somebody is: passwords, and API tokens, which are random texts stored as their SHA-256 only."""

import hashlib
import ipaddress
import secrets
from datetime import timedelta
from typing import Any

from django.db.models import Q
from django.utils import timezone
from rest_framework.authentication import BaseAuthentication

from rondine.core.errors import SignInNeeded, TooMany
from rondine.server.access.models import ApiToken, KnownAddress, Person, SignInAttempt

#: Attempts that may fail within a span: for one name from one network, for all names from it, and for one name from
#: everywhere.
FOR_NAME_HERE, FOR_ADDRESS, FOR_NAME = 10, 50, 100
SPAN = timedelta(minutes=15)
#: How long a token lasts unless its maker says something else.
TOKEN_DAYS = 90


class TokenAuthentication(BaseAuthentication):
    """`Authorization: Bearer TOKEN` (RFC 6750)."""

    def authenticate(self, request: Any) -> tuple[Person, ApiToken] | None:
        scheme, _, token = request.META.get("HTTP_AUTHORIZATION", "").partition(" ")
        return person_of_token(token.strip()) if scheme.lower() == "bearer" else None

    def authenticate_header(self, request: Any) -> str:
        return "Bearer"


def person_of_token(token: str) -> tuple[Person, ApiToken]:
    api_token = ApiToken.objects.select_related("person").filter(digest=_digest(token), person__is_active=True).first()
    if api_token is None:
        raise SignInNeeded("the token is not known", where="Authorization header", hint="sign in again: rondine login")
    now = timezone.now()
    if api_token.expires_at is not None and api_token.expires_at <= now:
        raise SignInNeeded(
            f"the token expired on {api_token.expires_at:%Y-%m-%d}",
            where="Authorization header",
            hint="sign in again: rondine login; or make another token: rondine token make",
        )
    if api_token.used_at is None or now - api_token.used_at > timedelta(minutes=1):
        ApiToken.objects.filter(pk=api_token.pk).update(used_at=now)
    return api_token.person, api_token


def make_token(person: Person, title: str, days: int | None = TOKEN_DAYS) -> tuple[str, ApiToken]:
    """A new token and what is stored of it; this is the only time it is seen. days: how long it lasts, None for
    ever."""
    token = secrets.token_urlsafe(32)
    expires_at = None if days is None else timezone.now() + timedelta(days=days)
    api_token = ApiToken.objects.create(person=person, title=title, digest=_digest(token), expires_at=expires_at)
    return token, api_token


def check_password(name: str, password: str, address: str = "") -> Person:
    """The person. address: where the request came from.

    Raises SignInNeeded for a wrong pair, TooMany when there were too many of them. Guesses from one network close the
    name to that network only; guesses from everywhere close it to networks that the person has not signed in from.
    """
    name, network = name[:63], network_of(address)
    person = Person.objects.filter(name=name, is_active=True).first()
    SignInAttempt.objects.filter(at__lt=timezone.now() - SPAN).delete()
    # written down before it is looked at: many guesses sent at once see each other
    attempt = SignInAttempt.objects.create(name=name, address=network)
    if _is_closed(name, network, person):
        attempt.delete()
        raise TooMany(
            f'there were too many wrong passwords for "{name}" from here',
            where="sign-in",
            hint="wait a quarter of an hour",
        )
    if person is None:
        Person().set_password(password)  # as slow as the real check, so that the time tells nothing
    if person is None or not person.check_password(password):
        raise SignInNeeded(
            "name and password do not go together",
            where="sign-in",
            hint="check both; the demo's stand in var/people.txt",
        )
    SignInAttempt.objects.filter(name=name, address=network).delete()
    KnownAddress.objects.update_or_create(person=person, address=network)
    return person


def _is_closed(name: str, network: str, person: Person | None) -> bool:
    recent = SignInAttempt.objects.filter(Q(name=name) | Q(address=network), at__gte=timezone.now() - SPAN)
    tried = list(recent.values_list("name", "address")[: FOR_NAME + FOR_ADDRESS + FOR_NAME_HERE])
    if sum(one == (name, network) for one in tried) > FOR_NAME_HERE:
        return True
    if person is not None and KnownAddress.objects.filter(person=person, address=network).exists():
        return False
    return sum(one[1] == network for one in tried) > FOR_ADDRESS or sum(one[0] == name for one in tried) > FOR_NAME


def network_of(address: str) -> str:
    """The network that an address stands for: itself, or of IPv6 the /64 that one site is given."""
    try:
        found = ipaddress.ip_address(address)
    except ValueError:
        return ""
    if isinstance(found, ipaddress.IPv6Address) and found.ipv4_mapped is None:
        return str(ipaddress.ip_network((found, 64), strict=False))
    return str(getattr(found, "ipv4_mapped", None) or found)


def _digest(token: str) -> bytes:
    return hashlib.sha256(token.encode()).digest()
