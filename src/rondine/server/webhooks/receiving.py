"""A delivery taken in: verified before anything is read from it, stored, and answered; what becomes of it comes
later."""

import hashlib
import json
from collections.abc import Mapping
from typing import Any

from django.db import transaction
from django.db.models import F
from django.utils import timezone

from rondine.core.errors import InputError, NotAllowed, NotFound
from rondine.core.http.messages import Headers, shown_headers
from rondine.core.items.webhook import WebhookDocument, check_proof, header
from rondine.core.media_types import bare_media_type, parameters_of
from rondine.server.connecting.secrets import secret_sets
from rondine.server.runs.models import Body
from rondine.server.webhooks.models import Delivery, Webhook

#: Bytes of a delivery.
MOST = 8 * 1024 * 1024


def find_webhook(project: str, name: str) -> Webhook:
    """Raises NotFound, which tells no more than that."""
    found = (
        Webhook.objects.select_related("project", "environment", "credential")
        .filter(project__name=project, name=name)
        .first()
    )
    if found is None:
        raise NotFound("there is no such webhook", where="the address", hint="take it from the webhook's page")
    return found


def challenged(webhook: Webhook, query: Mapping[str, str], body: bytes) -> str | dict[str, Any] | None:
    """What a service wants back when it is told the address; None if it asks nothing."""
    challenge = webhook.loaded().challenge
    if challenge is None:
        return None
    value: Any = None
    if challenge.member and len(body) < 10_000:
        try:
            value = json.loads(body)
        except ValueError:
            value = None
    return challenge.answer(query, value)


def receive(webhook: Webhook, headers: Headers, body: bytes) -> bool:
    """Stores a delivery; False if it was there already. Raises NotAuthentic, and stores nothing, if it does not come
    from who has the secret; NotAllowed if the webhook is switched off."""
    document = webhook.loaded()
    credential = webhook.credential
    sets = secret_sets(credential) if credential is not None else ()
    secrets = [secrets["signing_key"].reveal() for secrets in sets if "signing_key" in secrets]
    check_proof(document.proof, headers, body, secrets, timezone.now())
    if not document.enabled:
        raise NotAllowed("this webhook is switched off", where=webhook.name, hint="send it again later")
    if len(body) > MOST:
        raise InputError(f"it is larger than {MOST // 1024**2} MiB", where="the body", hint="send less at a time")
    content_type = header(headers, "content-type")
    media_type, charset = bare_media_type(content_type), parameters_of(content_type).get("charset", "")
    mark = _mark(document, headers, body)
    with transaction.atomic():
        if Delivery.objects.filter(webhook=webhook, mark=mark).update(repeated=F("repeated") + 1):
            return False
        stored = Body.of(webhook.project_id, body, media_type, charset)
        stored.save()
        made = Delivery.objects.bulk_create(
            [Delivery(webhook=webhook, mark=mark, body=stored, headers=shown_headers(headers))], ignore_conflicts=True
        )
        return bool(made)


def _mark(document: WebhookDocument, headers: Headers, body: bytes) -> str:
    told = header(headers, document.id_header) if document.id_header else ""
    return told[:200] or f"sha256:{hashlib.sha256(body).hexdigest()}"
