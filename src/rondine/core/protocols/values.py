"""Places for values: a text, the place of one value, or a list of both. No text is scanned for braces."""

from rondine.core.settings import Document


class ValueOf(Document, frozen=True):
    """The place of a value: of the operation's input, or of the environment's standing value of this name."""

    input: str = ""
    standing: str = ""


Value = str | ValueOf | list[str | ValueOf]


def parts_of(value: Value) -> list[str | ValueOf]:
    return value if isinstance(value, list) else [value]
