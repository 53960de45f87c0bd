"""Verified requests of services for flows: they let the runs go on that wait for them, or begin one.

A service may be quicker than the run that is going to wait for it. So a delivery that nobody waits for is kept as it
is, and each pause, when it has begun, looks at those that came since its run began.
"""

from collections.abc import Sequence
from typing import Any

from django.db import transaction
from django.utils import timezone

from rondine.core.documents import read_document
from rondine.core.errors import Conflict, RondineError
from rondine.core.flow.history import Answered, AnyEvent, History
from rondine.core.items.webhook import ToFlow
from rondine.core.mapping.document import Condition
from rondine.core.mapping.taking import passes
from rondine.core.paths import parse_pointer, resolve
from rondine.server.flows.log import tell_run
from rondine.server.flows.lookup import may_wait_for, value_at
from rondine.server.flows.models import Flow, FlowPause
from rondine.server.flows.queueing import queue_flow
from rondine.server.runs.calls import problem_of
from rondine.server.runs.models import Body, Run
from rondine.server.webhooks.acting import TO_FLOWS
from rondine.server.webhooks.models import Delivery, Webhook

#: What is said of a delivery that no run waits for, as yet.
NOBODY = "no run waits for it; one that comes to wait for it takes it"


def act(webhook: Webhook, becomes: ToFlow, deliveries: Sequence[Delivery]) -> int:
    """Within a transaction that holds the webhook."""
    for delivery in deliveries:
        delivery.state = "done"
        try:
            value = value_of(delivery.body)
            pauses = FlowPause.objects.filter(
                kind="callback", webhook__in=("", webhook.name), run__environment=webhook.environment_id
            )
            for pause in may_wait_for(value, pauses).order_by("pk"):
                if matches(pause, value) and _tell(pause, delivery, value):
                    delivery.run_id = pause.run_id
            if delivery.run_id is None and becomes.flow:
                delivery.run = _begin(webhook, becomes, value)
            elif delivery.run_id is None:
                delivery.error = {"code": "not_waited_for", "message": NOBODY, "where": "", "hint": ""}
        except RondineError as error:
            delivery.state, delivery.error = "failed", problem_of(error)
    Delivery.objects.bulk_update(deliveries, ["run", "state", "error"])
    return len(deliveries)


def value_of(body: Body) -> Any:
    """Raises DocumentError."""
    return read_document(body.content(), media_type=body.media_type, charset=body.charset).value


def matches(pause: FlowPause, value: Any) -> bool:
    """Whether a body has all that a pause asks of it."""
    return all(
        passes(Condition(source="", is_="equal", value=wanted), value_at(at, value))
        for at, wanted in pause.content.get("matches", [])
    )


def _tell(pause: FlowPause, delivery: Delivery, value: Any) -> bool:
    """False if the run does not wait for it any more."""

    def made(run: Run, events: Sequence[AnyEvent]) -> AnyEvent:
        if pause.task in History.of(events).outcomes:
            raise Conflict("it was answered meanwhile", where=pause.task)
        return Answered(at=timezone.now(), task=pause.task, outcome={"outcome": "good", "body": value})

    try:
        tell_run(pause.run_id, made)
    except Conflict:
        return False
    return True


def _begin(webhook: Webhook, becomes: ToFlow, value: Any) -> Run:
    flow = Flow.objects.get(project=webhook.project_id, name=becomes.flow)
    inputs: dict[str, Any] = {}
    for name, pointer in becomes.inputs.items():
        found = resolve(value, parse_pointer(pointer))
        if found is not None:
            inputs[name] = found[1]
    with transaction.atomic():
        return queue_flow(
            webhook.project, flow, webhook.environment, inputs, role="webhook", begun_by=f"webhook {webhook.name}"
        )


def look_for_early() -> None:
    """Pauses that have just begun: what they wait for may have come already."""
    for pause in FlowPause.objects.select_related("run").filter(kind="callback", is_looked_for=False)[:100]:
        with transaction.atomic():
            webhooks = Webhook.objects.select_for_update(no_key=True, of=("self",)).filter(
                project=pause.run.project_id, environment=pause.run.environment_id
            )
            if pause.webhook:
                webhooks = webhooks.filter(name=pause.webhook)
            ids = [webhook.pk for webhook in webhooks.order_by("pk") if isinstance(webhook.loaded().becomes, ToFlow)]
            came = Delivery.objects.select_related("body").filter(
                webhook__in=ids, state="done", run=None, at__gte=pause.run.queued_at
            )
            if not any(_takes(pause, delivery) for delivery in came.order_by("pk")):
                FlowPause.objects.filter(pk=pause.pk).update(is_looked_for=True)


def _takes(pause: FlowPause, delivery: Delivery) -> bool:
    try:
        value = value_of(delivery.body)
    except RondineError:
        return False
    if not (matches(pause, value) and _tell(pause, delivery, value)):
        return False
    Delivery.objects.filter(pk=delivery.pk).update(run=pause.run_id, error=None)
    return True


TO_FLOWS.append(act)
