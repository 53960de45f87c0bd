"""What a step leaves open, filled in one go: inputs of the flow for its own, with the same names and types; and values
of what comes of it kept for later steps, or replied."""

from collections.abc import Sequence
from typing import Any

from rondine.core.errors import InputError, NotFound
from rondine.core.flow.checking_sources import Known
from rondine.core.flow.document import EndStep, FlowDocument, steps_in
from rondine.core.flow.offering import Opening, Result, offers_at
from rondine.core.flow.pointing import fits, input_type
from rondine.core.names import free_name, proposed_name
from rondine.core.operations.inputs import Input
from rondine.core.paths import parse_pointer
from rondine.core.settings import dump, load


def with_inputs(document: FlowDocument, known: Known, place: str, names: Sequence[str] = ()) -> FlowDocument:
    """Makes an input of the flow for each that a step leaves open, or takes the one of that name whose type fits.

    place: of the step.  names: of the step's inputs; by default those that are required.  Raises NotFound for a step
    or an input that is not there."""
    found = offers_at(document, known, place).openings
    wanted = [one for one in found if one.held is None and (one.name in names if names else one.required)]
    _check_names(names, [one.name for one in found], place)
    inputs = {one.name: one for one in document.inputs}
    whole = dump(document)
    for opening in wanted:
        held = inputs.get(opening.name)
        name = opening.name
        if held is None or not fits(held.type, opening.type):
            name = free_name(opening.name, inputs, separator="_")
            inputs[name] = _input(opening, name)
            whole.setdefault("inputs", []).append(dump(inputs[name]))
        *around, last = parse_pointer(opening.at)
        _at(whole, around)[last] = {"input": name}
    return load(FlowDocument, whole)


def with_kept(document: FlowDocument, known: Known, place: str, names: Sequence[Any]) -> FlowDocument:
    """Keeps values of what comes of a step under their names, with their types. names: the path of each, as in what
    `offers_at` gives. Raises NotFound."""
    chosen = _results(document, known, place, names)
    whole = dump(document)
    step = _at(whole, parse_pointer(place))
    taken = {kept["name"] for _, one in steps_in(document.steps, "/steps") for kept in dump(one).get("keep", [])}
    for result in chosen:
        name = proposed_name(result.name, separator="_", taken=taken)
        taken.add(name)
        source = {"result": step["name"], "at": result.at}
        step.setdefault("keep", []).append({"name": name, "from": source, "type": input_type(result.type)})
    return load(FlowDocument, whole)


def with_reply(document: FlowDocument, known: Known, place: str, names: Sequence[Any]) -> FlowDocument:
    """Adds values of what comes of a step to the flow's reply, with their types; where the flow has no end of its own,
    a step is added that replies. names: as of `with_kept`. Raises NotFound."""
    chosen = _results(document, known, place, names)
    whole = dump(document)
    step = _at(whole, parse_pointer(place))
    members = {one.name for one in document.reply}
    last = document.steps[-1]
    if not isinstance(last, EndStep):
        named = {one.name for _, one in steps_in(document.steps, "/steps")}
        whole["steps"].append({"type": "end", "name": free_name("reply", named), "reply": {}})
    elif last.reply is None:
        raise InputError("the flow ends with a failure", where="/steps", hint="let it end with a reply")
    for result in chosen:
        name = proposed_name(result.name, separator="_", taken=members)
        members.add(name)
        kind = {"records": result.records} if result.records else {"type": input_type(result.type)}
        whole.setdefault("reply", []).append({"name": name, **kind})
        whole["steps"][-1].setdefault("reply", {})[name] = {"result": step["name"], "at": result.at}
    return load(FlowDocument, whole)


def _results(document: FlowDocument, known: Known, place: str, names: Sequence[Any]) -> list[Result]:
    found = offers_at(document, known, place).results
    if not names:
        raise InputError("nothing is named that comes of the step", where="names", hint="name the paths of values")
    _check_names(names, [one.at for one in found], place)
    return [one for one in found if one.at in names]


def _check_names(names: Sequence[Any], known: Sequence[Any], place: str) -> None:
    for name in names:
        if name not in known:
            raise NotFound(f'nothing of the step is called "{name}"', where=place, hint="see what it offers")


def _input(opening: Opening, name: str) -> Input:
    if opening.input is None:
        return Input(name, input_type(opening.type), opening.required, title=opening.title)
    kept = {key: value for key, value in dump(opening.input).items() if key not in ("field", "convert", "required")}
    made: Input = load(Input, {**kept, "name": name, "required": opening.required})
    return made


def _at(whole: Any, steps: Sequence[str]) -> Any:
    """What stands at a place, made on the way there as it is needed."""
    for step in steps:
        whole = whole[int(step)] if isinstance(whole, list) else whole.setdefault(step, {})
    return whole
