"""A binding: which operations of a service find, list, create, change, replace and remove the records of one type."""

from collections.abc import Iterator, Mapping
from typing import Annotated, Any, ClassVar, Literal

from msgspec import UNSET, Meta, UnsetType

from rondine.core.conversions.steps import Conversion
from rondine.core.settings import Document

Role = Literal["list", "find", "create", "change", "replace", "remove"]
ROLES: tuple[Role, ...] = ("list", "find", "create", "change", "replace", "remove")
#: Roles that change something at the service.
WRITING: tuple[Role, ...] = ("create", "change", "replace", "remove")
#: How a filter compares a field with a value: as lists of records are filtered, `girth.from`.
Compare = Literal["equal", "from", "to", "begins"]


class InputSource(Document, frozen=True):
    """What one of the operation's inputs is given: exactly one of field, version, value and members."""

    field: Annotated[str, Meta(description="of the record; of its key where a record is found by it")] = ""
    version: Annotated[
        bool, Meta(description="the entity tag that the record was read with, as for If-Match (RFC 9110)")
    ] = False
    value: Annotated[Any | UnsetType, Meta(description="this value itself")] = UNSET
    members: Annotated[
        "dict[str, InputSource]", Meta(description="an object of these, by name; those without a value are left out")
    ] = {}
    convert: Annotated[
        list[Conversion] | None,
        Meta(description="steps that the field's value goes through; by default the mapping's steps, undone"),
    ] = None

    def __post_init__(self) -> None:
        if [bool(self.field), self.version, self.value is not UNSET, bool(self.members)].count(True) != 1:
            raise ValueError("give exactly one of field, version, value and members")


class FilterInput(Document, frozen=True):
    """An input of the list operation that leaves only some records."""

    input: Annotated[str, Meta(description="of the operation")]
    field: Annotated[str, Meta(description="that is compared")]
    compare: Annotated[
        Compare, Meta(description="with a value that it equals, is at least, is at most, or begins with")
    ] = "equal"
    convert: Annotated[
        list[Conversion] | None,
        Meta(description="steps that the value goes through; by default the mapping's steps, undone"),
    ] = None


class SortInput(Document, frozen=True):
    """An input of the list operation that says the order."""

    input: Annotated[str, Meta(description="of the operation")]
    values: Annotated[
        dict[str, str],
        Meta(description='what it is given for an order: by the field\'s name, with "-" before it for descending'),
    ]


class RoleBinding(Document, frozen=True, kw_only=True):
    """One operation, and what its inputs are given."""

    REFERENCES: ClassVar[Mapping[str, str]] = {"operation": "operations"}

    operation: Annotated[str, Meta(description="by name")]
    inputs: Annotated[dict[str, InputSource], Meta(description="by the operation's name of each")] = {}
    rows: Annotated[
        list[str] | None,
        Meta(description="the way to records in its response, a JSONPath or XPath a level; by default the mapping's"),
    ] = None
    brings: Annotated[
        Literal["record", "key", "nothing"],
        Meta(description="what its response has of the record: all, its key alone, or nothing"),
    ] = "record"


class ListBinding(RoleBinding, frozen=True, kw_only=True):
    """The operation that lists records, and what it can leave out and put in order by itself."""

    filters: Annotated[list[FilterInput], Meta(description="beside those of OData, which need none")] = []
    sort: Annotated[SortInput | None, Meta(description="beside that of OData, which needs none")] = None


class BindingDocument(Document, frozen=True, kw_only=True):
    """How the records of a type are found and changed at a service."""

    REFERENCES: ClassVar[Mapping[str, str]] = {"record_type": "record-types", "mapping": "mappings"}

    record_type: Annotated[str, Meta(description="by name; each has one binding at most")]
    mapping: Annotated[str, Meta(description="what makes its fields of the service's responses")]
    list: Annotated[ListBinding | None, Meta(description="lists records; none, if the service cannot")] = None
    find: Annotated[RoleBinding | None, Meta(description="finds one by its key")] = None
    create: Annotated[RoleBinding | None, Meta(description="makes one")] = None
    change: Annotated[RoleBinding | None, Meta(description="changes some of its fields")] = None
    replace: Annotated[RoleBinding | None, Meta(description="writes it whole")] = None
    remove: Annotated[RoleBinding | None, Meta(description="removes it")] = None
    max_age: Annotated[
        int,
        Meta(
            ge=0,
            le=86_400,
            description=(
                "seconds for which an answer may be used again, by whoever permits it that age; 0: never. It is held"
                " in the process's memory"
            ),
        ),
    ] = 0
    stale_for: Annotated[
        int,
        Meta(
            ge=0,
            le=604_800,
            description="seconds beyond that in which it may stand in, marked so, while the service is not reached",
        ),
    ] = 0
    most_local: Annotated[
        int,
        Meta(
            ge=1,
            le=100_000,
            description=(
                "rows that are gone through at most where a filter or an order that the service cannot do is asked to"
                " be done by Rondine"
            ),
        ),
    ] = 5_000
    description: Annotated[str, Meta(description="what to know of it, in one's own words")] = ""

    def role(self, role: Role) -> RoleBinding | None:
        found: RoleBinding | None = getattr(self, role)
        return found

    def roles(self) -> Iterator[tuple[Role, RoleBinding]]:
        """Those that an operation plays."""
        for role in ROLES:
            if (found := self.role(role)) is not None:
                yield role, found
