"""Responses that someone looks at: the last few stay read, as a page asks for many pieces of one."""

from collections import OrderedDict
from threading import Lock
from uuid import UUID

from rondine.core.documents import ReadDocument
from rondine.server.services.actions import document_of
from rondine.server.services.models import Body

#: Bytes of a body that stays read, and how many do; as values they take about eight times as much.
MOST_KEPT = 16 * 1024 * 1024
KEPT = 3

_kept: OrderedDict[UUID, ReadDocument] = OrderedDict()
_lock = Lock()


def document_to_look_at(body: Body) -> ReadDocument:
    """As `document_of`; the value is shared, and not to be changed. A stored body never changes."""
    with _lock:
        if body.pk in _kept:
            _kept.move_to_end(body.pk)
            return _kept[body.pk]
    found = document_of(body)
    if body.size <= MOST_KEPT:
        with _lock:
            _kept[body.pk] = found
            while len(_kept) > KEPT:
                _kept.popitem(last=False)
    return found
