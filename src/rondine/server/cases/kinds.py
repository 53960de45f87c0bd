"""The kind of item of test cases."""

from rondine.core.errors import Problem, did_you_mean
from rondine.core.items.case import CaseDocument
from rondine.server.cases.models import Case
from rondine.server.flows.models import Flow
from rondine.server.items.kinds import ItemKind
from rondine.server.mappings.models import Mapping
from rondine.server.operations.models import Operation, Sample


def _case(item: Case) -> list[Problem]:
    document: CaseDocument = item.loaded()
    problems = []
    for model, word, name in (
        (Operation, "operation", document.operation),
        (Sample, "sample", document.sample),
        (Mapping, "mapping", document.mapping),
        (Flow, "flow", document.flow),
    ):
        known = model.objects.filter(project=item.project_id)
        if name and not known.filter(name=name).exists():
            hint = did_you_mean(name, known.values_list("name", flat=True)) or "make it first"
            problems.append(Problem(f"/{word}", f'there is no {word} "{name}"', hint))
    if document.mapping and not document.sample:
        problems.append(Problem("/sample", "a mapping needs a recorded response", "name a sample"))
    return problems


CASES = ItemKind("cases", "case", Case, CaseDocument, problems=_case, made_by="case record")
