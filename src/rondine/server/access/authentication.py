"""API tokens: a random text that is stored as its SHA-256 only."""

import hashlib
import secrets
from datetime import timedelta
from typing import Any

from django.utils import timezone
from rest_framework.authentication import BaseAuthentication

from rondine.core.errors import SignInNeeded, TooMany
from rondine.server.access.models import ApiToken, Person, SignInAttempt

ATTEMPTS, SPAN = 10, timedelta(minutes=15)


class TokenAuthentication(BaseAuthentication):
    """`Authorization: Bearer TOKEN` (RFC 6750)."""

    def authenticate(self, request: Any) -> tuple[Person, ApiToken] | None:
        scheme, _, token = request.META.get("HTTP_AUTHORIZATION", "").partition(" ")
        return person_of_token(token.strip()) if scheme.lower() == "bearer" else None

    def authenticate_header(self, request: Any) -> str:
        return "Bearer"


def person_of_token(token: str) -> tuple[Person, ApiToken]:
    found = ApiToken.objects.select_related("person").filter(digest=_digest(token), person__is_active=True).first()
    if found is None:
        raise SignInNeeded("the token is not known", where="Authorization header", hint="sign in again: rondine login")
    now = timezone.now()
    if found.used_at is None or now - found.used_at > timedelta(minutes=1):
        ApiToken.objects.filter(pk=found.pk).update(used_at=now)
    return found.person, found


def make_token(person: Person, title: str) -> str:
    """A new token; this is the only time it is seen."""
    token = secrets.token_urlsafe(32)
    ApiToken.objects.create(person=person, title=title, digest=_digest(token))
    return token


def check_password(name: str, password: str) -> Person:
    """The person. Raises SignInNeeded for a wrong pair, TooMany after ten within a quarter of an hour."""
    since = timezone.now() - SPAN
    SignInAttempt.objects.filter(at__lt=since).delete()
    if SignInAttempt.objects.filter(name=name[:63], at__gte=since).count() >= ATTEMPTS:
        raise TooMany(
            f'there were {ATTEMPTS} wrong passwords for "{name[:63]}"',
            where="sign-in",
            hint="wait a quarter of an hour",
        )
    person = Person.objects.filter(name=name, is_active=True).first()
    if person is None:
        Person().set_password(password)  # as slow as the real check, so that the time tells nothing
    if person is None or not person.check_password(password):
        SignInAttempt.objects.create(name=name[:63])
        raise SignInNeeded(
            "name and password do not go together",
            where="sign-in",
            hint="check both; the demo's stand in var/people.txt",
        )
    SignInAttempt.objects.filter(name=name).delete()
    return person


def _digest(token: str) -> bytes:
    return hashlib.sha256(token.encode()).digest()
