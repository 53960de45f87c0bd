"""What keeps a binding from working, and the record type's fields as each of its roles reads them."""

from collections.abc import Iterator, Mapping
from typing import Any

from msgspec import UNSET, structs

from rondine.core.errors import Problem, RondineError, did_you_mean
from rondine.core.live.asking import Fields
from rondine.core.live.document import WRITING, BindingDocument, InputSource, ListBinding, Role, RoleBinding
from rondine.core.mapping.document import (
    At,
    FieldRule,
    Level,
    MappingDocument,
    Output,
    RecordField,
    RecordTypeDocument,
    Source,
    problems_of,
)
from rondine.core.operations.document import OperationDocument, is_reading

#: A field beside the record type's own, for the entity tag that OData sends with each row (OData 4.01 JSON Format,
#: section 4.5.9; 2.0 JSON Format, "Entries").
VERSION_FIELD = "record-version"
_VERSION = Source(
    first_of=[Source(jsonpath="$['@odata.etag']"), Source(jsonpath="$['@etag']"), Source(jsonpath="$.__metadata.etag")]
)


def output_of(mapping: MappingDocument, record_type: str) -> Output | None:
    return next((output for output in mapping.outputs if output.record_type == record_type), None)


def role_mapping(role: RoleBinding, mapping: MappingDocument, record_type: str) -> MappingDocument | None:
    """The mapping as it reads a role's responses: rows where the role says, and of a response with the key alone, no
    other fields. None if its response has nothing of the record."""
    output = output_of(mapping, record_type)
    if output is None or role.brings == "nothing":
        return None
    if role.rows is not None:
        names = [level.level for level in output.rows][-len(role.rows) :] if role.rows else []
        names = [f"level-{number}" for number in range(len(role.rows) - len(names))] + names
        levels = [
            Level(name, At(xpath=path) if mapping.format == "xml" else At(jsonpath=path))
            for name, path in zip(names, role.rows, strict=True)
        ]
        output = structs.replace(output, rows=levels)
    return structs.replace(mapping, outputs=[output])


def only_key(mapping: MappingDocument, record_type: RecordTypeDocument) -> MappingDocument:
    """The mapping with nothing but the key's fields."""
    outputs = [
        structs.replace(output, fields=[rule for rule in output.fields if rule.name in record_type.key], where=[])
        for output in mapping.outputs
    ]
    return structs.replace(mapping, outputs=outputs)


def with_versions(
    mapping: MappingDocument, record_type: RecordTypeDocument
) -> tuple[MappingDocument, RecordTypeDocument]:
    """Both with a field for the entity tag of each row."""
    rule = FieldRule(VERSION_FIELD, _VERSION, on_failure="empty")
    outputs = [structs.replace(output, fields=[*output.fields, rule]) for output in mapping.outputs]
    fields = [*record_type.fields, RecordField(VERSION_FIELD, "text")]
    return structs.replace(mapping, outputs=outputs), structs.replace(record_type, fields=fields)


def binding_problems(
    binding: BindingDocument,
    record_type: RecordTypeDocument | None,
    mapping: MappingDocument | None,
    operations: Mapping[str, OperationDocument],
) -> list[Problem]:
    """operations: of the mapping's service, by name. mapping: with all that it is based on."""
    if record_type is None:
        return [Problem("/record_type", f'there is no record type "{binding.record_type}"', "make it first")]
    if mapping is None:
        return [Problem("/mapping", f'there is no mapping "{binding.mapping}"', "make it first")]
    output = output_of(mapping, binding.record_type)
    if output is None:
        words = f'mapping "{binding.mapping}" fills no {binding.record_type}'
        return [Problem("/mapping", words, "take one that does, or let this one fill it")]
    problems = []
    if not record_type.key:
        problems.append(Problem("/record_type", "it has no key, by which one record is found", "give it one"))
    if not any(True for _ in binding.roles()):
        problems.append(Problem("/list", "no operation plays a role", "choose one that lists, or one that finds"))
    fields = Fields(record_type, output, mapping.format)
    for role, bound in binding.roles():
        for problem in _role_problems(role, bound, fields, mapping, operations):
            problems.append(Problem(f"/{role}{problem.where}", problem.message, problem.hint))
    return problems


def _role_problems(
    role: Role,
    bound: RoleBinding,
    fields: Fields,
    mapping: MappingDocument,
    operations: Mapping[str, OperationDocument],
) -> Iterator[Problem]:
    operation = operations.get(bound.operation)
    if operation is None:
        hint = did_you_mean(bound.operation, operations) or "take one of the mapping's service"
        yield Problem("/operation", f'its service has no operation "{bound.operation}"', hint)
        return
    if is_reading(operation) == (role in WRITING):
        words = f'"{bound.operation}" {"only reads" if is_reading(operation) else "writes"}'
        yield Problem("/operation", f"{words}: it cannot {role}", "take another one")
    known = {input_.name for input_ in operation.inputs}
    names = {field.name for field in fields.record_type.fields}
    for name, source in bound.inputs.items():
        if name not in known:
            yield Problem(f"/inputs/{name}", f'the operation has no input "{name}"', did_you_mean(name, known))
        yield from _source_problems(f"/inputs/{name}", source, names)
    if isinstance(bound, ListBinding):
        yield from _list_problems(bound, known, names)
    filled = {*bound.inputs, *(one.input for one in getattr(bound, "filters", ()))}
    for input_ in operation.inputs:
        if input_.required and input_.default is UNSET and input_.name not in filled:
            words = f'its input "{input_.name}" is required, and nothing is given for it'
            yield Problem(f"/inputs/{input_.name}", words, "give it a field's value, or a fixed one")
    try:
        read = role_mapping(bound, mapping, fields.output.record_type)
    except RondineError as error:
        yield error.as_problem("/rows")
        return
    if read is not None:
        for problem in problems_of(read, {fields.output.record_type: fields.record_type}, is_kept=False):
            yield Problem("/rows" if "/rows" in problem.where else "/mapping", problem.message, problem.hint)


def _source_problems(place: str, source: InputSource, names: set[str]) -> Iterator[Problem]:
    if source.field and source.field not in names:
        yield Problem(place, f'there is no field "{source.field}"', did_you_mean(source.field, names))
    for name, inner in source.members.items():
        yield from _source_problems(f"{place}/members/{name}", inner, names)


def _list_problems(bound: ListBinding, known: set[str], names: set[str]) -> Iterator[Problem]:
    inputs: list[tuple[str, str]] = [(f"/filters/{number}", one.input) for number, one in enumerate(bound.filters)]
    inputs += [("/sort", bound.sort.input)] if bound.sort is not None else []
    for place, name in inputs:
        if name not in known:
            yield Problem(place, f'the operation has no input "{name}"', did_you_mean(name, known))
    fields: list[Any] = [(f"/filters/{number}", one.field) for number, one in enumerate(bound.filters)]
    if bound.sort is not None:
        fields += [(f"/sort/values/{name}", name.removeprefix("-")) for name in bound.sort.values]
    for place, name in fields:
        if name not in names:
            yield Problem(place, f'there is no field "{name}"', did_you_mean(name, names))
