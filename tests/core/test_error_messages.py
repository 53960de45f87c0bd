"""What a service says of a failure, in its own words and with what to do: details, codes, subcodes."""

import json

import pytest

from rondine.core.documents import read_document
from rondine.core.documents.reading import ReadDocument
from rondine.core.operations.outcome import by_status
from rondine.core.protocols.classifying import USUAL_RULES, classify_response


def outcome(status, document):
    return classify_response(USUAL_RULES, status, ReadDocument(json.loads(json.dumps(document))))


@pytest.mark.parametrize("status", [200, 400])
def test_the_target_and_details_of_an_odata_error_are_told(status):
    error = {
        "code": "42",
        "message": "The lot cannot be kept",
        "target": "Lot",
        "details": [
            {"code": "7", "message": "must be positive", "target": "Weight"},
            {"code": "8", "message": "the shelf is full"},
        ],
    }
    assert outcome(status, {"error": error}).message == (
        "The lot cannot be kept (at Lot); Weight: must be positive; the shelf is full"
    )


@pytest.mark.parametrize(
    ("code", "words"),
    [
        ("UNAUTHENTICATED", "the service does not accept the sign-in"),
        ("FORBIDDEN", "the sign-in is good, but may not do this"),
        ("THROTTLED", "too many calls in a short time"),
        ("OF_ITS_OWN", "the service answers with errors and no data"),
    ],
)
def test_the_code_of_a_graphql_error_says_what_kind_of_failure_it_is(code, words):
    found = outcome(200, {"data": None, "errors": [{"message": "not now", "extensions": {"code": code}}]})
    assert (found.is_good, found.words, found.message) == (False, words, f"not now ({code})")


def test_a_partial_graphql_answer_stays_one_whatever_its_code():
    errors = [{"message": "no", "path": ["tree", "notes"], "extensions": {"code": "FORBIDDEN"}}]
    found = outcome(200, {"data": {"tree": {"number": "OLM-1", "notes": None}}, "errors": errors})
    assert (found.kind, found.message) == ("partial", "tree.notes: no (FORBIDDEN)")


def test_the_subcode_of_a_soap_fault_is_told():
    envelope = """<s:Envelope xmlns:s="http://www.w3.org/2003/05/soap-envelope" xmlns:p="urn:permits"><s:Body><s:Fault>
      <s:Code><s:Value>s:Sender</s:Value><s:Subcode><s:Value>p:NumberUnknown</s:Value></s:Subcode></s:Code>
      <s:Reason><s:Text xml:lang="en">No such permit</s:Text></s:Reason></s:Fault></s:Body></s:Envelope>"""
    read = read_document(envelope.encode(), media_type="application/soap+xml", charset="", name="the response")
    found = classify_response(USUAL_RULES, 500, read)
    assert found.message == "No such permit (Sender; NumberUnknown)"


@pytest.mark.parametrize("status", [412, 428])
def test_a_version_that_is_wrong_or_missing_says_to_give_it(status):
    assert "If-Match" in by_status(status).hint and "ETag" in by_status(status).hint
