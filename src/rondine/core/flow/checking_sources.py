"""Sources in a flow, checked before it runs: that what they name is there by then, and is of a type that fits."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from msgspec import UNSET

from rondine.core.conversions.types import CONVERSIONS, ConversionError
from rondine.core.documents.json import kind_of
from rondine.core.errors import InputError, Problem, did_you_mean
from rondine.core.flow.document import (
    MOST_DEPTH,
    Asked,
    AskStep,
    FlowCondition,
    FlowDocument,
    FlowSource,
    RecordsStep,
    Step,
    steps_in,
)
from rondine.core.mapping.document import RecordTypeDocument
from rondine.core.operations.inputs import Input
from rondine.core.paths import JsonPath
from rondine.core.paths.jsonpath import Name
from rondine.core.schema.json_schema import Schema

_KINDS = ("object", "array", "string", "number", "boolean", "null")
#: What a value of a kind can never be: by the kind of the source, the types of inputs that do not take it.
_NEVER = {
    "list": {"text", "integer", "decimal", "boolean", "date", "datetime"},
    "object": {"text", "integer", "decimal", "boolean", "date", "datetime"},
    "boolean": {"integer", "decimal", "date", "datetime"},
    "integer": {"boolean", "date", "datetime"},
    "decimal": {"boolean", "date", "datetime"},
    "date": {"boolean", "integer", "decimal", "datetime"},
    "datetime": {"boolean", "integer", "decimal", "date"},
}


@dataclass(frozen=True, slots=True)
class Known:
    """What there is beside the flow, by name. operations: inputs of each.  mappings: the record types that each
    fills.  not_ready: of an operation, mapping or flow, by its word and name, why it cannot run; empty if it can.
    answers: what an operation answers, by its name, as JSON Schema with the schemas that it refers to."""

    operations: Mapping[str, Sequence[Input]] = field(default_factory=dict)
    mappings: Mapping[str, Sequence[str]] = field(default_factory=dict)
    record_types: Mapping[str, RecordTypeDocument] = field(default_factory=dict)
    flows: Mapping[str, FlowDocument] = field(default_factory=dict)
    webhooks: frozenset[str] = frozenset()
    standing: frozenset[str] = frozenset()
    not_ready: Callable[[str, str], str] = lambda word, name: ""
    answers: Callable[[str], tuple[Schema, Mapping[str, Schema]]] = lambda name: (True, {})


@dataclass(slots=True)
class Checked:
    """problems: it cannot run.  warnings: it can, and somebody should look."""

    problems: list[Problem] = field(default_factory=list)
    warnings: list[Problem] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class Seen:
    """What sources may name at one place. results: steps that may be done by then.  certain: those that are."""

    results: Mapping[str, Step]
    certain: frozenset[str]
    kept: Mapping[str, str]
    has_item: bool = False
    has_failure: bool = False
    has_undone: bool = False


class SourceCheck:
    """Notes what is wrong with sources, and which inputs and kept values they use."""

    def __init__(self, flow: FlowDocument, known: Known) -> None:
        self.known, self.found = known, Checked()
        self.inputs = {one.name: one for one in flow.inputs}
        self.places = {step.name: place for place, step in reversed([*steps_in(flow.steps, "/steps")])}
        self.used_inputs: set[str] = set()
        self.used_kept: set[str] = set()

    def problem(self, where: str, message: str, hint: str = "") -> None:
        self.found.problems.append(Problem(where, message, hint))

    def warning(self, where: str, message: str, hint: str = "") -> None:
        self.found.warnings.append(Problem(where, message, hint))

    def condition(self, condition: FlowCondition, here: str, seen: Seen) -> None:
        self.source(condition.source, f"{here}/from", seen)
        if condition.than is not None:
            self.source(condition.than, f"{here}/than", seen)
        needs = condition.is_ not in ("present", "absent")
        has = condition.value is not UNSET or condition.than is not None
        if needs and not has:
            self.problem(f"{here}/value", f"{condition.is_} compares with something", "give value or than")
        if condition.is_ == "of_kind" and condition.value is not UNSET and condition.value not in _KINDS:
            self.problem(f"{here}/value", f'"{condition.value}" is no kind of value', f"one of {', '.join(_KINDS)}")
        if condition.is_ in ("one_of", "none_of") and condition.than is None and not isinstance(condition.value, list):
            self.problem(f"{here}/value", f"{condition.is_} compares with a list", 'such as ["planted", "felled"]')

    def source(self, source: FlowSource, here: str, seen: Seen, wanted: str = "", depth: int = 0) -> None:
        """wanted: the type that it is to have; empty for any."""
        if depth > MOST_DEPTH:
            self.problem(
                here, f"sources stand within sources more than {MOST_DEPTH} deep", "keep a part as a value first"
            )
            return
        self._check_there(source, here, seen)
        path = None
        try:
            path = source.path()
        except InputError as error:
            self.problem(f"{here}/at", error.message, error.hint)
        for number, step in enumerate(source.convert):
            try:
                step.check()
            except InputError as error:
                self.problem(f"{here}/convert/{number}", error.message, error.hint)
        for place, inner in source.inner():
            self.source(inner, f"{here}{place}", seen, "", depth + 1)
        if source.result is not None and path is not None and source.result in seen.results:
            self._check_path(seen.results[source.result], path, f"{here}/at")
        self._check_type(source, path, here, seen, wanted)

    def _check_type(self, source: FlowSource, path: JsonPath | None, here: str, seen: Seen, wanted: str) -> None:
        if not wanted or source.convert:
            return
        kind = self._kind(source, path, seen)
        if wanted == "list":
            if kind not in ("", "list", "json"):
                self.problem(here, f"a list is wanted here, and this is {_in_words(kind)}", "take a list")
            return
        if wanted in _NEVER.get(kind, ()):
            hint = "take another value, or add a conversion"
            self.problem(here, f"a value of type {wanted} is wanted here, and this is {_in_words(kind)}", hint)
        elif source.value is not UNSET and source.value is not None and wanted in CONVERSIONS:
            try:
                CONVERSIONS[wanted](source.value)
            except ConversionError as error:
                self.problem(here, f"the value {error}", f"a value of type {wanted} is wanted here")

    def _kind(self, source: FlowSource, path: JsonPath | None, seen: Seen) -> str:
        """What a source's value is, as far as it is known: a type of inputs, list or object; empty if it is not."""
        if source.all or source.several is not None or source.joined is not None:
            return "list"
        if source.members is not None:
            return "object"
        if source.position:
            return "integer"
        if source.caller:
            return "text"
        if path is None and source.input is not None and source.input in self.inputs:
            found: str = self.inputs[source.input].type
            return found
        if path is None and source.kept is not None:
            return seen.kept.get(source.kept, "")
        if path is None and source.result is not None:
            return "object"
        if source.value is not UNSET:
            return {"array": "list", "object": "object", "boolean": "boolean"}.get(kind_of(source.value), "")
        if source.result is not None and path is not None and (names := _names(path)):
            step = seen.results.get(source.result)
            if names[0] in ("failures", "parts") and len(names) == 1:
                return "list" if names[0] == "failures" or getattr(step, "each", None) is not None else "object"
            if names[0] == "records":
                is_gathered = getattr(step, "gather", None) is not None
                return "list" if len(names) == (1 if is_gathered else 2) else ""
        return ""

    def _check_there(self, source: FlowSource, here: str, seen: Seen) -> None:
        if source.input is not None:
            self.used_inputs.add(source.input)
            if source.input not in self.inputs:
                hint = did_you_mean(source.input, self.inputs) or "add it to the flow's inputs"
                self.problem(f"{here}/input", f'the flow has no input "{source.input}"', hint)
        if source.result is not None and source.result not in seen.results:
            self._not_there(source.result, f"{here}/result", seen)
        if source.kept is not None:
            self.used_kept.add(source.kept)
            if source.kept not in seen.kept:
                hint = did_you_mean(source.kept, seen.kept) or "keep it in a step before this one"
                self.problem(f"{here}/kept", f'no step before this one keeps "{source.kept}"', hint)
        if source.standing is not None:
            self.check_known(f"{here}/standing", "standing value", source.standing, self.known.standing)
        for is_used, has, word, words in (
            (source.item or source.position, seen.has_item, "item", "nothing is asked for each of many here"),
            (source.failure, seen.has_failure, "failure", "no step has failed here"),
            (source.undone, seen.has_undone, "undone", "nothing is undone here"),
        ):
            if is_used and not has:
                self.problem(f"{here}/{word}", words, "take a value from an input or an earlier step")

    def _not_there(self, name: str, here: str, seen: Seen) -> None:
        if name not in self.places:
            hint = did_you_mean(name, seen.results) or "name a step that stands before this one"
            self.problem(here, f'there is no step "{name}"', hint)
        else:
            self.problem(here, f'the step "{name}" is not done before this one', f"it stands at {self.places[name]}")

    def _check_path(self, step: Step, path: JsonPath, here: str) -> None:
        """That a path fits what comes of a step, as far as that is known."""
        names = _names(path)
        if not names or not isinstance(step, AskStep | RecordsStep):
            return
        if isinstance(step, AskStep) and step.ask is None:
            known = (
                "outcome",
                "succeeded",
                "failed",
                "failures",
                "failure",
                "parts",
                *(["records"] if step.gather else []),
            )
            if names[0] not in known:
                self.problem(here, f'what several come to has no "{names[0]}"', did_you_mean(names[0], known))
            if names[0] == "records" and len(names) > 1:
                self.problem(here, f'the records of "{step.name}" are one list', "take records itself, as a list")
            branches = [branch.name for branch in step.together]
            if names[0] == "parts" and len(names) > 1 and branches and names[1] not in branches:
                self.problem(here, f'none of them is called "{names[1]}"', did_you_mean(names[1], branches))
            return
        ask = step.ask if isinstance(step, AskStep) else None
        own = ("reply",) if ask is not None and ask.flow else ("body", "records", "record", "headers")
        known = ("outcome", "status", "failure", "call", *own)
        if names[0] not in known:
            self.problem(here, f'what comes of "{step.name}" has no "{names[0]}"', did_you_mean(names[0], known))
        if ask is None or len(names) < 2:
            return
        if names[0] == "records" and (brought := self.brought(ask)) and names[1] not in brought:
            self.problem(here, f'"{step.name}" brings no records of type "{names[1]}"', did_you_mean(names[1], brought))
        if names[0] == "records" and not self.brought(ask) and ask.operation:
            self.problem(here, f'"{step.name}" brings no records', "choose a mapping in that step")
        if names[0] == "reply" and ask.flow in self.known.flows:
            members = [one.name for one in self.known.flows[ask.flow].reply]
            if names[1] not in members:
                self.problem(here, f'the reply of {ask.flow} has no "{names[1]}"', did_you_mean(names[1], members))

    def brought(self, ask: Asked) -> Sequence[str]:
        """The record types of what it brings."""
        if ask.record_type:
            return [ask.record_type]
        return self.known.mappings.get(ask.mapping, []) if ask.mapping else []

    def check_known(self, where: str, word: str, name: str, known: Any) -> bool:
        if name in known:
            if why := self.known.not_ready(word, name):
                self.problem(where, f'{word} "{name}" is not ready: {why}', "mend it first")
            return True
        self.problem(where, f'there is no {word} "{name}"', did_you_mean(name, known) or "make it first")
        return False


def _names(path: JsonPath) -> list[str]:
    """The names with which a path begins."""
    names = []
    for segment in path.segments:
        selector = segment.selectors[0]
        if segment.descendant or len(segment.selectors) != 1 or not isinstance(selector, Name):
            break
        names.append(selector.name)
    return names


def _in_words(kind: str) -> str:
    return {"list": "a list", "object": "an object"}.get(kind, f"of type {kind}")
