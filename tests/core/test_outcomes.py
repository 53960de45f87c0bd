"""What responses mean by an operation's own rules: nothing found, and failures that come with a good status."""

import pytest

from rondine.core.documents import ReadDocument
from rondine.core.documents.elements import read_elements
from rondine.core.protocols.operation import OperationDocument, OutcomeRules, operation_problems
from rondine.core.protocols.outcome import judged
from rondine.core.settings import load

RULES = {
    "nothing_found": {"statuses": [404, 410], "empty": "trees"},
    "failures": [
        {"when": [{"from": "state", "value": "error"}], "message": "why"},
        {"when": [{"from": {"header": "X-Failed"}, "is": "present"}]},
        {"when": [{"from": "left", "is": "less", "value": 0}, {"from": "strict", "value": True}]},
    ],
}


@pytest.mark.parametrize(
    ("status", "body", "headers", "kind", "message"),
    [
        (200, {"trees": [1]}, (), "good", ""),
        (200, {"trees": []}, (), "nothing_found", ""),
        (200, {"trees": None}, (), "nothing_found", ""),
        (200, {"other": 1}, (), "nothing_found", ""),
        (404, {"message": "no such tree"}, (), "nothing_found", ""),
        (404, None, (), "nothing_found", ""),
        (403, {"message": "no"}, (), "failure", "no"),
        (200, {"state": "error", "why": "it is closed", "trees": [1]}, (), "failure", "it is closed"),
        (200, {"state": "error", "message": "closed", "trees": [1]}, (), "failure", "closed"),
        (200, {"trees": [1], "detail": "late"}, (("x-failed", "1"),), "failure", "late"),
        (200, {"trees": [1], "left": -1, "strict": True}, (), "failure", ""),
        (200, {"trees": [1], "left": -1, "strict": False}, (), "good", ""),
        (200, {"data": {"a": 1}, "errors": [{"message": "half"}]}, (), "nothing_found", ""),
    ],
)
def test_a_response_is_judged_by_the_rules_and_then_as_usual(status, body, headers, kind, message):
    found = judged(load(OutcomeRules, RULES), status, ReadDocument(body), headers)
    assert (found.kind, found.message, found.is_good) == (kind, message, kind != "failure")


def test_without_rules_partial_data_is_kept_and_named():
    found = judged(OutcomeRules(), 200, ReadDocument({"data": {"a": 1}, "errors": [{"message": "half"}]}))
    assert (found.kind, found.is_good, found.message) == ("partial", True, "half")


def test_the_rules_hold_for_xml_too():
    rules = load(
        OutcomeRules,
        {
            "nothing_found": {"empty": "/r/tree"},
            "failures": [{"when": [{"from": "/r/@ok", "value": "no"}], "message": "/r/why"}],
        },
    )

    def kind(text):
        found = judged(rules, 200, ReadDocument(read_elements(text.encode()).value, "xml"))
        return found.kind, found.message

    assert kind("<r ok='yes'><tree/><tree n='1'/></r>") == ("good", "")
    assert kind("<r ok='yes'><tree n='1'/></r>") == ("good", "")
    assert kind("<r ok='yes'/>") == ("nothing_found", "")
    assert kind("<r ok='no'><why>closed</why></r>") == ("failure", "closed")


@pytest.mark.parametrize(
    ("rules", "where", "words"),
    [
        ({"nothing_found": {"empty": "trees["}}, "/outcomes/nothing_found/empty", "not a p"),
        ({"failures": [{"when": [{"from": "state"}]}]}, "/outcomes/failures/0/when/0/value", "nothing is given"),
        (
            {"failures": [{"when": [{"from": "state", "is": "present"}], "message": "//"}]},
            "/outcomes/failures/0/message",
            "not a p",
        ),
    ],
)
def test_a_rule_that_can_never_work_is_a_problem_of_the_operation(rules, where, words):
    problems = operation_problems(load(OperationDocument, {"outcomes": rules}))
    assert any(one.where == where and words in one.message for one in problems), problems
    assert operation_problems(load(OperationDocument, {"outcomes": RULES})) == []
