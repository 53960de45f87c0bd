"""Operations made of recorded requests that are alike: inputs of what varies, bodies by their kind, paging,
responses."""

import re
from collections import defaultdict
from functools import partial
from itertools import pairwise
from typing import Any
from urllib.parse import parse_qsl, urlencode

from msgspec import UNSET

from rondine.core.definitions.files import Files
from rondine.core.definitions.har_recording import Seen, form_parts
from rondine.core.definitions.inputs import BodyReader, Inputs, each_with_inputs
from rondine.core.definitions.json_schema import Schemas
from rondine.core.definitions.model import DescribedOperation
from rondine.core.definitions.titles import title_of, words_of
from rondine.core.documents.json import read_json
from rondine.core.errors import DocumentError, Problem
from rondine.core.names import proposed_name
from rondine.core.operations.document import (
    Body,
    FormBody,
    GraphQLBody,
    JsonBody,
    Member,
    MultipartBody,
    OperationDocument,
    OtherBody,
    Parameter,
    Part,
    ResponseDescription,
    TextBody,
)
from rondine.core.operations.keylike import why_key_like
from rondine.core.operations.values import ValueOf
from rondine.core.pagination import PageNumber, Paging
from rondine.core.pagination.recognise import recognise
from rondine.core.protocols.body_choice import media_type_of, to_choose_from
from rondine.core.protocols.graphql import operation_of, parsed
from rondine.core.schema import infer, to_json_schema
from rondine.core.secret import MASK

_PAGE_NAME = re.compile(r"page|^p$|^pg$", re.IGNORECASE)
_SIZE_NAME = re.compile(r"size|limit|count|length|per", re.IGNORECASE)


def operation_of_group(
    method: str, path: str, graphql: str, group: list[Seen], names: set[str], file: str
) -> DescribedOperation:
    inputs = Inputs()
    first = group[0]
    for place, step in enumerate(path.split("/")[1:]):
        if step.startswith("{"):
            seen = next((one.path[place] for one in group if one.path[place] != MASK), UNSET)
            inputs.add(step[1:-1], {"type": "string"}, required=True, example=seen)
    query = _parameters(group, "query", inputs)
    headers = _parameters(group, "headers", inputs)
    body, others = _bodies(group, inputs, graphql)
    title = graphql or title_of(method, path)
    tags = words_of(path)[:1]
    name = proposed_name(title, taken=names)
    names.add(name)
    document = OperationDocument(
        method=method,  # type: ignore[arg-type]
        path=path,
        inputs=inputs.found,
        query=query,
        headers=headers,
        body=body,
        other_bodies=others,
        responses=_responses(group),
        paging=_paging(group) if method == "GET" else None,
        tags=tags,
    )
    key = f"{method} {path}" + (f"#{graphql}" if graphql else "")
    kept = {media_type_of(one) for one in (body, *(each.body for each in others))}
    warnings = tuple(
        Problem(
            f"{file}: /log/entries/{one.number}",
            f"a body of the type {one.unrecorded} was sent, which is not in the recording",
            "make the body from a sample, or record with another program",
        )
        for one in {one.unrecorded: one for one in group if one.unrecorded}.values()
        if one.unrecorded not in kept
    )
    return DescribedOperation(
        key, name, title[:200], document, f"/log/entries/{first.number}", tuple(tags), warnings=warnings
    )


def _paging(group: list[Seen]) -> Paging | None:
    """The paging that the recorded responses show."""
    for one in group:
        url = f"{one.host}/{'/'.join(one.path)}?{urlencode(one.query)}"
        if 200 <= one.status < 300 and (found := recognise(url, (("Link", one.answer_link),), one.answer)):
            return found[0].paging
    return _numbered_pages(group)


def _numbered_pages(group: list[Seen]) -> Paging | None:
    """The paging of requests that were recorded page after page: alike but for one number that is called a page, with
    answers that differ."""
    by_rest: dict[tuple[str, tuple[tuple[str, str], ...]], dict[int, Any]] = defaultdict(dict)
    for one in group:
        for name, value in one.query:
            if _PAGE_NAME.search(name) and not _SIZE_NAME.search(name) and re.fullmatch(r"\d{1,6}", value):
                rest = tuple(pair for pair in one.query if pair[0] != name)
                if 200 <= one.status < 300 and one.answer is not UNSET:
                    by_rest[name, rest][int(value)] = one.answer
    for (name, _), pages in by_rest.items():
        numbers = sorted(pages)
        answers = [pages[number] for number in numbers]
        are_in_turn = len(numbers) > 1 and numbers == list(range(numbers[0], numbers[-1] + 1))
        if are_in_turn and all(one != other for one, other in pairwise(answers)):
            return PageNumber(input=name, first=min(numbers[0], 1))
    return None


def _parameters(group: list[Seen], kind: str, inputs: Inputs) -> list[Parameter]:
    """An input for each name; one that had the same value in several requests has it as default."""
    values: dict[str, list[str]] = defaultdict(list)
    for one in group:
        for name, value in getattr(one, kind):
            values[name].append(value)
    out = []
    for name, found in values.items():
        is_constant = len(set(found)) == 1 and len(found) == len(group) and len(group) > 1
        schema: dict[str, Any] = (
            {"type": "integer"} if all(re.fullmatch(r"-?\d{1,15}", one) for one in found) else {"type": "string"}
        )
        given_value: Any = int(found[0]) if schema["type"] == "integer" else found[0]
        if is_constant:
            schema["default"] = given_value
        given = inputs.add(name, schema, required=False, example=given_value, prefix=kind)
        out.append(Parameter(name=name, value=ValueOf(input=given)))
    return out


def _bodies(group: list[Seen], inputs: Inputs, graphql: str) -> tuple[Body | None, list[OtherBody]]:
    """(the body of the form that was seen most often, its inputs among the others; those of other forms)."""
    by_form: dict[str, list[Seen]] = defaultdict(list)
    for one in group:
        if one.text and one.method not in ("GET", "HEAD"):
            by_form["json" if "json" in one.media else one.media].append(one)
    listed = sorted(by_form.values(), key=len, reverse=True)
    return to_choose_from(each_with_inputs([partial(_body, each, graphql) for each in listed], inputs))


def _body(posted: list[Seen], graphql: str, inputs: Inputs) -> Body:
    """The body of requests of one media type."""
    media = posted[0].media
    if "json" in media:
        values = [value for one in posted if (value := _json(one.text)) is not UNSET]
        if graphql and values and isinstance(values[0], dict):
            return _graphql_body(values[0], inputs, graphql)
        if values:
            schema = _plain_schema(values)
            reader = BodyReader(Schemas(Files("", {}), "3.1", lambda *_: None), inputs, is_sampled=True)
            members = reader.read(schema, required=False, example=_masked(values[0]))
            return JsonBody(members=members)
    if media == "application/x-www-form-urlencoded":
        seen = [parse_qsl(one.text, keep_blank_values=True) for one in posted]
        return FormBody(
            fields=[
                Parameter(name=name, value=ValueOf(input=_field_input(name, values, inputs)))
                for name, values in _fields(seen).items()
            ]
        )
    if media == "multipart/form-data" and (parts := [part for one in posted for part in form_parts(one.text)]):
        files = {name: file for name, file, _ in parts if file}
        fields = _fields([[(name, value) for name, _, value in form_parts(one.text)] for one in posted])
        return MultipartBody(
            parts=[
                Part(
                    name=name,
                    value=ValueOf(input=_field_input(name, [[]] if name in files else values, inputs)),
                    file_name=files.get(name, ""),
                    media_type="application/octet-stream" if name in files else "",
                    encoding="base64" if name in files else "text",
                )
                for name, values in fields.items()
            ]
        )
    given = inputs.add("body", {"type": "string"}, required=True)
    return TextBody(media_type=media or "text/plain", content=ValueOf(input=given))


def _fields(requests: list[list[tuple[str, str]]]) -> dict[str, list[list[str]]]:
    """The values of each field, request by request."""
    out: dict[str, list[list[str]]] = {}
    for pairs in requests:
        here: dict[str, list[str]] = defaultdict(list)
        for name, value in pairs:
            here[name].append(value)
        for name, values in here.items():
            out.setdefault(name, []).append(values)
    return out


def _field_input(name: str, values: list[list[str]], inputs: Inputs) -> str:
    """The input of a field: a list, if it was there several times in one request; the first values are tried, unless
    they are secrets."""
    is_list = any(len(value) > 1 for value in values)
    shown = [UNSET if one == MASK or why_key_like(name, one) else one for one in values[0]]
    example = ([one for one in shown if one is not UNSET] if is_list else shown[0]) if shown else UNSET
    schema = {"type": "array"} if is_list else {"type": "string"}
    return inputs.add(name, schema, required=False, example=example, prefix="body")


def _graphql_body(value: dict[str, Any], inputs: Inputs, label: str) -> GraphQLBody:
    text = str(value["query"])
    operation = operation_of(parsed(text), label if label != "query" else "")
    variables = value.get("variables") if isinstance(value.get("variables"), dict) else {}
    members = []
    for name, one in (variables or {}).items():
        kind = {bool: "boolean", int: "integer", str: "string"}.get(type(one), "object")
        example = UNSET if isinstance(one, str) and why_key_like(name, one) else one
        given = inputs.add(name, {"type": kind}, required=False, example=example)
        members.append(Member(at=f"/{name.replace('~', '~0').replace('/', '~1')}", value=ValueOf(input=given)))
    is_mutation = operation is not None and operation.operation.value == "mutation"
    named = str(value["operationName"]) if isinstance(value.get("operationName"), str) else ""
    return GraphQLBody(query=text, kind="mutation" if is_mutation else "query", operation_name=named, variables=members)


def _json(text: str) -> Any:
    try:
        return read_json(text.encode("utf-8", "replace"))
    except DocumentError:
        return UNSET


def _plain_schema(values: list[Any]) -> dict[str, Any]:
    return to_json_schema(infer(values), top=False)


def _masked(value: Any, name: str = "") -> Any:
    """An example without what looks like a secret."""
    if isinstance(value, dict):
        return {key: inner for key, one in value.items() if (inner := _masked(one, key)) is not UNSET}
    if isinstance(value, str) and (value == MASK or why_key_like(name, value)):
        return UNSET
    return [inner for one in value if (inner := _masked(one, name)) is not UNSET] if isinstance(value, list) else value


def _responses(group: list[Seen]) -> list[ResponseDescription]:
    by_status: dict[int, list[Seen]] = defaultdict(list)
    for one in group:
        by_status[one.status].append(one)
    out = []
    for status, found in sorted(by_status.items()):
        values = [one.answer for one in found if one.answer is not UNSET]
        schema = _plain_schema(values) if values else None
        out.append(
            ResponseDescription(
                status=str(status), media_type=found[0].answer_media[:200] if values else "", schema=schema
            )
        )
    return out
