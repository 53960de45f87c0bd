"""What keeps an operation from being sent, with places in its document."""

import re

from rondine.core.documents.csv import dialect_of, is_csv
from rondine.core.errors import DocumentError, InputError, Problem, did_you_mean
from rondine.core.mapping.document import condition_problems, source_problems
from rondine.core.media_types import bare_media_type, parameters_of
from rondine.core.operations.document import (
    READING,
    GraphQLBody,
    JsonBody,
    Member,
    OperationDocument,
    OutcomeRules,
    SoapBody,
    XmlBody,
    inputs_in,
    path_variables,
    values_of,
)
from rondine.core.operations.later import later_problems
from rondine.core.operations.values import ValueOf, parts_of
from rondine.core.protocols.graphql import query_problems
from rondine.core.protocols.paged import paging_problems
from rondine.core.protocols.styles import check_template

#: A field's name (RFC 9110, section 5.1).
FIELD_NAME = re.compile(r"[!#$%&'*+.^_`|~0-9A-Za-z-]+")


#: Fields that the engine writes itself (RFC 9112).
OWN_HEADERS = frozenset({"host", "content-length", "transfer-encoding", "connection", "te", "upgrade"})


def operation_problems(operation: OperationDocument) -> list[Problem]:
    """Everything that keeps an operation from being sent, with places in its document."""
    names = [input_.name for input_ in operation.inputs]
    variables = path_variables(operation.path)
    problems = [
        Problem(f"/inputs/{number}/name", f'the input "{name}" is there twice', "rename one of them")
        for number, name in enumerate(names)
        if name in names[:number]
    ]
    problems += _path_problems(operation.path, variables, names)
    if isinstance(operation.body, GraphQLBody):
        if not operation.body.prepared:
            problems += query_problems(operation.body.query, operation.body.kind, operation.body.operation_name)
        if operation.method in READING and operation.body.kind == "mutation":
            problems.append(Problem("/method", "a mutation is never sent by GET", "choose POST"))
    elif operation.body is not None and operation.method in READING:
        words = f"{operation.method} sends no body"
        problems.append(Problem("/body", words, "take it away, or choose the method the service wants"))
    problems += _header_problems(operation)
    problems += _outcome_problems(operation.outcomes)
    problems += _read_as_problems(operation.response.read_as)
    if operation.later is not None:
        problems += [Problem(f"/later{one.where}", one.message, one.hint) for one in later_problems(operation.later)]
    problems += paging_problems(operation)
    used = variables | inputs_in(values_of(operation))
    takes_others = isinstance(operation.body, GraphQLBody) and bool(operation.body.prepared)
    for here, value in values_of(operation):
        for part in parts_of(value):
            if isinstance(part, ValueOf):
                takes_others = takes_others or bool(part.prepared)
                problems += _value_problems(f"{here}/value", part, names)
    if isinstance(operation.body, (SoapBody, XmlBody)):
        problems += _xml_problems(operation.body)
    if isinstance(operation.body, JsonBody):
        problems += _member_problems("/body/members", operation.body.members)
    if isinstance(operation.body, GraphQLBody):
        problems += _member_problems("/body/variables", operation.body.variables)
    problems += [
        Problem(
            f"/inputs/{names.index(name)}",
            f'nothing uses the input "{name}"',
            "put it into the path, the query, a header or the body",
        )
        for name in names
        if name not in used and not takes_others
    ]
    return problems


def _read_as_problems(media_type: str) -> list[Problem]:
    """What keeps responses from being read as an operation says."""
    if not media_type:
        return []
    try:
        if is_csv(media_type):
            dialect_of(media_type)
        elif "/" not in bare_media_type(media_type):
            raise DocumentError(f'"{media_type}" is no media type', where="", hint="such as text/csv")
        b"".decode(parameters_of(media_type).get("charset", "utf-8"))
    except DocumentError as error:
        return [Problem("/response/read_as", error.message, error.hint)]
    except LookupError as error:
        return [Problem("/response/read_as", str(error), "name a charset as utf-8 or windows-1252")]
    return []


def _outcome_problems(rules: OutcomeRules) -> list[Problem]:
    """Paths and conditions that can never work, whichever format the response has."""
    problems = []
    if rules.nothing_found.empty is not None:
        problems += source_problems(rules.nothing_found.empty, "/outcomes/nothing_found/empty")
    for number, rule in enumerate(rules.failures):
        here = f"/outcomes/failures/{number}"
        if not rule.when and not rule.text:
            hint = "give it a condition, or a text"
            problems.append(Problem(here, "it does not say when a response is a failure", hint))
        for at, condition in enumerate(rule.when):
            problems += condition_problems(condition, f"{here}/when/{at}")
        if rule.message is not None:
            problems += source_problems(rule.message, f"{here}/message")
    return problems


def _path_problems(path: str, variables: set[str], names: list[str]) -> list[Problem]:
    problems = []
    try:
        check_template(path)
    except InputError as error:
        problems.append(error.as_problem("/path"))
    if path and not path.startswith(("/", "{/")):
        problems.append(
            Problem("/path", 'the path does not begin with "/"', "it is joined to the connection's base address")
        )
    return problems + [
        Problem("/path", f'"{{{name}}}" is not an input', did_you_mean(name, names) or f'add an input named "{name}"')
        for name in sorted(variables - set(names))
    ]


def _header_problems(operation: OperationDocument) -> list[Problem]:
    problems = []
    for number, parameter in enumerate(operation.headers):
        is_own = parameter.name.lower() in OWN_HEADERS
        if is_own or not FIELD_NAME.fullmatch(parameter.name):
            reason = "is written by Rondine itself" if is_own else "is not a header name"
            problems.append(Problem(f"/headers/{number}/name", f'"{parameter.name[:80]}" {reason}', "take it away"))
        if any(isinstance(part, str) and re.search(r"[\r\n\0]", part) for part in parts_of(parameter.value)):
            words = "a header value has no line breaks"
            problems.append(Problem(f"/headers/{number}/value", words, "write it on one line"))
    for number, parameter in enumerate(operation.cookies):
        if not FIELD_NAME.fullmatch(parameter.name):
            problems.append(
                Problem(f"/cookies/{number}/name", f'"{parameter.name[:80]}" is not a cookie name', "take it away")
            )
    return problems


def _value_problems(where: str, part: ValueOf, names: list[str]) -> list[Problem]:
    if part.prepared and not part.input and not part.standing:
        return []
    if bool(part.input) == bool(part.standing):
        return [Problem(where, "a place takes either an input or a standing value", "name one of them")]
    if part.input and part.input not in names:
        hint = did_you_mean(part.input, names) or "add the input first"
        return [Problem(where, f'there is no input "{part.input}"', hint)]
    return []


_STEP = re.compile(r"@?(?:([A-Za-z_][\w.-]*):)?[A-Za-z_][\w.-]*")


def _xml_problems(body: SoapBody | XmlBody) -> list[Problem]:
    """Names that XML does not have, and prefixes that stand for nothing."""
    problems = []
    places = [("/body/root", body.root)]
    places += [(f"/body/elements/{number}/at", one.at) for number, one in enumerate(body.elements)]
    if isinstance(body, SoapBody):
        places += [(f"/body/headers/{number}/at", xml_element.at) for number, xml_element in enumerate(body.headers)]
    for where, place in places:
        for step in place.split("/"):
            found = _STEP.fullmatch(step)
            if step in ("", ".") and where != "/body/root":
                continue
            if not found:
                problems.append(
                    Problem(where, f'"{step[:60]}" is not a name of an element', "such as p:number or @unit")
                )
            elif found.group(1) and found.group(1) not in {**body.namespaces, "xml": "", "soap": ""}:
                hint = did_you_mean(found.group(1), body.namespaces) or "declare its namespace"
                problems.append(Problem(where, f'the prefix "{found.group(1)}" stands for no namespace', hint))
    return problems


def _member_problems(here: str, members: list[Member]) -> list[Problem]:
    """Members that are there twice, or within one that is a value."""
    problems, seen = [], [member.at for member in members]
    for number, one in enumerate(members):
        above = {one.at[: cut.start()] for cut in re.finditer("/", one.at)} - {one.at}
        if one.at in seen[:number]:
            problems.append(Problem(f"{here}/{number}/at", f'"{one.at}" is there twice', "take one of them away"))
        elif found := sorted(above & set(seen)):
            words = f'"{one.at}" is within "{found[0]}", which is a value'
            problems.append(Problem(f"{here}/{number}/at", words, "take one of them away"))
    return problems
