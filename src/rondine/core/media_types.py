"""Media types (RFC 9110, section 8.3.1)."""


def bare_media_type(value: str | None) -> str:
    """Type and subtype in small letters, without parameters; empty for nothing: `text/xml` of `Text/XML; charset=x`."""
    return (value or "").partition(";")[0].strip().lower()
