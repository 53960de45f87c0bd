"""Pauses that wait for a request, looked up by what tells that request from others, however many of them wait."""

import hashlib
import json
from collections.abc import Sequence
from typing import Any

from django.db.models import Q, QuerySet

from rondine.core.documents.members import MISSING
from rondine.core.mapping.document import At
from rondine.core.paths import parse_short
from rondine.server.flows.models import FlowPause

#: Characters of paths by which pauses are looked up.
LONGEST = 500
#: A path and what stands there: as they are kept with a pause.
Match = Sequence[Any]


def lookup_of(matches: Sequence[Match]) -> tuple[str, str]:
    """(the paths as JSON, a digest of what stands there) of the request that is waited for. Both are empty where it can
    only be compared: of values that are no texts, which services write in more than one way, and of long paths."""
    values = [value for _, value in matches]
    if not values or not all(isinstance(value, str) and value for value in values):
        return "", ""
    paths = json.dumps([at for at, _ in matches], sort_keys=True)
    return (paths, _digest(paths, values)) if len(paths) <= LONGEST else ("", "")


def may_wait_for(body: Any, pauses: QuerySet[FlowPause]) -> QuerySet[FlowPause]:
    """Those of some pauses that may wait for a request with a body; whether they do is for `matches` to say."""
    digests = []
    for paths in pauses.exclude(paths="").order_by().values_list("paths", flat=True).distinct():
        values = [value_at(at, body) for at in json.loads(paths)]
        if all(isinstance(value, str) for value in values):
            digests.append(_digest(paths, values))
    return pauses.filter(Q(paths="") | Q(digest__in=digests))


def value_at(at: Any, body: Any) -> Any:
    """What stands at a path, if exactly one value does; otherwise MISSING."""
    path = parse_short(at) if isinstance(at, str) else At(**at).path()
    found = path.find(body)
    return found[0].value if len(found) == 1 else MISSING


def _digest(paths: str, values: Sequence[str]) -> str:
    return hashlib.sha256(json.dumps([paths, *values]).encode()).hexdigest()
