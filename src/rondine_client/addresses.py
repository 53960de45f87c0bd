"""Addresses below the service's."""

from urllib.parse import quote


def step(name: str) -> str:
    """A name as one step of a path (RFC 3986, section 3.3), also one of dots alone, which would lead elsewhere."""
    return quote(name, safe="") if name.strip(".") else name.replace(".", "%2E")
