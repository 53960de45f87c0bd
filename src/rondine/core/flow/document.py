"""The flow document, version 1 (docs/flows.md): inputs, steps, reply.

Five kinds of step, told apart by their `type`: *ask* (one operation, record type or flow; several at once; one for
each of many), *records* (find, keep, change, remove), *decide*, *pause*, *end*. Steps have names that are unique in the
whole flow, however deep they stand; what comes of one is data under its name, and a step is given what its own sources
name, nothing else.
"""

from collections.abc import Iterator, Mapping, Sequence
from typing import Annotated, Any, ClassVar, Literal

import msgspec
from msgspec import UNSET, Meta, UnsetType

from rondine.core.conversions.steps import Conversion
from rondine.core.conversions.types import FieldType
from rondine.core.documents.json import pointer_text
from rondine.core.mapping.document import At, Comparison, FieldName
from rondine.core.operations.inputs import Input
from rondine.core.paths import JsonPath, parse_short
from rondine.core.settings import LONG_TEXT, Document

__all__ = [
    "Ask",
    "AskStep",
    "DecideStep",
    "EndStep",
    "FailureRule",
    "FlowCondition",
    "FlowDocument",
    "FlowSource",
    "PauseStep",
    "RecordsStep",
    "Step",
]

#: Of a flow's step, branch, kept value or member of its reply.
Name = FieldName
#: Sources within sources, and steps within steps.
MOST_DEPTH = 8
Seconds = Annotated[float, Meta(gt=0, le=366 * 86_400)]


class FlowSource(Document, frozen=True):
    """Where a value comes from: exactly one of input, result, kept, item, position, failure, undone, caller, standing,
    value, members, several, joined and first_of."""

    REFERENCES: ClassVar[Mapping[str, str]] = {"standing": "standing-values"}

    input: Annotated[str | None, Meta(description="the name of one of the flow's inputs")] = None
    result: Annotated[str | None, Meta(description="the name of an earlier step: what came of it")] = None
    kept: Annotated[str | None, Meta(description="the name under which an earlier step kept a value")] = None
    item: Annotated[bool, Meta(description="where something is asked for each of many, the one it is asked for")] = (
        False
    )
    position: Annotated[bool, Meta(description="the number of that one, counted from 0")] = False
    failure: Annotated[bool, Meta(description="in steps that are done instead of a failed one, its failure")] = False
    undone: Annotated[bool, Meta(description="in what undoes something, what had come of that")] = False
    caller: Annotated[
        bool, Meta(description="the application's user for whom it runs, as the application names it")
    ] = False
    standing: Annotated[str | None, Meta(description="the name of a standing value of the environment")] = None
    value: Annotated[Any | UnsetType, Meta(description="this value itself")] = UNSET
    members: Annotated[
        "dict[str, FlowSource] | None", Meta(description="an object of these; those without a value are left out")
    ] = None
    several: Annotated["list[FlowSource] | None", Meta(description="a list of all of them that have a value")] = None
    joined: Annotated[
        "list[FlowSource] | None",
        Meta(description="one list of what all of these have, lists one after the other; those without are left out"),
    ] = None
    first_of: Annotated["list[FlowSource] | None", Meta(description="the first of these that has a value")] = None
    at: Annotated[
        str | At, Meta(description="a path in that value: names joined by dots, or a JSONPath or JSON Pointer")
    ] = ""
    all: Annotated[bool, Meta(description="a list of everything that the path finds")] = False
    convert: Annotated[list[Conversion], Meta(description="steps that it goes through, one after the other")] = []

    def __post_init__(self) -> None:
        given = [name for name in _ORIGINS if getattr(self, name) not in (None, False)]
        if self.value is not UNSET:
            given.append("value")
        if len(given) != 1:
            names = f"{', '.join(_ORIGINS)} and value"
            raise ValueError(f"give exactly one of {names}, not {' and '.join(given) or 'none'}")
        if self.at and given[0] not in _WITH_PATH:
            raise ValueError(f"at goes with {', '.join(_WITH_PATH)}, not with {given[0]}")
        if self.all and not self.at:
            raise ValueError("all goes with at")

    def path(self) -> JsonPath | None:
        """Raises PathError; of an XPath, too, as results are JSON."""
        if isinstance(self.at, str):
            return parse_short(self.at) if self.at else None
        path = self.at.path()
        return path if isinstance(path, JsonPath) else parse_short(self.at.xpath or "")

    def inner(self) -> Iterator[tuple[str, "FlowSource"]]:
        """The sources that it is made of, each with its place in it."""
        for name, one in (self.members or {}).items():
            yield pointer_text(("members", name)), one
        for number, one in enumerate(self.several or []):
            yield f"/several/{number}", one
        for number, one in enumerate(self.joined or []):
            yield f"/joined/{number}", one
        for number, one in enumerate(self.first_of or []):
            yield f"/first_of/{number}", one


_WITH_PATH = ("input", "result", "kept", "item", "failure", "undone", "standing")
_ORIGINS = (
    *("input", "result", "kept", "item", "position", "failure", "undone", "caller"),
    *("standing", "members", "several", "joined", "first_of"),
)


class Asked(Document, frozen=True, kw_only=True):
    """What is asked: exactly one of operation, record_type and flow, with what it is given."""

    REFERENCES: ClassVar[Mapping[str, str]] = {
        "operation": "operations",
        "record_type": "record-types",
        "flow": "flows",
        "mapping": "mappings",
    }

    operation: Annotated[str, Meta(description="by name")] = ""
    record_type: Annotated[str, Meta(description="whose records are listed, kept or live ones alike")] = ""
    flow: Annotated[str, Meta(description="another one, which runs to its end within this one")] = ""
    mapping: Annotated[str, Meta(description="what makes records of the operation's response; by default nothing")] = ""
    inputs: Annotated[
        dict[str, FlowSource],
        Meta(
            description=(
                "what is given to it, by the names of its inputs; of a record type, filters as `girth.from`, and"
                " `sort` and `limit`. One without a value is not given"
            )
        ),
    ] = {}

    def __post_init__(self) -> None:
        if [bool(self.operation), bool(self.record_type), bool(self.flow)].count(True) != 1:
            raise ValueError("give exactly one of operation, record_type and flow")
        if self.mapping and not self.operation:
            raise ValueError("mapping goes with operation")


class Ask(Asked, frozen=True, kw_only=True):
    """What is asked, and what takes it back."""

    undo: Annotated[
        Asked | None, Meta(description="asked if the flow fails later on, the last thing done first, to take it back")
    ] = None


class Branch(Ask, frozen=True, kw_only=True):
    """One of several that are asked at once."""

    name: Annotated[Name, Meta(description="under which its outcome stands in `parts`")]


class Each(Document, frozen=True, kw_only=True):
    """One thing asked for each of many."""

    of: Annotated[FlowSource, Meta(description="the list")]
    ask: Ask
    at_once: Annotated[int, Meta(ge=1, le=50, description="so many of them at a time")] = 5
    most: Annotated[int, Meta(ge=1, le=10_000, description="items of the list; with more, the step fails")] = 1_000


class All(Document, tag="all", frozen=True):
    """All of them, or the step fails with the first failure, and the others are stopped."""


class WhatSucceeds(Document, tag="what_succeeds", frozen=True):
    """Those that succeed are brought, and each failure beside them as data; the step itself does not fail."""


class AtLeast(Document, tag="at_least", frozen=True):
    """As what succeeds, if that is so many at least; else the step fails."""

    count: Annotated[int, Meta(ge=1)]


class First(Document, tag="first", frozen=True):
    """The first one that succeeds, and the others are stopped; the step fails if none does."""


Success = All | WhatSucceeds | AtLeast | First


class Gather(Document, frozen=True, kw_only=True):
    """Records of several answers, brought together."""

    REFERENCES: ClassVar[Mapping[str, str]] = {"record_type": "record-types"}

    record_type: Annotated[str, Meta(description="of the records that are gathered; others are left where they are")]
    origin: Annotated[
        str, Meta(description="the field that says whose answer each came from: the branch, or the item's number")
    ] = ""


class GoOn(Document, tag="go_on", frozen=True):
    """Go on without it; what came of the step is its failure, as data."""

    kinds: Annotated[list[str], Meta(description="only of these kinds of failure; by default of any")] = []


class Instead(Document, tag="instead", frozen=True):
    """Do these steps instead, and go on."""

    kinds: Annotated[list[str], Meta(description="only of these kinds of failure; by default of any")] = []
    steps: "list[Step]" = []


class Repeat(Document, tag="repeat", frozen=True):
    """Do it again; when it has been done so many times, the next rule counts."""

    kinds: Annotated[
        list[str], Meta(description="only of these kinds of failure; by default those that may pass by themselves")
    ] = []
    times: Annotated[int, Meta(ge=1, le=100, description="besides the first one")] = 3
    pause: Annotated[
        Annotated[float, Meta(ge=0, le=86_400)], Meta(description="seconds before the first repetition")
    ] = 1.0
    factor: Annotated[Annotated[float, Meta(ge=1, le=10)], Meta(description="how much longer each pause is")] = 2.0


FailureRule = GoOn | Instead | Repeat


class KeepValue(Document, rename={"source": "from"}, frozen=True, kw_only=True):
    """A value kept for later steps, under a name and with a type."""

    name: Name
    source: Annotated[FlowSource, Meta(description="where it comes from; the step's own result, too")]
    type: FieldType = "text"
    required: Annotated[bool, Meta(description="without a value, the step fails")] = False


class Only(Document, frozen=True, kw_only=True):
    """Who may cause a step. Whoever may not is refused, and the step fails with the kind `not_allowed`."""

    roles: Annotated[
        list[Literal["operator", "builder", "administrator", "application", "webhook", "schedule"]],
        Meta(description="of the person who began the run, or what began it; by default all"),
    ] = []
    when: Annotated["list[FlowCondition]", Meta(description="conditions, all of them: a record's state, say")] = []


class FlowCondition(Document, rename={"source": "from"}, frozen=True, kw_only=True):
    """A condition on a value: that it is such, that it is there, or what kind of JSON value it is."""

    source: FlowSource
    is_: Annotated[Comparison | Literal["of_kind"], Meta(description="how it is compared")] = msgspec.field(
        name="is", default="equal"
    )
    value: Annotated[
        Any | UnsetType,
        Meta(
            description=(
                "what it is compared with; for of_kind one of object, array, string, number, boolean and null (JSON"
                " Schema's types)"
            )
        ),
    ] = UNSET
    than: Annotated[FlowSource | None, Meta(description="where that comes from, in place of value")] = None


class StepBase(Document, frozen=True, kw_only=True):
    """What all steps share."""

    RARE: ClassVar[frozenset[str]] = frozenset({"only", "description"})

    name: Annotated[Name, Meta(description="unique in the flow")]
    title: Annotated[str, Meta(description="as one would tell a colleague what it does")] = ""
    description: Annotated[str, Meta(extra=LONG_TEXT)] = ""
    only: Annotated[Only | None, Meta(description="who may cause it, and in which state")] = None


class Failing(StepBase, frozen=True, kw_only=True):
    """What steps share that can fail."""

    keep: Annotated[list[KeepValue], Meta(description="values kept for later steps")] = []
    time_limit: Annotated[
        Seconds | None, Meta(description="seconds for it, all its repetitions and all that it asks for; then it fails")
    ] = None
    on_failure: Annotated[
        list[FailureRule],
        Meta(description="the first rule that fits the failure counts; with none, the flow fails"),
    ] = []


class AskStep(Failing, tag="ask", frozen=True, kw_only=True):
    """Asks: one operation, record type or flow; several at once; or one for each of many. Exactly one of ask, together
    and each."""

    ask: Ask | None = None
    together: Annotated[list[Branch], Meta(description="asked at once")] = []
    each: Each | None = None
    success: Annotated[Success, Meta(description="of several: when the step has succeeded")] = All()
    gather: Annotated[Gather | None, Meta(description="of several: their records in one list")] = None

    def __post_init__(self) -> None:
        if [self.ask is not None, bool(self.together), self.each is not None].count(True) != 1:
            raise ValueError("give exactly one of ask, together and each")


class RecordsStep(Failing, tag="records", frozen=True, kw_only=True):
    """Finds, keeps, changes or removes one record, kept by Rondine or live at a service."""

    REFERENCES: ClassVar[Mapping[str, str]] = {"record_type": "record-types"}

    action: Annotated[
        Literal["find", "keep", "change", "remove"],
        Meta(description="keep: make it, or write it whole; change: only the fields that are named"),
    ]
    record_type: Annotated[str, Meta(description="by name")]
    key: Annotated[dict[str, FlowSource], Meta(description="its key fields")] = {}
    fields: Annotated[dict[str, FlowSource], Meta(description="what is written, beside the key")] = {}


class Way(Document, frozen=True, kw_only=True):
    """What is done if all of its conditions hold."""

    title: str = ""
    when: Annotated[list[FlowCondition], Meta(description="conditions, all of them")] = []
    steps: "list[Step]" = []


class DecideStep(StepBase, tag="decide", frozen=True, kw_only=True):
    """Goes the first way whose conditions hold, or the other one, and then on with what follows."""

    ways: list[Way] = []
    otherwise: Annotated["list[Step]", Meta(description="for everything else")] = []


class Callback(Document, frozen=True, kw_only=True):
    """A signed request from outside, on which the flow goes on; its body is the step's `body`. One that came since the
    run began counts, too."""

    REFERENCES: ClassVar[Mapping[str, str]] = {"webhook": "webhooks"}

    webhook: Annotated[
        str,
        Meta(
            description=(
                "that takes in and verifies such requests, by name; by default any of the run's environment that is for"
                " flows"
            )
        ),
    ] = ""
    matches: Annotated[
        list["CallbackMatch"], Meta(description="what tells the request that is meant from others, all of them")
    ] = []


class CallbackMatch(Document, frozen=True, kw_only=True):
    """A value in the request that equals one of the flow's."""

    at: Annotated[str | At, Meta(description="a path in the request's body")]
    equals: FlowSource


class Approval(Document, frozen=True, kw_only=True):
    """A person's yes or no: its result has `agreed`, true or false."""

    question: Annotated[str, Meta(min_length=1)]
    shows: Annotated[dict[str, FlowSource], Meta(description="what they see with it, by title")] = {}
    roles: Annotated[
        list[Literal["operator", "builder", "administrator"]], Meta(description="who may answer; by default all three")
    ] = []
    people: Annotated[list[str], Meta(description="who is asked, by sign-in name; by default whoever may answer")] = []


class PauseStep(Failing, tag="pause", frozen=True, kw_only=True):
    """Waits: for a time, until a moment, for a signed callback or for a person's yes. Exactly one of them. With a
    time_limit, it fails with the kind `time_over` where nothing came; a no is no failure, but an answer."""

    seconds: Seconds | None = None
    until: Annotated[FlowSource | None, Meta(description="a date and time (RFC 3339)")] = None
    callback: Callback | None = None
    person: Approval | None = None

    def __post_init__(self) -> None:
        given = [self.seconds, self.until, self.callback, self.person]
        if len(given) - given.count(None) != 1:
            raise ValueError("give exactly one of seconds, until, callback and person")


class EndStep(StepBase, tag="end", frozen=True, kw_only=True):
    """Ends the flow: with its reply, or as failed with a reason. Exactly one of reply and fail."""

    reply: Annotated[dict[str, FlowSource] | None, Meta(description="the members of the flow's reply")] = None
    fail: Annotated[FlowSource | None, Meta(description="the reason, a text")] = None

    def __post_init__(self) -> None:
        if (self.reply is None) == (self.fail is None):
            raise ValueError("give exactly one of reply and fail")


Step = AskStep | RecordsStep | DecideStep | PauseStep | EndStep


class ReplyMember(Document, frozen=True, kw_only=True):
    """One member of a flow's reply."""

    REFERENCES: ClassVar[Mapping[str, str]] = {"records": "record-types"}

    name: Name
    type: Annotated[FieldType, Meta(description="of its value")] = "json"
    records: Annotated[str, Meta(description="a list of records of this type, in place of a value")] = ""
    required: bool = False
    title: str = ""


class FlowDocument(Document, frozen=True, kw_only=True):
    """Steps with typed inputs and a typed reply."""

    version: Annotated[Literal[1], Meta(description="of this language")] = 1
    description: Annotated[str, Meta(extra=LONG_TEXT)] = ""
    inputs: Annotated[list[Input], Meta(description="that whoever begins a run gives")] = []
    steps: list[Step] = []
    reply: Annotated[list[ReplyMember], Meta(description="what it replies")] = []
    time_limit: Annotated[Seconds | None, Meta(description="seconds for a whole run; then it fails")] = None
    enabled: Annotated[bool, Meta(description="off, it is not run")] = True


def steps_in(steps: Sequence[Step], place: str) -> Iterator[tuple[str, Step]]:
    """All steps, each with its place, in the order in which they are written."""
    for number, step in enumerate(steps):
        here = f"{place}/{number}"
        yield here, step
        if isinstance(step, DecideStep):
            for way, one in enumerate(step.ways):
                yield from steps_in(one.steps, f"{here}/ways/{way}/steps")
            yield from steps_in(step.otherwise, f"{here}/otherwise")
        if isinstance(step, Failing):
            for number_of_rule, rule in enumerate(step.on_failure):
                if isinstance(rule, Instead):
                    yield from steps_in(rule.steps, f"{here}/on_failure/{number_of_rule}/steps")


def steps_by_name(flow: FlowDocument) -> dict[str, Step]:
    return {step.name: step for _, step in steps_in(flow.steps, "/steps")}
