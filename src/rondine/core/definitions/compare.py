"""Importing again: what has changed in a definition, and what is kept of one's own corrections.

An operation is compared by units (an input's type, a parameter, a member of the body, a response). For each unit there
are three states: what the definition said before, what it says now, and what the operation is. Where nobody touched it,
the new one is taken; where somebody corrected it, the correction stays and is shown beside what the definition says
now.
"""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any

from rondine.core.definitions.compare_schemas import SchemaComparison
from rondine.core.operations.document import OperationDocument, ResponseDescription
from rondine.core.protocols.body_choice import in_form_of
from rondine.core.settings import dump, load

#: Parts that people add to an operation and no definition knows of.
_OWN = frozenset({"enabled", "reads", "paging", "response", "outcomes", "left_out", "came_from"})
_LISTS = {
    "inputs": "name",
    "query": "name",
    "headers": "name",
    "cookies": "name",
    "other_bodies": "media_type",
    "tags": "",
}
_BODY_LISTS = {"fields": "name", "members": "at", "parts": "name"}


@dataclass(frozen=True, slots=True)
class Difference:
    """unit: such as inputs/limit/default, or response 200: trees[*].girth.  before, now: in the definition, None for
    "not there".  is_kept: one's own correction stays.
    """

    unit: str
    before: Any
    now: Any
    is_kept: bool = False


@dataclass(frozen=True, slots=True)
class Merged:
    """document: the operation as it would be.  differences: what has changed in the definition."""

    document: OperationDocument
    differences: list[Difference]


def merged(
    before: OperationDocument,
    now: OperationDocument,
    own: OperationDocument,
    schemas: SchemaComparison,
) -> Merged:
    """before, now: as the definition described it.  own: the operation as it is, with what people corrected and chose.
    schemas: those that they refer to."""
    before, now = in_form_of(before, own), in_form_of(now, own)
    old_units, new_units, own_units = (dict(_units(dump(one))) for one in (before, now, own))
    left_out = set(own.left_out)
    differences: list[Difference] = []
    result: dict[tuple[str, ...], Any] = {}
    for unit in dict.fromkeys([*own_units, *new_units, *old_units]):
        was, is_now, mine = old_units.get(unit), new_units.get(unit), own_units.get(unit)
        if unit[0] in _OWN or was == is_now or mine == is_now:
            taken = mine
        elif mine == was:
            taken = is_now
        else:
            taken = mine
        if was != is_now and unit[0] not in _OWN and unit[0] != "responses" and not _is_left_out(unit, left_out):
            is_kept = taken != is_now
            differences.append(Difference("/".join(unit), was, is_now, is_kept))
        if taken is not None:
            result[unit] = taken
    differences += _response_differences(before, now, schemas)
    document = load(OperationDocument, _without(_joined(result), left_out))
    return Merged(document, differences)


def _units(document: dict[str, Any]) -> Iterator[tuple[tuple[str, ...], Any]]:
    for name, value in document.items():
        if name == "responses":
            for one in value:
                yield (name, one["status"], one.get("media_type", "")), one
        elif name == "inputs":
            for one in value:
                yield (name, one["name"], ""), {"name": one["name"]}
                for field, held in one.items():
                    if field != "name":
                        yield (name, one["name"], field), held
        elif name == "tags":
            yield (name,), value
        elif name in _LISTS:
            for one in value:
                yield (name, one[_LISTS[name]]), one
        elif name == "body":
            plain = {key: one for key, one in value.items() if key not in _BODY_LISTS}
            yield ("body", ""), plain
            for group, label in _BODY_LISTS.items():
                for one in value.get(group, []):
                    yield ("body", group, one[label]), one
        else:
            yield (name,), value


def _joined(units: Mapping[tuple[str, ...], Any]) -> dict[str, Any]:
    out: dict[str, Any] = {}
    inputs: dict[str, dict[str, Any]] = {}
    body: dict[str, Any] = {}
    for unit, value in units.items():
        match unit:
            case ("responses", _, _):
                out.setdefault("responses", []).append(value)
            case ("inputs", name, field):
                inputs.setdefault(name, {"name": name}).update({field: value} if field else {})
            case ("body", ""):
                body = {**value, **{key: one for key, one in body.items() if key in _BODY_LISTS}}
            case ("body", group, _):
                body.setdefault(group, []).append(value)
            case (name, _):
                out.setdefault(name, []).append(value)
            case (name,):
                out[name] = value
            case _:
                pass
    there = [one for name, one in inputs.items() if (("inputs", name, "") in units)]
    if there:
        out["inputs"] = there
    if body.get("type"):
        allowed = {"form": {"fields"}, "json": {"members"}, "multipart": {"parts"}}.get(body["type"], set())
        out["body"] = {key: one for key, one in body.items() if key not in _BODY_LISTS or key in allowed}
    return out


def _is_left_out(unit: tuple[str, ...], left_out: set[str]) -> bool:
    return unit[0] == "inputs" and unit[1] in left_out


def _without(document: dict[str, Any], names: set[str]) -> dict[str, Any]:
    return dump(without_inputs(load(OperationDocument, document), names)) if names else document


def without_inputs(operation: OperationDocument, names: set[str]) -> OperationDocument:
    """The operation without these inputs and whatever is sent of them; they are remembered as left out."""

    def uses(value: Any) -> bool:
        if isinstance(value, dict):
            return value.get("input") in names or any(uses(one) for key, one in value.items() if key != "input")
        return isinstance(value, list) and any(map(uses, value))

    document = dump(operation)
    for group in ("query", "headers", "cookies"):
        if group in document:
            document[group] = [one for one in document[group] if not uses(one.get("value"))]
    body = document.get("body", {})
    for group in _BODY_LISTS:
        if group in body:
            body[group] = [one for one in body[group] if not uses(one.get("value"))]
    if uses(body.get("content")):
        document.pop("body")
    document["inputs"] = [input_ for input_ in document.get("inputs", []) if input_["name"] not in names]
    there = {input_.name for input_ in operation.inputs}
    document["left_out"] = sorted({*operation.left_out, *(names & there)})
    return load(OperationDocument, document)


def is_same(before: OperationDocument, now: OperationDocument, schemas: SchemaComparison) -> bool:
    """Whether a definition says the same of an operation as before, with all that its responses refer to."""
    return before == now and all(
        schemas.is_same(schema, schema)
        for response in now.responses
        for schema in (response.schema, *(header.schema for header in response.headers))
    )


def _response_differences(
    before: OperationDocument, now: OperationDocument, schemas: SchemaComparison
) -> Iterator[Difference]:
    """By status and field, not by schema: that is what mappings read."""
    old = {(response.status, response.media_type): response for response in before.responses}
    new = {(response.status, response.media_type): response for response in now.responses}
    for key in dict.fromkeys([*old, *new]):
        label = f"response {key[0]}"
        if key not in old or key not in new:
            yield Difference(label, "described" if key in old else None, "described" if key in new else None)
            continue
        for difference in schemas.differences(old[key].schema, new[key].schema):
            yield Difference(f"{label}: {difference.path or '$'}", difference.before, difference.now)
        yield from _header_differences(label, old[key], new[key], schemas)


def _header_differences(
    label: str, before: ResponseDescription, now: ResponseDescription, schemas: SchemaComparison
) -> Iterator[Difference]:
    old, new = ({header.name.lower(): header for header in each.headers} for each in (before, now))
    for name in dict.fromkeys([*old, *new]):
        here = f"{label}, header {(new.get(name) or old[name]).name}"
        if name not in old or name not in new:
            yield Difference(here, "described" if name in old else None, "described" if name in new else None)
            continue
        for difference in schemas.differences(old[name].schema, new[name].schema):
            yield Difference(f"{here}: {difference.path or '$'}", difference.before, difference.now)
        if old[name].required != new[name].required:
            yield Difference(f"{here}: required", old[name].required, new[name].required)
