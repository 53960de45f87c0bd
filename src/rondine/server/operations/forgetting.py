"""Values that turned out to be secrets, overwritten wherever earlier runs, bodies and revisions of a project show
them."""

import json
import zlib
from collections.abc import Iterable, Iterator
from typing import Any

from django.db.models import Q, QuerySet

from rondine.core.secret import Secret
from rondine.engine.connection import cleaned, cleaned_text, escaped
from rondine.server.access.models import Project
from rondine.server.connecting.models import Service
from rondine.server.items.models import Revision
from rondine.server.operations.models import Sample
from rondine.server.runs.models import Body, Call, Run

#: What of each may show them: texts, and JSON.
_TEXTS: dict[Any, tuple[str, ...]] = {
    Revision: ("name",),
    Run: ("title", "ending"),
    Call: ("url", "request", "reason", "via"),
    Sample: (),
}
_JSON: dict[Any, tuple[str, ...]] = {
    Revision: ("content",),
    Run: ("inputs", "content", "checkpoint", "remarks", "error"),
    Call: ("headers", "error"),
    Sample: ("document",),
}


def forget(project: Project, service: Service, values: Iterable[str]) -> None:
    """Overwrites the values, in every encoding, in the project's runs, calls, revisions and samples, and in the bodies
    of samples and of calls to the service or to no service. What is kept of a body stays of the same length."""
    secrets = [Secret(value, "a moved key") for value in dict.fromkeys(values)]
    samples = Sample.objects.filter(project=project)
    calls = Call.objects.filter(run__project=project)
    for rows in (Revision.objects.filter(project=project), Run.objects.filter(project=project), calls, samples):
        for row in _showing(rows, secrets):
            _overwrite(row, secrets)
    concerned = calls.filter(body__isnull=False).filter(
        Q(run__operation__service=service)
        | Q(run__feed__operation__service=service)
        | Q(run__operation=None, run__feed=None)
    )
    bodies = {*concerned.values_list("body_id", flat=True), *samples.values_list("body_id", flat=True)}
    for body in Body.objects.filter(pk__in=bodies).iterator(chunk_size=20):
        before = body.content()
        if (after := cleaned(before, secrets)) != before:
            Body.objects.filter(pk=body.pk).update(stored=zlib.compress(after, 3))


def _showing(rows: QuerySet[Any], secrets: list[Secret]) -> Iterator[Any]:
    """Those of the rows whose texts or JSON may hold one; whichever way it is written."""
    model = rows.model
    table = model._meta.db_table
    columns = [f"coalesce({table}.{name}::text, '')" for name in (*_TEXTS[model], *_JSON[model])]
    texts = {form for secret in secrets for form in escaped(secret.bare())}
    forms = sorted({form for text in texts for form in (text, json.dumps(text)[1:-1])})
    where = " OR ".join("strpos(" + " || chr(10) || ".join(columns) + ", %s) > 0" for _ in forms)
    yield from rows.extra(where=[where], params=forms).iterator(chunk_size=100)


def _overwrite(row: Any, secrets: list[Secret]) -> None:
    clean = {name: cleaned_text(getattr(row, name), secrets) for name in _TEXTS[type(row)]}
    clean |= {name: _cleaned_value(getattr(row, name), secrets) for name in _JSON[type(row)]}
    changed = {name: value for name, value in clean.items() if value != getattr(row, name)}
    for name, value in changed.items():
        setattr(row, name, value)
    if changed:
        row.save(update_fields=list(changed))


def _cleaned_value(value: Any, secrets: list[Secret]) -> Any:
    """A JSON value with each text in it cleaned, names of members too; one that is a secret and nothing else however
    short it is."""
    if isinstance(value, str):
        is_whole = any(value == secret.bare() for secret in secrets)
        return "*" * len(value) if is_whole else cleaned_text(value, secrets)
    if isinstance(value, dict):
        return {cleaned_text(str(name), secrets): _cleaned_value(one, secrets) for name, one in value.items()}
    return [_cleaned_value(one, secrets) for one in value] if isinstance(value, list) else value
