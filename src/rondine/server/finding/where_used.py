"""Where an item is used: by which other items, and how each of these went the last time."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from rondine.server.applications.models import Application
from rondine.server.items.kinds import KINDS, ItemKind
from rondine.server.items.models import Reference
from rondine.server.releases.configuration import releases_in_use
from rondine.server.runs.last import RunOf, last_runs
from rondine.server.runs.models import Run
from rondine.server.runs.serializers import summary
from rondine.server.webhooks.models import Delivery

#: Kinds of items that applications name, or may use all of.
OFFERED = {"operations": "all_operations", "flows": "all_flows", "record-types": "all_record_types"}


#: Kinds of items that runs are of, by the field of a run that says so.
RUNNING: Mapping[str, RunOf] = {
    "feeds": "feed",
    "operations": "operation",
    "applications": "application",
    "flows": "flow",
    "flow-schedules": "flow_schedule",
}


@dataclass(frozen=True, slots=True)
class LastResult:
    """state: as of runs.  run: its number, None where it was none."""

    at: datetime | None
    state: str
    words: str
    run: int | None = None


@dataclass(frozen=True, slots=True)
class Use:
    """kind: of the user, as in addresses.  how: where in its document, or by which of its fields.  environment: it is
    in, empty for none.  belongs: it can only go together with the item, and holds nothing back by itself."""

    kind: str
    word: str
    name: str
    title: str
    how: str
    environment: str
    last: LastResult | None
    belongs: bool = False


def uses_of(kind: ItemKind, item: Any) -> list[Use]:
    """Every use by another item, in the order of kinds and names."""
    found: dict[str, dict[Any, tuple[Any, list[str]]]] = {}
    for user_kind, user, how in _users(kind, item):
        if user.pk != item.pk:
            found.setdefault(user_kind.name, {}).setdefault(user.pk, (user, []))[1].append(how)
    uses = []
    for name, users in found.items():
        last = last_results(KINDS[name], [user for user, _ in users.values()])
        uses += [_use(KINDS[name], user, hows, last.get(user.pk)) for user, hows in users.values()]
    uses += [Use("releases", "release", words, "", "it holds it", "", None) for words in releases_in_use(kind, item)]
    order = [*KINDS, "releases"]
    return sorted(uses, key=lambda use: (order.index(use.kind), use.name))


def _users(kind: ItemKind, item: Any) -> Iterator[tuple[ItemKind, Any, str]]:
    rows = Reference.objects.filter(project=item.project_id, kind=kind.name, name=item.name)
    pointers: dict[str, dict[Any, list[str]]] = {}
    for user_kind, user_id, pointer in rows.values_list("user_kind", "user_id", "pointer"):
        pointers.setdefault(user_kind, {}).setdefault(user_id, []).append(pointer)
    for other in KINDS.values():
        known = other.model._default_manager.select_related(*other.references)
        wanted = pointers.get(other.name, {})
        for user in known.filter(pk__in=wanted) if wanted else ():
            for pointer in wanted[user.pk]:
                yield other, user, pointer
        for field in other.fields_for(kind.model):
            for user in known.filter(**{field: item}):
                yield other, user, field
    if (every := OFFERED.get(kind.name)) is not None:
        applications = Application.objects.select_related("environment").filter(project=item.project_id)
        for application in applications.filter(**{f"document__{every}": True}):
            yield KINDS["applications"], application, f"/{every}"


def _use(kind: ItemKind, user: Any, hows: list[str], last: LastResult | None) -> Use:
    environment = getattr(user, "environment", None)
    how = ", ".join(dict.fromkeys(hows))
    place = environment.name if environment is not None else ""
    belongs = all(field in kind.references and kind.belongs_by(field) for field in hows)
    return Use(kind.name, kind.word, user.name, user.title, how, place, last, belongs)


def last_results(kind: ItemKind, items: Sequence[Any]) -> dict[Any, LastResult]:
    """How items of a kind went the last time, by their keys; without those that never did, and those of kinds that do
    nothing by themselves."""
    match kind.name:
        case "feeds" | "operations" | "applications" | "flows" | "flow-schedules":
            return {key: _of_run(run) for key, run in last_runs(RUNNING[kind.name], items).items()}
        case "connections":
            return {item.pk: _of_check(item.check_result) for item in items if item.check_result}
        case "webhooks":
            found = Delivery.objects.filter(webhook__in=items).order_by("webhook", "-pk").distinct("webhook")
            return {delivery.webhook_id: _of_delivery(delivery) for delivery in found}
    return {}


def _of_run(run: Run) -> LastResult:
    return LastResult(run.ended_at or run.queued_at, run.state, summary(run), run.pk)


def _of_check(result: dict[str, Any]) -> LastResult:
    words = "it works" if result["works"] else "its check failed"
    return LastResult(datetime.fromisoformat(result["at"]), "done" if result["works"] else "failed", words)


def _of_delivery(delivery: Delivery) -> LastResult:
    words = delivery.error["message"] if delivery.error else "a delivery came"
    return LastResult(delivery.at, delivery.state, words, delivery.run_id)
