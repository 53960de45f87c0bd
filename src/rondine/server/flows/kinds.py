"""The kind of item of flows, judged by what there is in the draft."""

from collections.abc import Callable, Iterator, Mapping
from functools import cached_property
from typing import Any

from msgspec import UNSET

from rondine.core.errors import InputError, Problem, did_you_mean
from rondine.core.flow.checking import check_flow
from rondine.core.flow.checking_sources import Known
from rondine.core.flow.document import FlowDocument
from rondine.core.items.flow_schedule import FlowScheduleDocument
from rondine.core.items.schedule import AfterFeed, Watch, schedule_problems
from rondine.server.connecting.models import Environment, StandingValue
from rondine.server.feeds.kinds import watch_problems
from rondine.server.feeds.models import Feed
from rondine.server.flows.models import Flow, FlowSchedule
from rondine.server.items.kinds import ItemKind
from rondine.server.items.models import Item
from rondine.server.mappings.kinds import resolved_mapping
from rondine.server.mappings.models import Mapping as StoredMapping
from rondine.server.operations.answers import answer_schema
from rondine.server.operations.models import Operation
from rondine.server.records.kinds import RECORD_TYPES
from rondine.server.records.models import RecordType
from rondine.server.releases.configuration import Configuration
from rondine.server.webhooks.models import Webhook


class _Named(Mapping[str, Any]):
    """Items of a kind in a project by name, each loaded when it is looked at: there may be thousands."""

    def __init__(self, model: type[Item], project_id: int, made: Callable[[Any], Any]) -> None:
        self._items, self._made = model._default_manager.filter(project=project_id), made
        self._found: dict[str, Any] = {}

    @cached_property
    def _names(self) -> frozenset[str]:
        return frozenset(self._items.values_list("name", flat=True))

    def __getitem__(self, name: str) -> Any:
        if name not in self._found:
            if name not in self._names:
                raise KeyError(name)
            self._found[name] = self._made(self._items.get(name=name))
        return self._found[name]

    def __contains__(self, name: object) -> bool:
        return name in self._names

    def __iter__(self) -> Iterator[str]:
        return iter(self._names)

    def __len__(self) -> int:
        return len(self._names)


def known_in(project_id: int) -> Known:
    """What flows of a project can name."""
    return Known(
        operations=_Named(Operation, project_id, lambda item: item.loaded().inputs),
        mappings=_Named(StoredMapping, project_id, _filled),
        record_types=_Named(RecordType, project_id, lambda item: item.loaded()),
        flows=_Named(Flow, project_id, lambda item: item.loaded()),
        webhooks=frozenset(
            Webhook.objects.filter(project=project_id, document__becomes__type="flow").values_list("name", flat=True)
        ),
        not_ready=lambda word, name: _why_not(project_id, word, name),
        answers=lambda name: answer_schema(Operation._default_manager.get(project=project_id, name=name)),
        standing=frozenset(StandingValue.objects.filter(project=project_id).values_list("name", flat=True)),
    )


_KINDS: dict[str, type[Item]] = {"operation": Operation, "mapping": StoredMapping, "flow": Flow}


def _why_not(project_id: int, word: str, name: str) -> str:
    """Why something that a flow asks cannot run; empty if it can."""
    if word not in _KINDS:
        return ""
    item: Any = _KINDS[word]._default_manager.get(project=project_id, name=name)
    if item.problems:
        return str(item.problems[0]["message"])
    return "" if getattr(item.loaded(), "enabled", True) else "it is disabled"


def _filled(mapping: StoredMapping) -> list[str]:
    try:
        document = resolved_mapping(mapping.project_id, mapping.loaded(), mapping.name)
    except InputError:
        return []
    return [output.record_type for output in document.outputs]


def _flow(item: Flow) -> list[Problem]:
    document: FlowDocument = item.loaded()
    found = check_flow(document, known_in(item.project_id), item.name)
    item.warnings = [one.to_json() for one in found.warnings]
    return found.problems


FLOWS = ItemKind("flows", "flow", Flow, FlowDocument, problems=_flow)


def _flow_schedule(item: FlowSchedule) -> list[Problem]:
    document, configuration = item.loaded(), Configuration(item.environment)
    schedule = document.schedule
    problems = [Problem(f"/schedule{one.where}", one.message, one.hint) for one in schedule_problems(schedule)]
    if isinstance(schedule, Watch):
        problems += watch_problems(schedule, configuration) or _from_record(document, schedule, configuration)
    elif document.from_record:
        hint = "let it watch a record type, or give inputs their values"
        problems.append(Problem("/from_record", "nothing changes a record here", hint))
    if isinstance(schedule, AfterFeed):
        feeds = Feed.objects.filter(project=item.project_id, environment=item.environment_id)
        names = list(feeds.values_list("name", flat=True))
        if schedule.feed not in names:
            words = f'there is no feed "{schedule.feed}" in {item.environment.name}'
            problems.append(Problem("/schedule/feed", words, did_you_mean(schedule.feed, names) or "make it first"))
    flows = configuration.documents(FLOWS)
    if document.flow not in flows:
        words = f'there is no flow "{document.flow}" in {configuration.words} of {item.environment.name}'
        return [*problems, Problem("/flow", words, did_you_mean(document.flow, flows) or "make it, or release it")]
    return problems + _input_problems(document, flows[document.flow])


def _input_problems(document: FlowScheduleDocument, flow: FlowDocument) -> list[Problem]:
    inputs = {one.name: one for one in flow.inputs}
    problems = [
        Problem(
            f"/{place}/{name}",
            f'{document.flow} has no input "{name}"',
            did_you_mean(name, inputs) or "it takes none",
        )
        for place, given in (("inputs", document.inputs), ("from_record", document.from_record))
        for name in given
        if name not in inputs
    ]
    for name, one in inputs.items():
        if one.required and one.default is UNSET and name not in document.inputs and name not in document.from_record:
            problems.append(Problem("/inputs", f'nothing fills the input "{name}", which is required', "give it here"))
    return problems


def _from_record(document: FlowScheduleDocument, watch: Watch, configuration: Configuration) -> list[Problem]:
    known = [one.name for one in configuration.documents(RECORD_TYPES)[watch.record_type].fields]
    return [
        Problem(f"/from_record/{name}", f'{watch.record_type} has no field "{field}"', did_you_mean(field, known))
        for name, field in document.from_record.items()
        if field not in known
    ]


FLOW_SCHEDULES = ItemKind(
    "flow-schedules",
    "flow schedule",
    FlowSchedule,
    FlowScheduleDocument,
    {"environment": Environment},
    problems=_flow_schedule,
)
