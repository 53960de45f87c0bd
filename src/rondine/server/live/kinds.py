"""The kind of item of bindings."""

from rondine.core.errors import DraftError, Problem
from rondine.core.live.checking import binding_problems
from rondine.core.live.document import BindingDocument
from rondine.server.items.kinds import ItemKind
from rondine.server.live.models import Binding
from rondine.server.mappings.kinds import resolved_mapping
from rondine.server.mappings.models import Mapping
from rondine.server.operations.kinds import with_queries
from rondine.server.operations.models import Operation
from rondine.server.records.kinds import record_types_of


def _binding(item: Binding) -> list[Problem]:
    document: BindingDocument = item.loaded()
    mapping = Mapping.objects.filter(project=item.project_id, name=document.mapping).first()
    resolved, operations = None, {}
    if mapping is not None:
        try:
            resolved = resolved_mapping(item.project_id, mapping.loaded(), mapping.name)
        except DraftError as error:
            return [error.as_problem("/mapping")]
        names = [bound.operation for _, bound in document.roles()]
        for operation in Operation.objects.filter(service=mapping.service_id, name__in=names):
            operations[operation.name] = with_queries(operation.loaded(), item.project_id)
    record_type = record_types_of(item.project_id).get(document.record_type)
    problems = binding_problems(document, record_type, resolved, operations)
    other = (
        Binding.objects.filter(project=item.project_id, document__record_type=document.record_type)
        .exclude(pk=item.pk)
        .first()
    )
    if other is not None:
        words = f'binding "{other.name}" is for {document.record_type} already'
        problems.insert(0, Problem("/record_type", words, "change that one, or remove it"))
    return problems


BINDINGS = ItemKind("bindings", "binding", Binding, BindingDocument, problems=_binding)
