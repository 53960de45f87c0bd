"""What keeps a flow from running, found before it runs; and what is odd in it, though it runs.

The document is gone through as a run would go, with what is certain to be there at each step: a source that names what
is not there yet, or nowhere, is a problem, and so are inputs that nothing fills and types that can never fit.
"""

from collections.abc import Iterator, Mapping, Sequence
from typing import Any

from msgspec import UNSET

from rondine.core.documents.json import pointer_text
from rondine.core.errors import did_you_mean
from rondine.core.flow.checking_sources import Checked, Known, Seen, SourceCheck
from rondine.core.flow.document import (
    MOST_DEPTH,
    Asked,
    AskStep,
    DecideStep,
    EndStep,
    Failing,
    FlowDocument,
    Gather,
    GoOn,
    Instead,
    PauseStep,
    RecordsStep,
    Repeat,
    ReplyMember,
    Step,
    steps_in,
)
from rondine.core.operations.inputs import Input

#: Parameters of a list of records that are no filters.
LIST_WORDS = ("sort", "limit", "after")


def check_flow(flow: FlowDocument, known: Known, name: str = "") -> Checked:
    """name: of the flow itself, which it must not ask."""
    return _Check(flow, known, name).run()


def seen_in(flow: FlowDocument, known: Known) -> dict[str, Seen]:
    """What sources may name at each step, by its place, and behind the last of each list of steps."""
    check = _Check(flow, known, "")
    check.run()
    return check.seen_at


class _Check:
    def __init__(self, flow: FlowDocument, known: Known, name: str) -> None:
        self.flow, self.known, self.name = flow, known, name
        self.sources = SourceCheck(flow, known)
        self.problem, self.warning = self.sources.problem, self.sources.warning
        self.source, self.condition, self.check_known = (
            self.sources.source,
            self.sources.condition,
            self.sources.check_known,
        )
        self.kept_at: dict[str, str] = {}
        self.seen_at: dict[str, Seen] = {}

    def run(self) -> Checked:
        if not self.flow.steps:
            self.problem("/steps", "the flow has no steps yet", "add one: what it asks first")
        self._check_names()
        ends = self._steps(self.flow.steps, "/steps", Seen({}, frozenset(), {}), 0)
        if not ends and any(member.required for member in self.flow.reply):
            missing = next(member.name for member in self.flow.reply if member.required)
            self.problem(
                "/steps", f'it may end without a reply, which has to have "{missing}"', "add a step that ends it"
            )
        for number, one in enumerate(self.flow.inputs):
            if one.name not in self.sources.used_inputs:
                self.warning(f"/inputs/{number}", f'nothing uses the input "{one.name}"', "use it, or leave it out")
        for kept, place in self.kept_at.items():
            if kept not in self.sources.used_kept:
                self.warning(place, f'nothing uses the kept value "{kept}"', "use it, or leave it out")
        return self.sources.found

    def _check_names(self) -> None:
        seen: dict[str, str] = {}
        for place, step in steps_in(self.flow.steps, "/steps"):
            if step.name in seen:
                self.problem(
                    f"{place}/name", f'two steps are called "{step.name}"', f"name one otherwise: {seen[step.name]}"
                )
            seen[step.name] = place
        for at, names in (
            ("/inputs", [one.name for one in self.flow.inputs]),
            ("/reply", [one.name for one in self.flow.reply]),
        ):
            for number, name in enumerate(names):
                if name in names[:number]:
                    self.problem(f"{at}/{number}/name", f'"{name}" is there twice', "name one otherwise")
        for number, member in enumerate(self.flow.reply):
            if member.records:
                self.check_known(f"/reply/{number}/records", "record type", member.records, self.known.record_types)

    # --- steps

    def _steps(self, steps: Sequence[Step], place: str, seen: Seen, depth: int) -> bool:
        """Whether they always end the flow. seen: before the first of them; the results of all are known after them,
        where one looks (`_after`)."""
        if depth > MOST_DEPTH:
            self.problem(
                place, f"steps stand within steps more than {MOST_DEPTH} deep", "make a flow of its own of them"
            )
            return False
        ended = False
        for number, step in enumerate(steps):
            here = f"{place}/{number}"
            self.seen_at[here] = seen
            if ended:
                self.warning(here, f'the step "{step.name}" is never reached', "what stands before it ends the flow")
            self._only(step, here, seen)
            ended = self._step(step, here, seen, depth) or ended
            seen = _after(seen, step)
        self.seen_at[f"{place}/{len(steps)}"] = seen
        return ended

    def _step(self, step: Step, here: str, seen: Seen, depth: int) -> bool:
        match step:
            case DecideStep():
                return self._decide(step, here, seen, depth)
            case EndStep():
                self._end(step, here, seen)
                return True
            case AskStep():
                self._ask_step(step, here, seen)
            case RecordsStep():
                self._records(step, here, seen)
            case PauseStep():
                self._pause(step, here, seen)
        return self._failing(step, here, seen, depth)

    def _only(self, step: Step, here: str, seen: Seen) -> None:
        for number, condition in enumerate(step.only.when if step.only else []):
            self.condition(condition, f"{here}/only/when/{number}", seen)

    def _failing(self, step: AskStep | RecordsStep | PauseStep, here: str, seen: Seen, depth: int) -> bool:
        own = Seen({**seen.results, step.name: step}, seen.certain | {step.name}, seen.kept)
        for number, one in enumerate(step.keep):
            place = f"{here}/keep/{number}"
            self.source(one.source, f"{place}/from", own)
            self.kept_at.setdefault(one.name, place)
        covered = False
        for number, rule in enumerate(step.on_failure):
            place = f"{here}/on_failure/{number}"
            if covered:
                self.warning(place, "this rule never counts", "a rule before it is for every kind of failure")
            if isinstance(rule, Instead):
                failed = Seen(own.results, seen.certain, seen.kept, has_failure=True)
                self._steps(rule.steps, f"{place}/steps", failed, depth + 1)
            covered = covered or (isinstance(rule, GoOn | Instead) and not rule.kinds)
        return False

    def _decide(self, step: DecideStep, here: str, seen: Seen, depth: int) -> bool:
        if not step.ways and not step.otherwise:
            self.problem(here, "it has no way to go", "add one, with its conditions")
        always, ends = False, []
        for number, way in enumerate(step.ways):
            place = f"{here}/ways/{number}"
            if always:
                self.warning(place, "this way is never gone", "one before it has no conditions")
            for at, condition in enumerate(way.when):
                self.condition(condition, f"{place}/when/{at}", seen)
            always = always or not way.when
            ends.append(self._steps(way.steps, f"{place}/steps", seen, depth + 1))
        if always and step.otherwise:
            self.warning(f"{here}/otherwise", "these steps are never done", "a way has no conditions")
        ends.append(self._steps(step.otherwise, f"{here}/otherwise", seen, depth + 1))
        return all(ends)

    def _end(self, step: EndStep, here: str, seen: Seen) -> None:
        if step.fail is not None:
            self.source(step.fail, f"{here}/fail", seen, "text")
            return
        members = {one.name: one for one in self.flow.reply}
        for name, source in (step.reply or {}).items():
            place = f"{here}/reply{pointer_text((name,))}"
            if name not in members:
                hint = did_you_mean(name, members) or "say in the flow's reply what it has"
                self.problem(place, f'the flow\'s reply has no "{name}"', hint)
            self.source(source, place, seen, _member_type(members.get(name)))
        for member in self.flow.reply:
            if member.required and member.name not in (step.reply or {}):
                self.problem(f"{here}/reply", f'the reply has to have "{member.name}"', "say where it comes from")

    def _ask_step(self, step: AskStep, here: str, seen: Seen) -> None:
        if step.ask is not None:
            self._ask(step.ask, f"{here}/ask", seen)
        names = [branch.name for branch in step.together]
        for number, branch in enumerate(step.together):
            place = f"{here}/together/{number}"
            if branch.name in names[:number]:
                self.problem(f"{place}/name", f'two of them are called "{branch.name}"', "name one otherwise")
            self._ask(branch, place, seen)
        if step.each is not None:
            self.source(step.each.of, f"{here}/each/of", seen, "list")
            inner = Seen(seen.results, seen.certain, seen.kept, True, seen.has_failure)
            self._ask(step.each.ask, f"{here}/each/ask", inner)
        if step.gather is not None:
            self._gather(step, step.gather, f"{here}/gather")
        if getattr(step.success, "count", 0) > len(names) > 0:
            self.problem(f"{here}/success/count", f"{len(names)} are asked, so no more can succeed", "take fewer")

    def _gather(self, step: AskStep, gather: Gather, here: str) -> None:
        if step.ask is not None:
            self.problem(here, "only one thing is asked", "take its records from its result")
        if not self.check_known(f"{here}/record_type", "record type", gather.record_type, self.known.record_types):
            return
        fields = {one.name for one in self.known.record_types[gather.record_type].fields}
        if gather.origin and gather.origin not in fields:
            hint = did_you_mean(gather.origin, fields) or "add a text field for it"
            self.problem(f"{here}/origin", f'record type {gather.record_type} has no field "{gather.origin}"', hint)
        bring = [name for ask in _asks_of(step) for name in self.sources.brought(ask)]
        if gather.record_type not in bring:
            self.problem(
                f"{here}/record_type", f"nothing that is asked brings {gather.record_type}", "choose mappings that do"
            )

    def _ask(self, ask: Asked, here: str, seen: Seen) -> None:
        self._asked(ask, here, seen)
        undo = getattr(ask, "undo", None)
        if undo is not None:
            undoing = Seen(seen.results, seen.certain, seen.kept, seen.has_item, seen.has_failure, True)
            self._asked(undo, f"{here}/undo", undoing)

    def _asked(self, ask: Asked, here: str, seen: Seen) -> None:
        known = self.known
        inputs: Sequence[Input] | None = None
        if ask.operation and self.check_known(f"{here}/operation", "operation", ask.operation, known.operations):
            inputs = known.operations[ask.operation]
            if ask.mapping:
                self.check_known(f"{here}/mapping", "mapping", ask.mapping, known.mappings)
        if ask.flow:
            if self.name in (ask.flow, *flows_within(ask.flow, known.flows)):
                self.problem(f"{here}/flow", "the flow would ask itself, without an end", "ask another one")
            elif self.check_known(f"{here}/flow", "flow", ask.flow, known.flows):
                inputs = known.flows[ask.flow].inputs
        if ask.record_type and self.check_known(
            f"{here}/record_type", "record type", ask.record_type, known.record_types
        ):
            fields = {one.name for one in known.record_types[ask.record_type].fields}
            for name in ask.inputs:
                if name not in LIST_WORDS and name.partition(".")[0] not in fields:
                    place = f"{here}/inputs{pointer_text((name,))}"
                    self.problem(
                        place, f'record type {ask.record_type} has no field "{name}"', did_you_mean(name, fields)
                    )
        wanted = {one.name: one for one in inputs or []}
        for name, source in ask.inputs.items():
            if name in wanted and wanted[name].required and source.result is not None:
                self._check_certain(source.result, f"{here}/inputs{pointer_text((name,))}", seen)
            place = f"{here}/inputs{pointer_text((name,))}"
            if inputs is not None and name not in wanted:
                what = ask.operation or f"flow {ask.flow}"
                self.problem(place, f'{what} has no input "{name}"', did_you_mean(name, wanted) or "it takes none")
            self.source(source, place, seen, wanted[name].type if name in wanted else "")
        for name, one in wanted.items():
            if one.required and one.default is UNSET and name not in ask.inputs:
                self.problem(
                    f"{here}/inputs", f'nothing fills the input "{name}", which is required', "say where it comes from"
                )

    def _check_certain(self, step: str, where: str, seen: Seen) -> None:
        if step in seen.results and step not in seen.certain:
            words = f'"{step}" may have failed or not been done, and this input is required'
            self.warning(where, words, "give first_of with another value, or decide first whether it is there")

    def _records(self, step: RecordsStep, here: str, seen: Seen) -> None:
        for name, source in [*step.key.items(), *step.fields.items()]:
            part = "key" if name in step.key and step.key[name] is source else "fields"
            self.source(source, f"{here}/{part}{pointer_text((name,))}", seen)
        if not self.check_known(f"{here}/record_type", "record type", step.record_type, self.known.record_types):
            return
        document = self.known.record_types[step.record_type]
        fields = {one.name for one in document.fields}
        for part, names in (("key", step.key), ("fields", step.fields)):
            for name in names:
                if name not in fields:
                    place = f"{here}/{part}{pointer_text((name,))}"
                    self.problem(
                        place, f'record type {step.record_type} has no field "{name}"', did_you_mean(name, fields)
                    )
        missing = [name for name in document.key if name not in step.key and name not in step.fields]
        if missing and not (step.action == "keep" and document.kind == "live"):  # which may give the key itself
            self.problem(f"{here}/key", f'nothing fills "{missing[0]}" of the key', "say where it comes from")
        if step.action in ("find", "remove") and step.fields:
            self.problem(f"{here}/fields", f"to {step.action} a record takes its key alone", "leave the fields out")
        if document.kind == "passing":
            self.problem(
                f"{here}/record_type", f"{step.record_type} is passing, and kept nowhere", "take a kept or live one"
            )

    def _pause(self, step: PauseStep, here: str, seen: Seen) -> None:
        if step.until is not None:
            self.source(step.until, f"{here}/until", seen, "datetime")
        if step.callback is not None:
            if step.callback.webhook or not self.known.webhooks:
                name, place = step.callback.webhook or "for flows", f"{here}/callback/webhook"
                self.check_known(place, "webhook", name, self.known.webhooks)
            for number, match in enumerate(step.callback.matches):
                self.source(match.equals, f"{here}/callback/matches/{number}/equals", seen)
        for name, source in (step.person.shows if step.person else {}).items():
            self.source(source, f"{here}/person/shows{pointer_text((name,))}", seen)
        if (step.callback or step.person) and step.time_limit is None:
            self.warning(here, "it may wait for ever", "give it a time limit, and say what happens then")


def flows_within(name: str, flows: Mapping[str, FlowDocument]) -> set[str]:
    """The flows that a flow asks, and those that these ask."""
    found: set[str] = set()
    ahead = [name]
    while ahead:
        document = flows.get(ahead.pop())
        for ask in asks_in(document.steps) if document is not None else ():
            if ask.flow and ask.flow not in found:
                found.add(ask.flow)
                ahead.append(ask.flow)
    return found


def asks_in(steps: Sequence[Step]) -> Iterator[Asked]:
    """Everything that steps ask, also to undo."""
    for _, step in steps_in(steps, ""):
        if isinstance(step, AskStep):
            for ask in _asks_of(step):
                yield ask
                if ask.undo is not None:
                    yield ask.undo


def _asks_of(step: AskStep) -> list[Any]:
    single = [step.ask] if step.ask is not None else []
    return [*single, *step.together, *([step.each.ask] if step.each is not None else [])]


def _after(seen: Seen, step: Step) -> Seen:
    """What may be named behind a step: what it came to, what it keeps, and the same of the steps within it."""
    within = [one for _, one in steps_in([step], "")]
    results = {**seen.results, **{one.name: one for one in within if isinstance(one, Failing)}}
    kept = dict(seen.kept)
    for one in within:
        if isinstance(one, Failing):
            kept |= {value.name: value.type for value in one.keep}
    can_be_missing = not isinstance(step, Failing) or any(not isinstance(rule, Repeat) for rule in step.on_failure)
    certain = seen.certain if can_be_missing else seen.certain | {step.name}
    return Seen(results, certain, kept, seen.has_item, seen.has_failure, seen.has_undone)


def _member_type(member: ReplyMember | None) -> str:
    if member is None:
        return ""
    return "list" if member.records else member.type
