"""Operations by hand: inputs, requests, pasted addresses, outcomes."""

from datetime import date
from decimal import Decimal

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from rondine.core.errors import InputError, RondineError
from rondine.core.http.messages import Request, http_text, origin, without_secrets
from rondine.core.names import NAME, proposed_name
from rondine.core.operations.document import OperationDocument
from rondine.core.operations.inputs import Input, checked_inputs
from rondine.core.operations.keylike import keys_in_operation
from rondine.core.operations.outcome import by_status
from rondine.core.protocols.address import parse_address
from rondine.core.protocols.problems import operation_problems
from rondine.core.protocols.rest import build_request, with_connection
from rondine.core.secret import Secret
from rondine.core.settings import load

INPUTS = [
    Input(name="district"),
    Input(name="least", type="decimal", default="1.0"),
    Input(name="page", type="integer", required=True),
    Input(name="kind", allowed=["oak", "lime"]),
    Input(name="since", type="date"),
]


def operation(**document):
    return load(OperationDocument, document)


def url(document, base="https://register.example", **values):
    checked = checked_inputs(document.inputs, values)
    return build_request(document, base, checked).request.url


def test_values_are_typed_defaults_fill_and_empty_optional_ones_are_left_out():
    assert checked_inputs(INPUTS, {"page": "3", "since": "2025-01-03", "district": None}) == {
        "least": Decimal(1),
        "page": 3,
        "since": date(2025, 1, 3),
    }
    assert checked_inputs(INPUTS, {"page": 3, "district": "", "least": ""}) == {
        "least": Decimal(1),
        "page": 3,
        "district": "",
    }


def test_every_wrong_input_is_told_at_its_own_field_before_anything_is_sent():
    with pytest.raises(InputError) as raised:
        checked_inputs(INPUTS, {"distict": "Orti", "least": "abc", "kind": "birch"})
    found = {problem.where: problem for problem in raised.value.problems}
    assert set(found) == {"/distict", "/least", "/page", "/kind"}
    assert found["/distict"].hint == 'did you mean "district"?'
    assert "required" in found["/page"].message
    assert "oak, lime" in found["/kind"].hint


def test_a_path_value_is_encoded_and_a_missing_one_refused():
    trees = operation(path="/v1/trees/{number}/sheet.svg", inputs=[{"name": "number", "required": True}])
    assert url(trees, number="a/b c") == "https://register.example/v1/trees/a%2Fb%20c/sheet.svg"
    with pytest.raises(InputError, match="required"):
        url(trees)
    with pytest.raises(InputError, match="another place"):
        url(trees, number="..")


def test_a_query_value_that_is_off_or_has_no_value_is_not_sent():
    trees = operation(
        path="/t",
        inputs=[{"name": "district"}],
        query=[
            {"name": "limit", "value": "5"},
            {"name": "debug", "value": "1", "enabled": False},
            {"name": "district", "value": {"input": "district"}},
            {"name": "q", "value": ["in ", {"input": "district"}]},
        ],
    )
    assert url(trees) == "https://register.example/t?limit=5"
    assert url(trees, district="R&D+1") == "https://register.example/t?limit=5&district=R%26D%2B1&q=in%20R%26D%2B1"


def test_the_origin_of_every_value_is_told():
    trees = operation(
        path="/t/{number}",
        inputs=[{"name": "number"}, {"name": "limit", "default": "9"}],
        query=[{"name": "limit", "value": {"input": "limit"}}, {"name": "x", "value": "1"}],
    )
    given = {"number": "7"}
    built = build_request(trees, "https://r.example/base/", checked_inputs(trees.inputs, given), inputs=given)
    built = with_connection(built, (("X-Office", "3"),))
    assert {(one.name, one.source) for one in built.origins} == {
        ("number", "input number"),
        ("limit", "default limit"),
        ("x", "operation"),
        ("X-Office", "connection"),
        ("Accept", "Rondine"),
    }
    assert built.request.url == "https://r.example/base/t/7?limit=9&x=1"


def test_what_keeps_an_operation_from_being_sent_is_listed_with_places():
    bad = operation(
        path="trees/{number",
        inputs=[{"name": "spare"}, {"name": "spare"}],
        query=[{"name": "q", "value": {"input": "nothing"}}],
        headers=[{"name": "Host", "value": "x"}, {"name": "X-A", "value": "a\nb"}],
    )
    assert {problem.where for problem in operation_problems(bad)} >= {
        "/path",
        "/inputs/1/name",
        "/query/0/value",
        "/headers/0/name",
        "/headers/1/value",
        "/inputs/0",
    }
    assert operation_problems(operation(path="/t/{n}", inputs=[{"name": "n"}])) == []


@pytest.mark.parametrize(
    "address",
    [
        "https://register.example/v1/trees?district=Terrazze&min_girth=1.5&limit=200",
        "http://127.0.0.1:18210/",
        "https://r.example",
        "https://r.example/t?q=a+b&x&y=&y=2&%66=1&z=a%2Fb/c",
        "https://r.example/a%20b/c;d=1?redirect=http://x.example/?a=1",
    ],
)
def test_an_address_taken_apart_joins_to_the_identical_text(address):
    parts = parse_address(address)
    joined = build_request(parts.operation, parts.base_address, {}).request.url
    assert joined in (address, address + "/")
    assert len(parts.operation.query) == (address.partition("?")[2].count("&") + 1 if "?" in address else 0)


def test_placeholders_of_a_documentation_become_inputs_and_a_key_is_noticed():
    parts = parse_address(
        "https://r.example/v1/trees/{number}/care/:job?district=<district>&api_key=0a1b2c3d4e5f60718293a4b5"
    )
    assert parts.operation.path == "/v1/trees/{number}/care/{job}"
    assert [(one.name, one.required) for one in parts.operation.inputs] == [
        ("number", True),
        ("job", True),
        ("district", False),
    ]
    assert [one.name for one in keys_in_operation(parts.operation)] == ["api_key"]


@pytest.mark.parametrize(
    ("address", "words"),
    [
        ("trees", "not an address"),
        ("ftp://r.example", "not an address"),
        ("https://mira:pw@r.example/", "password"),
        ("https://r.example/a b", "blank"),
        ("http://[::1", "cannot be read"),
        ("https:///x", "no host"),
    ],
)
def test_what_is_no_address_is_refused(address, words):
    with pytest.raises(InputError, match=words):
        parse_address(address)


@given(st.text(max_size=40).map(lambda text: f"https://r.example/{text}"))
@example("https://r.example/{tree:}")
def test_no_pasted_text_raises_anything_but_a_named_error(address):
    try:
        parts = parse_address(address)
        build_request(parts.operation, parts.base_address, {one.name: "x" for one in parts.operation.inputs})
    except RondineError as error:
        assert error.message


def test_secrets_are_masked_wherever_a_request_is_shown():
    request = Request(
        "GET",
        "https://r.example/t?a=1",
        (("X-Key", Secret("s3cr3t", "tree-key")),),
        secret_query=(("key", Secret("s3cr3t", "tree-key")),),
    )
    shown = http_text(request) + repr(request) + str(request.headers) + f"{Secret('s3cr3t', 'k')}"
    assert "s3cr3t" not in shown
    assert "••••••• tree-key" in shown
    assert without_secrets("https://u:p@r.example/t?key=s3cr3t&b=2") == "https://r.example/t?key=…&b=…"


@pytest.mark.parametrize(
    ("url", "found"),
    [
        ("HTTPS://R.example:443/x", "https://r.example"),
        ("http://[::1]:80/", "http://[::1]"),
        ("http://r.example:8080", "http://r.example:8080"),
    ],
)
def test_origins(url, found):
    assert origin(url) == found


@pytest.mark.parametrize(
    ("status", "document", "words", "message"),
    [
        (401, {"error": {"message": "no key"}}, "sign-in", "no key"),
        (404, {"detail": "no such tree", "title": "x"}, "nothing at this address", "no such tree"),
        (429, {"errors": [{"message": "slow down"}]}, "too many calls", "slow down"),
        (500, "boom", "failed on its side", "boom"),
        (418, None, "refuses", ""),
        (302, None, "another address", ""),
    ],
)
def test_a_failure_is_told_in_words_with_the_services_own(status, document, words, message):
    found = by_status(status, document, (("Retry-After", "30"),))
    assert not found.is_good and words in found.words and found.message == message
    assert ("Retry-After: 30" in found.hint) == (status != 302)


def test_no_content_is_good():
    assert by_status(204).is_good


@given(st.text(max_size=80))
def test_every_proposed_name_is_a_name(text):
    assert NAME.fullmatch(proposed_name(text))


def test_a_proposed_name_is_free():
    assert proposed_name("Girth (m)", separator="_") == "girth_m"
    assert proposed_name("minGirth", taken={"min-girth"}) == "min-girth-2"


def test_a_header_of_the_operation_replaces_the_connections_and_accept_is_not_doubled():
    own = build_request(operation(path="/t", headers=[{"name": "x-office", "value": "own"}]), "https://r.example", {})
    headers = with_connection(own, (("X-Office", "3"), ("Accept", "text/csv"))).request.headers
    assert headers == (("x-office", "own"), ("Accept", "text/csv"))
