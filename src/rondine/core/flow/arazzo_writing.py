"""Flows written as Arazzo documents (OpenAPI Initiative, Arazzo 1.0.1), as far as these can say it. What they cannot is
named, with its place in the flow."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from msgspec import UNSET

from rondine.core.definitions.offering import inputs_schema
from rondine.core.documents.json import pointer_text
from rondine.core.errors import Problem
from rondine.core.flow.arazzo import MAY_PASS, ODD, VERSION, AskedOperation, is_expression, places_of
from rondine.core.flow.document import (
    All,
    Asked,
    AskStep,
    DecideStep,
    EndStep,
    Failing,
    FlowDocument,
    FlowSource,
    GoOn,
    PauseStep,
    RecordsStep,
    Repeat,
    Step,
    WhatSucceeds,
    steps_in,
)
from rondine.core.names import free_name
from rondine.core.paths import parse_pointer
from rondine.core.paths.jsonpath import Index, Name

_PLAIN = "only inputs of the flow, values in responses and fixed ones are"


@dataclass(frozen=True, slots=True)
class Written:
    """document: Arazzo.  services: those whose OpenAPI documents it refers to.  unsaid: what it does not say, each with
    its place in a flow."""

    document: dict[str, Any]
    services: Sequence[str]
    unsaid: Sequence[Problem]


def to_arazzo(
    name: str,
    title: str,
    flows: Mapping[str, FlowDocument],
    operations: Mapping[str, AskedOperation],
    addresses: Mapping[str, str],
) -> Written:
    """name: of the flow; those that it asks are among flows, too, and are written as workflows beside it.  addresses:
    of the OpenAPI document of each service."""
    workflows, services, unsaid = [], [], []
    for each in [name, *(one for one in flows if one != name)]:
        writer = _Writer(each, flows[each], operations, "" if each == name else f"flow {each}: ")
        workflows.append(writer.workflow(title if each == name else ""))
        unsaid += writer.unsaid
        services += [one for one in writer.services if one not in services]
    document = {
        "arazzo": VERSION,
        "info": {"title": title or name, "version": "1"},
        "sourceDescriptions": [{"name": one, "url": addresses[one], "type": "openapi"} for one in services],
        "workflows": workflows,
    }
    return Written(document, services, unsaid)


class _Unsaid(Exception):
    """A value that the format cannot say."""


@dataclass(slots=True)
class _Asked:
    """A step of the workflow, as it is written so far. is_flow: it is another workflow."""

    written: dict[str, Any]
    is_flow: bool


class _Writer:
    def __init__(
        self,
        name: str,
        flow: FlowDocument,
        operations: Mapping[str, AskedOperation],
        prefix: str,
    ) -> None:
        self.name, self.flow, self.operations, self.prefix = name, flow, operations, prefix
        self.unsaid: list[Problem] = []
        self.services: list[str] = []
        #: By step, and by step and branch.
        self.asked: dict[tuple[str, ...], _Asked] = {}
        self.kept = {
            one.name: one.source
            for _, step in steps_in(flow.steps, "/steps")
            if isinstance(step, Failing)
            for one in step.keep
        }

    def workflow(self, title: str) -> dict[str, Any]:
        flow = self.flow
        made: dict[str, Any] = {"workflowId": ODD.sub("_", self.name)}
        if title:
            made["summary"] = title
        if flow.description:
            made["description"] = flow.description
        if flow.inputs:
            made["inputs"] = inputs_schema(flow.inputs)
        if flow.time_limit:
            self._say_not("/time_limit", "how long it may take is not said")
        if not flow.enabled:
            self._say_not("/enabled", "that it is disabled is not said")
        for number, member in enumerate(flow.reply):
            if member.type != "json" or member.required:
                self._say_not(
                    f"/reply/{number}", f'of what type "{member.name}" is, and whether it has to be, is not said'
                )
        steps: list[dict[str, Any]] = []
        for number, step in enumerate(flow.steps):
            here = f"/steps/{number}"
            if isinstance(step, EndStep) and step.reply is not None and number + 1 == len(flow.steps):
                if outputs := self._outputs(step, here):
                    made["outputs"] = outputs
            elif isinstance(step, AskStep):
                steps += self._ask_step(step, here)
            else:
                self._say_not(here, f'the step "{step.name}" is not said: {_WORDS[type(step)]}')
        made["steps"] = _with_next(steps)
        return made

    def _say_not(self, where: str, words: str) -> None:
        self.unsaid.append(Problem(where, f"{self.prefix}{words}", "it is kept in Rondine's own export"))

    # --- steps

    def _ask_step(self, step: AskStep, here: str) -> Iterator[dict[str, Any]]:
        if step.only is not None:
            self._say_not(f"{here}/only", "who may cause it is not said")
        for number, kept in enumerate(step.keep):
            self._say_not(f"{here}/keep/{number}", f'that "{kept.name}" is kept as {kept.type} is not said')
        if step.time_limit is not None:
            self._say_not(f"{here}/time_limit", "how long it may take is not said")
        if step.gather is not None:
            self._say_not(f"{here}/gather", "that records are gathered is not said")
        if step.each is not None:
            self._say_not(here, f'the step "{step.name}" is not said: it asks for each of many')
            return
        goes_on = any(isinstance(rule, GoOn) for rule in step.on_failure)
        if step.ask is not None:
            yield from self._one(step, step.ask, f"{here}/ask", (step.name,), step.name, goes_on=goes_on)
            return
        words = "they are asked one after the other here, and at the same time in Rondine"
        self._say_not(f"{here}/together", f'"{step.name}": {words}')
        takes_part = isinstance(step.success, WhatSucceeds)
        if not takes_part and not isinstance(step.success, All):
            self._say_not(f"{here}/success", "when it has succeeded is not said")
        for number, branch in enumerate(step.together):
            place, id_ = f"{here}/together/{number}", f"{step.name}-{branch.name}"
            yield from self._one(step, branch, place, (step.name, branch.name), id_, goes_on=goes_on or takes_part)

    def _one(
        self, step: AskStep, asked: Asked, here: str, key: tuple[str, ...], id_: str, *, goes_on: bool
    ) -> Iterator[dict[str, Any]]:
        if asked.record_type:
            self._say_not(here, f"that records of {asked.record_type} are asked is not said")
            return
        if getattr(asked, "undo", None) is not None:
            self._say_not(f"{here}/undo", "what takes it back is not said")
        if asked.mapping:
            self._say_not(f"{here}/mapping", "what makes records of its response is not said")
        if not asked.flow and asked.operation not in self.operations:
            self._say_not(here, f'there is no operation "{asked.operation}"')
            return
        made: dict[str, Any] = {"stepId": id_}
        self.asked[key] = _Asked(made, bool(asked.flow))
        if step.title or step.description:
            made["description"] = step.description or step.title
        if asked.flow:
            made["workflowId"] = ODD.sub("_", asked.flow)
            parameters = [
                {"name": name, "value": value} for name, value in self._given(asked, f"{here}/inputs").items()
            ]
        else:
            operation = self.operations[asked.operation]
            if operation.service not in self.services:
                self.services.append(operation.service)
            made["operationId"] = f"$sourceDescriptions.{operation.service}.{operation.name}"
            parameters = self._request(asked, operation, here, made)
        if parameters:
            made["parameters"] = parameters
        if not asked.flow:
            made["successCriteria"] = [
                {"condition": "$statusCode >= 200"},
                {"condition": "$statusCode < 300"},
            ]
        actions = [*self._repeats(step, here), *([{"name": "go-on", "type": "goto", "stepId": ""}] if goes_on else [])]
        if actions:
            made["onFailure"] = actions
        yield made

    def _repeats(self, step: AskStep, here: str) -> Iterator[dict[str, Any]]:
        for number, rule in enumerate(step.on_failure):
            place = f"{here.partition('/ask')[0].partition('/together')[0]}/on_failure/{number}"
            if isinstance(rule, Repeat):
                if rule.factor != 1:
                    self._say_not(f"{place}/factor", "that pauses grow is not said")
                if rule.kinds:
                    self._say_not(f"{place}/kinds", "for which kinds of failure a rule counts is not said")
                made = {"name": f"again-{number}", "type": "retry", "retryAfter": rule.pause, "retryLimit": rule.times}
                yield made if rule.kinds else {**made, "criteria": [{"condition": MAY_PASS}]}
            elif not isinstance(rule, GoOn):
                self._say_not(place, "what is done instead is not said")
            elif rule.kinds:
                self._say_not(f"{place}/kinds", "for which kinds of failure a rule counts is not said")

    def _given(self, asked: Asked, here: str) -> dict[str, Any]:
        found = {}
        for name, source in asked.inputs.items():
            try:
                found[name] = self._value(source)
            except _Unsaid as unsaid:
                self._say_not(f"{here}{pointer_text((name,))}", f'the value of "{name}" is not said: {unsaid}')
        return found

    def _request(
        self, asked: Asked, operation: AskedOperation, here: str, made: dict[str, Any]
    ) -> list[dict[str, Any]]:
        """The parameters; what goes into the body is put beside them."""
        places, parameters, payload = places_of(operation.document), [], {}
        for name, value in self._given(asked, f"{here}/inputs").items():
            place = places.get(name)
            if place is None:
                self._say_not(f"{here}/inputs{pointer_text((name,))}", f'where "{name}" is sent is not said')
            elif place.within == "body":
                payload[place.name] = value
            else:
                parameters.append({"name": place.name, "in": place.within, "value": value})
        if payload:
            made["requestBody"] = {"contentType": operation.media_type, "payload": _built(payload)}
        return parameters

    def _outputs(self, step: EndStep, here: str) -> dict[str, str]:
        found = {}
        for name, source in (step.reply or {}).items():
            place = f"{here}/reply{pointer_text((name,))}"
            try:
                value = self._value(source)
                if not is_expression(value):
                    raise _Unsaid("it is a fixed one")
                found[name] = value
            except _Unsaid as unsaid:
                self._say_not(place, f'"{name}" of the reply is not said: {unsaid}')
        return found

    # --- values

    def _value(self, source: FlowSource) -> Any:
        """A constant, or a runtime expression. Raises _Unsaid."""
        if source.convert:
            raise _Unsaid("it goes through conversions")
        if source.all:
            raise _Unsaid("it is everything that a path finds")
        if source.value is not UNSET:
            if is_expression(source.value) or isinstance(source.value, dict | list):
                raise _Unsaid("it would be read as an expression")
            return source.value
        if source.input is not None:
            if source.at:
                raise _Unsaid("it is a part of an input")
            return f"$inputs.{source.input}"
        if source.kept is not None and not source.at:
            return self._value(self.kept[source.kept])
        if source.result is not None:
            return self._result(source.result, self._names(source))
        raise _Unsaid(_PLAIN)

    def _names(self, source: FlowSource) -> list[str | int]:
        path = source.path()
        names: list[str | int] = []
        for segment in path.segments if path is not None else ():
            only = segment.selectors[0]
            if segment.descendant or len(segment.selectors) != 1 or not isinstance(only, Name | Index):
                raise _Unsaid("its path does not name members alone")
            names.append(only.name if isinstance(only, Name) else only.index)
        return names

    def _result(self, step: str, names: list[str | int]) -> str:
        key: tuple[str, ...] = (step,)
        if (step,) not in self.asked and names[:1] == ["parts"] and len(names) > 1:
            key, names = (step, str(names[1])), names[2:]
        asked = self.asked.get(key)
        if asked is None:
            raise _Unsaid(f'it comes of "{step}", which is not said so')
        if asked.is_flow:
            if len(names) != 2 or names[0] != "reply":
                raise _Unsaid("it is none of what the other flow replies")
            return f"$steps.{asked.written['stepId']}.outputs.{names[1]}"
        if names[:1] == ["body"]:
            pointer = pointer_text(tuple(names[1:]))
            expression = f"$response.body#{pointer}" if pointer else "$response.body"
        elif names == ["status"]:
            expression = "$statusCode"
        else:
            raise _Unsaid(_PLAIN)
        outputs = asked.written.setdefault("outputs", {})
        name = next((name for name, held in outputs.items() if held == expression), None)
        if name is None:
            wanted = ODD.sub("_", "_".join(map(str, names[1:] or names)))
            name = free_name(wanted, outputs, separator="_")
            outputs[name] = expression
        return f"$steps.{asked.written['stepId']}.outputs.{name}"


_WORDS: Mapping[type[Step], str] = {
    DecideStep: "it decides",
    RecordsStep: "it finds or writes a record",
    PauseStep: "it waits",
    EndStep: "it ends the flow before its last step, or as failed",
}


def _with_next(steps: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """Steps that are gone on without name the one behind them; the last one ends the workflow."""
    for number, step in enumerate(steps):
        for action in step.get("onFailure", []):
            if action["type"] == "goto":
                if number + 1 < len(steps):
                    action["stepId"] = steps[number + 1]["stepId"]
                else:
                    action |= {"type": "end"}
                    action.pop("stepId")
    return steps


def _built(members: Mapping[str, Any]) -> Any:
    """A JSON value of values at places; numbers in them are members of objects all the same."""
    if "" in members:
        return members[""]
    made: dict[str, Any] = {}
    for place, value in members.items():
        *around, last = parse_pointer(place)
        held = made
        for step in around:
            held = held.setdefault(step, {})
        held[last] = value
    return made
