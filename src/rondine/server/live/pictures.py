"""Pictures whose addresses stand in fields of records: fetched where the outbound rules permit it, with the sign-in of
the service that the record came from, if they are there."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any
from urllib.parse import urljoin

from rondine.core.errors import InputError, NotFound, ServiceError
from rondine.core.http.messages import Request, Send, origin
from rondine.core.mapping.document import RecordTypeDocument
from rondine.core.media_types import bare_media_type
from rondine.core.signin import NoSignIn
from rondine.engine.client import Engine, OpenConnection
from rondine.engine.guard import Guard
from rondine.server.connecting.models import Environment
from rondine.server.connecting.opening import connection_for, open_connection
from rondine.server.records.models import Record
from rondine.server.runs.models import Call, Run

#: What a browser shows as a picture, and no more than that.
PICTURE_KINDS = frozenset(
    {"image/png", "image/jpeg", "image/gif", "image/webp", "image/avif", "image/bmp", "image/svg+xml", "image/x-icon"}
)
#: Bytes of a picture; seconds for it.
MOST, SECONDS = 5 * 1024 * 1024, 15.0


@dataclass(frozen=True, slots=True)
class Picture:
    media_type: str
    content: bytes


def check_field(documents: Sequence[RecordTypeDocument], field: str) -> None:
    """documents: of the record type, as the environment has it and as the draft does: what is shown as a picture is not
    released. Raises InputError for a field that holds no picture's address."""
    pictures = list(dict.fromkeys(one.name for document in documents for one in document.fields if one.is_picture))
    if field not in pictures:
        raise InputError(
            f'the field "{field[:60]}" holds no picture\'s address',
            where="?field",
            hint=f"one of {', '.join(pictures)}" if pictures else "let its record type say is_picture of the field",
        )


def source_of(environment: Environment, record: Record) -> tuple[OpenConnection, str]:
    """(the connection that a kept record came over, the address of the response that it came in). Raises NotFound if
    nobody knows any more, and DraftError."""
    run = Run.objects.select_related("feed__operation__service", "operation__service").filter(pk=record.run_id).first()
    operation = None if run is None else run.feed.operation if run.feed is not None else run.operation
    if run is None or operation is None:
        words = "nobody knows any more which service the record came from"
        raise NotFound(words, where=f"run {record.run_id}", hint="feed it again")
    opened = open_connection(connection_for(operation.service, environment))
    call = Call.objects.filter(run=run, number=record.call).values_list("url", flat=True).first()
    return opened, call or opened.base_address


async def picture_at(value: Any, opened: OpenConnection, base: str, guard: Guard, engine: Engine) -> Picture:
    """value: of the field.  base: what it may be relative to (RFC 3986, section 5).

    Raises HostRefused for a host that is not permitted, NotFound for a field without a value, ServiceError for what is
    no picture."""
    if not isinstance(value, str) or not value.strip():
        raise NotFound("the field has no address", where="the record", hint="nothing to show")
    address = urljoin(base or opened.base_address, value.strip())
    if not address.lower().startswith(("http://", "https://")):
        raise InputError(f"{address[:80]!a} is no address of a picture", where="the record", hint="http or https")
    request = Request("GET", address, (("Accept", "image/*"),))
    if origin(address) == origin(opened.base_address):
        opened = replace(opened, max_size=min(opened.max_size, MOST))
    else:  # the credentials are not for there
        opened = OpenConnection("a picture", 0, origin(address), NoSignIn(), guard, is_connection=False, max_size=MOST)
    received = await engine.call(opened, Send(request), patience=SECONDS)
    media_type = bare_media_type(received.header("content-type") or "")
    if received.status != 200 or media_type not in PICTURE_KINDS:
        words = f"it answered {received.status}" if received.status != 200 else f"it is {media_type or 'of no kind'}"
        words = f"there is no picture at the address: {words}"
        raise ServiceError(words, where=origin(address), hint="look at the field")
    return Picture(media_type, received.body)
