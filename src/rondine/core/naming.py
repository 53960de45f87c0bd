"""The one rule of a project by which names are proposed: of services, operations, record types, mappings, feeds, and of
fields."""

from collections.abc import Collection
from typing import Annotated, Literal, get_args

from msgspec import Meta

from rondine.core.names import proposed_name
from rondine.core.settings import Document

Named = Literal[
    "service", "connection", "operation", "record type", "mapping", "feed", "flow", "prepared query", "field"
]
NAMED: tuple[Named, ...] = get_args(Named)
Separator = Literal["-", "_"]


class NamingRule(Document, frozen=True):
    """How names are proposed for the items of a project."""

    separator: Annotated[Separator, Meta(description="between the words of an item's name")] = "-"
    field_separator: Annotated[Separator, Meta(description="of a field's")] = "_"
    service_first: Annotated[
        bool, Meta(description="operations, mappings and feeds begin with their service's name")
    ] = False
    feeds_begin: Annotated[
        str, Meta(pattern=r"^([a-z][a-z0-9]{0,19})?$", description="the word that feeds begin with, empty for none")
    ] = "all"

    def separator_of(self, kind: Named) -> Separator:
        return self.field_separator if kind == "field" else self.separator

    def name(self, kind: Named, text: str, *, service: str = "", taken: Collection[str] = ()) -> str:
        """A free name for something that is called so in words. service: the name of the service it belongs to."""
        words = [text]
        if self.service_first and service and kind in ("operation", "mapping", "feed"):
            begins = proposed_name(text).startswith(f"{proposed_name(service)}-")
            words = words if begins else [service, text]
        if kind == "feed" and self.feeds_begin and not proposed_name(text).startswith(f"{self.feeds_begin}-"):
            words.insert(0, self.feeds_begin)
        return proposed_name(" ".join(words), separator=self.separator_of(kind), taken=taken)


USUAL_RULE = NamingRule()
