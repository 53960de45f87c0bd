"""Access tokens, kept for all processes; whoever renews one holds a lease in its row, longer than the call may take."""

import hashlib
import json
import uuid
from datetime import datetime, timedelta
from typing import Any

from django.db import transaction
from django.utils import timezone

from rondine.core.errors import RondineError, SignInAgain, SignInRefused
from rondine.core.http.messages import origin
from rondine.core.secret import Secret
from rondine.core.settings import dump
from rondine.core.signin import Token
from rondine.engine.connection import OpenConnection
from rondine.server.connecting.encryption import decrypt_secrets, encrypt_secrets, sealed, unsealed
from rondine.server.connecting.models import AccessToken

#: A lease outlasts the call it is for by this many seconds.
LEASE_EXTRA = 15.0


def fingerprint(opened: OpenConnection) -> str:
    """Of the sign-in's settings, of our certificate, and of where its token goes: what was obtained with others, or for
    another origin, is not sent."""
    settled = [dump(opened.sign_in), origin(opened.base_address), *([opened.certificate] if opened.certificate else [])]
    return hashlib.sha256(json.dumps(settled, sort_keys=True).encode()).hexdigest()


def _whose(opened: OpenConnection) -> dict[str, Any]:
    """What finds the row of a sign-in: the connection's, or that of a user."""
    session = opened.session.id if opened.session is not None else None
    return {"connection_id": opened.id, "operation": opened.own_operation, "session_id": session}


def token_row(opened: OpenConnection) -> AccessToken:
    """The row, locked. Within a transaction."""
    AccessToken.objects.get_or_create(**_whose(opened))
    return AccessToken.objects.select_for_update().get(**_whose(opened))


def token_of(row: AccessToken | None, opened: OpenConnection) -> Token | None:
    if row is None or not row.encrypted or row.fingerprint != fingerprint(opened) or row.obtained_at is None:
        return None
    values = decrypt_secrets(row.key_version, bytes(row.encrypted), f"token {row.connection_id}")
    if opened.session is not None:
        values = unsealed(values, opened.session)
    refresh = values.get("refresh")
    return Token(
        Secret(values["access"], "access token"),
        row.obtained_at,
        row.expires_at,
        Secret(refresh, "refresh token") if refresh else None,
        row.scope,
    )


def stored_token(opened: OpenConnection) -> Token | None:
    row = AccessToken.objects.filter(**_whose(opened)).first()
    return token_of(row, opened) if row is None or row.state == "valid" else None


def claim_renewal(
    opened: OpenConnection, seen: Token | None, me: uuid.UUID, began: datetime, lease: float
) -> tuple[bool, Token | None]:
    """(True, the token stored last) if the renewal is mine; (False, a newer token) if there is one; (False, None) to
    look again soon.

    Raises the refusal that another caller has met since `began`.
    """
    with transaction.atomic():
        row, now = token_row(opened), timezone.now()
        token = token_of(row, opened)
        if token is not None and row.state == "valid" and not token.is_same(seen) and not token.has_ended(now):
            return False, token
        if row.refusal and row.refused_at is not None and row.refused_at >= began:
            kind = SignInAgain if row.state == "sign_in_again" else SignInRefused
            raise kind(row.refusal["message"], where=row.refusal["where"], hint=row.refusal["hint"])
        if row.renewing_until is not None and row.renewing_until > now and row.renewing_by != me:
            return False, None
        row.renewing_by, row.renewing_until = me, now + timedelta(seconds=lease)
        row.save(update_fields=["renewing_by", "renewing_until"])
        return True, token


def store_token(opened: OpenConnection, me: uuid.UUID | None, token: Token, person_id: int | None = None) -> None:
    """me: who holds the lease; None for a person's own sign-in, which always counts."""
    with transaction.atomic():
        row = token_row(opened)
        if me is not None and row.renewing_by != me:
            return  # the lease ran out and another has renewed meanwhile
        values = {"access": token.access.bare(), **({"refresh": token.refresh.bare()} if token.refresh else {})}
        if opened.session is not None:
            values = sealed(values, opened.session)
        row.key_version, row.encrypted = encrypt_secrets(values, f"token {row.connection_id}")
        row.renewed = row.renewed + 1 if row.obtained_at and me is not None else 0
        row.fingerprint, row.scope, row.has_refresh = fingerprint(opened), token.scope, token.refresh is not None
        row.obtained_at, row.expires_at = token.obtained_at, token.expires_at
        row.state, row.refusal, row.refused_at = "valid", None, None
        row.renewing_by = row.renewing_until = None
        if person_id is not None:
            row.signed_in_by_id = person_id
        row.save()


def store_refusal(opened: OpenConnection, me: uuid.UUID | None, error: RondineError) -> None:
    """What is stored of the token stays: a refresh token is not lost by an attempt that failed."""
    with transaction.atomic():
        row = token_row(opened)
        if me is not None and row.renewing_by != me:
            return
        row.state = "sign_in_again" if isinstance(error, SignInAgain) else "refused"
        row.refusal = {"code": error.code, "message": error.message, "where": error.where, "hint": error.hint}
        row.refused_at = timezone.now()
        row.renewing_by = row.renewing_until = None
        row.save()


def release_renewal(opened: OpenConnection, me: uuid.UUID) -> None:
    AccessToken.objects.filter(**_whose(opened), renewing_by=me).update(renewing_by=None, renewing_until=None)
