"""The kind of item of applications."""

from collections.abc import Iterable, Sequence

from rondine.core.errors import Problem, did_you_mean
from rondine.core.items.application import ApplicationDocument, CallerRule
from rondine.server.applications.models import Application
from rondine.server.connecting.models import Environment
from rondine.server.flows.models import Flow
from rondine.server.items.kinds import ItemKind
from rondine.server.operations.models import Operation
from rondine.server.records.kinds import record_types_of
from rondine.server.records.models import RecordType


def _application(item: Application) -> list[Problem]:
    document: ApplicationDocument = item.loaded()
    operations = Operation.objects.filter(project=item.project_id).values_list("name", flat=True)
    types = RecordType.objects.filter(project=item.project_id).values_list("name", flat=True)
    problems = _unknown("operation", document.operations, operations, "/operations")
    flows = Flow.objects.filter(project=item.project_id).values_list("name", flat=True)
    problems += _unknown("flow", document.flows, flows, "/flows")
    problems += _unknown("record type", document.record_types, types, "/record_types")
    every = document.all_operations or document.all_flows or document.all_record_types
    if not (document.operations or document.flows or document.record_types or every):
        hint = "name operations and flows that it may call, or record types that it may read"
        problems.append(Problem("/operations", "it may use nothing yet", hint))
    if document.callers is not None:
        problems += _caller_problems(item.project_id, document.callers)
    return problems


def _unknown(word: str, names: Sequence[str], known: Iterable[str], place: str) -> list[Problem]:
    there = set(known) if names else set()
    return [
        Problem(f"{place}/{number}", f'there is no {word} "{name}"', did_you_mean(name, there) or "make it first")
        for number, name in enumerate(names)
        if name not in there
    ]


def _caller_problems(project_id: int, rule: CallerRule) -> list[Problem]:
    known = record_types_of(project_id)
    document = known.get(rule.record_type)
    if document is None:
        hint = did_you_mean(rule.record_type, known) or "make it first"
        return [Problem("/callers/record_type", f'there is no record type "{rule.record_type}"', hint)]
    problems = []
    if len(document.key) != 1:
        words = f'the key of "{rule.record_type}" has {len(document.key)} fields'
        problems.append(Problem("/callers/record_type", words, "take one whose key is one field: it names a user"))
    if document.kind != "kept":
        words = f'records of "{rule.record_type}" are {document.kind}, and callers are looked up in kept ones'
        problems.append(Problem("/callers/record_type", words, "take a kept type"))
    if document.field(rule.field) is None:
        names = [field.name for field in document.fields]
        problems.append(Problem("/callers/field", f'there is no field "{rule.field}"', did_you_mean(rule.field, names)))
    return problems


APPLICATIONS = ItemKind(
    "applications",
    "application",
    Application,
    ApplicationDocument,
    {"environment": Environment},
    problems=_application,
)
