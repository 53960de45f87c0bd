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
    """A value written as a literal. name: of a key property or parameter; it may be left out where a key has one.  type: such as Edm.String.

    as_json: an argument that is a list or an object, which stands in the query, as JSON, behind a parameter alias (OData 4.01 Part 1, section 11.5.4).
    """

    name: str = ""
    type: str = "Edm.String"
    value: Value = ""
    as_json: bool = False


class Condition(Document, frozen=True):
    """One comparison of a filter. type: of the property, which says how the value is written. One whose input has no value is left out."""

    property: PropertyPath
    operator: Operator = "eq"
    type: str = "Edm.String"
    value: Value = ""


class Order(Document, frozen=True):
    property: PropertyPath
    is_descending: bool = False


class Expand(Document, frozen=True):
    """A related entity that comes along. select, filter, order, top, expand: within it (OData 4; before, select alone)."""

    property: PropertyPath
    select: list[PropertyPath] = []
    filter: list[Condition] = []
    order: list[Order] = []
    top: Annotated[int, Meta(ge=0)] | None = None
    expand: list["Expand"] = []


class ODataQuery(Document, frozen=True):
    """What is put behind the path of an OData request.

    version: of the service.  key: of one entity, its parts by name; none for a whole set.  then: a path behind the key, such as /Tests or
    /Office.Withdraw.  arguments: of a function.  is_function: arguments are written in brackets even if there are none.
    select, filter, order, expand: the system query options; all conditions of a filter must hold.  count: ask for the total.
    """

    version: Version = "4.0"
    key: list[Literally] = []
    then: Annotated[str, Meta(pattern=r"^(/[\w.$]+)*$")] = ""
    arguments: list[Literally] = []
    is_function: bool = False
    select: list[PropertyPath] = []
    filter: list[Condition] = []
    order: list[Order] = []
    expand: list[Expand] = []
    count: bool = False
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
