"""A value that turned out to be a secret, overwritten wherever earlier runs, bodies and revisions of a project show it."""

import json
import zlib
from collections.abc import Iterator
from typing import Any

from django.db.models import Model, Q, QuerySet

from rondine.core.secret import Secret
from rondine.engine.line import cleaned, cleaned_text, escaped
from rondine.server.access.models import Project
from rondine.server.items.models import Revision
from rondine.server.runs.models import Call, Run
from rondine.server.services.models import Body, Sample, Service

#: What of each may show it: texts, and JSON.
_TEXTS = {Run: ("title", "ending"), Call: ("url", "request", "reason", "via"), Revision: ("name",)}
_JSON = {
    Run: ("inputs", "content", "checkpoint", "remarks", "error"),
    Call: ("headers", "error"),
    Revision: ("content",),
}


def forget(project: Project, service: Service, value: str) -> int:
    """Overwrites the value, in every encoding, in the project's runs, calls and revisions, in its samples, and in the bodies of calls to the service or
    to no service; gives the number of places. What is kept of a body stays of the same length."""
    secret = [Secret(value, "a moved key")]
    changed = 0
    for rows in (
        Revision.objects.filter(project=project),
        Run.objects.filter(project=project),
        Call.objects.filter(run__project=project),
    ):
        changed += sum(_overwrite(row, secret) for row in _showing(rows, value))
    samples = Sample.objects.filter(project=project)
    changed += sum(_overwrite_json(row, "document", secret) for row in samples)
    calls = Call.objects.filter(run__project=project, body__isnull=False).filter(
        Q(run__operation__service=service)
        | Q(run__feed__operation__service=service)
        | Q(run__operation=None, run__feed=None)
    )
    bodies = {*calls.values_list("body_id", flat=True), *samples.values_list("body_id", flat=True)}
    for body in Body.objects.filter(pk__in=bodies).iterator(chunk_size=20):
        before = body.content()
        if (after := cleaned(before, secret)) != before:
            Body.objects.filter(pk=body.pk).update(stored=zlib.compress(after, 3))
            changed += 1
    return changed


def _showing(rows: QuerySet[Any], value: str) -> Iterator[Model]:
    """Those of the rows whose texts or JSON may hold it; whichever way it is written."""
    model = rows.model
    table = model._meta.db_table
    columns = [f"coalesce({table}.{name}::text, '')" for name in (*_TEXTS[model], *_JSON[model])]
    forms = sorted({one for form in escaped(value) for one in (form, json.dumps(form)[1:-1])})
    where = " OR ".join("strpos(" + " || chr(10) || ".join(columns) + ", %s) > 0" for _ in forms)
    yield from rows.extra(where=[where], params=forms).iterator(chunk_size=100)


def _overwrite(row: Any, secret: list[Secret]) -> bool:
    names = []
    for name in _TEXTS[type(row)]:
        if (clean := cleaned_text(getattr(row, name), secret)) != getattr(row, name):
            setattr(row, name, clean)
            names.append(name)
    for name in _JSON[type(row)]:
        if _clean_json(row, name, secret):
            names.append(name)
    if names:
        row.save(update_fields=names)
    return bool(names)


def _overwrite_json(row: Any, name: str, secret: list[Secret]) -> bool:
    if changed := _clean_json(row, name, secret):
        row.save(update_fields=[name])
    return changed


def _clean_json(row: Any, name: str, secret: list[Secret]) -> bool:
    held = getattr(row, name)
    clean = _cleaned_value(held, secret)
    if clean == held:
        return False
    setattr(row, name, clean)
    return True


def _cleaned_value(value: Any, secret: list[Secret]) -> Any:
    """A JSON value with each text in it cleaned, names of members too; one that is the value and nothing else however short it is."""
    if isinstance(value, str):
        return "*" * len(value) if value == secret[0].bare() else cleaned_text(value, secret)
    if isinstance(value, dict):
        return {cleaned_text(str(name), secret): _cleaned_value(one, secret) for name, one in value.items()}
    return [_cleaned_value(one, secret) for one in value] if isinstance(value, list) else value
