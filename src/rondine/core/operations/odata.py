"""The OData part of an operation: key, path and system query options (OData 4.01 Part 1, "Requesting Data")."""

from collections.abc import Iterator
from typing import Annotated, Literal

from msgspec import Meta

from rondine.core.operations.values import Value
from rondine.core.settings import Document

Version = Literal["4.01", "4.0", "3.0", "2.0"]


Operator = Literal["eq", "ne", "gt", "ge", "lt", "le", "contains", "startswith", "endswith", "in", "has"]


#: A property or a path through navigation: Name/Name.
PropertyPath = Annotated[str, Meta(pattern=r"^[A-Za-z_][\w.]*(/[A-Za-z_][\w.]*)*$")]


class Literally(Document, frozen=True):
    """A value written as a literal."""

    name: Annotated[str, Meta(description="of a key property or parameter; it may be left out where a key has one")] = (
        ""
    )
    type: Annotated[str, Meta(description="such as Edm.String")] = "Edm.String"
    value: Value = ""
    as_json: Annotated[
        bool,
        Meta(
            description=(
                "an argument that is a list or an object, which stands in the query, as JSON, behind a parameter alias"
                " (OData 4.01 Part 1, section 11.5.4)"
            )
        ),
    ] = False


class Condition(Document, frozen=True):
    """One comparison of a filter."""

    property: PropertyPath
    operator: Operator = "eq"
    type: Annotated[
        str,
        Meta(
            description="of the property, which says how the value is written. One whose input has no value is left out"
        ),
    ] = "Edm.String"
    value: Value = ""


class Order(Document, frozen=True):
    property: PropertyPath
    is_descending: bool = False


class Expand(Document, frozen=True):
    """A related entity that comes along."""

    property: PropertyPath
    select: Annotated[list[PropertyPath], Meta(description="within it (OData 4; before, select alone)")] = []
    filter: Annotated[list[Condition], Meta(description="within it (OData 4; before, select alone)")] = []
    order: Annotated[list[Order], Meta(description="within it (OData 4; before, select alone)")] = []
    top: Annotated[Annotated[int, Meta(ge=0)] | None, Meta(description="within it (OData 4; before, select alone)")] = (
        None
    )
    expand: Annotated[list["Expand"], Meta(description="within it (OData 4; before, select alone)")] = []


class ODataQuery(Document, frozen=True):
    """What is put behind the path of an OData request."""

    version: Annotated[Version, Meta(description="of the service")] = "4.0"
    key: Annotated[list[Literally], Meta(description="of one entity, its parts by name; none for a whole set")] = []
    then: Annotated[
        str, Meta(pattern=r"^(/[\w.$]+)*$", description="a path behind the key, such as /Tests or /Office.Withdraw")
    ] = ""
    arguments: Annotated[list[Literally], Meta(description="of a function")] = []
    is_function: Annotated[bool, Meta(description="arguments are written in brackets even if there are none")] = False
    select: Annotated[
        list[PropertyPath], Meta(description="the system query options; all conditions of a filter must hold")
    ] = []
    filter: Annotated[
        list[Condition], Meta(description="the system query options; all conditions of a filter must hold")
    ] = []
    order: Annotated[
        list[Order], Meta(description="the system query options; all conditions of a filter must hold")
    ] = []
    expand: Annotated[
        list[Expand], Meta(description="the system query options; all conditions of a filter must hold")
    ] = []
    count: Annotated[bool, Meta(description="ask for the total")] = False
    top: Value = ""
    skip: Value = ""
    search: Value = ""

    @property
    def is_before_4(self) -> bool:
        return self.version in ("3.0", "2.0")


def odata_values(query: ODataQuery) -> Iterator[tuple[str, Value]]:
    """Every value with its place in the operation's document."""
    for group in ("key", "arguments", "filter"):
        for number, one in enumerate(getattr(query, group)):
            yield f"/odata/{group}/{number}", one.value
    for name in ("top", "skip", "search"):
        yield f"/odata/{name}", getattr(query, name)
    yield from _expand_values(query.expand, "/odata/expand")


def _expand_values(expands: list[Expand], here: str) -> Iterator[tuple[str, Value]]:
    for number, one in enumerate(expands):
        for place, condition in enumerate(one.filter):
            yield f"{here}/{number}/filter/{place}", condition.value
        yield from _expand_values(one.expand, f"{here}/{number}/expand")
