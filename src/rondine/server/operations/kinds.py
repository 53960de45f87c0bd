"""The kinds of items around operations."""

from typing import Any

from rondine.core.definitions.model import DefinitionDocument, references_in
from rondine.core.errors import InputError, Problem, did_you_mean
from rondine.core.items.sample import SampleDocument
from rondine.core.operations.document import OperationDocument
from rondine.core.protocols.prepared import PreparedQueryDocument, prepared_names, prepared_problems, with_prepared
from rondine.core.protocols.problems import operation_problems
from rondine.server.connecting.models import (
    AccessToken,
    PendingSignIn,
    Service,
)
from rondine.server.items.kinds import ItemKind
from rondine.server.operations.models import Definition, Operation, Query, Sample
from rondine.server.releases.configuration import Configuration


def _operation(item: Operation) -> list[Problem]:
    document = item.loaded()
    described = _description_problems(document, item)
    try:
        return operation_problems(with_queries(document, item.project_id)) + described
    except InputError as error:
        return [error.as_problem(), *described]


def _description_problems(document: OperationDocument, item: Operation) -> list[Problem]:
    """Responses that are described by a definition which is not there, or by a schema that it does not have."""
    wanted = [(number, one) for number, one in enumerate(document.responses) if one.definition]
    if not wanted:
        return []
    known = dict(Definition.objects.filter(project=item.project_id).values_list("name", "schemas"))
    problems = []
    for number, response_description in wanted:
        here = f"/responses/{number}"
        if response_description.definition not in known:
            hint = did_you_mean(response_description.definition, known) or "import it first"
            problems.append(
                Problem(f"{here}/definition", f'there is no definition "{response_description.definition}"', hint)
            )
            continue
        for name in references_in(response_description.schema):
            if name not in known[response_description.definition]:
                words = f'definition "{response_description.definition}" has no schema "{name}"'
                problems.append(
                    Problem(f"{here}/schema", words, did_you_mean(name, known[response_description.definition]))
                )
    return problems


def prepared_queries(project_id: int) -> dict[str, PreparedQueryDocument]:
    """The project's prepared queries, by name."""
    return {query.name: query.loaded() for query in Query.objects.filter(project_id=project_id)}


def with_queries(
    document: OperationDocument, project_id: int, configuration: Configuration | None = None
) -> OperationDocument:
    """The operation with its prepared queries' texts in it; the database is asked only if it refers to any.
    configuration: of the environment that it runs in; None for the draft. Raises InputError for a missing one."""
    if not prepared_names(document):
        return document
    known = prepared_queries(project_id) if configuration is None else configuration.documents(QUERIES)
    return with_prepared(document, known)


def _query(item: Query) -> list[Problem]:
    return prepared_problems(item.loaded())


def _operation_renamed(item: Any, old: str) -> None:
    """The token of its own sign-in, and a person's pending one, go on under the new name."""
    for model in (AccessToken, PendingSignIn):
        model._default_manager.filter(connection__service=item.service_id, operation=old).update(operation=item.name)


DEFINITIONS = ItemKind(
    "definitions",
    "definition",
    Definition,
    DefinitionDocument,
    {"service": Service},
    made_by="definition import",
)


OPERATIONS = ItemKind(
    "operations",
    "operation",
    Operation,
    OperationDocument,
    {"service": Service},
    problems=_operation,
    renamed=_operation_renamed,
    owns=frozenset({"samples"}),
)


QUERIES = ItemKind(
    "queries",
    "prepared query",
    Query,
    PreparedQueryDocument,
    problems=_query,
    made_by="query make",
)


SAMPLES = ItemKind(
    "samples",
    "sample",
    Sample,
    SampleDocument,
    {"operation": Operation},
    frozenset({"operation"}),
    made_by="sample keep",
)
