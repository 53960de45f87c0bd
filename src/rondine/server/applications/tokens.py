"""Tokens of applications: random texts, stored as their SHA-256 only. They begin with a word of their own, so that
whoever finds one knows what it is."""

import hashlib
import secrets
from datetime import timedelta

from django.utils import timezone

from rondine.server.access.authentication import TOKEN_DAYS
from rondine.server.access.models import Person
from rondine.server.applications.models import Application, ApplicationToken

PREFIX = "rondine_app_"


def make_application_token(
    application: Application, person: Person | None, title: str, days: int | None = TOKEN_DAYS
) -> tuple[str, ApplicationToken]:
    """A new token and what is stored of it; this is the only time it is seen. days: how long it lasts, None for
    ever."""
    token = PREFIX + secrets.token_urlsafe(32)
    expires_at = None if days is None else timezone.now() + timedelta(days=days)
    stored = ApplicationToken.objects.create(
        application=application, title=title, digest=digest_of(token), by=person, expires_at=expires_at
    )
    return token, stored


def digest_of(token: str) -> bytes:
    return hashlib.sha256(token.encode("utf-8", "replace")).digest()
