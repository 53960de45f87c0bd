"""Prepared queries: values placed by the language's own rules, in every place where a query text may go."""

import json

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rondine.core.errors import InputError
from rondine.core.operations.document import OperationDocument
from rondine.core.operations.inputs import checked_inputs
from rondine.core.operations.values import as_literal
from rondine.core.protocols.prepared import PreparedQueryDocument, prepared_problems, with_prepared
from rondine.core.protocols.problems import operation_problems
from rondine.core.protocols.rest import build_request
from rondine.core.settings import load

TREES = {
    "language": "other",
    "content": ["FIND trees WHERE species = ", {"input": "species"}, " AND girth > ", {"input": "girth"}],
    "variables": [{"name": "species"}, {"name": "girth", "type": "decimal"}],
}
INPUTS = [{"name": "species"}, {"name": "girth", "type": "decimal"}]


def built(document, query=TREES, **values):
    operation = with_prepared(load(OperationDocument, document), {"trees": load(PreparedQueryDocument, query)})
    assert operation_problems(operation) == []
    return build_request(operation, "https://r.example", checked_inputs(operation.inputs, values)).request


def test_a_quote_mark_in_a_value_neither_breaks_nor_alters_the_query():
    in_query = {"path": "/search", "inputs": INPUTS, "query": [{"name": "q", "value": {"prepared": "trees"}}]}
    request = built(in_query, species="O'Hara' OR '1'='1", girth="1.5")
    assert request.url.endswith(
        "q=FIND%20trees%20WHERE%20species%20%3D%20'O''Hara''%20OR%20''1''%3D''1'%20AND%20girth%20%3E%201.5"
    )
    in_body = {
        "method": "POST",
        "path": "/search",
        "inputs": INPUTS,
        "body": {"type": "json", "members": [{"at": "/query", "value": ["-- ", {"prepared": "trees"}]}]},
    }
    assert json.loads(built(in_body, species='"', girth="2").body) == {
        "query": "-- FIND trees WHERE species = '\"' AND girth > 2"
    }
    assert "species%20%3D%20'O\\'H'" in built(
        in_query, {**TREES, "literals": "backslash"}, species="O'H", girth="1"
    ).url.replace("%5C", "\\")


def test_a_graphql_query_kept_once_takes_its_variables_from_the_inputs():
    query = {
        "query": "query Q($species: String) { trees(species: $species) { number } }",
        "variables": [{"name": "species"}],
    }
    document = {
        "method": "POST",
        "path": "/graphql",
        "inputs": [{"name": "species"}],
        "body": {"type": "graphql", "prepared": "trees"},
    }
    sent = json.loads(built(document, query, species='a"b').body)
    assert sent == {"query": query["query"], "variables": {"species": 'a"b'}}


def test_what_is_not_there_or_not_whole_is_said():
    document = load(OperationDocument, {"path": "/s", "query": [{"name": "q", "value": {"prepared": "tree"}}]})
    with pytest.raises(InputError, match='no prepared query "tree"') as caught:
        with_prepared(document, {"trees": load(PreparedQueryDocument, TREES)})
    assert "trees" in caught.value.hint
    wrong = load(PreparedQueryDocument, {**TREES, "variables": [{"name": "specie"}]})
    assert prepared_problems(wrong)[0].message == 'there is no variable "species"'
    assert prepared_problems(load(PreparedQueryDocument, {"query": "{ a "}))[0].where.startswith("/query, line 1")


@given(st.text(max_size=30))
def test_no_text_gets_out_of_its_quotes(text):
    doubled = as_literal(text, "doubled")
    assert doubled[0] == doubled[-1] == "'" and "'" not in doubled[1:-1].replace("''", "")
    inside = as_literal(text, "backslash")[1:-1].replace("\\\\", "").replace("\\'", "")
    assert "'" not in inside
