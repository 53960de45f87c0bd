"""Signatures of webhooks: made for what is sent, verified for what comes in, in the forms that are in use.

Standard Webhooks signs `id.timestamp.body` with HMAC-SHA256 and sends `v1,` and the signature in base64, several parted
by blanks while a key changes (https://www.standardwebhooks.com, "Signature scheme"). Others sign the body alone, with a
timestamp of their own or without one, in hex or base64.
"""

import base64
import binascii
import hmac
from collections.abc import Sequence
from datetime import datetime, timedelta

from rondine.core.errors import NotAuthentic
from rondine.core.http.messages import Headers

#: How Standard Webhooks writes a key.
_PREFIX = "whsec_"
#: By how much a signed time may differ from ours: enough for clocks and retries, little for whoever replays.
TOLERANCE = timedelta(minutes=5)


def signing_key(secret: str) -> bytes:
    """The bytes of a key: of `whsec_` and base64 what that says, else the text itself."""
    if not secret.startswith(_PREFIX):
        return secret.encode()
    try:
        return base64.b64decode(secret.removeprefix(_PREFIX), validate=True)
    except binascii.Error:
        return secret.encode()


def standard_headers(message_id: str, now: datetime, body: bytes, secrets: Sequence[str]) -> Headers:
    """The three headers of a Standard Webhook. secrets: the key, and one that is to take its place."""
    timestamp = str(int(now.timestamp()))
    content = f"{message_id}.{timestamp}.".encode() + body
    signatures = " ".join(f"v1,{_base64(signing_key(secret), content)}" for secret in secrets)
    return (("webhook-id", message_id), ("webhook-timestamp", timestamp), ("webhook-signature", signatures))


def check_standard(headers: Headers, body: bytes, secrets: Sequence[str], now: datetime) -> str:
    """The message's id, if one of its signatures is right. Raises NotAuthentic."""
    message_id, timestamp, told = (_header(headers, f"webhook-{name}") for name in ("id", "timestamp", "signature"))
    if not message_id or not timestamp or not told:
        raise NotAuthentic(
            "it has no signature as Standard Webhooks has them",
            where="webhook-id, webhook-timestamp, webhook-signature",
            hint="let the service sign what it sends, or set how it does",
        )
    check_time(timestamp, now)
    content = f"{message_id}.{timestamp}.".encode() + body
    wanted = [_base64(signing_key(secret), content) for secret in secrets]
    given = [part.removeprefix("v1,") for part in told.split() if part.startswith("v1,")]
    if not any(hmac.compare_digest(one, other) for one in wanted for other in given):
        raise _wrong("webhook-signature")
    return message_id


def check_time(timestamp: str, now: datetime) -> None:
    """Raises NotAuthentic for a time in seconds since 1970 that is too far from now."""
    try:
        signed = float(timestamp)
    except ValueError:
        signed = float("-inf")
    if not abs(signed - now.timestamp()) <= TOLERANCE.total_seconds():
        raise NotAuthentic(
            f'it was signed at "{timestamp[:40]}", which is more than five minutes from now',
            where="the signed time",
            hint="it may be a repetition of an old one; else correct the clocks",
        )


def check_hmac(
    told: str, content: bytes, secrets: Sequence[str], *, where: str, algorithm: str = "sha256", prefix: str = ""
) -> None:
    """Whether a signature in hex or base64, behind a prefix such as `sha256=`, is that of the content. Raises
    NotAuthentic."""
    given = told.strip().removeprefix(prefix)
    for secret in secrets:
        digest = hmac.digest(signing_key(secret), content, algorithm)
        for wanted in (digest.hex(), base64.b64encode(digest).decode()):
            if hmac.compare_digest(wanted.encode(), given.encode()):
                return
    raise _wrong(where)


def check_shared(told: str, secrets: Sequence[str], *, where: str) -> None:
    """Whether a header has one of the secrets itself. Raises NotAuthentic."""
    if not any(hmac.compare_digest(secret.encode(), told.encode()) for secret in secrets):
        raise _wrong(where)


def _wrong(where: str) -> NotAuthentic:
    return NotAuthentic(
        "the signature is wrong, or there is none", where=where, hint="compare the key here with the one at the service"
    )


def _base64(key: bytes, content: bytes) -> str:
    return base64.b64encode(hmac.digest(key, content, "sha256")).decode()


def _header(headers: Headers, name: str) -> str:
    return next((value for key, value in headers if key.lower() == name), "")
