"""What is pasted from documentation: addresses, requests as HTTP text, lists and tables of parameters; and the usual
pattern of a resource."""

import json

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rondine.core.definitions.pasted import read_pasted
from rondine.core.definitions.pattern import usual_operations
from rondine.core.errors import InputError, RondineError
from rondine.core.mapping.document import RecordTypeDocument
from rondine.core.operations.document import JsonBody
from rondine.core.operations.inputs import checked_inputs
from rondine.core.protocols.problems import operation_problems
from rondine.core.protocols.rest import build_request
from rondine.core.settings import dump, load

REQUEST = """POST /v1/trees/{number}/care?notify=true&limit=5 HTTP/1.1
Host: register.example
Accept: application/json
X-Office: trees
Content-Type: application/json

{"work": "pruned", "crew": {"name": "West", "people": 3}}
"""


def test_a_request_as_http_text_becomes_inputs_in_one_action():
    found = read_pasted(REQUEST)
    assert (found.kind, found.base_address, found.operation.method, found.operation.path) == (
        "request",
        "https://register.example",
        "POST",
        "/v1/trees/{number}/care",
    )
    assert {one.name: one.type for one in found.operation.inputs} == {
        "number": "text", "notify": "text", "limit": "integer", "work": "text", "crew_name": "text",
        "crew_people": "integer",
    }  # fmt: skip
    values = {one["name"]: one["try_value"] for one in dump(found.operation.inputs) if "try_value" in one} | {
        "number": "OLM-1"
    }
    request = build_request(found.operation, found.base_address, checked_inputs(found.operation.inputs, values)).request
    assert request.url == "https://register.example/v1/trees/OLM-1/care?notify=true&limit=5"
    assert (
        json.loads(request.body) == {"work": "pruned", "crew": {"name": "West", "people": 3}}
        and request.header("X-Office") == "trees"
    )
    assert operation_problems(found.operation) == []


TABLES = {
    "markdown": "| Name | Type | Required | Description |\n|---|---|---|---|\n" + "".join(f"| `p{n}` | {'integer' if n % 2 else 'string'} | {'yes' if n == 1 else 'no'} | what {n} is |\n" for n in range(10)),
    "tabs": "".join(f"p{n}\t{'integer' if n % 2 else 'string'}\t{'required' if n == 1 else 'optional'}\twhat {n} is\n" for n in range(10)),
    "columns": "parameter   type\n" + "".join(f"p{n}{'*' if n == 1 else ''}   {'int' if n % 2 else 'text'}   what {n} is\n" for n in range(10)),
    "list": "".join(f"- p{n} ({'integer' if n % 2 else 'string'}, {'required' if n == 1 else 'optional'}): what {n} is\n" for n in range(10)),
}  # fmt: skip


@pytest.mark.parametrize("kind", TABLES)
def test_ten_pasted_rows_give_ten_inputs(kind):
    found = read_pasted(TABLES[kind])
    assert found.kind == "parameters" and [one.name for one in found.operation.inputs] == [f"p{n}" for n in range(10)]
    assert [one.type for one in found.operation.inputs[:2]] == ["text", "integer"]
    assert [one.required for one in found.operation.inputs[:3]] == [False, True, False]
    assert all(one.description == f"what {n} is" for n, one in enumerate(found.operation.inputs))
    assert [one.name for one in found.operation.query] == [f"p{n}" for n in range(10)]


def test_an_address_is_taken_apart_as_ever():
    found = read_pasted("GET https://register.example/v1/trees?district={district}")
    assert (found.kind, found.operation.path, found.operation.inputs[0].name) == ("address", "/v1/trees", "district")


@pytest.mark.parametrize(
    ("text", "where", "words"),
    [
        ("", "text", "nothing was pasted"),
        ("GET /trees HTTP/1.1\nno header here", "line 2", "is not a header"),
        ('POST /trees HTTP/1.1\nHost: r.example\n\n{"a": ', "the body, line 1", "ends here"),
        ("!!! what is this?", "line 1", "begins with no name"),
    ],
)
def test_what_cannot_be_read_says_where_and_what_to_paste(text, where, words):
    with pytest.raises(InputError) as caught:
        read_pasted(text)
    assert where in caught.value.where and words in caught.value.message and caught.value.hint


@given(st.text(max_size=120) | st.text(alphabet="GET /a?b=c:\n|\t -*(){}\"'", max_size=80))
def test_no_text_makes_the_reader_fail_without_words(text):
    try:
        found = read_pasted(text)
    except RondineError as error:
        assert error.message
        return
    assert found.operation.inputs or found.kind != "parameters"


def test_the_usual_operations_of_a_resource_are_proposed_from_path_and_record_type():
    kind = load(
        RecordTypeDocument,
        {"fields": [{"name": "number", "type": "text"}, {"name": "girth", "type": "decimal"}], "key": ["number"]},
    )
    found = {operation.name: operation.document for operation in usual_operations("/v1/trees", kind)}
    assert list(found) == ["list-trees", "find-tree", "create-tree", "replace-tree", "change-tree", "remove-tree"]
    assert [(one.method, one.path) for one in found.values()] == [
        ("GET", "/v1/trees"), ("GET", "/v1/trees/{number}"), ("POST", "/v1/trees"), ("PUT", "/v1/trees/{number}"),
        ("PATCH", "/v1/trees/{number}"), ("DELETE", "/v1/trees/{number}"),
    ]  # fmt: skip
    assert all(operation_problems(one) == [] for one in found.values())
    body = found["change-tree"].body
    assert isinstance(body, JsonBody) and [member.at for member in body.members] == ["/girth"]
    with pytest.raises(InputError, match="names no resource"):
        usual_operations("/{x}")
