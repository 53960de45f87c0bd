"""A sample: where it came from."""

from typing import Annotated

from msgspec import Meta

from rondine.core.settings import Document


class SampleDocument(Document, frozen=True):
    """Where a sample came from."""

    request: Annotated[str, Meta(description="HTTP text with secrets masked")] = ""
    status: int | None = None
    headers: list[list[str]] = []
