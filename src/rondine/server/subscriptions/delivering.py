"""Telling what subscriptions are about: each in the order in which it happened, again and again until it is taken, and
from mark to mark, so that no crash loses any. What was sent and not seen to be taken is sent again as the same message,
whose id tells who gets it that it is a repetition.
"""

import asyncio
import json
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from typing import Any

import structlog
from django.conf import settings
from django.core.mail import EmailMultiAlternatives
from django.db import OperationalError, transaction
from django.db.models import F
from django.utils import timezone

from rondine.core.cloud_events import BATCH, batch, cloud_event
from rondine.core.errors import DraftError, RondineError, ServiceError
from rondine.core.http.messages import Request, Send
from rondine.core.http.signatures import standard_headers
from rondine.core.items.subscription import (
    CALL_ENDED,
    FEED_EVENTS,
    FLOW_EVENTS,
    ByEmail,
    ByWebhook,
    OfCalls,
    OfFeeds,
    OfFlows,
    OfRecords,
    SubscriptionDocument,
)
from rondine.core.signin import NoSignIn
from rondine.engine.client import Engine
from rondine.engine.connection import OpenConnection
from rondine.server.connecting.opening import guard_of
from rondine.server.connecting.secrets import secret_sets
from rondine.server.records.browsing import shown_data
from rondine.server.records.models import Record, RecordChange, RecordSet
from rondine.server.runs.calls import problem_of
from rondine.server.subscriptions.models import Event, Subscription
from rondine.server.threads import in_database

log = structlog.get_logger("rondine.subscriptions")
#: For how long nobody else tells the same; longer than one request may take.
LEASE = timedelta(minutes=3)
#: Until it is looked again whether something happened.
IDLE = timedelta(seconds=2)
#: Seconds before it is tried again, after the first failure and those that follow; then once an hour.
PAUSES = (5, 30, 120, 600, 3_600)
#: Most addresses in the text of one message.
MOST_TOLD = 50
#: A service that answers so wants no more (RFC 9110, section 15.5.11).
GONE = 410


@dataclass(frozen=True, slots=True)
class Message:
    """What is told at once. events: CloudEvents.  upto: the mark that is reached with them."""

    subscription: Subscription
    document: SubscriptionDocument
    events: Sequence[dict[str, Any]]
    upto: int

    @property
    def id(self) -> str:
        return f"{self.subscription.pk}-{self.subscription.mark}-{self.upto}"


def next_message(now: datetime | None = None) -> Message | Subscription | None:
    """The next one to be told, taken so that nobody else tells it; a subscription of which there is nothing to tell;
    None if none is due."""
    now = now or timezone.now()
    with transaction.atomic():
        subscription = (
            Subscription.objects.select_for_update(skip_locked=True, of=("self",))
            .select_related("project", "environment", "credential")
            .filter(next_at__lte=now, document__enabled__isnull=True, problems=[])
            .order_by("next_at")
            .first()
        )
        if subscription is None:
            return None
        Subscription.objects.filter(pk=subscription.pk).update(next_at=now + LEASE)
    document = subscription.loaded()
    find = _changes if isinstance(document.about, OfRecords) else _events
    events, upto = find(subscription, document)
    if not events:
        Subscription.objects.filter(pk=subscription.pk, mark=subscription.mark).update(
            mark=max(upto, subscription.mark), upto=None, next_at=now + IDLE
        )
        return subscription
    if subscription.upto != upto:
        Subscription.objects.filter(pk=subscription.pk).update(upto=upto)
    return Message(subscription, document, events, upto)


def _size(document: SubscriptionDocument) -> int:
    return document.by.batch if isinstance(document.by, ByWebhook) else MOST_TOLD


def _events(subscription: Subscription, document: SubscriptionDocument) -> tuple[list[dict[str, Any]], int]:
    """Of feeds, flows or calls."""
    about = document.about
    found = Event.objects.filter(environment=subscription.environment, pk__gt=subscription.mark)
    if subscription.upto:
        found = found.filter(pk__lte=subscription.upto)
    page = list(found.order_by("pk")[: _size(document)])
    source = f"/projects/{subscription.project.name}/environments/{subscription.environment.name}"
    events = []
    for event in page:
        if isinstance(about, OfCalls) and _is_wanted_call(event, about):
            kind, subject, of = "rondine.call.ended", f"runs/{event.run_id}", {"application": event.application}
        elif isinstance(about, OfFlows) and _is_wanted_flow(event, about):
            name = event.kind.removeprefix("flow_")
            subject = f"runs/{event.run_id}" if event.run_id else f"flows/{event.flow}"
            kind, of = f"rondine.flow.{name}", {"flow": event.flow}
        elif isinstance(about, OfFeeds) and _is_wanted(event, about):
            kind, subject, of = f"rondine.feed.{event.kind}", f"feeds/{event.feed}", {"feed": event.feed}
        else:
            continue
        data = {**event.data, **of, "run": event.run_id}
        events.append(cloud_event(f"{source}/events/{event.pk}", kind, source, subject, event.at, data))
    return events, page[-1].pk if page else subscription.mark


def _is_wanted(event: Event, about: OfFeeds) -> bool:
    if event.kind not in FEED_EVENTS or (about.feeds and event.feed not in about.feeds):
        return False
    return event.kind in about.events if about.events else event.kind != "ended"


def _is_wanted_call(event: Event, about: OfCalls) -> bool:
    is_ours = event.kind == CALL_ENDED and (not about.applications or event.application in about.applications)
    return is_ours and (not about.ends or event.data["state"] in about.ends)


def _is_wanted_flow(event: Event, about: OfFlows) -> bool:
    if event.kind not in FLOW_EVENTS or (about.flows and event.flow not in about.flows):
        return False
    name = event.kind.removeprefix("flow_")
    return name in about.events if about.events else name != "ended"


def _changes(subscription: Subscription, document: SubscriptionDocument) -> tuple[list[dict[str, Any]], int]:
    about: Any = document.about
    records = (
        RecordSet.objects.select_related("record_type")
        .filter(environment=subscription.environment, record_type__name=about.record_type)
        .filter(record_type__project=subscription.project_id)
        .first()
    )
    if records is None:
        return [], subscription.mark
    found = RecordChange.objects.filter(set_id=records.pk, pk__gt=subscription.mark)
    if subscription.upto:
        found = found.filter(pk__lte=subscription.upto)
    page = list(found.order_by("pk")[: _size(document)])
    wanted = [change for change in page if not about.kinds or change.kind in about.kinds]
    kept = Record.objects.in_bulk([change.record_id for change in wanted])
    of = records.loaded()
    name = f"/projects/{subscription.project.name}/environments/{subscription.environment.name}"
    source = f"{name}/records/{about.record_type}"
    events = []
    for change in wanted:
        record = kept.get(change.record_id)
        data = {
            "kind": change.kind,
            "key": json.loads(change.key),
            "run": change.run_id,
            "before": None if change.before is None else shown_data(change.before, of),
            "after": None if change.after is None else shown_data(change.after, of),
            "record": None if record is None else shown_data(record.data, of),
        }
        subject = "/".join(map(str, json.loads(change.key)))
        events.append(
            cloud_event(f"{source}/{change.pk}", f"rondine.record.{change.kind}", source, subject, change.at, data)
        )
    return events, page[-1].pk if page else subscription.mark


async def tell(message: Message, engine: Engine, pool: ThreadPoolExecutor) -> None:
    """Sends one message and puts down what became of it."""
    error: RondineError | None = None
    try:
        if isinstance(message.document.by, ByEmail):
            await asyncio.get_running_loop().run_in_executor(pool, _send_email, message, message.document.by)
        else:
            await _send_webhook(message, message.document.by, engine, pool)
    except RondineError as failure:
        error = failure
    except OSError as failure:  # the mail server
        words = f"the mail server cannot be reached: {failure}"
        error = ServiceError(words, where=settings.EMAIL_HOST, hint="look at RONDINE_SMTP")
    await in_database(pool, _settle, message, error)


async def _send_webhook(message: Message, by: ByWebhook, engine: Engine, pool: ThreadPoolExecutor) -> None:
    def prepared() -> tuple[OpenConnection, Request]:
        credential = message.subscription.credential
        if credential is None:
            raise DraftError("it has no key to sign with", where="credential", hint="name a credential")
        secrets = [secrets["signing_key"].reveal() for secrets in secret_sets(credential) if "signing_key" in secrets]
        body = batch(message.events)
        headers = (("Content-Type", BATCH), *standard_headers(message.id, datetime.now(UTC), body, secrets))
        opened = OpenConnection(
            f"subscription {message.subscription.pk}",
            message.subscription.version,
            "",
            NoSignIn(),
            guard_of(message.subscription.project_id),
            is_connection=False,
        )
        return opened, Request("POST", by.address, headers, body)

    opened, request = await in_database(pool, prepared)
    received = await engine.call(opened, Send(request))
    if not 200 <= received.status < 300:
        hint = "it will be tried again" if received.status != GONE else "it wants no more: it was switched off"
        raise ServiceError(f"it answered {received.status} {received.reason}", where=by.address, hint=hint)


def _send_email(message: Message, by: ByEmail) -> None:
    lines = [_sentence(event) for event in message.events]
    subject = lines[0][0] if len(lines) == 1 else f"{lines[0][0]}, and {len(lines) - 1} more"
    text = "\n\n".join(f"{head}\n{rest}".strip() for head, rest in lines)
    where = f"{message.subscription.project} ({message.subscription.environment})"
    mail = EmailMultiAlternatives(
        subject.replace("\n", " ")[:200], f"{text}\n\nRondine, {where}\n", settings.DEFAULT_FROM_EMAIL, by.to
    )
    mail.extra_headers["Message-ID"] = f"<{message.id}@{settings.DEFAULT_FROM_EMAIL.rpartition('@')[2].rstrip('>')}>"
    mail.send()


def _sentence(event: dict[str, Any]) -> tuple[str, str]:
    data = event["data"]
    kind = event["type"].rpartition(".")[2].replace("_", " ")
    lines = [data.get("message", ""), data.get("hint", "")]
    lines += [f"{name}: {value}" for name, value in data.get("shows", {}).items()]
    if data.get("run"):
        lines.append(f"run {data['run']}")
    if data.get("link"):
        lines.append(data["link"])
    what = f"feed {data.get('feed', '')}"
    if "application" in data:
        what = f"call of {data['application']}"
    if "flow" in data:
        what = f"flow {data['flow']}"
    return f"{what}: {kind}", "\n".join(line for line in lines if line)


def _settle(message: Message, error: RondineError | None) -> None:
    now = timezone.now()
    mine = Subscription.objects.filter(pk=message.subscription.pk, mark=message.subscription.mark)
    if error is None:
        mine.update(
            mark=message.upto,
            upto=None,
            failures=0,
            error=None,
            told=F("told") + len(message.events),
            told_at=now,
            next_at=now,
        )
        return
    failures = message.subscription.failures + 1
    pause = timedelta(seconds=PAUSES[min(failures, len(PAUSES)) - 1])
    mine.update(failures=failures, error={**problem_of(error), "at": now.isoformat()}, next_at=now + pause)
    log.warning("a subscription could not be told", subscription=message.subscription.name, reason=error.message)


async def tell_for_ever(engine: Engine, pool: ThreadPoolExecutor, seconds: float = 1.0) -> None:
    """Tells what is due, one after another, until cancelled. Any number of workers may do so at once."""
    while True:
        try:
            message = await in_database(pool, next_message)
            if isinstance(message, Message):
                await tell(message, engine, pool)
                continue
            if message is not None:
                continue
        except OperationalError:
            pass
        except Exception:  # one subscription's fault must not keep the others from being told
            log.exception("telling a subscription failed")
        await asyncio.sleep(seconds)
