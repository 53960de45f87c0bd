"""What is shared while an OpenAPI document is read: its files and schemas, what was found to be wrong, examples and
headers."""

from collections.abc import Iterator
from typing import Any

from msgspec import UNSET

from rondine.core.definitions.files import Broken, Files, Place
from rondine.core.definitions.json_schema import Schemas
from rondine.core.media_types import bare_media_type
from rondine.core.protocols.problems import FIELD_NAME

#: Faults that are told of one document, one operation at most; more tell nobody more.
MOST_FAULTS = 2000


class Reading:
    """One document that is read. dialect: "2.0", "3.0" or "3.1".  found: what is wrong, with its place, a message and a
    hint."""

    def __init__(self, files: Files, dialect: str) -> None:
        self.files, self.dialect = files, dialect
        self.root = files.value(files.main)
        self.found: list[tuple[Place, str, str]] = []
        self.schemas = Schemas(files, dialect, self.warn)

    def warn(self, place: Place, message: str, hint: str = "") -> None:
        """What is wrong, and goes on all the same."""
        if len(self.found) < MOST_FAULTS:
            self.found.append((place, message, hint))
        elif len(self.found) == MOST_FAULTS:
            self.found.append((place, f"there are more than {MOST_FAULTS:,} of these", "the others are not listed"))

    def example(self, holder: dict[str, Any], place: Place) -> Any:
        """An example of a parameter or body, UNSET if there is none."""
        for word in ("example", "x-example"):
            if word in holder:
                return holder[word]
        examples = holder.get("examples")
        if isinstance(examples, dict) and examples:
            name, first = next(iter(examples.items()))
            try:
                first, _ = self.files.follow(first, place / "examples" / name)
            except Broken:
                return UNSET
            return first.get("value", UNSET) if isinstance(first, dict) else UNSET
        return UNSET

    def headers(self, listed: Any, place: Place) -> Iterator[tuple[str, dict[str, Any], Place]]:
        """The sound ones of a map of headers: (name, Header Object, its place). Broken ones are warned of."""
        for name, one in listed.items() if isinstance(listed, dict) else ():
            try:
                header, at = self.files.follow(one, place / name)
                if not isinstance(header, dict) or not FIELD_NAME.fullmatch(str(name)):
                    raise Broken(place / name, f'"{str(name)[:80]}" is not a header', "it is left out")
                yield str(name), header, at
            except Broken as error:
                self.warn(error.place, error.message, error.hint)


def text_in(holder: Any, name: str) -> str:
    value = holder.get(name) if isinstance(holder, dict) else None
    return value.strip() if isinstance(value, str) else ""


def is_json(media: str) -> bool:
    kind = bare_media_type(media)
    return kind in ("application/json", "text/json") or kind.endswith("+json")


def query_style(style: str) -> Any:
    return style if style in ("spaceDelimited", "pipeDelimited", "deepObject", "json") else "form"


def collection_style(parameter: dict[str, Any]) -> tuple[str, bool]:
    """(style, whether it explodes) of a collectionFormat of OpenAPI 2.0."""
    form = str(parameter.get("collectionFormat", "csv"))
    return {"ssv": "spaceDelimited", "pipes": "pipeDelimited"}.get(form, "form"), form == "multi"
