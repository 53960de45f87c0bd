"""A sample: where it came from."""

from rondine.core.settings import Document


class SampleDocument(Document, frozen=True):
    """Where a sample came from. request: HTTP text with secrets masked."""

    request: str = ""
    status: int | None = None
    headers: list[list[str]] = []
