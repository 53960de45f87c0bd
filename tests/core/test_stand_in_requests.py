"""Which operation a request to a stand-in is of."""

import pytest

from rondine.core.errors import NotFound
from rondine.core.operations.document import OperationDocument
from rondine.core.protocols.standing_in import Asked, operation_of
from rondine.core.settings import load

KEY = [{"name": "Number", "value": {"input": "number"}, "type": "Edm.Int32"}]
OPERATIONS = {
    "list-trees": {"path": "/trees"},
    "list-limes": {"path": "/trees", "query": [{"name": "species", "value": "lime"}]},
    "get-tree": {"path": "/trees/{number}"},
    "get-newest": {"path": "/trees/newest"},
    "plant": {"path": "/trees", "method": "POST"},
    "search": {"path": "/search{?text}"},
    "list-lots": {"path": "/Lots", "odata": {}},
    "find-lot": {"path": "/Lots", "odata": {"key": KEY}},
    "tests-of-lot": {"path": "/Lots", "odata": {"key": KEY, "then": "/Tests"}},
    "scarce": {"path": "/Scarce", "odata": {"is_function": True, "arguments": KEY}},
    "ask-trees": {"path": "/graphql", "method": "POST", "body": {"type": "graphql", "query": "{ trees { number } }"}},
    "ask-lots": {
        "path": "/graphql",
        "method": "POST",
        "body": {"type": "graphql", "query": "query { lots { number } }"},
    },
}
DOCUMENTS = {name: load(OperationDocument, document) for name, document in OPERATIONS.items()}


@pytest.mark.parametrize(
    ("name", "method", "path", "query", "body"),
    [
        ("list-trees", "GET", "/trees", "", ""),
        ("list-trees", "GET", "/trees/", "page=2", ""),
        ("list-limes", "GET", "/trees", "species=lime&page=2", ""),
        ("list-trees", "GET", "/trees", "species=oak", ""),
        ("get-tree", "GET", "/trees/OLM-1", "", ""),
        ("get-newest", "GET", "/trees/newest", "", ""),
        ("plant", "POST", "/trees", "", "{}"),
        ("search", "GET", "/search", "text=a", ""),
        ("list-lots", "GET", "/Lots", "%24top=5", ""),
        ("find-lot", "GET", "/Lots(7)", "", ""),
        ("tests-of-lot", "GET", "/Lots(7)/Tests", "", ""),
        ("scarce", "GET", "/Scarce(Number=7)", "", ""),
        ("ask-trees", "POST", "/graphql", "", '{"query": "{\\n  trees { number }\\n}"}'),
        ("ask-lots", "POST", "/graphql", "", '{"query": "query{lots{number}}"}'),
    ],
)
def test_a_request_is_of_the_operation_that_says_most_about_it(name, method, path, query, body):
    assert operation_of(DOCUMENTS, Asked(method, path, query, body.encode(), "")) == name


@pytest.mark.parametrize(
    ("method", "path"),
    [("GET", "/"), ("DELETE", "/trees"), ("GET", "/trees/1/2"), ("GET", "/Lots(7)/None"), ("GET", "/x\n")],
)
def test_what_is_of_no_operation_is_told(method, path):
    with pytest.raises(NotFound, match="the service has no operation"):
        operation_of(DOCUMENTS, Asked(method, path, "", b"", ""))
