"""Bodies made from samples: fed with the sample's own values, they equal the sample. And bodies of XML."""

from urllib.parse import parse_qsl

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from rondine.core.definitions.pasted import read_body
from rondine.core.documents.elements import read_elements
from rondine.core.documents.json import json_text, read_json
from rondine.core.errors import InputError
from rondine.core.operations.document import OperationDocument
from rondine.core.operations.inputs import checked_inputs
from rondine.core.protocols.problems import operation_problems
from rondine.core.protocols.rest import build_request
from rondine.core.settings import dump, load


def written(operation: OperationDocument, **values) -> bytes:
    """The body as it is sent with the try values, and those given here."""
    assert operation_problems(operation) == []
    tried = {one.name: one.try_value for one in operation.inputs if isinstance(one.try_value, (str, int, list, dict))}
    checked = checked_inputs(operation.inputs, tried | values)
    return build_request(operation, "https://register.example", checked).request.body or b""


def read(text: str, media_type: str = "") -> OperationDocument:
    found = read_body(text, media_type).operation
    return load(OperationDocument, dump(found))  # as it is stored


TREE = (
    '{"number": "OLM-1", "place": {"street": "Via \\"Alta\\"", "position": 4}, "girth": 2.50, "care": ["crown",'
    ' "roots"], "felled": null, "seen": "2026-11-03T09:00:00+01:00", "planted": "1999-04-01", "oak": true}'
)


def test_a_json_body_becomes_members_with_typed_inputs():
    found = read(TREE)
    kinds = {one.name: one.type for one in found.inputs}
    assert kinds == {
        "number": "text", "place_street": "text", "place_position": "integer", "girth": "decimal", "care": "json",
        "seen": "text", "planted": "date", "oak": "boolean",
    }  # fmt: skip
    assert read_json(written(found)) == read_json(TREE.encode())


def test_another_value_takes_the_place_of_the_samples():
    assert read_json(written(read(TREE), number="OLM-2", place_position=9))["place"]["position"] == 9


NAMES = st.text(max_size=5) | st.sampled_from(["0", "-", "a/b", "~", "", "__proto__"])
VALUES = st.recursive(
    st.none() | st.booleans() | st.integers(-(2**70), 2**70) | st.decimals(allow_nan=False, allow_infinity=False,
    places=3, min_value=-1e6, max_value=1e6) | st.text(max_size=8) | st.dates().map(str) | st.datetimes().map(str),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(NAMES, inner, max_size=4),
    max_leaves=12,
)  # fmt: skip


@given(st.dictionaries(NAMES, VALUES, max_size=5) | st.lists(VALUES, max_size=3))
@example({"a": {"b": None}, "c": [None], "d": {}, "e": []})
@example({"a": "", "b": {"0": 1}})
def test_any_json_body_fed_with_its_own_values_is_the_same(value):
    text = json_text(value)
    assert read_json(written(read(text))) == read_json(text.encode())


@given(
    st.lists(
        st.tuples(st.text(min_size=1, max_size=4), st.text(max_size=4)),
        min_size=1,
        max_size=4,
        unique_by=lambda pair: pair[0],
    )
)
def test_any_form_fed_with_its_own_values_is_the_same(pairs):
    from urllib.parse import urlencode

    found = read(urlencode(pairs), "application/x-www-form-urlencoded")
    kept = [(name, value) for name, value in pairs if value]  # an empty value is not a try value: it is left out
    sent = parse_qsl(written(found).decode(), keep_blank_values=True)
    assert [pair for pair in sent if pair[1]] == kept


ORDER = """<p:order xmlns:p="urn:olmara:care" urgent="true"><p:tree number="OLM-1">Tilia</p:tree>
  <p:work>crown</p:work><p:work>roots &amp; soil</p:work><p:crew><p:name>Two</p:name><p:size unit="people">3</p:size>
    </p:crew></p:order>"""


def test_an_xml_body_fed_with_its_own_values_is_the_same():
    found = read(ORDER)
    assert (found.body.media_type, found.body.root) == ("application/xml", "p:order")
    assert [element.at for element in found.body.elements] == [
        "@urgent", "p:tree/@number", "p:tree/.", "p:work", "p:crew/p:name", "p:crew/p:size/@unit", "p:crew/p:size/.",
    ]  # fmt: skip
    assert read_elements(written(found)) == read_elements(ORDER.encode())


def test_an_xml_body_repeats_lists_escapes_values_and_leaves_out_what_has_none():
    found = read(ORDER)
    sent = read_elements(written(found, work=["<prune>"], crew_name="A & B")).value["p:order"]
    assert (sent["p:work"], sent["p:crew"]["p:name"]) == ("<prune>", "A & B")
    without = OperationDocument(**{name: getattr(found, name) for name in ("method", "inputs", "body")})
    request = build_request(without, "https://register.example", {"urgent": "true"}).request
    assert read_elements(request.body).value == {"p:order": {"@urgent": "true"}}
    assert request.header("Content-Type") == "application/xml"


@pytest.mark.parametrize(
    ("change", "where", "words"),
    [
        ({"root": "x:order"}, "/body/root", 'prefix "x"'),
        ({"elements": [{"at": "p:a b"}]}, "/body/elements/0/at", "not a name of an element"),
        ({"elements": [{"at": "p:a", "value": {"input": "wrok"}}]}, "/body/elements/0/value", 'no input "wrok"'),
    ],
)
def test_an_xml_body_that_cannot_be_written_says_where(change, where, words):
    body = {"type": "xml", "root": "p:order", "namespaces": {"p": "urn:olmara:care"}, "elements": [], **change}
    document = load(OperationDocument, {"method": "POST", "inputs": [{"name": "work"}], "body": body})
    assert any(problem.where == where and words in problem.message for problem in operation_problems(document))


@pytest.mark.parametrize(
    ("text", "media_type", "where"),
    [
        ('{"a": }', "", "line 1, column 7"),
        ("<a>\n<b></a>", "", "line 2"),
        ("{}x", "application/json", "line 1"),
        (" ", "", "text"),
    ],
)
def test_a_sample_that_is_not_sound_is_refused_with_its_place(text, media_type, where):
    with pytest.raises(InputError) as error:
        read_body(text, media_type)
    assert where in error.value.where


def test_a_fixed_member_of_json_is_read_as_json_or_refused():
    body = {"type": "json", "members": [{"at": "/care", "value": '["crown", null]', "type": "json"}]}
    document = load(OperationDocument, {"method": "POST", "body": body})
    assert written(document) == b'{"care":["crown",null]}'
    document = load(OperationDocument, {"method": "POST", "body": {"type": "json", "members": [{"at": "/a",
    "value": "{", "type": "json"}]}})  # fmt: skip
    with pytest.raises(InputError, match="not JSON"):
        written(document)
