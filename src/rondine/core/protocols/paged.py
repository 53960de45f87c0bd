"""An operation made ready to be asked for page after page: what its strategy sets goes where the operation puts it."""

from collections.abc import Collection, Mapping
from typing import Any

from rondine.core.errors import Problem, did_you_mean
from rondine.core.http.messages import Headers, Request
from rondine.core.operations.document import FormBody, GraphQLBody, JsonBody, OperationDocument, SoapBody, XmlBody
from rondine.core.operations.inputs import checked_inputs
from rondine.core.operations.values import Value, ValueOf
from rondine.core.pagination import PagedOperation
from rondine.core.pagination.steps import with_query
from rondine.core.protocols.rest import build_request, with_connection


def paged_operation(
    operation: OperationDocument,
    base_address: str,
    inputs: Mapping[str, Any],
    standing: Mapping[str, Any],
    *,
    headers: Headers = (),
    query: Headers = (),
    further_origins: Collection[str] = (),
) -> PagedOperation:
    """inputs: as they were given, before they are checked.  headers, query: what goes with every request of the
    connection. Raises InputError for values that the inputs do not take.
    """
    known = {input_.name for input_ in operation.inputs}

    def request_with(changed: Mapping[str, Any]) -> Request:
        given = {**inputs, **{name: value for name, value in changed.items() if name in known}}
        values = checked_inputs(operation.inputs, given, standing)
        built = build_request(operation, base_address, values, inputs=given, standing=standing)
        request = with_connection(built, headers, query).request
        others = {name: value for name, value in changed.items() if name not in known}
        return with_query(request, others) if others else request

    values = checked_inputs(operation.inputs, inputs, standing)
    return PagedOperation(request_with({}), values, further_origins, base_address, request_with)


def inputs_by_carrier(operation: OperationDocument) -> dict[str, str]:
    """The operation's inputs, by the names under which they are sent: of query parameters, headers, members of a JSON
    body (/page/number also as page_number), GraphQL variables, elements of XML; and by their own."""
    names = {input_.name: input_.name for input_ in operation.inputs}
    carriers: list[tuple[str, Value]] = [(one.name, one.value) for one in (*operation.query, *operation.headers)]
    match operation.body:
        case JsonBody(members=members) | GraphQLBody(variables=members):
            carriers += [("_".join(one.at.split("/")[-2:]).lstrip("_"), one.value) for one in members]
            carriers += [(one.at.rpartition("/")[2], one.value) for one in members]
        case FormBody(fields=fields):
            carriers += [(one.name, one.value) for one in fields]
        case XmlBody(elements=elements) | SoapBody(elements=elements):
            carriers += [(one.at.rpartition("/")[2].rpartition(":")[2], one.value) for one in elements]
    if operation.odata is not None:
        carriers += [("$skip", operation.odata.skip), ("$top", operation.odata.top)]
    return names | {name: value.input for name, value in carriers if isinstance(value, ValueOf) and value.input}


def paging_problems(operation: OperationDocument) -> list[Problem]:
    """Inputs that the operation's paging names and the operation does not have. What it sets in a request without a
    body may be a query parameter."""
    if operation.paging is None:
        return []
    known = {input_.name for input_ in operation.inputs}
    named = {parameter.name for parameter in operation.query} if operation.body is None else set()
    problems = []
    for setting, name in operation.paging.inputs().items():
        is_set = setting == "input" and operation.body is None
        if name in known or name in named or is_set:
            continue
        problems.append(
            Problem(
                f"/paging/{setting}",
                f'there is no input "{name}"',
                did_you_mean(name, known) or "make an input of the value that asks for a page",
            )
        )
    return problems
