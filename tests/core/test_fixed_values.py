"""Fixed values of operations and mappings: found, and turned into inputs that ask for the same."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rondine.core.errors import InputError, NotFound
from rondine.core.mapping.document import MappingDocument
from rondine.core.operations.document import OperationDocument
from rondine.core.operations.inputs import checked_inputs
from rondine.core.protocols.fixed_values import fixed_values, make_input, make_standing
from rondine.core.protocols.rest import build_request
from rondine.core.settings import dump, load


def operation(**document):
    return load(OperationDocument, document)


def told(document):
    return {one.place: (one.name, one.value) for one in fixed_values(document)}


def test_what_is_sent_as_it_is_written_is_listed():
    document = operation(
        path="/v2/trees/OLM-00007/care/2.0/{number}",
        inputs=[{"name": "number"}],
        query=[
            {"name": "limit", "value": "200"},
            {"name": "district", "value": {"input": "number"}},
            {"name": "season", "value": ["y", {"standing": "season"}]},
            {"name": "off", "value": "1", "enabled": False},
        ],
        headers=[{"name": "Accept", "value": "application/json"}, {"name": "X-Office", "value": "12"}],
        body={"type": "json", "members": [{"at": "/depth", "value": "5"}]},
    )
    assert told(document) == {
        "/path/3": ("tree", "OLM-00007"),
        "/query/0/value": ("limit", "200"),
        "/query/2/value/0": ("season", "y"),
        "/headers/1/value": ("X-Office", "12"),
        "/body/members/0/value": ("depth", "5"),
    }
    assert [one.place for one in fixed_values(document) if one.is_guess] == ["/path/3"]


@pytest.mark.parametrize(
    ("place", "name", "kind", "default"),
    [
        ("/path/3", "tree", "text", "OLM-00007"),
        ("/query/0/value", "limit", "integer", 200),
        ("/query/1/value", "since", "text", "007"),
        ("/body/members/0/value", "depth", "text", "5"),
    ],
)
def test_an_input_in_its_place_asks_for_the_same(place, name, kind, default):
    document = operation(
        method="POST",
        path="/v2/trees/OLM-00007",
        query=[{"name": "limit", "value": "200"}, {"name": "since", "value": "007"}],
        body={"type": "json", "members": [{"at": "/depth", "value": "5"}]},
    )
    changed, made = make_input(document, place)
    [input_] = changed.inputs
    assert (made, input_.name, input_.type, input_.default) == (name, name, kind, default)
    assert place not in told(changed)
    before = build_request(document, "https://register.example", {}).request
    after = build_request(changed, "https://register.example", checked_inputs(changed.inputs, {}, {})).request
    assert (before.url, before.body) == (after.url, after.body)


@given(st.text(st.characters(codec="utf-8", exclude_categories=("Cs", "Cc")), min_size=1, max_size=20))
def test_whatever_the_value_is_the_request_stays_as_it_is_or_it_is_refused(value):
    document = operation(path="/trees", query=[{"name": "q", "value": value}], headers=[{"name": "X-Q", "value": "1"}])
    if "/query/0/value" not in told(document):
        return
    try:
        changed, _ = make_input(document, "/query/0/value")
    except InputError:
        return
    before = build_request(document, "https://register.example", {}).request
    after = build_request(changed, "https://register.example", checked_inputs(changed.inputs, {}, {})).request
    assert before == after


@pytest.mark.parametrize(
    ("document", "fixed"),
    [
        ({"odata": {}}, {}),
        ({"odata": {"top": "3", "search": {"input": "words"}}}, {"/odata/top": ("top", "3")}),
        (
            {"odata": {"filter": [{"property": "Species", "operator": "eq", "value": "Tilia"}]}},
            {"/odata/filter/0/value": ("Species", "Tilia")},
        ),
        ({"body": {"type": "text"}}, {}),
        ({"body": {"type": "text", "content": "all"}}, {"/body/content": ("content", "all")}),
        ({"body": {"type": "form", "fields": [{"name": "crew"}]}}, {}),
        (
            {"body": {"type": "form", "fields": [{"name": "crew", "value": "3"}]}},
            {"/body/fields/0/value": ("crew", "3")},
        ),
        (
            {"body": {"type": "multipart", "parts": [{"name": "sheet", "value": "A"}]}},
            {"/body/parts/0/value": ("sheet", "A")},
        ),
        (
            {"body": {"type": "graphql", "query": "{a}", "variables": [{"at": "/first", "value": "2"}]}},
            {"/body/variables/0/value": ("first", "2")},
        ),
        (
            {"body": {"type": "xml", "elements": [{"at": "tree/@id", "value": "7"}]}},
            {"/body/elements/0/value": ("tree.@id", "7")},
        ),
    ],
)
def test_every_part_of_a_request_is_looked_at(document, fixed):
    document = operation(method="POST", path="/", inputs=[{"name": "words"}], **document)
    assert told(document) == fixed
    for place in fixed:
        try:
            changed, _ = make_input(document, place)
        except InputError as error:
            assert "sent" in error.message
            continue
        assert told(changed) == {}


def test_what_cannot_be_is_refused():
    document = operation(path="/trees", inputs=[{"name": "limit"}], query=[{"name": "limit", "value": "200"}])
    with pytest.raises(NotFound):
        make_input(document, "/query/7/value")
    with pytest.raises(InputError, match="there is an input"):
        make_input(document, "/query/0/value", "limit")
    assert make_input(document, "/query/0/value")[1] == "limit_2"


def test_fixed_values_of_a_mapping_become_standing_values():
    fields = [
        {"name": "number", "from": "number"},
        {"name": "office", "from": {"value": "Olmara"}},
        {"name": "street", "from": {"first_of": ["street", {"value": "unknown"}]}},
        {"name": "girth", "from": "girth", "default": 1},
    ]
    output = {"record_type": "tree", "rows": [{"level": "tree", "at": "trees[*]"}], "fields": fields}
    mapping = load(MappingDocument, {"outputs": [output]})
    here = "/outputs/0/fields"
    assert told(mapping) == {
        f"{here}/1/from/value": ("office", "Olmara"),
        f"{here}/2/from/first_of/1/value": ("street", "unknown"),
        f"{here}/3/default": ("girth", "1"),
    }
    changed, value = make_standing(mapping, f"{here}/1/from/value", "office")
    assert (dump(changed)["outputs"][0]["fields"][1]["from"], value) == ({"standing": "office"}, "Olmara")
    with pytest.raises(InputError, match="cannot be a standing value"):
        make_standing(mapping, f"{here}/3/default", "girth")
