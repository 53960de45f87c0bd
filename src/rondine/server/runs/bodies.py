"""Stored bodies, found and read; the last few stay read, as a page asks for many pieces of one."""

from collections import OrderedDict
from collections.abc import Mapping
from threading import Lock
from uuid import UUID

from rondine.core.documents import ReadDocument, read_document
from rondine.core.errors import (
    NotFound,
)
from rondine.core.mapping.compile import check_format
from rondine.core.mapping.document import MappingDocument
from rondine.server.access.models import Project
from rondine.server.runs.models import Body


def document_of(body: Body, namespaces: Mapping[str, str] | None = None) -> ReadDocument:
    """The body read by its format: JSON, NDJSON or XML. namespaces: prefixes for XML names. Raises DocumentError with
    line and column."""
    return read_document(body.content(), media_type=body.media_type, charset=body.charset, namespaces=namespaces)


def read_for(mapping: MappingDocument, body: Body) -> ReadDocument:
    """The body read for a mapping, with XML names as it calls them. Raises DocumentError if it is of another format
    than the mapping reads."""
    read = document_of(body, mapping.namespaces)
    check_format(mapping, read)
    return read


def body_of(project: Project, body_id: str) -> Body:
    body = Body.objects.filter(project=project, pk=body_id).first()
    if body is None:
        raise NotFound(
            "this body is not stored, or not any more", where=f"body {body_id}", hint="try the operation again"
        )
    return body


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
