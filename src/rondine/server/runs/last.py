"""How items went the last time."""

from collections.abc import Sequence
from typing import Any, Literal

from django.db.models import OuterRef, Subquery

from rondine.server.runs.models import Run

#: The field of a run that says what it is of.
RunOf = Literal["feed", "operation", "application", "flow", "flow_schedule"]


def last_runs(field: RunOf, items: Sequence[Any], **only: Any) -> dict[Any, Run]:
    """The newest run of each item, by the items' keys; without those that never ran. items: of one kind.  only: filters
    of runs."""
    if not items:
        return {}
    newest = Run.objects.filter(**{field: OuterRef("pk")}, **only).order_by("-id").values("pk")[:1]
    model = type(items[0])
    ids = model._default_manager.filter(pk__in=[one.pk for one in items]).values(newest=Subquery(newest))
    runs = Run.objects.filter(pk__in=ids).defer("content", "inputs", "checkpoint").prefetch_related("counts")
    return {getattr(run, f"{field}_id"): run for run in runs}
