"""The rule by which names are proposed: one a project, for items and for fields."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rondine.core.definitions.record_types import proposed_types
from rondine.core.documents import ReadDocument
from rondine.core.errors import InputError
from rondine.core.mapping.propose import propose
from rondine.core.names import NAME, singular
from rondine.core.naming import NAMED, USUAL_RULE, NamingRule
from rondine.core.settings import load


@pytest.mark.parametrize(
    ("rule", "kind", "text", "expected"),
    [
        ({}, "operation", "List old trees", "list-old-trees"),
        ({}, "feed", "Old trees", "all-old-trees"),
        ({}, "feed", "all-old-trees", "all-old-trees"),
        ({}, "field", "Girth (m)", "girth_m"),
        ({"separator": "_"}, "operation", "List old trees", "list_old_trees"),
        ({"field_separator": "-"}, "field", "Girth (m)", "girth-m"),
        ({"service_first": True}, "operation", "List trees", "tree-register-list-trees"),
        ({"service_first": True}, "operation", "tree-register-list", "tree-register-list"),
        ({"service_first": True}, "record type", "Tree", "tree"),
        ({"service_first": True, "feeds_begin": ""}, "feed", "Trees", "tree-register-trees"),
    ],
)
def test_a_name_follows_the_rule(rule, kind, text, expected):
    assert load(NamingRule, rule).name(kind, text, service="Tree register") == expected


def test_a_name_that_is_taken_gets_a_number():
    assert USUAL_RULE.name("service", "Register", taken={"register", "register-2"}) == "register-3"
    assert NamingRule(separator="_").name("service", "Register", taken={"register"}) == "register_2"


@given(st.text(max_size=200), st.sampled_from(NAMED), st.text(max_size=20), st.sampled_from("-_"), st.booleans())
def test_whatever_it_is_called_the_name_is_one(text, kind, service, separator, first):
    rule = NamingRule(separator=separator, field_separator=separator, service_first=first)
    assert NAME.fullmatch(rule.name(kind, text, service=service, taken={"unnamed"}))


@pytest.mark.parametrize("rule", [{"separator": "."}, {"feeds_begin": "All"}, {"seperator": "-"}])
def test_a_rule_that_makes_no_names_is_refused(rule):
    with pytest.raises(InputError):
        load(NamingRule, rule)


def test_fields_and_record_types_are_proposed_by_it():
    rule = NamingRule(separator="_", field_separator="-")
    made = propose(
        [ReadDocument({"trees": [{"treeNumber": "a", "girthM": 2}]})], rows=["$.trees[*]"], name="tree", rule=rule
    )
    assert [field.name for field in made.record_type.fields] == ["tree-number", "girth-m"]
    schemas = {"OldTree": {"type": "object", "properties": {"treeNumber": {"type": "string"}}}}
    only = proposed_types([], schemas, ["OldTree"], rule)[0]
    assert (only.name, only.document.fields[0].name) == ("old_tree", "tree-number")


@pytest.mark.parametrize(
    ("many", "one"),
    [("trees", "tree"), ("entries", "entry"), ("boxes", "box"), ("classes", "class"), ("branches", "branch"),
     ("species", "species"), ("series", "series"), ("analysis", "analysis"), ("status", "status"), ("as", "as")],
)  # fmt: skip
def test_plurals_lose_their_ending_and_words_without_one_stay(many, one):
    assert singular(many) == one
