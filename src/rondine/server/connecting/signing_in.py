"""The authorization code flow with a person: sent to the service's consent page, awaited at the callback address; and
what is visible of a token."""

import hashlib
import secrets
from collections.abc import Mapping
from datetime import timedelta
from urllib.parse import urlencode, urlsplit

from asgiref.sync import sync_to_async
from django.core.signing import BadSignature, TimestampSigner
from django.db import transaction
from django.utils import timezone

from rondine.core.errors import InputError, NotFound, RondineError, short
from rondine.core.secret import Secret
from rondine.core.signin import AuthorizationCode, OAuthClient, SignInOperation
from rondine.engine.client import Engine, OpenConnection
from rondine.server.access.models import Person, Project
from rondine.server.connecting.encryption import decrypt_secrets, encrypt_secrets
from rondine.server.connecting.kinds import CONNECTIONS
from rondine.server.connecting.models import AccessToken, Connection, Environment, PendingSignIn
from rondine.server.connecting.opening import open_connection
from rondine.server.connecting.tokens import fingerprint, store_refusal, store_token
from rondine.server.items.actions import check_protected, find_item
from rondine.server.threads import release_database

#: How long a person may take at the consent page.
PATIENCE = timedelta(minutes=10)


#: What begins the state of a visit that only proves a callback address.
PROOF = "proof."
#: Paths that are the console's or the API's, and so nobody's callback address.
_TAKEN = ("/api", "/static", "/assets", "/p", "/callback")


def callback_path(project: str, environment: str) -> str:
    """The path of the usual callback address of an environment."""
    return f"/callback/{project}/{environment}"


def callback_address(environment: Environment, base: str) -> str:
    """Where services send people back to, to be registered there. base: scheme and host under which Rondine is reached
    just now."""
    return environment.callback or base + callback_path(environment.project.name, environment.name)


def checked_callback(address: str) -> str:
    """Raises InputError for what cannot be a callback address of this installation (RFC 6749, section 3.1.2)."""
    parts = urlsplit(address)
    first = "/" + parts.path.strip("/").partition("/")[0]
    words = ""
    if parts.scheme not in ("http", "https") or not parts.hostname or parts.username:
        words = "is not an address with a scheme and a host"
    elif parts.query or parts.fragment:
        words = "has a query or a fragment"
    elif len(parts.path) < 2:
        words = "has no path"
    elif first in _TAKEN:
        words = f"is below {first}, which has a use of its own"
    if words:
        raise InputError(
            f"{short(address)} {words}",
            where="/callback",
            hint="such as https://rondine.example/consent; its host must lead here, and stand in RONDINE_HOSTS",
        )
    return address


def environment_at(address: str) -> Environment | None:
    """The environment whose chosen callback address this is."""
    return Environment.objects.select_related("project").filter(callback=address).first()


def proof_address(environment: Environment, base: str) -> str:
    """What a browser visits to prove that the callback address leads here, and that who is signed in there is known."""
    state = PROOF + TimestampSigner(salt="callback").sign(str(environment.pk))
    return f"{callback_address(environment, base)}?{urlencode({'state': state})}"


def prove_callback(project: str, name: str, state: str) -> None:
    """Notes that a browser got through. Raises InputError for a proof that is none, or is too old."""
    environment = Environment.objects.filter(project__name=project, name=name).first()
    try:
        value = TimestampSigner(salt="callback").unsign(state.removeprefix(PROOF), max_age=PATIENCE)
    except BadSignature:
        value = ""
    if environment is None or value != str(environment.pk):
        raise InputError("this proof is not known, or it comes too late", where="state", hint="begin again")
    environment.callback_proven_at = timezone.now()
    environment.save(update_fields=["callback_proven_at"])


def begin_sign_in(project: Project, name: str, operation: str, person: Person, role: str, *, base: str) -> str:
    """The address of the service's consent page for this person. base: scheme and host under which Rondine is
    reached."""
    connection: Connection = find_item(CONNECTIONS, project, name)
    check_protected([connection.environment], role)
    opened = open_connection(connection, operation)
    if not isinstance(opened.sign_in, AuthorizationCode):
        raise InputError(
            f'connection "{name}" does not sign in by a person\'s consent',
            where="sign_in",
            hint="its sign-in must be of type authorization_code",
        )
    opened.guard.permission(opened.sign_in.authorization_address)
    state, verifier = secrets.token_urlsafe(32), secrets.token_urlsafe(48)
    callback = callback_address(connection.environment, base)
    version, encrypted = encrypt_secrets({"verifier": verifier}, f"pending {connection.pk}")
    PendingSignIn.objects.filter(made_at__lt=timezone.now() - PATIENCE).delete()
    PendingSignIn.objects.create(
        digest=hashlib.sha256(state.encode()).digest(),
        connection=connection,
        operation=operation,
        person=person,
        callback=callback,
        key_version=version,
        encrypted=encrypted,
    )
    return opened.sign_in.consent_address(callback=callback, state=state, verifier=verifier)


def take_pending(
    person: Person, project: str, environment: str, answer: Mapping[str, str]
) -> tuple[PendingSignIn, OpenConnection]:
    """The sign-in that an answer at the callback address belongs to; it can be taken once, by who has begun it. Raises
    InputError."""
    digest = hashlib.sha256(answer.get("state", "").encode()).digest()
    with transaction.atomic():
        pending = (
            PendingSignIn.objects.select_for_update(of=("self",))
            .select_related(
                "connection__project", "connection__environment", "connection__service", "connection__credential"
            )
            .filter(
                digest=digest,
                person=person,
                connection__project__name=project,
                connection__environment__name=environment,
            )
            .first()
        )
        if pending is not None:
            pending.delete()
    if pending is None or timezone.now() - pending.made_at > PATIENCE:
        raise InputError(
            "this answer belongs to no sign-in that you have begun, or it comes too late",
            where="state",
            hint="begin again on the connection's page",
        )
    return pending, open_connection(pending.connection, pending.operation)


async def finish_sign_in(
    person: Person, project: str, environment: str, answer: Mapping[str, str], engine: Engine
) -> tuple[Connection, RondineError | None]:
    """Hands the code in for the first token, and stores it. What goes wrong then stands with the connection and is
    given back."""
    pending, opened = await sync_to_async(take_pending)(person, project, environment, answer)
    scheme = opened.sign_in
    assert isinstance(scheme, AuthorizationCode)
    verifier = Secret(
        decrypt_secrets(pending.key_version, bytes(pending.encrypted), f"pending {pending.connection_id}")["verifier"],
        "verifier",
    )
    await release_database()
    try:
        code = scheme.checked_answer(answer)
        token = await engine.sign_in_once(
            opened, lambda context: scheme.first_token(context, code, callback=pending.callback, verifier=verifier)
        )
    except RondineError as error:
        await sync_to_async(store_refusal)(opened, None, error)
        return pending.connection, error
    await sync_to_async(store_token)(opened, None, token, person.pk)
    # what a check found before the consent is not so any more
    await Connection.objects.filter(pk=pending.connection_id).aupdate(check_result=None)
    return pending.connection, None


def discard_token(project: Project, name: str, operation: str, role: str) -> None:
    connection: Connection = find_item(CONNECTIONS, project, name)
    check_protected([connection.environment], role)
    if not AccessToken.objects.filter(connection=connection, operation=operation, session=None).delete()[0]:
        raise NotFound(f'connection "{name}" holds no token', where=name, hint="there is nothing to discard")
    Connection.objects.filter(pk=connection.pk).update(version=connection.version + 1)


def token_states(connection: Connection) -> list[AccessToken]:
    """The connection's tokens, each with its state now, in words too, and whether it can be renewed."""
    try:
        opened = open_connection(connection)
    except RondineError:
        opened = None
    has_tokens = opened is not None and isinstance(opened.sign_in, (OAuthClient, SignInOperation))
    rows = list(
        AccessToken.objects.filter(connection=connection, session=None)
        .select_related("signed_in_by")
        .order_by("operation")
    )
    if not rows and has_tokens:
        rows = [AccessToken(connection=connection)]
    for row in rows:
        row.state_now = "none" if _is_other(row, opened) else row.state  # type: ignore[attr-defined]
        row.words = words_of(row, opened)  # type: ignore[attr-defined]
        needs_person = isinstance(opened.sign_in if opened else None, AuthorizationCode)
        row.can_renew = row.has_refresh or not needs_person  # type: ignore[attr-defined]
    return rows


def _is_other(row: AccessToken, opened: OpenConnection | None) -> bool:
    return not row.operation and opened is not None and bool(row.encrypted) and row.fingerprint != fingerprint(opened)


def words_of(row: AccessToken, opened: OpenConnection | None) -> str:
    now = timezone.now()
    if _is_other(row, opened):
        return "the settings have changed since the token was obtained; it is not used any more"
    if row.obtained_at is None and row.state in ("none", "sign_in_again"):
        is_consent = opened is not None and isinstance(opened.sign_in, AuthorizationCode)
        return "nobody has signed in yet" if is_consent else "no token yet; the first call fetches one"
    if row.state in ("refused", "sign_in_again"):
        again = " Somebody must sign in again." if row.state == "sign_in_again" else ""
        return f"refused: {row.refusal['message'] if row.refusal else ''}.{again}"
    if row.expires_at is None:
        return "valid; the service names no end"
    return "valid" if row.expires_at > now else "ended; the next call renews it"
