"""A standing value: one for each environment."""

from typing import Annotated

from msgspec import Meta

from rondine.core.settings import Document


class StandingValueDocument(Document, frozen=True):
    """A value that operations, mappings and connections refer to by name."""

    description: str = ""
    values: Annotated[dict[str, str | int | bool], Meta(description="by environment")] = {}
