"""Kept copies of records that are changed at their service."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from rondine.core.documents.json import json_text
from rondine.core.errors import Problem, Stale
from rondine.core.live.writing import typed_values
from rondine.core.mapping.document import RecordTypeDocument
from rondine.server.connecting.models import Environment
from rondine.server.records.actions import names_of_feeds, record_set
from rondine.server.records.browsing import find_record, shown_data
from rondine.server.records.models import RecordType


@dataclass(frozen=True, slots=True)
class KeptCopy:
    """data: in the fields' types.  feeds: that bring it, by name.  is_overwriting: it does not matter what has been
    changed at the service."""

    data: Mapping[str, Any]
    feeds: Sequence[str]
    is_overwriting: bool

    def check(self, now: Mapping[str, Any], given: Mapping[str, Any], record_type: RecordTypeDocument) -> None:
        """Raises Stale for fields that are to be changed, and have been changed at the service since they were
        copied. now: as the service has it."""
        if self.is_overwriting:
            return
        here, there, new = (shown_data(one, record_type) for one in (self.data, now, given))
        problems = [
            Problem(
                f"/data/{name}",
                f"{name} is {json_text(here.get(name))} in the copy, {json_text(there.get(name))} at the service now"
                + (f", and {json_text(new.get(name))} was given" if name in given else ""),
                "look at both, and give If-Match: * to write yours",
            )
            for name in given or self.data  # to remove it is a change of all of it
            if now.get(name) != self.data.get(name) and (name not in given or now.get(name) != given[name])
        ]
        if problems:
            names = ", ".join(problem.where.rpartition("/")[2] for problem in problems)
            raise Stale(
                f"changed on both sides: {names}",
                where=problems[0].where,
                hint="run its feed, look at what differs, and change it again; or If-Match: * to write yours over it",
                problems=problems,
            )

    @property
    def words(self) -> str:
        """What is to be known of the copy after the change."""
        feeds = f" of {' or '.join(self.feeds)}" if self.feeds else ""
        return f"the kept copy is as it was, and changes with the next run{feeds}"


def kept_copy(
    environment: Environment, item: RecordType, document: RecordTypeDocument, key: list[str], *, is_overwriting: bool
) -> KeptCopy:
    """Raises NotFound."""
    records = record_set(environment, item)
    record = find_record(records, document, key)
    feeds = [name for bit, name in names_of_feeds(records).items() if record.brought_by & bit]
    known = {name: value for name, value in record.data.items() if document.field(name) is not None}
    return KeptCopy(typed_values(document, known), feeds, is_overwriting)
