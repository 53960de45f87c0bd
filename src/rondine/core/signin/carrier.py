"""Putting a secret into a request: header, query, cookie or body. Used by API keys and by tokens of a sign-in
operation."""

from collections.abc import Sequence
from dataclasses import replace
from typing import Annotated, Literal
from urllib.parse import quote_plus

from msgspec import Meta

from rondine.core.documents.json import json_text, read_json
from rondine.core.errors import DocumentError, InputError
from rondine.core.http.messages import Request, SecretBody
from rondine.core.media_types import bare_media_type
from rondine.core.secret import Secret

Carrier = Literal["header", "query", "cookie", "body"]
FieldName = Annotated[
    str, Meta(pattern=r"^[!#$%&'*+.^_`|~0-9A-Za-z-]{1,100}$", description="as the service's documentation names it")
]


def put_secret(request: Request, carrier: Carrier, name: str, secret: Secret) -> Request:
    """Raises InputError for a key in the body if the request has no JSON object or form there."""
    match carrier:
        case "header":
            return request.with_header(name, secret)
        case "query":
            return replace(request, secret_query=(*request.secret_query, (name, secret)))
        case "cookie":
            before = request.header("Cookie")
            kept = f"{before.reveal() if isinstance(before, Secret) else before}; " if before else ""
            return request.with_header("Cookie", Secret(f"{kept}{name}={secret.reveal()}", secret.label))
        case "body":
            return replace(request, body=body_with(request, [(name, secret)]))


def body_with(request: Request, members: Sequence[tuple[str, Secret]]) -> SecretBody:
    """The body with these members added to its JSON object or form; a request without a body gets a form."""
    media_type = request.header("Content-Type")
    kind = bare_media_type(media_type) if isinstance(media_type, str) else ""
    label = members[0][1].label
    shown, sent = request.shown_body, request.sent_body
    if kind == "application/x-www-form-urlencoded":
        for name, secret in members:
            shown = _joined(shown, f"{quote_plus(name)}={secret}")
            sent = _joined(sent, f"{quote_plus(name)}={quote_plus(secret.reveal())}")
        return SecretBody(shown, Secret(sent.decode(), label))
    if kind == "application/json" or kind.endswith("+json"):
        try:
            values = read_json(sent), read_json(shown)
        except DocumentError:
            values = None, None
        if isinstance(values[0], dict) and isinstance(values[1], dict):
            real, masked = values
            for name, secret in members:
                real[name], masked[name] = secret.reveal(), str(secret)
            return SecretBody(json_text(masked).encode(), Secret(json_text(real), label))
    raise InputError(
        f'the key "{members[0][0]}" goes into the body, but this request has no JSON object or form there',
        where="sign_in/carrier",
        hint="send a body of type application/json or application/x-www-form-urlencoded, or let the key go elsewhere",
    )


def _joined(body: bytes, pair: str) -> bytes:
    return body + (b"&" if body else b"") + pair.encode()
