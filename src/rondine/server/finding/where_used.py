"""Where an item is used: by which other items, and how each of these went the last time."""

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from rondine.server.applications.models import Application
from rondine.server.items.kinds import KINDS, ItemKind
from rondine.server.items.models import Reference
from rondine.server.releases.configuration import releases_in_use
from rondine.server.runs.models import Run
from rondine.server.runs.serializers import summary

#: Kinds of items that applications name, or may use all of.
OFFERED = {"operations": "all_operations", "record-types": "all_record_types"}


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
    in, empty for none."""

    kind: str
    word: str
    name: str
    title: str
    how: str
    environment: str
    last: LastResult | None


def uses_of(kind: ItemKind, item: Any) -> list[Use]:
    """Every use by another item, in the order of kinds and names."""
    found: dict[tuple[str, Any], tuple[ItemKind, Any, list[str]]] = {}
    for user_kind, user, how in _users(kind, item):
        if user.pk != item.pk:
            found.setdefault((user_kind.name, user.pk), (user_kind, user, []))[2].append(how)
    uses = [_use(user_kind, user, hows) for user_kind, user, hows in found.values()]
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
        for field, target in other.references.items():
            if target is kind.model:
                for user in known.filter(**{field: item}):
                    yield other, user, field
    if (every := OFFERED.get(kind.name)) is not None:
        applications = Application.objects.select_related("environment").filter(project=item.project_id)
        for application in applications.filter(**{f"document__{every}": True}):
            yield KINDS["applications"], application, f"/{every}"


def _use(kind: ItemKind, user: Any, hows: list[str]) -> Use:
    environment = getattr(user, "environment", None)
    how = ", ".join(dict.fromkeys(hows))
    place = environment.name if environment is not None else ""
    return Use(kind.name, kind.word, user.name, user.title, how, place, last_result(kind, user))


def last_result(kind: ItemKind, item: Any) -> LastResult | None:
    """How an item went the last time; None if it never did, or is of a kind that does nothing by itself."""
    match kind.name:
        case "feeds":
            return _of_run(Run.objects.filter(feed=item))
        case "operations":
            return _of_run(Run.objects.filter(operation=item))
        case "applications":
            return _of_run(Run.objects.filter(application=item))
        case "connections" if item.check_result:
            works, at = item.check_result["works"], datetime.fromisoformat(item.check_result["at"])
            return LastResult(at, "done" if works else "failed", "it works" if works else "its check failed")
        case "webhooks":
            delivery = item.deliveries.order_by("-pk").first()
            if delivery is not None:
                words = delivery.error["message"] if delivery.error else "a delivery came"
                return LastResult(delivery.at, delivery.state, words, delivery.run_id)
    return None


def _of_run(runs: Any) -> LastResult | None:
    run = runs.prefetch_related("counts").order_by("-pk").first()
    return None if run is None else LastResult(run.ended_at or run.queued_at, run.state, summary(run), run.pk)
