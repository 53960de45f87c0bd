"""Values in a flow: what a source finds, and whether a condition holds."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

import msgspec

from rondine.core.conversions.steps import chain
from rondine.core.conversions.types import CONVERSIONS, ConversionError
from rondine.core.documents.json import kind_of
from rondine.core.documents.members import MISSING
from rondine.core.flow.document import FlowCondition, FlowSource
from rondine.core.mapping.document import Condition
from rondine.core.mapping.taking import passes


@dataclass(slots=True)
class Scope:
    """What sources can name. results, kept: by name, of the steps done so far."""

    inputs: Mapping[str, Any]
    standing: Mapping[str, Any] = field(default_factory=dict)
    caller: str = ""
    results: dict[str, Any] = field(default_factory=dict)
    kept: dict[str, Any] = field(default_factory=dict)
    item: Any = MISSING
    position: int | None = None
    failure: Any = MISSING
    undone: Any = MISSING


def value_of(source: FlowSource, scope: Scope) -> Any:
    """What a source finds; MISSING for nothing. Raises ConversionError if it finds several where one is wanted, or if
    a conversion does not take it, and PathError."""
    value = _origin(source, scope)
    path = source.path()
    if path is not None and value is not MISSING:
        found = [node.value for node in path.find(value)]
        if source.all:
            value = found
        elif len(found) > 1:
            raise ConversionError(f"is {len(found)} values where one is wanted; all makes a list of them")
        else:
            value = found[0] if found else MISSING
    if value is MISSING or not source.convert:
        return value
    return chain(source.convert)(value)


def _origin(source: FlowSource, scope: Scope) -> Any:
    if source.input is not None:
        return scope.inputs.get(source.input, MISSING)
    if source.result is not None:
        return scope.results.get(source.result, MISSING)
    if source.kept is not None:
        return scope.kept.get(source.kept, MISSING)
    if source.standing is not None:
        return scope.standing.get(source.standing, MISSING)
    if source.item:
        return scope.item
    if source.position:
        return MISSING if scope.position is None else scope.position
    if source.failure:
        return scope.failure
    if source.undone:
        return scope.undone
    if source.caller:
        return scope.caller or MISSING
    if source.members is not None:
        return values_of(source.members, scope)
    if source.several is not None:
        return [value for one in source.several if is_there(value := value_of(one, scope))]
    if source.joined is not None:
        found = [value for one in source.joined if is_there(value := value_of(one, scope))]
        return [item for value in found for item in (value if isinstance(value, list) else [value])]
    if source.first_of is not None:
        return next((value for one in source.first_of if is_there(value := value_of(one, scope))), MISSING)
    return source.value


def is_there(value: Any) -> bool:
    return value is not MISSING and value is not None


def values_of(sources: Mapping[str, FlowSource], scope: Scope) -> dict[str, Any]:
    """By name; those without a value are left out. Raises ConversionError that names the one that does not fit."""
    found = {}
    for name, source in sources.items():
        try:
            value = value_of(source, scope)
        except ConversionError as error:
            raise ConversionError(f'"{name}" {error}') from error
        if is_there(value):
            found[name] = value
    return found


def typed(value: Any, type_: str) -> Any:
    """A value as it is kept or replied: plain JSON, numbers exact. Raises ConversionError."""
    made = CONVERSIONS[type_](value)
    return msgspec.to_builtins(made) if type_ in ("date", "datetime") else made


def holds(condition: FlowCondition, scope: Scope) -> bool:
    """Raises ConversionError."""
    value = value_of(condition.source, scope)
    wanted = condition.value
    if condition.than is not None:
        wanted = value_of(condition.than, scope)
        if wanted is MISSING:
            return condition.is_ in ("not_equal", "none_of")
    if condition.is_ == "of_kind":
        return value is not MISSING and kind_of(value) == wanted
    return passes(Condition(source="", is_=condition.is_, value=wanted), value)
