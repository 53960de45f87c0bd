"""What a record's values become in the inputs of the operation that finds, makes, changes or removes it."""

from collections.abc import Collection, Mapping
from dataclasses import dataclass, field
from datetime import date, datetime
from typing import Any

from msgspec import UNSET

from rondine.core.conversions.types import CONVERSIONS, ConversionError
from rondine.core.errors import InputError, Problem, did_you_mean
from rondine.core.live.asking import Fields
from rondine.core.live.document import InputSource, RoleBinding
from rondine.core.mapping.document import RecordTypeDocument
from rondine.core.operations.document import JsonBody, OperationDocument
from rondine.core.operations.values import ValueOf, parts_of


def typed_key(record_type: RecordTypeDocument, key: list[str]) -> dict[str, Any]:
    """The key fields' values by name. key: as texts, in their order. Raises InputError."""
    if len(key) != len(record_type.key):
        raise InputError(
            f"the key has {len(record_type.key)} parts: {', '.join(record_type.key)}",
            where="key",
            hint="give them in this order",
        )
    return typed_values(record_type, dict(zip(record_type.key, key, strict=True)), where="key")


def typed_values(record_type: RecordTypeDocument, data: Mapping[str, Any], where: str = "/data") -> dict[str, Any]:
    """Fields' values in their types; null stays. Raises InputError with each that is unknown or wrong."""
    problems, out = [], {}
    for name, value in data.items():
        known = record_type.field(name)
        place = f"{where}/{name}" if where.startswith("/") else where
        if known is None:
            hint = did_you_mean(name, [one.name for one in record_type.fields])
            problems.append(Problem(place, f'there is no field "{name}"', hint or "leave it out"))
            continue
        try:
            out[name] = None if value is None else CONVERSIONS[known.type](value)
        except ConversionError as error:
            problems.append(Problem(place, f"{name} {error}", f"the field is of type {known.type}"))
    if problems:
        raise InputError(problems[0].message, where=problems[0].where, hint=problems[0].hint, problems=problems)
    return out


def role_inputs(
    role: RoleBinding,
    operation: OperationDocument,
    fields: Fields,
    *,
    key: Mapping[str, Any],
    data: Mapping[str, Any],
    version: str = "",
) -> dict[str, Any]:
    """The operation's inputs, by name. key, data: typed values by field; data of what is written alone.  version: the
    entity tag to send, empty for none.

    Every value in data is sent, or refused: none is passed over. Raises InputError.
    """
    writer = _Inputs(operation, fields, key, data, version)
    inputs = writer.of(role.inputs)
    problems = writer.problems
    for name, value in data.items():
        if name in writer.sent or (name in key and key[name] == value):
            continue
        if name in key:
            words = f'"{name}" is part of the key, by which the record is found: it cannot be changed'
            problems.append(Problem(f"/data/{name}", words, "leave it out"))
        else:
            words = f'the service takes no value for "{name}"'
            problems.append(Problem(f"/data/{name}", words, "leave it out, or bind an input of the operation to it"))
    if problems:
        raise InputError(problems[0].message, where=problems[0].where, hint=problems[0].hint, problems=problems)
    return inputs


def fields_needed(role: RoleBinding, operation: OperationDocument, given: Collection[str]) -> list[str]:
    """The fields that have to be sent as they are now, where only those given are to change: of inputs that the
    operation requires; and those that stand in one object within the body with one that is given, as not every service
    leaves the rest of such an object as it is."""
    inputs = {name: source.field for name, source in role.inputs.items() if source.field}
    required = {input_.name for input_ in operation.inputs if input_.required and input_.default is UNSET}
    objects: dict[str, set[str]] = {}
    for member in operation.body.members if isinstance(operation.body, JsonBody) else ():
        holder = member.at.rpartition("/")[0]
        names = {part.input for part in parts_of(member.value) if isinstance(part, ValueOf)} & inputs.keys()
        objects.setdefault(holder, set()).update(names)
    beside = {
        name
        for holder, names in objects.items()
        if holder and any(inputs[name] in given for name in names)
        for name in names
    }
    return [field for name, field in inputs.items() if name in required | beside and field not in given]


@dataclass
class _Inputs:
    """sent: fields of data that an input has taken."""

    operation: OperationDocument
    fields: Fields
    key: Mapping[str, Any]
    data: Mapping[str, Any]
    version: str
    sent: set[str] = field(default_factory=set)
    problems: list[Problem] = field(default_factory=list)

    def of(self, sources: Mapping[str, InputSource]) -> dict[str, Any]:
        """Inputs, or the members of one, that have a value."""
        out: dict[str, Any] = {}
        for name, source in sources.items():
            if source.value is not UNSET:
                out[name] = source.value
            elif source.version:
                out |= {name: self.version} if self.version else {}
            elif source.members:
                inner = self.of(source.members)
                out |= {name: inner} if inner else {}
            elif source.field in self.key:  # the record that is meant, whatever else is given
                self._put(out, name, source, self.key[source.field], is_key=True)
            elif source.field in self.data:
                self.sent.add(source.field)
                self._put(out, name, source, self.data[source.field])
        return out

    def _put(self, out: dict[str, Any], name: str, source: InputSource, value: Any, *, is_key: bool = False) -> None:
        place = f"/data/{source.field}"
        if value is None:
            # an input without a value is left out of the request, which says "as it is", not "empty"
            words = f'"{source.field}" cannot be emptied: the operation has no way to say so'
            self.problems.append(Problem(place, words, "leave it out, or give it a value"))
            return
        try:
            found = self.fields.sent(source.field, value, source.convert)
        except ConversionError as error:
            hint = "give another value, or give the input its own steps"
            self.problems.append(Problem(place, f"{source.field} {error}", hint))
            return
        out[name] = _old_date(found, value) if _writes_old_json(self.operation) and not is_key else found


def _writes_old_json(operation: OperationDocument) -> bool:
    return operation.odata is not None and operation.odata.is_before_4 and isinstance(operation.body, JsonBody)


def _old_date(found: Any, value: Any) -> Any:
    """A date as JSON of OData before 4.0 has it (OData 3.0, "JSON Verbose Format", section 4.1)."""
    if not isinstance(value, date):
        return found
    moment = value if isinstance(value, datetime) else datetime.fromisoformat(f"{value.isoformat()}T00:00:00+00:00")
    return f"/Date({round(moment.timestamp() * 1000)})/"
