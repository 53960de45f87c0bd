"""Records out as files: JSON, one JSON value a line, or CSV; streamed, whatever their number.

Pages are read one after another, so that no transaction is open while somebody reads slowly: a record that changes
meanwhile comes as it was when its page was read, and none comes twice that keeps its place in the order.
"""

import csv
import io
from collections.abc import AsyncIterator, Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Literal, get_args

from asgiref.sync import sync_to_async
from django.db import connections

from rondine.core.documents.json import json_text
from rondine.core.errors import NotFound, did_you_mean
from rondine.core.mapping.document import RecordTypeDocument
from rondine.server.api.rendering import JsonRenderer
from rondine.server.records.browsing import MOST, GoneShown, RecordPage, browse, shown_data
from rondine.server.records.models import RecordSet

FileFormat = Literal["ndjson", "json", "csv"]
Rows = Sequence[Mapping[str, Any]]


@dataclass(frozen=True, slots=True)
class FileForm:
    """How a file of records is written. head, tail: around everything.  part: some rows; is_first: the first ones."""

    media_type: str
    head: Callable[[list[str]], bytes]
    part: Callable[[list[str], Rows, bool], bytes]
    tail: bytes = b""


def _ndjson(_: list[str], rows: Rows, is_first: bool) -> bytes:
    render = JsonRenderer().render
    return b"".join(render(row) + b"\n" for row in rows)


def _json(_: list[str], rows: Rows, is_first: bool) -> bytes:
    render = JsonRenderer().render
    return (b"" if is_first or not rows else b",\n") + b",\n".join(render(row) for row in rows)


def _csv(fields: list[str], rows: Rows, is_first: bool) -> bytes:
    """RFC 4180. A null, a missing field and a blank text are all empty; lists and objects are JSON."""
    out = io.StringIO()
    writer = csv.writer(out, quoting=csv.QUOTE_MINIMAL)
    for row in rows:
        writer.writerow([_cell(row.get(name)) for name in fields])
    return out.getvalue().encode()


def _cell(value: Any) -> Any:
    if value is None:
        return ""
    if isinstance(value, bool):
        return "true" if value else "false"
    return json_text(value) if isinstance(value, dict | list) else value


FORMS: dict[FileFormat, FileForm] = {
    "ndjson": FileForm("application/x-ndjson", lambda fields: b"", _ndjson),
    "json": FileForm("application/json", lambda fields: b"[\n", _json, b"\n]\n"),
    "csv": FileForm(
        "text/csv; charset=utf-8; header=present", lambda fields: _csv(fields, [_head(fields)], True), _csv
    ),
}


def _head(fields: list[str]) -> dict[str, str]:
    return {name: name for name in fields}


def form_named(name: str) -> tuple[str, FileForm]:
    """(record type, form) of a file's name. Raises NotFound for an ending that stands for no format."""
    record_type, _, ending = name.rpartition(".")
    if ending not in FORMS or not record_type:
        raise NotFound(
            f'"{name}" ends in no format that records are written in',
            where="the file's name",
            hint=did_you_mean(ending, get_args(FileFormat)) or f"end it in .{', .'.join(get_args(FileFormat))}",
        )
    return record_type, FORMS[ending]


async def file_of_records(
    form: FileForm, records: RecordSet, document: RecordTypeDocument, query: Mapping[str, str], gone: GoneShown
) -> AsyncIterator[bytes]:
    """The file's parts. query: as of `browse`, and checked already."""
    fields = [field.name for field in document.fields]
    yield form.head(fields)
    cursor: str | None = None
    is_first = True
    while is_first or cursor:
        page = await sync_to_async(_page, thread_sensitive=False)(records, document, query, cursor, gone)
        rows = [shown_data(record.data, document) for record in page.records]
        yield form.part(fields, rows, is_first)
        is_first, cursor = False, page.next
    if form.tail:
        yield form.tail


def _page(
    records: RecordSet, document: RecordTypeDocument, query: Mapping[str, str], cursor: str | None, gone: GoneShown
) -> RecordPage:
    """In a thread of its own; no database connection stays behind."""
    try:
        return browse(records, document, query, limit=MOST, cursor=cursor, gone=gone)
    finally:
        connections.close_all()
