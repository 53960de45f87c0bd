"""What a step can be given: its inputs, those that nothing fills yet among them, and for each the values that are there
by then and fit; and what comes of the step."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from msgspec import UNSET

from rondine.core.documents.json import pointer_text
from rondine.core.errors import NotFound
from rondine.core.flow.checking import seen_in
from rondine.core.flow.checking_sources import Known, Seen
from rondine.core.flow.document import (
    Approval,
    Ask,
    Asked,
    AskStep,
    Callback,
    DecideStep,
    EndStep,
    FlowDocument,
    FlowSource,
    PauseStep,
    RecordsStep,
    Step,
    steps_in,
)
from rondine.core.flow.pointing import Valued, fits, items_of, list_of, object_of, typed_schema, valued
from rondine.core.mapping.document import At, RecordTypeDocument
from rondine.core.operations.inputs import Input
from rondine.core.schema.json_schema import Schema
from rondine.core.settings import dump

Schemas = Mapping[str, Schema]


@dataclass(frozen=True, slots=True)
class Offer:
    """A value that can be named at a step. of: input, result, kept, item, position, failure, undone, standing or
    caller.  name: of the input, earlier step, kept or standing value, or of the branch that is undone.  is_certain:
    not of a step that may have failed, or not been done, nor of a list that may be empty."""

    source: FlowSource
    of: str
    name: str
    type: str
    title: str = ""
    is_certain: bool = True


@dataclass(frozen=True, slots=True)
class Opening:
    """Something that a step is given. at: where its source stands in the flow, as a JSON Pointer (RFC 6901).  part:
    the branch, of several that are asked at once.  undoes: what takes it back is given it.  held: its source, if it
    has one.  offers: which of the values fit, by their numbers."""

    at: str
    name: str
    type: str
    required: bool
    title: str
    part: str
    held: FlowSource | None
    offers: Sequence[int]
    input: Input | None = None
    undoes: bool = False


@dataclass(frozen=True, slots=True)
class Result:
    """A value of what comes of a step. records: the type of the records that a list has, if it has such."""

    at: str | dict[str, str]
    name: str
    type: str
    title: str
    records: str = ""


@dataclass(frozen=True, slots=True)
class StepOffers:
    openings: Sequence[Opening]
    offers: Sequence[Offer]
    results: Sequence[Result]


def offers_at(document: FlowDocument, known: Known, place: str) -> StepOffers:
    """place: of a step, as a JSON Pointer; behind the last of a list, of one to come, which has no inputs. Raises
    NotFound if there is no such place."""
    seen = seen_in(document, known).get(place)
    if seen is None:
        raise NotFound("no step stands there", where=place, hint="give the place of a step, such as /steps/0")
    step = dict(steps_in(document.steps, "/steps")).get(place)
    offering = _Offering(document, known)
    if step is None:
        return StepOffers([], offering.values(seen), [])
    has_item = isinstance(step, AskStep) and step.each is not None
    values = offering.values(replace(seen, has_item=has_item), step)
    wanted = [
        replace(one, offers=[number for number, value in enumerate(values) if _is_offered(one, value)])
        for one in offering.openings(step, place)
    ]
    schema, schemas = offering.result(step)
    results = [
        Result(one.at, str(one.names[-1]), one.type, one.title, _record_type(step, one))
        for one in valued(schema, schemas)
        if one.names and one.names[-1] != 0 and (one.names != ("records",) or one.type == "list")
    ]
    return StepOffers(wanted, values, results)


def _record_type(step: Step, value: Valued) -> str:
    if value.type != "list" or value.names[0] != "records":
        return ""
    if len(value.names) == 2:
        return str(value.names[1])
    return step.gather.record_type if isinstance(step, AskStep) and step.gather else ""


def _is_offered(opening: Opening, value: Offer) -> bool:
    if value.of in ("item", "position") and opening.at.endswith("/each/of"):
        return False
    if value.of == "undone" and not (opening.undoes and opening.part == value.name):
        return False
    return fits(value.type, opening.type)


class _Offering:
    def __init__(self, document: FlowDocument, known: Known) -> None:
        self.document, self.known = document, known
        self.steps = {step.name: step for _, step in steps_in(document.steps, "/steps")}

    # --- values

    def values(self, seen: Seen, step: Step | None = None) -> list[Offer]:
        found = [
            Offer(FlowSource(input=one.name), "input", one.name, one.type, one.title) for one in self.document.inputs
        ]
        if seen.has_item and isinstance(step, AskStep) and step.each is not None:
            found += self._items(step.each.of)
            found.append(Offer(FlowSource(position=True), "position", "", "integer"))
        if isinstance(step, AskStep):
            found += self._undone(step)
        for name, earlier in reversed([*seen.results.items()]):
            found += self._of_step(name, earlier, name in seen.certain)
        found += [Offer(FlowSource(kept=name), "kept", name, type_) for name, type_ in seen.kept.items()]
        if seen.has_failure:
            found += [Offer(FlowSource(failure=True, at=name), "failure", name, "text") for name in ("kind", "message")]
        found += [Offer(FlowSource(standing=name), "standing", name, "") for name in sorted(self.known.standing)]
        return [*found, Offer(FlowSource(caller=True), "caller", "", "text")]

    def _of_step(self, name: str, step: Step, is_certain: bool) -> Iterator[Offer]:
        schema, schemas = self.result(step)
        for one in valued(schema, schemas):
            source = FlowSource(result=name, at=_at(one))
            yield Offer(source, "result", name, one.type, one.title, is_certain and 0 not in one.names)

    def _items(self, of: FlowSource) -> Iterator[Offer]:
        """Of each of many: the one itself, and what it has."""
        schema: Schema = True
        schemas: Schemas = {}
        if of.result in self.steps:
            whole, schemas = self.result(self.steps[of.result])
            at = dump(of).get("at", "")
            schema = next((items_of(one.schema, schemas) for one in valued(whole, schemas) if one.at == at), True)
        for one in valued(schema, schemas):
            yield Offer(FlowSource(item=True, at=_at(one)), "item", "", one.type, one.title)

    def _undone(self, step: AskStep) -> Iterator[Offer]:
        """What came of each thing that can be taken back."""
        for part, ask, _ in _asks(step, ""):
            if ask.undo is not None:
                schema, schemas = self._asked(ask)
                for one in valued(schema, schemas):
                    yield Offer(FlowSource(undone=True, at=_at(one)), "undone", part, one.type, one.title)

    # --- what comes of a step

    def result(self, step: Step) -> tuple[Schema, Schemas]:
        """As JSON Schema, with the schemas that it refers to."""
        match step:
            case AskStep(ask=Asked() as ask):
                return self._asked(ask)
            case AskStep():
                return self._several(step)
            case RecordsStep():
                return object_of({"outcome": _TEXT, "record": self._record(step.record_type)}), {}
            case PauseStep(person=None, callback=None):
                return object_of({"outcome": _TEXT}), {}
            case PauseStep(person=None):
                return object_of({"outcome": _TEXT, "body": True}), {}
            case PauseStep():
                return object_of({"agreed": typed_schema("boolean"), "by": _TEXT, "note": _TEXT}), {}
        return object_of({}), {}

    def _asked(self, ask: Asked) -> tuple[Schema, Schemas]:
        if ask.flow:
            return object_of({"outcome": _TEXT, "reply": self._reply(ask.flow)}), {}
        members: dict[str, Schema] = {}
        schemas: Schemas = {}
        brought = [ask.record_type] if ask.record_type else self.known.mappings.get(ask.mapping, [])
        if ask.record_type or ask.mapping:
            members["records"] = object_of({name: list_of(self._record(name)) for name in brought})
        elif ask.operation in self.known.operations:
            members["body"], schemas = self.known.answers(ask.operation)
        return object_of({**members, "outcome": _TEXT, "status": typed_schema("integer")}), schemas

    def _several(self, step: AskStep) -> tuple[Schema, Schemas]:
        counted = typed_schema("integer")
        failures = list_of(object_of({"part": _TEXT, "kind": _TEXT, "message": _TEXT}))
        counts: dict[str, Schema] = {"failures": failures, "succeeded": counted, "failed": counted, "outcome": _TEXT}
        members: dict[str, Schema] = {}
        schemas: dict[str, Schema] = {}
        if step.gather is not None:
            members["records"] = list_of(self._record(step.gather.record_type))
        parts: dict[str, Schema] = {}
        for branch in step.together:
            parts[branch.name], needed = self._asked(branch)
            schemas |= needed
        if step.each is not None:
            each, needed = self._asked(step.each.ask)
            return object_of({**members, "parts": list_of(each), **counts}), needed
        return object_of({**members, "parts": object_of(parts), **counts}), schemas

    def _record(self, name: str) -> Schema:
        if name not in self.known.record_types:
            return True
        document: RecordTypeDocument = self.known.record_types[name]
        return object_of({field.name: typed_schema(field.type, field.title) for field in document.fields})

    def _reply(self, flow: str) -> Schema:
        if flow not in self.known.flows:
            return True
        return object_of(
            {
                one.name: list_of(self._record(one.records)) if one.records else typed_schema(one.type, one.title)
                for one in self.known.flows[flow].reply
            }
        )

    # --- what a step is given

    def openings(self, step: Step, here: str) -> Iterator[Opening]:
        match step:
            case AskStep():
                yield from self._of_asked(step, here)
            case RecordsStep():
                yield from self._of_record(step, here)
            case PauseStep(until=FlowSource() as until):
                yield Opening(f"{here}/until", "until", "datetime", True, "", "", until, ())
            case PauseStep(callback=Callback() as callback):
                for number, match in enumerate(callback.matches):
                    place = f"{here}/callback/matches/{number}/equals"
                    yield Opening(place, _words(match.at), "", True, "", "", match.equals, ())
            case PauseStep(person=Approval() as person):
                for title, shown in person.shows.items():
                    yield Opening(f"{here}/person/shows{pointer_text((title,))}", title, "", True, "", "", shown, ())
            case EndStep(fail=FlowSource() as reason):
                yield Opening(f"{here}/fail", "fail", "text", True, "", "", reason, ())
            case EndStep():
                for member in self.document.reply:
                    yield Opening(
                        f"{here}/reply{pointer_text((member.name,))}",
                        member.name,
                        "list" if member.records else member.type,
                        member.required,
                        member.title,
                        "",
                        (step.reply or {}).get(member.name),
                        (),
                    )
            case DecideStep():
                for number, way in enumerate(step.ways):
                    for at, condition in enumerate(way.when):
                        place = f"{here}/ways/{number}/when/{at}/from"
                        yield Opening(
                            place, "from", "", True, "", way.title or f"way {number + 1}", condition.source, ()
                        )

    def _of_asked(self, step: AskStep, here: str) -> Iterator[Opening]:
        if step.each is not None:
            yield Opening(f"{here}/each/of", "of", "list", True, "the list", "", step.each.of, ())
        for part, ask, place in _asks(step, here):
            yield from self._inputs(ask, place, part)
            if ask.undo is not None:
                for one in self._inputs(ask.undo, f"{place}/undo", part):
                    yield replace(one, undoes=True)

    def _inputs(self, ask: Asked, here: str, part: str) -> Iterator[Opening]:
        for one in self._inputs_of(ask):
            place = f"{here}/inputs{pointer_text((one.name,))}"
            is_needed = one.required and one.default is UNSET
            yield Opening(place, one.name, one.type, is_needed, one.title, part, ask.inputs.get(one.name), (), one)

    def _inputs_of(self, ask: Asked) -> Sequence[Input]:
        if ask.operation in self.known.operations:
            return self.known.operations[ask.operation]
        if ask.flow in self.known.flows:
            return self.known.flows[ask.flow].inputs
        if ask.record_type in self.known.record_types:
            fields = self.known.record_types[ask.record_type].fields
            return [Input(field.name, field.type, title=field.title) for field in fields if field.searchable]
        return []

    def _of_record(self, step: RecordsStep, here: str) -> Iterator[Opening]:
        if step.record_type not in self.known.record_types:
            return
        document = self.known.record_types[step.record_type]
        for field in document.fields:
            is_key = field.name in document.key
            if not is_key and step.action in ("find", "remove"):
                continue
            part = "key" if is_key else "fields"
            held = (step.key if is_key else step.fields).get(field.name)
            place = f"{here}/{part}{pointer_text((field.name,))}"
            yield Opening(place, field.name, field.type, is_key, field.title, "", held, ())


def _asks(step: AskStep, here: str) -> Iterator[tuple[str, Ask, str]]:
    """(branch, what is asked, its place) of all that a step asks."""
    if step.ask is not None:
        yield "", step.ask, f"{here}/ask"
    for number, branch in enumerate(step.together):
        yield branch.name, branch, f"{here}/together/{number}"
    if step.each is not None:
        yield "", step.each.ask, f"{here}/each/ask"


def _words(at: str | At) -> str:
    return at if isinstance(at, str) else at.jsonpath or at.pointer or at.xpath or ""


def _at(value: Valued) -> Any:
    return At(**value.at) if isinstance(value.at, dict) else value.at


_TEXT: Schema = typed_schema("text")
