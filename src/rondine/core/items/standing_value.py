"""A standing value: one for each environment."""

from rondine.core.settings import Document


class StandingValueDocument(Document, frozen=True):
    """values: by environment."""

    description: str = ""
    values: dict[str, str | int | bool] = {}
