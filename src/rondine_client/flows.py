"""Flows, and what their runs wait for."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, Any

from rondine_client.addresses import step
from rondine_client.items import Items
from rondine_client.requests import Pages, Request, S, call, pages

if TYPE_CHECKING:
    from rondine_client import types


class Flows(Items[S, "types.Flow"]):
    """Steps with typed inputs and a typed reply."""

    @call
    def run(
        self,
        name: str,
        inputs: Mapping[str, Any] | None = None,
        *,
        environment: str = "test",
        stop_before: str = "",
        recorded: Mapping[str, Any] | None = None,
        mark: str | None = None,
    ) -> Request[types.Run]:
        """Begins a run, as the environment has the flow; see `Runs.watch`. stop_before: the step before which it stops
        to be looked at, `*` for each (see `go_on`).  recorded: {run, before}: what that run recorded before a step is
        taken over, and only from there on is asked.  mark: as of `Trials.send`."""
        body: dict[str, Any] = {"inputs": dict(inputs or {}), "environment": environment, "stop_before": stop_before}
        if recorded is not None:
            body["recorded"] = dict(recorded)
        return self.request("POST", f"/{step(name)}/runs", body, mark=mark)

    @call
    def offers(self, document: Mapping[str, Any], at: str) -> Request[types.FlowOffersItem]:
        """What a step can be given. document: the flow, saved or not.  at: the step, by name or JSON Pointer.

        {place, openings: its inputs [{at, name, type, required, held, offers: numbers of those that fit}], offers:
        values that are there by then [{source, of, name, type, is_certain}], results: what comes of it [{at, name,
        type}]}."""
        return Request("POST", f"{self._project}/flow-offers", {"document": document, "at": at})

    @call
    def filled(
        self, document: Mapping[str, Any], at: str, make: str, names: Sequence[Any] = ()
    ) -> Request[types.FilledFlow]:
        """A flow with what a step leaves open made in one go; nothing is saved. make: inputs (of the flow, for the
        step's), kept (values of what comes of it), or reply (members of the flow's reply).  names: which, as of
        `offers`: names of inputs, by default the required ones; or paths of results."""
        body = {"document": document, "at": at, "make": make, "names": list(names)}
        return Request("POST", f"{self._project}/flow-fillings", body)

    @call
    def arazzo(self, name: str, *, environment: str = "test") -> Request[types.ArazzoItem]:
        """The flow in the OpenAPI Initiative's format for workflows: {document: Arazzo, sources: OpenAPI documents by
        their addresses in it, unsaid: what they cannot say}."""
        return self.request("GET", f"/{step(name)}/arazzo", query={"environment": environment})

    @call
    def import_arazzo(self, text: str, *, services: Mapping[str, str] | None = None) -> Request[list[types.TakenFlow]]:
        """Makes a draft of each workflow in an Arazzo document, JSON or YAML; the definitions that it refers to are
        imported before. services: of its sources; by default those of the same name.

        [{flow, left_out: what could not be taken}]."""
        return Request("POST", f"{self._project}/flow-imports", {"text": text, "services": dict(services or {})})

    @call
    def obstacles(self, name: str, *, environment: str = "test") -> Request[list[types.ProblemItem]]:
        """What would keep its steps from being carried out in an environment, each with its place: [{where, message,
        hint}]."""
        return self.request("GET", f"/{step(name)}/obstacles", query={"environment": environment})

    @call
    def shown(self, run: int) -> Request[types.FlowRunShown]:
        """A run step by step: {document, tasks: [{task, step, begun_at, ended_at, given, outcome, recorded}], pauses:
        what it waits for, results, kept, reply, failure, undone}. recorded: the run from which the outcome was taken
        over."""
        return Request("GET", f"{self._project}/runs/{run}/flow")

    @call
    def compare(self, run: int, other: int) -> Request[types.FlowRunsCompared]:
        """Two runs beside each other: {inputs, document, end: differences, tasks: [{task, first, second: {outcome,
        message, milliseconds}, differences}]}."""
        return Request("GET", f"{self._project}/runs/{run}/comparison", query={"run": other})

    @pages
    def pauses(self) -> Pages[types.WaitingItem]:
        """What runs wait for, the oldest first: a time, a callback, a person's yes, or that somebody says what became
        of a task."""
        return Pages(Request("GET", f"{self._project}/pauses"))

    @call
    def answer(self, run: int, task: str, agrees: bool, *, note: str = "") -> Request[types.Run]:
        """A person's yes or no. Raises RondineProblem if it is not waited for, or the person may not answer."""
        return Request("POST", f"{self._project}/runs/{run}/answers", {"task": task, "agrees": agrees, "note": note})

    @call
    def go_on(self, run: int, step: str, *, stop_before: str = "") -> Request[types.Run]:
        """Lets a run go on that has stopped before a step. stop_before: a later step before which it stops again; `*`
        for whichever comes next. Raises RondineProblem if it has not stopped there."""
        body = {"step": step, "stop_before": stop_before}
        return Request("POST", f"{self._project}/runs/{run}/continuations", body)

    @call
    def settle(self, run: int, task: str, how: str) -> Request[types.Run]:
        """What became of a task that may have had its effect. how: done, failed, or again (do it once more)."""
        return Request("POST", f"{self._project}/runs/{run}/settlements", {"task": task, "how": how})
