"""Test cases of operations and mappings."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, Any

from rondine_client.addresses import step
from rondine_client.items import Items
from rondine_client.requests import Request, S, call, given

if TYPE_CHECKING:
    from rondine_client import types


class Cases(Items[S, "types.TestCase"]):
    """Values for an operation's inputs and a recorded response, with what they are expected to come to."""

    @call
    def record(
        self,
        name: str,
        operation: str,
        *,
        inputs: Mapping[str, Any] | None = None,
        sample: str = "",
        run: int | None = None,
        mapping: str = "",
        title: str = "",
        keys: str | None = None,
    ) -> Request[types.TestCase]:
        """A new case: what comes of it now is what is expected from now on. sample: a response that is kept; or run: a
        trial, whose response is kept under the case's name.  keys: "mask" or "keep", where it has what looks like
        keys."""
        body = {"name": name, "title": title, "operation": operation, "inputs": dict(inputs or {}), "mapping": mapping}
        body |= {"sample": sample, **given(run=run, keys=keys)}
        return Request("POST", f"{self._project}/case-records", body)

    @call
    def record_flow(self, name: str, run: int, *, title: str = "", keys: str | None = None) -> Request[types.TestCase]:
        """A new case of a flow, of one of its runs that is over: played again without a network, it is to ask for the
        same and to end the same. keys: as of `record`."""
        return Request(
            "POST", f"{self._project}/case-records", {"name": name, "title": title, "run": run, **given(keys=keys)}
        )

    @call
    def record_again(self, name: str) -> Request[types.TestCase]:
        """What comes of it now is what is expected."""
        return Request("POST", f"{self._project}/case-records/{step(name)}")

    @call
    def check(self, names: Sequence[str] = ()) -> Request[list[types.CheckedCase]]:
        """Cases against what is expected of them, all if none is named: [{case, is_good, differences: [{path, before,
        after, words}], problem}]. Nothing is called."""
        return Request("POST", f"{self._project}/case-checks", {"cases": list(names)})
