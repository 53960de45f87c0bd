"""Users of an application who sign in at a service with accounts of their own: sessions begun, answered and ended.

POST   sessions                  begins one: {"service": ..., "callback": ...} where the user consents at the service,
                                 else {"service": ..., "user_name": ..., "secrets": {"password": ...}}
GET    sessions/current          whether the session of the request's Rondine-Session header is good
POST   sessions/current/answer   {"answer": {...}}: the query with which the service sent the user back
DELETE sessions/current          signs out: nothing of it is left
"""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import timedelta
from typing import Any

from rondine.core.definitions.offering import OfferedSignIn
from rondine.core.errors import InputError, NotFound, Problem, RondineError, did_you_mean
from rondine.core.signin.own import has_user_name, may_be_own, own_secrets
from rondine.server.api.rendering import JsonRenderer
from rondine.server.applications.admission import Admission
from rondine.server.applications.invoking import Invoker
from rondine.server.applications.offering import Offer
from rondine.server.applications.replies import Reply
from rondine.server.connecting.models import Connection, Service, UserSession
from rondine.server.connecting.opening import connection_for
from rondine.server.connecting.tokens import store_token
from rondine.server.connecting.user_sessions import (
    OpenSession,
    UserSignInNeeded,
    begin_session,
    end_session,
    handed_in,
    keep_token,
    own_connection,
    password_token,
    sessions_named,
    taken_answer,
    told_to_user,
)
from rondine.server.threads import in_database

_render = JsonRenderer().render
_KNOWN = ("service", "callback", "user_name", "secrets")


@dataclass
class SessionDoor:
    """invoker: has the engine and the threads."""

    invoker: Invoker

    async def named(self, admission: Admission, text: str, caller: str) -> list[OpenSession]:
        """The sessions that a request names. Raises UserSignInNeeded, also for one of another user than the request is
        for."""
        if not text:
            return []
        found = await in_database(self.invoker.pool, sessions_named, admission.application.pk, text)
        for one in found:
            if one.caller and caller and one.caller != caller:
                raise UserSignInNeeded(
                    f'the session is that of "{one.caller}", and the request is for "{caller}"',
                    where="Rondine-Session header",
                    hint="send the session of the user whom the request is for",
                )
        return found

    async def begin(self, admission: Admission, body: Any, caller: str) -> Reply:
        service, callback, given = _asked(body)
        token, address = await in_database(self.invoker.pool, _begin, admission, service, callback, given, caller)
        [session] = await in_database(self.invoker.pool, sessions_named, admission.application.pk, token)
        is_proven = False
        if not address:
            own = await in_database(self.invoker.pool, own_connection, session)
            try:
                obtained = await password_token(own, self.invoker.engine)
            except RondineError as error:
                await in_database(self.invoker.pool, end_session, session)
                raise told_to_user(own, error, None) from error
            if obtained is not None:
                is_proven = True
                await in_database(self.invoker.pool, store_token, own, None, obtained)
        shown = await in_database(self.invoker.pool, _shown, session, is_proven)
        return Reply(201, _render({**shown, "session": token, "address": address or None}))

    async def show(self, admission: Admission, text: str) -> Reply:
        session = await self._one(admission, text)
        return Reply(200, _render(await in_database(self.invoker.pool, _shown, session, None)))

    async def answer(self, admission: Admission, text: str, body: Any) -> Reply:
        session = await self._one(admission, text)
        answer = body.get("answer") if isinstance(body, dict) and set(body) == {"answer"} else None
        if not isinstance(answer, dict) or not all(isinstance(value, str) for value in answer.values()):
            hint = 'such as {"answer": {"code": "...", "state": "..."}}'
            raise InputError("the body is not an object with the member answer alone", where="/", hint=hint)
        own, callback = await in_database(self.invoker.pool, taken_answer, session, answer)
        try:
            token = await handed_in(own, session, callback, answer, self.invoker.engine)
        except RondineError as error:
            await in_database(self.invoker.pool, end_session, session)
            raise told_to_user(own, error, None) from error
        await in_database(self.invoker.pool, keep_token, own, token, _lasts(admission))
        return Reply(200, _render(await in_database(self.invoker.pool, _shown, session, None)))

    async def end(self, admission: Admission, text: str) -> Reply:
        session = await self._one(admission, text)
        await in_database(self.invoker.pool, end_session, session)
        return Reply(204, b"")

    async def _one(self, admission: Admission, text: str) -> OpenSession:
        if not text.strip() or "," in text:
            raise InputError(
                "the request does not name one session", where="Rondine-Session header", hint="send its token"
            )
        [session] = await self.named(admission, text, "")
        return session


def _lasts(admission: Admission) -> timedelta:
    return timedelta(hours=admission.document.session_hours)


def _asked(body: Any) -> tuple[str, str, dict[str, str]]:
    """(service, callback address, what the user gave). Raises InputError with all that is wrong."""
    if not isinstance(body, dict):
        raise InputError("the body is not an object", where="/", hint='such as {"service": "crew-board"}')
    problems = [
        Problem(f"/{name}", f'there is no member "{name}"', did_you_mean(name, _KNOWN))
        for name in body
        if name not in _KNOWN
    ]
    secrets = body.get("secrets", {})
    texts: Mapping[str, Any] = {name: body.get(name, "") for name in ("service", "callback", "user_name")}
    problems += [
        Problem(f"/{name}", "it is not a text", "give a text") for name, one in texts.items() if not _text(one)
    ]
    if not isinstance(secrets, dict) or not all(map(_text, secrets.values())):
        problems.append(Problem("/secrets", "it is not an object of texts", 'such as {"password": "..."}'))
    elif not texts["service"]:
        problems.append(Problem("/service", "service is missing", "name the service that the user signs in at"))
    if problems:
        raise InputError(problems[0].message, where=problems[0].where, hint=problems[0].hint, problems=problems)
    name = {"user_name": texts["user_name"]} if texts["user_name"] else {}
    return texts["service"], texts["callback"], {**name, **secrets}


def _text(value: Any) -> bool:
    return isinstance(value, str) and "\0" not in value


def _begin(admission: Admission, service: str, callback: str, given: Mapping[str, str], caller: str) -> tuple[str, str]:
    """Raises NotFound for a service of which nothing is offered, too."""
    offered = {operation.service_id for operation in Offer(admission).operations}
    found = Service.objects.filter(pk__in=offered, name=service).first()
    if found is None:
        names = Service.objects.filter(pk__in=offered).values_list("name", flat=True)
        raise NotFound(
            f'the application uses no service "{service[:80]}"', where="/service", hint=did_you_mean(service, names)
        )

    def permitted() -> str:
        callbacks = admission.document.callbacks
        if callback not in callbacks:
            raise InputError(
                f"{callback[:200]!a} is no callback address of this application" if callback else "callback is missing",
                where="/callback",
                hint=f"one of {', '.join(callbacks)}" if callbacks else "an administrator permits it: callbacks",
            )
        return callback

    connection = connection_for(found, admission.environment)
    return begin_session(admission.application, connection, caller, given, permitted, _lasts(admission))


def _shown(session: OpenSession, is_proven: bool | None) -> dict[str, Any]:
    """is_proven: None to look whether there is a token."""
    row = UserSession.objects.select_related("connection__service", "access_token").get(pk=session.seal.id)
    held = getattr(row, "access_token", None)
    if is_proven is None:
        is_proven = held is not None and held.state == "valid"
    return {
        "service": row.connection.service.name,
        "state": "begun" if row.state_digest is not None else "signed_in",
        "is_proven": is_proven,
        "caller": row.caller,
        "made_at": row.made_at,
        "expires_at": row.expires_at,
    }


@dataclass(frozen=True, slots=True)
class SignIns:
    """Where users sign in themselves. by_service: by the service's id, with the operations that have a sign-in of their
    own."""

    by_service: Mapping[Any, tuple[OfferedSignIn, frozenset[str]]]

    def of(self, service: Any, operation: str) -> OfferedSignIn | None:
        found, others = self.by_service.get(service, (None, frozenset()))
        return found if operation not in others else None


def sign_ins(admission: Admission) -> SignIns:
    found = {}
    for connection in Connection.objects.filter(environment=admission.environment).select_related("service"):
        document = connection.loaded()
        if document.callers_sign_in and may_be_own(document.sign_in):
            asks = ["user_name"] if has_user_name(document.sign_in) else []
            offered = OfferedSignIn(connection.service.name, [*asks, *own_secrets(document.sign_in)])
            others = frozenset(own.operation for own in document.own_sign_ins)
            found[connection.service_id] = (offered, others)
    return SignIns(found)
