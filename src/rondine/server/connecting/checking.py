"""The check of a connection: settings, resolve, connect, TLS, sign in, one harmless call; in the web process or in a
worker."""

import asyncio
import contextlib
from collections.abc import Mapping
from typing import Any

from asgiref.sync import sync_to_async
from django.utils import timezone
from procrastinate.contrib.django import app

from rondine.core.documents import ReadDocument, read_document
from rondine.core.errors import Conflict, DocumentError, RondineError, ServiceTooSlow, SignInRefused
from rondine.core.http.messages import Request, Send
from rondine.core.protocols.classifying import USUAL_RULES, classify_response
from rondine.core.signin import OAuthClient, SignInOperation
from rondine.core.signin.oauth import missing_scopes
from rondine.engine.client import Engine, OpenConnection
from rondine.engine.probe import Stage, probe
from rondine.engine.receiving import SideCall
from rondine.server.access.models import Project
from rondine.server.connecting.kinds import CONNECTIONS
from rondine.server.connecting.models import Connection
from rondine.server.connecting.opening import open_connection
from rondine.server.connecting.process import TRIAL_PATIENCE
from rondine.server.items.actions import find_item
from rondine.server.runs.calls import here
from rondine.server.runs.sites import live_sites, queue_of
from rondine.server.threads import release_database

#: The task that checks a connection, by its name.
CHECK_HERE = "rondine.check_here"
#: Seconds that a check waits for a worker to take it up and be done.
WORKER_PATIENCE = 60.0


async def check_connection(project: Project, name: str, engine: Engine, *, is_worker: bool = False) -> dict[str, Any]:
    """Whether a connection works from this process; each stage with its time and outcome in words. Sends one GET to the
    base address."""
    connection = await sync_to_async(find_item)(CONNECTIONS, project, name)
    stages: list[Stage] = []
    try:
        opened = await sync_to_async(open_connection)(connection)
        stages.append(Stage("settings", True, "complete"))
    except RondineError as error:
        stages.append(Stage("settings", False, error.message, error.hint))
    else:
        await release_database()
        await look_at(opened, engine, stages)
    result = {
        "works": all(stage.is_good for stage in stages),
        "steps": [
            {"step": stage.name, "is_good": stage.is_good, "words": stage.words, "hint": stage.hint, "ms": stage.ms}
            for stage in stages
        ],
        "at": timezone.now().isoformat(),
        "by": here(),
        "by_worker": is_worker,
    }
    await sync_to_async(_keep)(connection.pk, result)
    return result


async def look_at(opened: OpenConnection, engine: Engine, stages: list[Stage]) -> None:
    """The stages behind the settings, as far as they go."""
    try:
        opened.guard.permission(opened.base_address)
    except RondineError as error:
        stages.append(Stage("permission", False, error.message, error.hint))
        return
    stages.append(Stage("permission", True, "the host is permitted"))
    if not await probe(opened, stages.append):
        return
    sides: list[SideCall] = []
    has_token = isinstance(opened.sign_in, (OAuthClient, SignInOperation))
    request = Request("GET", opened.base_address, (*opened.headers, ("Accept", "*/*")))
    try:
        received = await engine.call(opened, Send(request), patience=TRIAL_PATIENCE, on_side_call=sides.append)
    except SignInRefused as error:
        stages.append(Stage("sign in", False, error.message, error.hint))
        return
    except RondineError as error:
        is_sign_in = error.where.startswith("POST") or "private_key" in error.where or "sign_in" in error.where
        stages.append(Stage("sign in" if is_sign_in else "call", False, error.message, error.hint))
        return
    read = ReadDocument(None)
    with contextlib.suppress(DocumentError):
        read = read_document(received.body, media_type=received.media_type, charset=received.charset)
    meaning = classify_response(USUAL_RULES, received.status, read, received.headers)
    told = f" - {meaning.message}" if meaning.message else ""
    is_refused = received.status in (401, 403, 407)
    words = f"{received.status}: {meaning.words}{told}" if is_refused else _signed_in(opened, sides)
    hint = meaning.hint if is_refused else ""
    if has_token and not is_refused:
        token = await engine.shared.read_token(opened)
        wanted = getattr(opened.sign_in, "scope", "")
        if token is not None and (missing := missing_scopes(wanted, token)):
            words = (
                f"signed in, but without the scope {', '.join(missing)}: the service granted {token.scope or 'none'}"
            )
            stages.append(Stage("sign in", False, words, "have the scope allowed where the client is registered"))
            return
    stages.append(Stage("sign in", not is_refused, words, hint))
    if not is_refused:
        is_good = received.status < 500
        words = f"GET {opened.base_address} answered {received.status}"
        if 300 <= received.status < 500:
            words += " (nothing stands there itself; that is usual)"
        stages.append(Stage("call", is_good, words, "" if is_good else meaning.hint, received.timings.done))


def _signed_in(opened: OpenConnection, sides: list[SideCall]) -> str:
    asked = sum(side.purpose == "sign-in" for side in sides)
    if isinstance(opened.sign_in, (OAuthClient, SignInOperation)):
        return "a new access token was given" if asked else "the access token held is accepted"
    return "not refused"


def _keep(connection_id: Any, result: Mapping[str, Any]) -> None:
    Connection.objects.filter(pk=connection_id).update(check_result=result)


async def check_in_worker(project: Project, name: str) -> dict[str, Any]:
    """The same, carried out by a worker of the connection's site. Raises Conflict if none takes it up in time."""
    connection: Connection = await sync_to_async(find_item)(CONNECTIONS, project, name)
    site = connection.document.get("site", "")
    asked = timezone.now().isoformat()
    await sync_to_async(_queue_check)(str(connection.pk), site)
    until = asyncio.get_running_loop().time() + WORKER_PATIENCE
    while asyncio.get_running_loop().time() < until:
        await asyncio.sleep(0.2)
        found = await sync_to_async(_checked_since)(connection.pk, asked)
        if found is not None:
            return found
    if not await sync_to_async(has_worker)(site):
        raise Conflict(
            f"no worker is running{f' at the site {site}' if site else ''}",
            where="worker",
            hint=f"start one: rondine-server work{f' --site {site}' if site else ''}",
        )
    raise ServiceTooSlow(
        "no worker had time for the check", where="worker", hint="look at what they do: rondine run list"
    )


def has_worker(site: str = "") -> bool:
    return site in live_sites()


def _queue_check(connection_id: str, site: str) -> None:
    app.configure_task(CHECK_HERE, queue=queue_of(site)).defer(connection_id=connection_id)


def _checked_since(connection_id: Any, moment: str) -> dict[str, Any] | None:
    found: dict[str, Any] | None = Connection.objects.values_list("check_result", flat=True).get(pk=connection_id)
    return found if found is not None and found["at"] > moment and found.get("by_worker") else None
