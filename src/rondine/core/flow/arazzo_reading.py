"""Arazzo documents (OpenAPI Initiative, Arazzo 1.0.1) read as flows. What a flow cannot take, or is not understood,
is named with its place in the document; nothing of it is guessed."""

import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from rondine.core.documents.json import pointer_text, read_json
from rondine.core.errors import DocumentError, InputError, Problem
from rondine.core.flow.arazzo import MAY_PASS, AskedOperation, Place, inside, is_expression, places_of
from rondine.core.flow.document import FlowDocument
from rondine.core.flow.pointing import input_type, type_of
from rondine.core.names import free_name, proposed_name
from rondine.core.paths import parse_jsonpath, parse_pointer
from rondine.core.paths.jsonpath import step_text
from rondine.core.paths.short import short_form
from rondine.core.settings import dump, load

#: What a step takes as good without a rule of its own.
_GOOD = re.compile(r"\$statusCode\s*(==\s*2\d\d|>=\s*200|<\s*300)")

_OF_WORKFLOW = (
    *("workflowId", "summary", "description", "inputs", "dependsOn", "steps", "successActions", "failureActions"),
    *("outputs", "parameters"),
)
_OF_STEP = (
    *("stepId", "description", "operationId", "operationPath", "workflowId", "parameters", "requestBody"),
    *("successCriteria", "onSuccess", "onFailure", "outputs"),
)


@dataclass(frozen=True, slots=True)
class ReadFlow:
    """A workflow as a flow. left_out: what could not be taken, with its place in the Arazzo document."""

    name: str
    title: str
    document: FlowDocument
    left_out: Sequence[Problem]


def sources_of(document: Any) -> dict[str, str]:
    """The addresses of the OpenAPI documents that it refers to, by name. Raises InputError for what is no Arazzo
    document."""
    version = document.get("arazzo") if isinstance(document, Mapping) else None
    if not isinstance(version, str):
        raise InputError("this is no Arazzo document", where="/arazzo", hint='it begins with "arazzo: 1.0.1"')
    if not version.startswith("1."):
        raise InputError(f"Arazzo {version[:20]} is not read", where="/arazzo", hint="versions 1.x are")
    return {
        str(one.get("name", "")): str(one.get("url", ""))
        for one in _list(document.get("sourceDescriptions"))
        if isinstance(one, Mapping)
    }


def read_arazzo(
    document: Any, operations: Sequence[AskedOperation], services: Mapping[str, str], taken: Sequence[str] = ()
) -> list[ReadFlow]:
    """services: of each source, by its name.  taken: names that flows cannot have. Raises InputError for what is no
    Arazzo document, or has no workflow."""
    sources_of(document)
    workflows = [one for one in _list(document.get("workflows")) if isinstance(one, Mapping)]
    if not workflows:
        raise InputError("the document has no workflow", where="/workflows", hint="give one that has")
    names: dict[str, str] = {}
    for one in workflows:
        known = [*taken, *names.values()]
        names[str(one.get("workflowId", ""))] = proposed_name(str(one.get("workflowId", "")), taken=known)
    reading = _Reading(document, operations, services, names)
    return [_Workflow(reading, workflow, f"/workflows/{number}").read() for number, workflow in enumerate(workflows)]


@dataclass(frozen=True, slots=True)
class _Reading:
    document: Mapping[str, Any]
    operations: Sequence[AskedOperation]
    services: Mapping[str, str]
    names: Mapping[str, str]

    def operation(self, step: Mapping[str, Any]) -> AskedOperation:
        """Raises InputError for one that is not there."""
        if isinstance(path := step.get("operationPath"), str):
            return self._of_path(path)
        said = str(step.get("operationId", ""))
        qualified = re.fullmatch(r"\$sourceDescriptions\.([A-Za-z0-9_-]+)\.(.+)", said)
        within = [qualified[1]] if qualified else [*self.services]
        return self._one(within, qualified[2] if qualified else said)

    def _one(self, sources: Sequence[str], said: str) -> AskedOperation:
        wanted = {self.services.get(source, "") for source in sources}
        among = [one for one in self.operations if one.service in wanted]
        found = [one for one in among if one.name == said] or [one for one in among if one.name == proposed_name(said)]
        if len(found) != 1:
            where = ", ".join(sorted(filter(None, wanted))) or f'"{", ".join(sources)}", which is no service here'
            words = f"{len(found)} operations are" if found else "no operation is"
            hint = "import its definition first, or say which service a source is"
            raise InputError(f'{words} called "{said}" in {where}', where="operationId", hint=hint)
        return found[0]

    def _of_path(self, path: str) -> AskedOperation:
        match = re.fullmatch(r"\{?\$sourceDescriptions\.([A-Za-z0-9_-]+)\.url\}?#(/paths/.+)", path)
        parts = parse_pointer(match[2]) if match else ()
        service = self.services.get(match[1], "") if match else ""
        if len(parts) == 3:
            key = f"{parts[2].upper()} {parts[1]}"
            for one in self.operations:
                if one.service == service and one.key == key:
                    return one
        raise InputError(
            f'"{path[:100]}" is no operation here', where="operationPath", hint="import its definition first"
        )

    def resolved(self, value: Any, kind: str) -> Any:
        """A part, or the component that it refers to."""
        for word in ("reference", "$ref"):
            said = value.get(word) if isinstance(value, Mapping) else None
            if isinstance(said, str):
                name = said.replace("#/", "$").replace("/", ".").rpartition(".")[2]
                held = _map(_map(self.document.get("components")).get(kind)).get(name)
                rest = {key: one for key, one in value.items() if key != word}
                return {**held, **rest} if isinstance(held, Mapping) else value
        return value


class _NotTaken(Exception):
    """Something that a flow cannot say."""


@dataclass(slots=True)
class _Workflow:
    reading: _Reading
    workflow: Mapping[str, Any]
    here: str
    left_out: list[Problem] = field(default_factory=list)
    #: Of each step by its id: its name in the flow, and its outputs as paths in what comes of it; none of another flow,
    #: whose reply they are.
    steps: dict[str, tuple[str, dict[str, list[str | int]] | None]] = field(default_factory=dict)
    inputs: dict[str, dict[str, Any]] = field(default_factory=dict)

    def read(self) -> ReadFlow:
        workflow = self.workflow
        for word in ("dependsOn", "successActions", "failureActions", "parameters"):
            if workflow.get(word):
                self._leave(f"{self.here}/{word}", f"{word} is not taken")
        for word in _unknown(workflow, _OF_WORKFLOW):
            self._leave(f"{self.here}{pointer_text((word,))}", f'"{word}" is not understood')
        self._inputs()
        steps = _list(workflow.get("steps"))
        made: list[dict[str, Any]] = []
        for number, step in enumerate(steps):
            made += self._step(_map(step), f"{self.here}/steps/{number}", steps[number + 1 :])
        reply = self._reply()
        if reply:
            names = [one["name"] for one in made]
            made.append({"type": "end", "name": free_name("reply", names), "reply": reply})
        document = {
            "description": str(workflow.get("description", "")),
            "inputs": list(self.inputs.values()),
            "reply": [{"name": name} for name in reply],
            "steps": made,
        }
        said = str(workflow.get("workflowId", ""))
        return ReadFlow(
            self.reading.names[said], str(workflow.get("summary", "")), load(FlowDocument, document), self.left_out
        )

    def _leave(self, where: str, words: str, hint: str = "add it to the flow by hand, if it is wanted") -> None:
        self.left_out.append(Problem(where, words, hint))

    # --- inputs and reply

    def _inputs(self) -> None:
        place = f"{self.here}/inputs"
        schema = _map(self.reading.resolved(self.workflow.get("inputs"), "inputs"))
        required = _list(schema.get("required"))
        for name, one in _map(schema.get("properties")).items():
            if not re.fullmatch(r"[A-Za-z][A-Za-z0-9_-]{0,62}", name):
                self._leave(f"{place}/properties{pointer_text((name,))}", f'an input cannot be called "{name}"')
                continue
            self.inputs[name] = _input(name, _map(one), is_required=name in required)

    def _reply(self) -> dict[str, Any]:
        found = {}
        for name, said in _map(self.workflow.get("outputs")).items():
            place = f"{self.here}/outputs{pointer_text((name,))}"
            member = name if re.fullmatch(r"[a-z][a-z0-9_-]{0,62}", name) else proposed_name(name, separator="_")
            try:
                found[member] = self._source(said)
            except _NotTaken as error:
                self._leave(place, f'the output "{name}" is not taken: {error}')
                continue
            if member != name:
                self._leave(place, f'"{name}" is called {member} here', "members of a reply have small letters")
        return found

    # --- steps

    def _step(self, step: Mapping[str, Any], here: str, behind: Sequence[Any]) -> Iterator[dict[str, Any]]:
        said = str(step.get("stepId", ""))
        try:
            ask, places = self._asked(step, here)
        except (InputError, _NotTaken) as error:
            hint = error.hint if isinstance(error, InputError) else "add it to the flow by hand, if it is wanted"
            self._leave(here, f'the step "{said}" is not taken: {getattr(error, "message", error)}', hint)
            return
        name = proposed_name(said or "step", taken=[held for held, _ in self.steps.values()])
        inputs = self._given(step, here, places)
        made: dict[str, Any] = {"type": "ask", "name": name, "ask": {**ask, **({"inputs": inputs} if inputs else {})}}
        if isinstance(step.get("description"), str):
            made["title"] = step["description"][:200]
        for word in _unknown(step, _OF_STEP):
            self._leave(f"{here}{pointer_text((word,))}", f'"{word}" is not understood')
        self._criteria(step, here)
        if rules := [*self._rules(step, here, behind)]:
            made["on_failure"] = rules
        self.steps[said] = (name, None if "flow" in ask else self._outputs(step, here))
        yield made

    def _asked(self, step: Mapping[str, Any], here: str) -> tuple[dict[str, Any], Mapping[str, Place] | None]:
        """What is asked, and where its inputs are sent; None for another flow. Raises InputError, _NotTaken."""
        workflow = step.get("workflowId")
        if isinstance(workflow, str):
            if workflow not in self.reading.names:
                raise _NotTaken(f'it asks the workflow "{workflow}", which is not in this document')
            return {"flow": self.reading.names[workflow]}, None
        operation = self.reading.operation(step)
        return {"operation": operation.name}, places_of(operation.document)

    def _given(self, step: Mapping[str, Any], here: str, places: Mapping[str, Place] | None) -> dict[str, Any]:
        given: dict[str, Any] = {}
        for number, raw in enumerate(_list(step.get("parameters"))):
            one = _map(self.reading.resolved(raw, "parameters"))
            name, within = str(one.get("name", "")), str(one.get("in", ""))
            self._put(given, places, Place(within, name), one.get("value"), f"{here}/parameters/{number}")
        if (body := step.get("requestBody")) is not None:
            for place, value in self._payload(_map(body), f"{here}/requestBody"):
                where = f"{here}/requestBody/payload{place}"
                self._put(given, places, Place("body", place), value, where)
        return given

    def _put(
        self, given: dict[str, Any], places: Mapping[str, Place] | None, place: Place, value: Any, where: str
    ) -> None:
        name: str | None = place.name
        if places is not None:
            fits = [held for held, known in places.items() if _is_same(known, place)]
            name = fits[0] if fits else None
        if name is None:
            if value not in (None, ""):
                self._leave(where, f'the operation has no input for "{place.name or "the whole body"}"')
            return
        try:
            given[name] = self._source(value)
        except _NotTaken as error:
            self._leave(where, f'the value of "{name}" is not taken: {error}')

    def _payload(self, body: Mapping[str, Any], here: str) -> Iterator[tuple[str, Any]]:
        payload = body.get("payload")
        if isinstance(payload, str) and not payload.startswith("$"):
            try:
                payload = read_json(payload.encode())
            except DocumentError:
                self._leave(f"{here}/payload", "a body that is a text put together of parts is not taken")
                payload = None
        members = dict(inside(payload)) if payload is not None else {}
        for number, one in enumerate(_list(body.get("replacements"))):
            held = _map(one)
            target = str(held.get("target", ""))
            if target.startswith("/") or not target:
                members[target] = held.get("value")
            else:
                self._leave(f"{here}/replacements/{number}", f'"{target[:80]}" is no JSON Pointer')
        yield from members.items()

    def _criteria(self, step: Mapping[str, Any], here: str) -> None:
        for number, raw in enumerate(_list(step.get("successCriteria"))):
            one = _map(raw)
            is_plain = one.get("type", "simple") == "simple" and "context" not in one
            if not (is_plain and _GOOD.fullmatch(str(one.get("condition", "")).strip())):
                words = f'when it has succeeded, "{str(one.get("condition", ""))[:80]}", is not taken'
                hint = "say in the operation what its responses mean"
                self._leave(f"{here}/successCriteria/{number}", words, hint)
        for number in range(len(_list(step.get("onSuccess")))):
            self._leave(f"{here}/onSuccess/{number}", "where it goes on if it succeeds is not taken")

    def _rules(self, step: Mapping[str, Any], here: str, behind: Sequence[Any]) -> Iterator[dict[str, Any]]:
        following = str(_map(behind[0]).get("stepId", "")) if behind else ""
        for number, raw in enumerate(_list(step.get("onFailure"))):
            one = _map(self.reading.resolved(raw, "failureActions"))
            place = f"{here}/onFailure/{number}"
            kind = one.get("type")
            is_plain = kind == "retry" and one.get("criteria") == [{"condition": MAY_PASS}]
            if one.get("criteria") and not is_plain:
                self._leave(place, f'the action "{one.get("name", "")}" has criteria of its own, and is not taken')
            elif kind == "retry" and not one.get("stepId") and not one.get("workflowId"):
                times, pause = _number(one.get("retryLimit"), 1), _number(one.get("retryAfter"), 0)
                if not (1 <= times <= 100 and 0 <= pause <= 86_400):
                    self._leave(place, f"{times:g} times after {pause:g} s each is not taken")
                    continue
                if not is_plain:
                    words = (
                        f'the action "{one.get("name", "")}" is for every failure; it is done again only after those'
                    )
                    hint = "name other kinds of failure in the flow, if they are to be repeated, too"
                    self._leave(place, f"{words} that may pass by themselves", hint)
                yield {"type": "repeat", "times": int(times), "pause": pause, "factor": 1.0}
            elif (kind == "goto" and following and one.get("stepId") == following) or (kind == "end" and not behind):
                yield {"type": "go_on"}
            else:
                self._leave(place, f'the action "{one.get("name", "")}" ({kind}) is not taken')

    def _outputs(self, step: Mapping[str, Any], here: str) -> dict[str, list[str | int]]:
        outputs = {}
        for name, expression in _map(step.get("outputs")).items():
            try:
                outputs[name] = _path(expression)
            except _NotTaken as error:
                self._leave(f"{here}/outputs{pointer_text((name,))}", f'the output "{name}" is not taken: {error}')
        return outputs

    # --- values

    def _source(self, value: Any) -> dict[str, Any]:
        """A constant or runtime expression as a source. Raises _NotTaken."""
        if isinstance(value, str) and (whole := re.fullmatch(r"\{(\$[^{}]+)\}", value)):
            value = whole[1]
        if isinstance(value, dict | list):
            if any(is_expression(one) for one in inside(value).values()):
                raise _NotTaken("it is put together of parts")
            return {"value": value}
        if not is_expression(value):
            return {"value": value}
        if match := re.fullmatch(r"\$inputs\.([\w-]+)(?:#(/.*))?", value):
            if match[1] not in self.inputs:
                raise _NotTaken(f'there is no input "{match[1]}"')
            return {"input": match[1], **_at([], match[2] or "")}
        if match := re.fullmatch(r"\$steps\.([\w-]+)\.outputs\.([\w.-]+)(?:#(/.*))?", value):
            return self._of_step(match[1], match[2], match[3] or "")
        raise _NotTaken(f'"{value[:80]}" is not understood')

    def _of_step(self, step: str, output: str, rest: str) -> dict[str, Any]:
        if step not in self.steps:
            raise _NotTaken(f'the step "{step}" is not done before it, or was not taken')
        name, outputs = self.steps[step]
        if outputs is None:
            return {"result": name, **_at(["reply", output], rest)}
        if output not in outputs:
            raise _NotTaken(f'"{step}" has no output "{output}" that was taken')
        return {"result": name, **_at(outputs[output], rest)}


def _is_same(known: Place, place: Place) -> bool:
    """Header names are the same in small and capital letters (RFC 9110, section 5.1)."""
    if known.within == place.within == "header":
        return known.name.lower() == place.name.lower()
    return known == place


def _path(expression: Any) -> list[str | int]:
    """An output of a step, as names in what comes of it. Raises _NotTaken."""
    if expression == "$statusCode":
        return ["status"]
    if isinstance(expression, str) and (match := re.fullmatch(r"\$response\.body(?:#(/.*)?)?", expression)):
        return ["body", *parse_pointer(match[1] or "")]
    raise _NotTaken(f'"{str(expression)[:80]}" is not understood')


def _at(names: Sequence[str | int], rest: str) -> dict[str, Any]:
    """`at` of a source. rest: a JSON Pointer behind it; a number in one is taken as a place in a list."""
    steps = [*names, *parse_pointer(rest)]
    if not steps:
        return {}
    text = "".join(f"[{one}]" if str(one).isdecimal() else step_text(str(one)) for one in steps)
    path = parse_jsonpath(f"${text}")
    return {"at": short_form(path) or {"jsonpath": path.text}}


def _input(name: str, schema: Mapping[str, Any], *, is_required: bool) -> dict[str, Any]:
    made: dict[str, Any] = {"name": name, "type": input_type(type_of(dict(schema)))}
    if is_required:
        made["required"] = True
    if "default" in schema:
        made["default"] = schema["default"]
    examples = _list(schema.get("examples"))
    if examples:
        made["try_value"] = examples[0]
    allowed = _list(schema.get("enum"))
    if allowed and all(isinstance(one, str | int) and not isinstance(one, bool) for one in allowed):
        made["allowed"] = allowed
    for ours, theirs in (("title", "title"), ("description", "description")):
        if isinstance(schema.get(theirs), str):
            made[ours] = schema[theirs]
    return made


def _number(value: Any, otherwise: float) -> float:
    return float(value) if isinstance(value, int | float) and not isinstance(value, bool) else otherwise


def _unknown(held: Mapping[str, Any], known: Sequence[str]) -> list[str]:
    """Members that are neither of the format nor extensions of it."""
    return [name for name in held if name not in known and not name.startswith("x-")]


def _map(value: Any) -> Mapping[str, Any]:
    return value if isinstance(value, Mapping) else {}


def _list(value: Any) -> list[Any]:
    return value if isinstance(value, list) else []


def with_left_out(flow: ReadFlow) -> dict[str, Any]:
    """The document, with what could not be taken in its description, where whoever opens it looks."""
    document: dict[str, Any] = dump(flow.document)
    if flow.left_out:
        lines = [f"- {one.where}: {one.message}" for one in flow.left_out]
        words = "\n".join(["Not taken from the Arazzo document:", *lines])
        document["description"] = "\n\n".join(filter(None, [document.get("description", ""), words]))
    return document
