"""What a flow does besides reading: whether a run of it changes something, and whether it can be answered at once."""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from rondine.core.errors import NotFound
from rondine.core.flow.document import Asked, AskStep, FlowDocument, PauseStep, RecordsStep, steps_in
from rondine.core.operations.document import is_reading
from rondine.server.flows.kinds import FLOWS
from rondine.server.operations.kinds import OPERATIONS
from rondine.server.releases.configuration import Configuration


@dataclass(frozen=True, slots=True)
class Effects:
    """writes: the first step that changes something, empty if none does.  is_short: it waits for nobody and asks no
    other flow, so that one process can carry it out in memory."""

    writes: str
    is_short: bool


def effects_of(document: FlowDocument, configuration: Configuration) -> Effects:
    """What cannot be found is taken for something that writes."""
    seen: set[str] = set()

    def writing(flow: FlowDocument) -> str:
        for _, step in steps_in(flow.steps, ""):
            if isinstance(step, RecordsStep) and step.action != "find":
                return step.name
            if any(writes(asked) for asked in asked_in(step)):
                return step.name
        return ""

    def writes(asked: Asked) -> bool:
        try:
            if asked.operation:
                return not is_reading(configuration.named(OPERATIONS, asked.operation).loaded())
            if asked.flow and asked.flow not in seen:
                seen.add(asked.flow)
                return bool(writing(configuration.named(FLOWS, asked.flow).loaded()))
        except NotFound:
            return True
        return False

    steps = [step for _, step in steps_in(document.steps, "")]
    waits = any(isinstance(step, PauseStep) for step in steps)
    asks_flows = any(asked.flow for step in steps for asked in asked_in(step))
    return Effects(writing(document), is_short=not waits and not asks_flows)


def asked_in(step: Any) -> Iterator[Asked]:
    """Everything that a step asks, and what takes it back."""
    return (asked for _, asked in asked_at(step))


def asked_at(step: Any) -> Iterator[tuple[str, Asked]]:
    """The same, each with its place in the step (JSON Pointer)."""
    if not isinstance(step, AskStep):
        return
    places = [("/ask", step.ask), *((f"/together/{number}", one) for number, one in enumerate(step.together))]
    for place, ask in [*places, ("/each/ask", step.each.ask if step.each is not None else None)]:
        if ask is not None:
            yield place, ask
            if ask.undo is not None:
                yield f"{place}/undo", ask.undo
