"""Cases checked: what comes of each now beside what is expected; and recorded."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Any

from msgspec import structs

from rondine.core.documents import ReadDocument
from rondine.core.errors import DocumentError, RondineError
from rondine.core.http.messages import http_text
from rondine.core.items.case import CaseDocument, Expected
from rondine.core.items.references import references
from rondine.core.mapping.compile import check_format, compile_mapping
from rondine.core.mapping.taking import mapping_inputs
from rondine.core.operations.document import OperationDocument
from rondine.core.operations.inputs import checked_inputs
from rondine.core.protocols.classifying import HEAD, classify_response
from rondine.core.protocols.rest import build_request
from rondine.core.schema.compare_values import ValueDifference, compare_documents
from rondine.core.settings import dump
from rondine.server.access.models import Person, Project
from rondine.server.cases.kinds import CASES
from rondine.server.cases.models import Case
from rondine.server.cases.of_flows import played_again
from rondine.server.connecting.opening import environment_of, standing_values
from rondine.server.items.actions import change_item, find_item, make_item
from rondine.server.mappings.kinds import MAPPINGS, resolved_mapping
from rondine.server.operations.kinds import OPERATIONS, SAMPLES, with_queries
from rondine.server.operations.models import Sample
from rondine.server.records.browsing import shown_data
from rondine.server.records.kinds import record_types_of
from rondine.server.releases.actions import CHECKS, Unready
from rondine.server.runs.bodies import document_of, read_for

#: In place of a host: none is called.
NOWHERE = "https://service.invalid"


@dataclass(frozen=True, slots=True)
class Checked:
    """A case, and what came of it. problem: why nothing could come of it; empty if something did."""

    case: str
    differences: Sequence[ValueDifference]
    problem: str = ""
    hint: str = ""

    @property
    def is_good(self) -> bool:
        return not self.differences and not self.problem


def check_cases(project: Project, names: Sequence[str] = ()) -> list[Checked]:
    """names: of those wanted; none for all. Raises NotFound for one that is not there."""
    if names:
        return [_checked(project, find_item(CASES, project, name)) for name in names]
    return [_checked(project, case) for case in Case.objects.filter(project=project).order_by("name")]


def _checked(project: Project, case: Case) -> Checked:
    try:
        document: CaseDocument = case.loaded()
        now = outcome_of(project, document)
    except RondineError as error:
        return Checked(case.name, (), str(error), error.hint)
    differences = compare_documents(ReadDocument(dump(document.expected)), ReadDocument(dump(now)))
    return Checked(case.name, differences)


def record(
    project: Project,
    person: Person,
    name: str,
    document: CaseDocument,
    *,
    title: str = "",
    again: bool = False,
    role: str | None = None,
) -> Case:
    """A case with what comes of it now as what is expected. again: of one that is there. Raises what keeps it from
    coming to anything."""
    if document.operation:
        document = structs.replace(document, standing=_used(project, document))
    document = structs.replace(document, expected=outcome_of(project, document))
    if again:
        held: Case = find_item(CASES, project, name)
        change = {"document": dump(document)} | ({"title": title} if title else {})
        changed: Case = change_item(CASES, project, person, name, change, held.version, role=role)
        return changed
    made: Case = make_item(
        CASES, project, person, {"name": name, "title": title, "document": dump(document)}, role=role
    )
    return made


def _used(project: Project, document: CaseDocument) -> dict[str, Any]:
    """The standing values of the environment test that the case depends on."""
    documents: list[Any] = [document, find_item(OPERATIONS, project, document.operation).loaded()]
    if document.mapping:
        held = find_item(MAPPINGS, project, document.mapping)
        documents.append(resolved_mapping(project.pk, held.loaded(), held.name))
    names = {one.name for each in documents for one in references(each) if one.kind == "standing-values"}
    known = standing_values(project, environment_of(project, "test").name)
    return {name: value for name, value in known.items() if name in names}


def outcome_of(project: Project, case: CaseDocument) -> Expected:
    """What comes of a case now. Raises RondineError if nothing can."""
    if case.flow:
        return played_again(project, case)
    known = case.standing
    item = find_item(OPERATIONS, project, case.operation)
    operation = with_queries(item.loaded(), project.pk)
    values = checked_inputs(operation.inputs, case.inputs, known)
    built = build_request(operation, NOWHERE, values, inputs=case.inputs, standing=known)
    expected = Expected(request=_without_host(http_text(built.request)))
    if not case.sample:
        return expected
    sample: Sample = find_item(SAMPLES, project, case.sample)
    return _read(project, expected, operation, case, sample)


def _without_host(text: str) -> str:
    return "\n".join(line for line in text.splitlines() if not line.lower().startswith("host:"))


def _read(
    project: Project,
    expected: Expected,
    operation: OperationDocument,
    case: CaseDocument,
    sample: Sample,
) -> Expected:
    """What the response means, and what the mapping makes of it."""
    held = sample.loaded()
    headers = tuple((name, value) for name, value in held.headers)
    mapping = None
    if case.mapping:
        item = find_item(MAPPINGS, project, case.mapping)
        mapping = resolved_mapping(project.pk, item.loaded(), item.name)
    try:
        read = read_for(mapping, sample.body) if mapping is not None else document_of(sample.body)
    except DocumentError:
        if mapping is not None:
            raise
        read = ReadDocument(None)
    content = sample.body.content()
    outcome = classify_response(operation.outcomes, held.status or 200, read, headers, head=content[:HEAD])
    kind = outcome.kind if outcome.is_good else "failure"
    expected = structs.replace(
        expected, outcome=kind, message="" if outcome.is_good else outcome.message or outcome.words
    )
    if mapping is None or kind in ("failure", "nothing_found"):
        return expected
    check_format(mapping, read)
    types = record_types_of(project.pk)
    records: dict[str, list[dict[str, Any]]] = {}
    rejects: list[str] = []
    filtered = 0
    inputs = mapping_inputs(case.inputs, case.standing, headers)
    for output in compile_mapping(mapping, types, is_kept=False):
        mapped = output.run(read.value, inputs)
        document = types[output.record_type]
        records.setdefault(output.record_type, []).extend(shown_data(data, document) for data in mapped.data)
        rejects += [f"{one.path}: {each.field} {each.reason}" for one in mapped.rejects for each in one.problems]
        filtered += mapped.filtered
    return structs.replace(expected, records=records, rejects=rejects, filtered=filtered)


def unready_cases(project: Project) -> Iterable[Unready]:
    """Cases that come to something else than is expected keep the draft from being released."""
    for checked in check_cases(project):
        if checked.is_good:
            continue
        words, hint = checked.problem, checked.hint
        if not words:
            first = checked.differences[0]
            count = len(checked.differences)
            words = f"{told(first)}{f', and {count - 1} more' if count > 1 else ''}"
            hint = f"see all of it: rondine check {checked.case}; if it is right so: rondine case again {checked.case}"
        yield Unready("case", checked.case, [{"where": "", "message": words, "hint": hint}])


def told(difference: ValueDifference) -> str:
    """`$.records.tree[0].girth was 1.25, and is 1.3`."""
    if difference.kind == "added":
        return f"{difference.path} is {difference.after}, and was not there"
    if difference.kind == "removed":
        return f"{difference.path} was {difference.before}, and is not there"
    return f"{difference.path} was {difference.before}, and is {difference.after}"


CHECKS.append(unready_cases)
