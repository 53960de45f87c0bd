"""Users of applications, signed in at a service with accounts of their own, each for one session.

What a user gives, and the token that comes of it, is sealed with the session's token, which only the application holds:
the database and its keys together do not open it. It is gone with the session.
"""

import hashlib
import secrets
import uuid
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import timedelta
from typing import Any

from django.db import transaction
from django.utils import timezone

from rondine.core.errors import InputError, Problem, RondineError, SignInRefused, did_you_mean
from rondine.core.secret import Secret
from rondine.core.signin import AuthorizationCode, PasswordGrant, Token
from rondine.core.signin.own import has_user_name, own_secrets, with_user_name
from rondine.engine.client import Engine
from rondine.engine.connection import OpenConnection, Seal
from rondine.server.connecting.encryption import decrypt_secrets, encrypt_secrets, sealed, unsealed
from rondine.server.connecting.models import Connection, UserSession
from rondine.server.connecting.opening import cannot_sign_in, open_connection
from rondine.server.connecting.secrets import check_secret
from rondine.server.connecting.signing_in import PATIENCE
from rondine.server.connecting.tokens import fingerprint, store_token

#: How the tokens of sessions begin.
PREFIX = "rondine_session_"
#: Sessions that one request may name.
MOST = 8
USER_NAME, VERIFIER = "user_name", "verifier"
#: Its `used_at` is this exact.
MINUTE = timedelta(minutes=1)


class UserSignInNeeded(RondineError):
    """The user of an application must sign in at the service first, or again."""

    code, status = "user_sign_in_needed", 403


@dataclass(frozen=True, slots=True)
class OpenSession:
    """A session that a request names. values: what the user gave.  is_begun: the user is still at the consent page."""

    seal: Seal
    connection: str
    caller: str
    fingerprint: str
    values: Mapping[str, Secret]
    user_name: str
    is_begun: bool


def begin_session(
    application: Any,
    connection: Connection,
    caller: str,
    given: Mapping[str, str],
    callback: Callable[[], str],
    lasts: timedelta,
) -> tuple[str, str]:
    """(the token of a session, the address of the consent page; empty if the user need not go there). application: its
    row.  given: by the user: user name and secrets; nothing where the user consents at the service, and is sent back to
    the callback address.

    Raises InputError with each thing that is missing or not asked for, DraftError.
    """
    opened = open_connection(connection, for_callers=True)
    if not opened.callers_sign_in:
        raise InputError(
            f'users do not sign in at service "{connection.service.name}" themselves: its connection does',
            where="/service",
            hint="call it; or let a builder set callers_sign_in of the connection",
        )
    values = _checked(opened, given)
    token = PREFIX + secrets.token_urlsafe(32)
    seal = Seal(str(uuid.uuid4()), Secret(token, "session"))
    opened = replace(opened, sign_in=with_user_name(opened.sign_in, values.get(USER_NAME, "")))
    address, state_digest, back = "", None, ""
    if isinstance(opened.sign_in, AuthorizationCode):
        opened.guard.permission(opened.sign_in.authorization_address)
        back = callback()
        state, verifier = secrets.token_urlsafe(32), secrets.token_urlsafe(48)
        values = {VERIFIER: verifier}
        state_digest = hashlib.sha256(state.encode()).digest()
        address = opened.sign_in.consent_address(callback=back, state=state, verifier=verifier)
    version, encrypted = encrypt_secrets(sealed(values, seal), f"session {seal.id}")
    row = UserSession(
        pk=seal.id,
        application=application,
        connection=connection,
        digest=_digest(token),
        caller=caller,
        state_digest=state_digest,
        callback=back,
        fingerprint=fingerprint(opened),
        key_version=version,
        encrypted=encrypted,
        expires_at=timezone.now() + (PATIENCE if address else lasts),
    )
    row.save(force_insert=True)
    return token, address


def _checked(opened: OpenConnection, given: Mapping[str, str]) -> dict[str, str]:
    """Raises InputError with all that is wrong."""
    wanted = [*([USER_NAME] if has_user_name(opened.sign_in) else []), *own_secrets(opened.sign_in)]
    words = f"this service asks for {' and '.join(wanted)}" if wanted else "the user gives them to the service alone"
    problems = [
        Problem(f"/{name}", f'there is no "{name}" to be given here', did_you_mean(name, wanted) or words)
        for name in given
        if name not in wanted
    ]
    problems += [Problem(f"/{name}", f"{name} is missing", words) for name in wanted if not given.get(name)]
    for name, value in given.items():
        if name in wanted and value and name != USER_NAME:
            check_secret(name, value)
        elif name == USER_NAME and (len(value) > 200 or not value.isprintable()):
            problems.append(Problem(f"/{name}", "it is no user name of 200 characters at most", words))
    if problems:
        raise InputError(problems[0].message, where=problems[0].where, hint=problems[0].hint, problems=problems)
    return {name: given[name] for name in wanted}


def taken_answer(session: OpenSession, answer: Mapping[str, str]) -> tuple[OpenConnection, str]:
    """(the connection of the user, the callback address): of the sign-in that an answer of the consent page belongs to.
    It can be taken once. Raises InputError."""
    digest = hashlib.sha256(answer.get("state", "").encode()).digest()
    with transaction.atomic():
        found = UserSession.objects.select_for_update(of=("self",)).filter(pk=session.seal.id, state_digest=digest)
        row = found.first()
        if row is not None:
            row.state_digest = None
            row.save(update_fields=["state_digest"])
    if row is None:
        raise InputError(
            "this answer belongs to no sign-in that this session has begun, or it was handed in before",
            where="/answer/state",
            hint="begin again, and hand in what the service sent the user back with",
        )
    return own_connection(session), row.callback


async def handed_in(
    own: OpenConnection, session: OpenSession, callback: str, answer: Mapping[str, str], engine: Engine
) -> Token:
    """The token for the code that the user came back with. Raises what the service refuses."""
    scheme = own.sign_in
    assert isinstance(scheme, AuthorizationCode)
    code, verifier = scheme.checked_answer(answer), session.values[VERIFIER]
    return await engine.sign_in_once(
        own, lambda context: scheme.first_token(context, code, callback=callback, verifier=verifier)
    )


def keep_token(own: OpenConnection, token: Token, lasts: timedelta) -> None:
    """After a consent, the session goes on with its token alone."""
    assert own.session is not None
    version, encrypted = encrypt_secrets(sealed({}, own.session), f"session {own.session.id}")
    with transaction.atomic():
        fields = {"key_version": version, "encrypted": encrypted, "expires_at": timezone.now() + lasts}
        UserSession.objects.filter(pk=own.session.id).update(**fields)
        store_token(own, None, token)


async def password_token(own: OpenConnection, engine: Engine) -> Token | None:
    """A token for the user's password; None where the service gives none, and the first call proves it. Raises
    SignInRefused."""
    scheme = own.sign_in
    return await engine.sign_in_once(own, scheme.first_token) if isinstance(scheme, PasswordGrant) else None


def own_connection(session: OpenSession) -> OpenConnection:
    """The connection that a session is for, as it is now, with the user's sign-in."""
    row = Connection.objects.select_related("credential", "service", "environment", "project")
    return _of_session(open_connection(row.get(pk=session.connection), for_callers=True), session)


def sessions_named(application: Any, text: str) -> list[OpenSession]:
    """The sessions that a request names, separated by commas. Raises UserSignInNeeded for one that has ended."""
    tokens = [token.strip() for token in text.split(",") if token.strip()]
    if len(tokens) > MOST:
        raise InputError(f"it names more than {MOST} sessions", where="Rondine-Session header", hint="send fewer")
    digests = {_digest(token): token for token in tokens}
    now = timezone.now()
    rows = UserSession.objects.filter(digest__in=list(digests), application=application, expires_at__gt=now)
    found = [_opened(row, digests[bytes(row.digest)]) for row in rows]
    if len(found) < len(digests):
        raise UserSignInNeeded(
            "a session that the request names has ended, or is not known",
            where="Rondine-Session header",
            hint="let the user sign in again: POST sessions",
        )
    stale = [row.pk for row in rows if row.used_at is None or now - row.used_at > MINUTE]
    if stale:
        UserSession.objects.filter(pk__in=stale).update(used_at=now)
    return found


def _opened(row: UserSession, token: str) -> OpenSession:
    seal = Seal(str(row.pk), Secret(token, "session"))
    values = unsealed(decrypt_secrets(row.key_version, bytes(row.encrypted), f"session {row.pk}"), seal)
    user_name = values.pop(USER_NAME, "")
    held = {name: Secret(value, f"the user's {name}") for name, value in values.items()}
    return OpenSession(
        seal, str(row.connection_id), row.caller, row.fingerprint, held, user_name, row.state_digest is not None
    )


def signed_in(opened: OpenConnection, sessions: Sequence[OpenSession] | None) -> OpenConnection:
    """The connection with the sign-in of the user whom a call is for, where users have their own. sessions: of an
    application's request; None for a call that is for no user of an application.

    Raises UserSignInNeeded, and DraftError where only users can sign in.
    """
    if sessions is None:
        if opened.lacking:
            raise cannot_sign_in(opened.name, opened.lacking)
        return opened
    if not opened.callers_sign_in:
        return opened
    session = next((one for one in sessions if one.connection == opened.id), None)
    if session is None or session.is_begun:
        raise UserSignInNeeded(
            f'users sign in at connection "{opened.name}" themselves, and this request names no user\'s session'
            if session is None
            else "the user has not come back from the service's page of consent yet",
            where="Rondine-Session header",
            hint="POST sessions begins one; send its token with each call",
        )
    own = _of_session(opened, session)
    if fingerprint(own) != session.fingerprint:
        raise UserSignInNeeded(
            f'the settings of connection "{opened.name}" have changed since the user signed in',
            where="Rondine-Session header",
            hint="let the user sign in again: nothing of a session is sent anywhere else",
        )
    return own


def _of_session(opened: OpenConnection, session: OpenSession) -> OpenConnection:
    values = {name: value for name, value in session.values.items() if name != VERIFIER}
    return replace(
        opened,
        sign_in=with_user_name(opened.sign_in, session.user_name),
        secrets=tuple({**one, **values} for one in opened.secrets),
        token_id=f"{opened.id}/@{session.seal.id}",
        memory={},
        lacking=(),
        session=session.seal,
    )


def told_to_user(opened: OpenConnection, error: RondineError, status: int | None) -> RondineError:
    """What went wrong, for the user whose sign-in it was. status: that the service answered, None if it did not."""
    if opened.session is not None and (isinstance(error, SignInRefused) or status == 401):
        return UserSignInNeeded(
            f"the service does not accept the user's sign-in: {error.message}",
            where="Rondine-Session header",
            hint="let the user sign in again: POST sessions",
        )
    return error


def end_session(session: OpenSession) -> None:
    """Nothing of it is left."""
    UserSession.objects.filter(pk=session.seal.id).delete()


def forget_ended_sessions() -> int:
    return UserSession.objects.filter(expires_at__lte=timezone.now()).delete()[0]


def _digest(token: str) -> bytes:
    return hashlib.sha256(token.encode()).digest()
