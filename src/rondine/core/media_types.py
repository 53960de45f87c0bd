"""Media types (RFC 9110, section 8.3.1)."""

from collections.abc import Mapping
from email.message import Message
from functools import lru_cache
from types import MappingProxyType


def bare_media_type(value: str | None) -> str:
    """Type and subtype in small letters, without parameters; empty for nothing: `text/xml` of `Text/XML; charset=x`."""
    return (value or "").partition(";")[0].strip().lower()


@lru_cache(maxsize=256)  # a service sends the same few with every response
def parameters_of(value: str | None) -> Mapping[str, str]:
    """The parameters, by their names in small letters: `{"charset": "x"}` of `Text/XML; Charset="x"`."""
    message = Message()
    message["Content-Type"] = value or ""
    parameters = (message.get_params() or [])[1:]
    return MappingProxyType({name.lower(): text if isinstance(text, str) else text[2] for name, text in parameters})
