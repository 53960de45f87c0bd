"""Places for values: a text, the place of one value, or a list of both. No text is scanned for braces."""

from collections.abc import Mapping
from decimal import Decimal
from typing import Annotated, Any, ClassVar, Literal

from msgspec import Meta

from rondine.core.documents.json import json_text
from rondine.core.operations.inputs import value_text
from rondine.core.settings import Document

Written = Literal["", "doubled", "backslash", "json"]


class ValueOf(Document, frozen=True):
    """The place of a value: of the operation's input, of the environment's standing value, or of a prepared query's
    text, by name."""

    REFERENCES: ClassVar[Mapping[str, str]] = {"standing": "standing-values", "prepared": "queries"}

    input: str = ""
    standing: str = ""
    prepared: str = ""
    written: Annotated[
        Written,
        Meta(
            description=(
                "as a literal of a query language, in which quote marks cannot end it: doubled, with a backslash, or as"
                " in JSON; empty for the value as it is"
            )
        ),
    ] = ""


Value = str | ValueOf | list[str | ValueOf]


def parts_of(value: Value) -> list[str | ValueOf]:
    return value if isinstance(value, list) else [value]


def as_literal(value: Any, written: Written) -> str:
    """A value as a literal of a query language: numbers and booleans bare, texts in quote marks that nothing in them
    can end."""
    if isinstance(value, list):
        return ", ".join(as_literal(one, written) for one in value)
    if value is None or isinstance(value, (bool, int, Decimal)):
        return json_text(value)
    if written == "json" or isinstance(value, dict):
        return json_text(value if isinstance(value, dict) else value_text(value))
    text = value_text(value)
    if written == "backslash":
        escaped = text.replace("\\", "\\\\").replace("'", "\\'")
        return "'" + escaped.replace("\n", "\\n").replace("\r", "\\r") + "'"
    return "'" + text.replace("'", "''") + "'"
