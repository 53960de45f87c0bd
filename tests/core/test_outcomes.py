"""What responses mean by an operation's own rules: nothing found, and failures that come with a good status."""

import pytest

from rondine.core.documents import ReadDocument
from rondine.core.documents.elements import read_elements
from rondine.core.operations.document import OperationDocument, OutcomeRules
from rondine.core.protocols.classifying import classify_response
from rondine.core.protocols.problems import operation_problems
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
    found = classify_response(load(OutcomeRules, RULES), status, ReadDocument(body), headers)
    assert (found.kind, found.message, found.is_good) == (kind, message, kind != "failure")


def test_without_rules_partial_data_is_kept_and_named():
    found = classify_response(OutcomeRules(), 200, ReadDocument({"data": {"a": 1}, "errors": [{"message": "half"}]}))
    assert (found.kind, found.is_good, found.message) == ("partial", True, "half")


PROBLEM = (("Content-Type", "application/problem+json; charset=utf-8"),)
FAULT = (
    b"<e:Envelope"
    b" xmlns:e='http://schemas.xmlsoap.org/soap/envelope/'><e:Body><e:Fault><faultcode>e:Client</faultcode><faultstring>no"
    b" permit</faultstring></e:Fault></e:Body></e:Envelope>"
)
ODATA_XML = (
    b"<m:error xmlns:m='http://docs.oasis-open.org/odata/ns/metadata'><m:code>7</m:code><m:message>no"
    b" lot</m:message></m:error>"
)


@pytest.mark.parametrize(
    ("form", "body", "headers", "message"),
    [
        ("graphql", {"data": None, "errors": [{"message": "closed", "path": ["a", 0]}]}, (), "a.0: closed"),
        ("odata", {"error": {"code": "7", "message": "no lot"}}, (), "no lot"),
        ("odata", {"odata.error": {"code": "7", "message": {"lang": "en", "value": "no lot"}}}, (), "no lot"),
        ("odata", ODATA_XML, (), "no lot"),
        ("soap", FAULT, (), "no permit (Client)"),
        ("problem", {"type": "about:blank", "title": "No", "detail": "no such tree"}, PROBLEM, "no such tree"),
    ],
)
def test_the_standards_forms_of_errors_are_failures_with_any_status_unless_they_are_switched_off(
    form, body, headers, message
):
    read = ReadDocument(read_elements(body).value, "xml") if isinstance(body, bytes) else ReadDocument(body)
    found = classify_response(OutcomeRules(), 200, read, headers)
    assert (found.kind, found.message) == ("failure", message) and found.hint
    assert classify_response(OutcomeRules(forms=[form]), 200, read, headers).kind == "failure"
    others = [one for one in ("graphql", "odata", "soap", "problem") if one != form]
    assert classify_response(OutcomeRules(forms=others), 200, read, headers).kind == "good"  # type: ignore[arg-type]


@pytest.mark.parametrize(
    "body",
    [
        {"error": {"code": "7"}},  # no message
        {"error": {"code": "7", "message": "x"}, "value": []},
        {"errors": [{"message": "x"}], "rows": []},
        {"data": {"a": 1}, "errors": []},
        {"title": "A title", "detail": "of a tree"},
        ["error"],
        None,
    ],
)
def test_what_only_looks_like_a_form_is_none(body):
    assert classify_response(OutcomeRules(), 200, ReadDocument(body)).kind == "good"


def test_a_text_in_a_body_that_cannot_be_read_is_a_failure_and_its_line_the_message():
    rules = load(OutcomeRules, {"failures": [{"text": "ERR-"}, {"text": "closed"}]})
    page = b"<html>\n  <p>The desk is closed on Mondays</p>\n</html>"
    found = classify_response(rules, 200, ReadDocument(None), head=page)
    assert (found.kind, found.message) == ("failure", "<p>The desk is closed on Mondays</p>")
    assert classify_response(rules, 200, ReadDocument({"a": 1}), head=b'{"a": 1}').kind == "good"
    assert (
        classify_response(
            rules, 200, ReadDocument(None), head="ERR-7 gefällt".encode("latin-1"), charset="latin-1"
        ).message
        == "ERR-7 gefällt"
    )


def test_the_rules_hold_for_xml_too():
    rules = load(
        OutcomeRules,
        {
            "nothing_found": {"empty": "/r/tree"},
            "failures": [{"when": [{"from": "/r/@ok", "value": "no"}], "message": "/r/why"}],
        },
    )

    def kind(text):
        found = classify_response(rules, 200, ReadDocument(read_elements(text.encode()).value, "xml"))
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
        ({"failures": [{"message": "why"}]}, "/outcomes/failures/0", "does not say when"),
        (
            {"failures": [{"when": [{"from": "state", "is": "present"}], "message": "//"}]},
            "/outcomes/failures/0/message",
            "not a p",
        ),
    ],
)
def test_a_rule_that_can_never_work_is_a_problem_of_the_operation(rules, where, words):
    problems = operation_problems(load(OperationDocument, {"outcomes": rules}))
    assert any(problem.where == where and words in problem.message for problem in problems), problems
    assert operation_problems(load(OperationDocument, {"outcomes": RULES})) == []
