"""What documents refer to is declared: each reference is found with its place, and renaming changes it and nothing
else."""

from hypothesis import given
from hypothesis import strategies as st

from rondine.core.items.connection import ConnectionDocument
from rondine.core.items.feed import FeedDocument
from rondine.core.items.references import references, renamed
from rondine.core.mapping.document import MappingDocument
from rondine.core.operations.document import OperationDocument
from rondine.core.paths import parse_pointer, resolve
from rondine.core.settings import dump, load

DOCUMENTS = [
    (OperationDocument, {
        "query": [{"name": "a", "value": ["x", {"standing": "year"}]}],
        "inputs": [{"name": "i", "default": {"standing": "year"}}, {"name": "j",
        "try_value": {"x": {"standing": "no"}}}],
        "body": {"type": "graphql", "prepared": "trees", "variables": [{"at": "/y", "value": {"standing": "year"}}]},
        "outcomes": {"failures": [{"when": [{"from": {"standing": "year"}, "value": {"standing": "no"}}]}]},
        "responses": [{"status": "200", "definition": "register", "schema": {"default": {"standing": "no"}}}],
        "came_from": {"definition": "register"},
    }),
    (ConnectionDocument, {
        "sign_in": {"type": "sign_in_operation", "operation": "session", "inputs": {"year": {"standing": "year"}}},
        "own_sign_ins": [{"operation": "open", "credential": "key", "sign_in": {"type": "bearer"}}],
    }),
    (MappingDocument, {
        "based_on": "trees",
        "outputs": [{"record_type": "tree", "fields": [{"name": "a", "from": {"first_of": [{"standing": "year"},
        {"value": {"standing": "no"}}]}}]}],
    }),
    (FeedDocument, {"inputs": {"since": {"standing": "year"}, "rest": {"a": {"standing": "no"}}}}),
]  # fmt: skip


def test_every_reference_is_found_with_its_place_and_fixed_values_are_none():
    counted = []
    for kind, document in DOCUMENTS:
        found = list(references(load(kind, document)))
        counted.append(len(found))
        for one in found:
            assert one.name != "no" and resolve(document, parse_pointer(one.pointer))[1] == one.name
    assert counted == [7, 4, 3, 1]


@given(
    st.sampled_from(DOCUMENTS),
    st.sampled_from(
        ["standing-values", "operations", "queries", "definitions", "credentials", "record-types", "mappings"]
    ),
    st.sampled_from(["year", "trees", "register", "session", "open", "key", "tree"]),
)
def test_renaming_changes_the_references_to_one_item_and_nothing_else(pair, kind, old):
    document = load(*pair)
    before = list(references(document))
    after = renamed(document, kind, old, "new-name")
    expected = [
        (one.kind, "new-name" if (one.kind, one.name) == (kind, old) else one.name, one.pointer) for one in before
    ]
    assert [(reference.kind, reference.name, reference.pointer) for reference in references(after)] == expected
    assert renamed(after, kind, "new-name", old) == document and load(pair[0], dump(after)) == after
