"""A question about live records, put to the operation that lists them: filters and order as OData options or as its
declared inputs. What it cannot do is told, and left for the whole list to be gone through."""

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date
from typing import Any, get_args

from msgspec import structs

from rondine.core.conversions.steps import Conversion, chain
from rondine.core.conversions.types import CONVERSIONS, ConversionError
from rondine.core.errors import InputError, Problem, did_you_mean
from rondine.core.live.document import BindingDocument, Compare, InputSource, ListBinding
from rondine.core.live.undoing import can_undo, undone
from rondine.core.mapping.document import FieldRule, Format, Output, RecordField, RecordTypeDocument
from rondine.core.operations.document import OperationDocument
from rondine.core.operations.inputs import Input, InputType, value_text
from rondine.core.operations.odata import Condition, Operator, Order, Version
from rondine.core.operations.values import ValueOf
from rondine.core.paths import JsonPath

#: Names of inputs that carry the values of OData filters.
_CARRIER = "record-filter-"
_OPERATORS: Mapping[Compare, Operator] = {"equal": "eq", "from": "ge", "to": "le", "begins": "startswith"}
_EDM: Mapping[str, str] = {
    "text": "Edm.String", "integer": "Edm.Int32", "decimal": "Edm.Decimal", "boolean": "Edm.Boolean",
    "date": "Edm.Date", "datetime": "Edm.DateTimeOffset",
}  # fmt: skip
_INPUT_TYPES: Mapping[str, InputType] = {
    "Edm.Boolean": "boolean", "Edm.Date": "date", "Edm.DateTimeOffset": "datetime",
    **dict.fromkeys(("Edm.Byte", "Edm.SByte", "Edm.Int16", "Edm.Int32", "Edm.Int64"), "integer"),
    **dict.fromkeys(("Edm.Decimal", "Edm.Double", "Edm.Single"), "decimal"),
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Filter:
    """value: of the field's type. name: as it was asked for: girth.from."""

    field: RecordField
    compare: Compare
    value: Any
    name: str


@dataclass(frozen=True, slots=True)
class Ordering:
    field: RecordField
    is_descending: bool

    @property
    def name(self) -> str:
        return f"-{self.field.name}" if self.is_descending else self.field.name


@dataclass(frozen=True, slots=True)
class ListQuestion:
    filters: Sequence[Filter] = ()
    order: Ordering | None = None


@dataclass(frozen=True, slots=True)
class Fields:
    """The record type's fields, and the mapping's rules that make them. types: of the service's properties, by their
    paths from the row (`/`), as a definition declares them."""

    record_type: RecordTypeDocument
    output: Output
    format: Format = "json"
    types: Mapping[str, str] = field(default_factory=dict)

    def rule(self, name: str) -> FieldRule | None:
        return next((rule for rule in self.output.fields if rule.name == name), None)

    def path(self, name: str) -> tuple[str, ...] | None:
        """The names that lead from the row to a field's value; None if it is otherwise."""
        rule = self.rule(name)
        source = rule.parsed(self.format) if rule is not None else None
        if source is None or source.level:
            return None
        path = source.path()
        if not isinstance(path, JsonPath):
            return path.names() if path is not None else None
        names = path.singular()
        return tuple(names) if names and all(isinstance(one, str) for one in names) else None  # type: ignore[arg-type]

    def sent(self, name: str, value: Any, steps: Sequence[Conversion] | None = None) -> Any:
        """What the service is sent for a field's value, as inputs take it. value: of the field's type, not null. steps:
        in place of the mapping's, undone. Raises ConversionError."""
        rule, field = self.rule(name), self.record_type.field(name)
        if steps is not None:
            found = chain(steps)(_plain(value))
        elif rule is None or field is None:
            found = value
        else:
            found = undone(value, rule.type or field.type, rule.convert)
        return _plain(found)


def _plain(value: Any) -> Any:
    return value_text(value) if isinstance(value, date) else value


def read_question(record_type: RecordTypeDocument, query: Mapping[str, str]) -> ListQuestion:
    """query: `field`, `field.from`, `field.to`, `field.begins` and `sort`, as of kept records. Raises InputError."""
    problems: list[Problem] = []
    filters, order = [], None
    for name, text in query.items():
        field_name, _, how = name.partition(".")
        if name == "sort":
            field_name, how = text.lstrip("-"), ""
        field = record_type.field(field_name)
        compare: Any = how or "equal"
        if field is None:
            hint = did_you_mean(field_name, [one.name for one in record_type.fields])
            problems.append(Problem(f"?{name}", f'there is no field "{field_name}"', hint))
        elif name == "sort":
            order = Ordering(field, text.startswith("-"))
        elif compare not in get_args(Compare) or how == "equal" or (how == "begins" and field.type != "text"):
            hint = "use the name alone, .from or .to" + (", or .begins" if field.type == "text" else "")
            problems.append(Problem(f"?{name}", f'"{how}" is no way to filter a field of type {field.type}', hint))
        else:
            try:
                filters.append(Filter(field, compare, CONVERSIONS[field.type](text), name))
            except ConversionError as error:
                problems.append(Problem(f"?{name}", f"{name} {error}", f"the field is of type {field.type}"))
    if problems:
        raise InputError(problems[0].message, where=problems[0].where, hint=problems[0].hint, problems=problems)
    return ListQuestion(filters, order)


@dataclass(frozen=True, slots=True)
class Asked:
    """What is sent for a question. left, order: what the operation cannot do.  why: of each of them."""

    document: OperationDocument
    inputs: dict[str, Any]
    left: Sequence[Filter]
    order: Ordering | None
    why: Sequence[Problem]


def asked(role: ListBinding, operation: OperationDocument, fields: Fields, question: ListQuestion) -> Asked:
    """The operation and its inputs for a question."""
    inputs = {name: source.value for name, source in role.inputs.items() if _is_fixed(source)}
    left: list[Filter] = []
    why: list[Problem] = []
    for number, one in enumerate(question.filters, 1):
        try:
            by_input = next(
                (
                    each
                    for each in role.filters
                    if (each.field, each.compare) == (one.field.name, one.compare) and each.input not in inputs
                ),
                None,
            )
            if by_input is not None:
                inputs[by_input.input] = fields.sent(one.field.name, one.value, by_input.convert)
            else:
                operation = _with_condition(operation, fields, one, f"{_CARRIER}{number}", inputs)
        except ConversionError as error:
            left.append(one)
            why.append(Problem(f"?{one.name}", f"the service cannot filter by {one.name}: {error}", _HINT))
    order = question.order
    if order is not None and role.sort is not None and order.name in role.sort.values:
        inputs[role.sort.input], order = role.sort.values[order.name], None
    elif order is not None:
        try:
            operation, order = _with_order(operation, fields, order), None
        except ConversionError as error:
            words = f"the service cannot put them in order of {question.order.name if question.order else ''}: {error}"
            why.append(Problem("?sort", words, _HINT))
    return Asked(operation, inputs, left, order, why)


_HINT = "ask for it to be done here, over all rows: local=true"


def _is_fixed(source: InputSource) -> bool:
    return not source.field and not source.version


def _with_condition(
    operation: OperationDocument, fields: Fields, one: Filter, carrier: str, inputs: dict[str, Any]
) -> OperationDocument:
    """The operation with one more condition of OData. Raises ConversionError if it has no such thing."""
    path = _property(operation, fields, one.field)
    odata = operation.odata
    assert odata is not None
    kind = _edm_type(fields, one.field, path, odata.version)
    value = fields.sent(one.field.name, one.value)
    if kind == "Edm.DateTime":  # without an offset, and always with a time (OData 2.0, "Primitive Types")
        value = f"{value}T00:00:00" if len(str(value)) == 10 else str(value)[:19]
    condition = Condition(property=path, operator=_OPERATORS[one.compare], type=kind, value=ValueOf(input=carrier))
    inputs[carrier] = value
    return structs.replace(
        operation,
        odata=structs.replace(odata, filter=[*odata.filter, condition]),
        inputs=[*operation.inputs, Input(name=carrier, type=_INPUT_TYPES.get(kind, "text"))],
    )


def _with_order(operation: OperationDocument, fields: Fields, order: Ordering) -> OperationDocument:
    path = _property(operation, fields, order.field, is_ordered=True)
    odata = operation.odata
    assert odata is not None
    orders = [Order(property=path, is_descending=order.is_descending)]
    return structs.replace(operation, odata=structs.replace(odata, order=orders))


def _property(operation: OperationDocument, fields: Fields, field: RecordField, *, is_ordered: bool = False) -> str:
    """The property of OData that a field is. Raises ConversionError."""
    if operation.odata is None:
        raise ConversionError("no input of its operation does that")
    if field.type == "json":
        raise ConversionError("it is structured")
    path = fields.path(field.name)
    if path is None:
        raise ConversionError("the field is not one property of its row")
    rule = fields.rule(field.name)
    steps = rule.convert if rule is not None else []
    if not can_undo(steps) or (is_ordered and steps):
        raise ConversionError("the mapping makes another value of it")
    if fields.format != "json":
        raise ConversionError("its rows are XML")
    return "/".join(path)


def _edm_type(fields: Fields, field: RecordField, path: str, version: Version) -> str:
    declared = fields.types.get(path)
    if declared:
        return declared
    if field.type == "date" and version in ("3.0", "2.0"):
        return "Edm.DateTime"
    return _EDM.get(field.type, "Edm.String")


@dataclass(frozen=True, slots=True)
class Ability:
    """What the service can do with a field by itself. compare: ways to filter by it."""

    field: str
    compare: tuple[Compare, ...]
    is_sorted: bool


def abilities(binding: BindingDocument, operation: OperationDocument, fields: Fields) -> list[Ability]:
    """Of each field. operation: that lists."""
    role = binding.list
    if role is None:
        return []
    out = []
    for one in fields.record_type.fields:
        able: set[Compare] = {each.compare for each in role.filters if each.field == one.name}
        is_sorted = role.sort is not None and one.name in role.sort.values
        try:
            _property(operation, fields, one)
            able.update(("equal", "from", "to", "begins") if one.type == "text" else ("equal", "from", "to"))
            _property(operation, fields, one, is_ordered=True)
            is_sorted = True
        except ConversionError:
            pass
        out.append(Ability(one.name, tuple(each for each in get_args(Compare) if each in able), is_sorted))
    return out


# --- what the service cannot do, done here


def passes(filters: Iterable[Filter], data: Mapping[str, Any]) -> bool:
    """Whether a record passes all of them; one without the value passes none."""
    return all(
        (value := data.get(one.field.name)) is not None and _TESTS[one.compare](value, one.value) for one in filters
    )


_TESTS: Mapping[Compare, Callable[[Any, Any], bool]] = {
    "equal": lambda value, wanted: bool(value == wanted),
    "from": lambda value, wanted: bool(value >= wanted),
    "to": lambda value, wanted: bool(value <= wanted),
    "begins": lambda value, wanted: str(value).startswith(wanted),
}


def in_order(records: Sequence[Any], order: Ordering | None, data_of: Callable[[Any], Mapping[str, Any]]) -> list[Any]:
    """Records in an order; those without the value come last, as of kept ones."""
    if order is None:
        return list(records)
    name = order.field.name
    having = [one for one in records if data_of(one).get(name) is not None]
    having.sort(key=lambda one: data_of(one)[name], reverse=order.is_descending)
    return [*having, *(one for one in records if data_of(one).get(name) is None)]
