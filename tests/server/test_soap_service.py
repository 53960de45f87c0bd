"""The permit counter, a SOAP service: its WSDL read with the schema it imports, envelopes in both versions, faults, and
a user name token."""

import pytest
from aiohttp import web
from tests.canary import leaks

from rondine_client import RondineProblem


@pytest.fixture(scope="module")
def counter(rondine):
    office, base = rondine.office(), rondine.outside("permits")
    made = office.definitions.import_into(
        "counter", address=f"{base}/services/counter?wsdl", record_types=[], connect={"environment": "test"}
    )
    return {office.operations.get(name)["document"]["came_from"]["key"]: name for name in made["operations"]}


def tried(rondine, operation, service="counter", **inputs):
    office = rondine.office()
    found = office.trials.send(service=service, operation=operation, inputs=inputs, confirmed=True)
    return found, office.bodies.text(found["body"])["text"]


def test_the_wsdl_and_its_schema_are_read_from_the_service_and_its_operations_answer(rondine, counter):
    held = rondine.office().definitions.get("counter")["document"]
    assert len(held["files"]) == 2 and held["format"] == "WSDL 1.1"
    found, text = tried(rondine, counter["FindPermit"], number="P-3")
    assert found["outcome"]["is_good"] and "<p:number>P-3</p:number>" in text
    assert 'SOAPAction: "urn:find"' in found["call"]["request"] and "<n1:FindPermit>" in found["call"]["request"]
    assert tried(rondine, counter["ListPermits"], status="granted")[1].count("<p:permit>") == 4
    assert "<count>4</count>" in tried(rondine, counter["CountPermits"], status="refused")[1]
    _, text = tried(
        rondine,
        counter["AskPermit"],
        tree="OLM-7",
        reason="<crown> & 'roots'",
        span_from="2026-11-03",
        condition=["by hand"],
        urgent=True,
    )
    number = text.partition("<p:number>")[2].partition("<")[0]
    assert (
        number.endswith("-urgent")
        and "&lt;crown> &amp; 'roots'" in tried(rondine, counter["FindPermit"], number=number)[1]
    )


def test_a_fault_is_a_failure_with_its_own_words(rondine, counter):
    found, _ = tried(rondine, counter["FindPermit"], number="P-999")
    assert found["call"]["status"] == 500 and not found["outcome"]["is_good"]
    assert (
        found["outcome"]["message"] == "there is no permit P-999 (Client; P-999)"
        and "fault" in found["outcome"]["words"]
    )


@pytest.mark.parametrize("kind", ["digest", "text"])
def test_a_user_name_token_signs_in_and_leaves_the_password_nowhere(rondine, counter, kind):
    office, papers = rondine.office(), rondine.papers
    sign_in = {"type": "user_name_token", "user_name": papers.soil_user, "password_type": kind}
    name = rondine.sign_in(
        f"secure-{kind}", f"{rondine.outside('permits')}/secure", sign_in, {"password": papers.soil_password}
    )
    document = {
        key: value
        for key, value in office.operations.get(counter["FindPermit"])["document"].items()
        if key != "came_from"
    }
    found = office.trials.send(service=name, document=document, inputs={"number": "P-1"})
    assert found["outcome"]["is_good"] and "•••••••" in found["call"]["request"]
    assert leaks(rondine, [found, list(office.runs.calls(found["run"]))], papers.soil_password) == []
    office.credentials.set_secrets(f"{name}-key", password="not this one")
    refused = office.trials.send(service=name, document=document, inputs={"number": "P-1"})
    assert "user name token is missing, or wrong" in refused["outcome"]["message"]
    with pytest.raises(RondineProblem, match="no SOAP envelope"):
        office.trials.send(service=name, document={"path": "/counter"})


def test_a_header_block_of_the_services_own_holds_a_secret_of_the_credential(rondine, counter, serve):
    """The service sends its request back, secret and all: none of it is kept or shown."""
    came = []

    async def answer(request):
        text = (await request.read()).decode()
        came.append(text)
        return web.Response(text=text.replace("Header>", "Echo>"), content_type="text/xml")

    outside = serve(answer)
    rondine.permit(outside.port)
    canary = "canary-header-0123456789"
    sign_in = {"type": "soap_header", "element": "AuthHeader", "namespace": "urn:old-permits", "secret_element": "Key"}
    name = rondine.sign_in("old-counter", outside.url, sign_in, {"secret": canary})
    office = rondine.office()
    kept = office.operations.get(counter["FindPermit"])["document"]
    document = {key: value for key, value in kept.items() if key != "came_from"}
    found = office.trials.send(service=name, document=document, inputs={"number": "P-1"})
    assert f'<AuthHeader xmlns="urn:old-permits"><Key>{canary}</Key></AuthHeader>' in came[0]
    assert found["call"]["status"] == 200 and "AuthHeader" in found["call"]["request"]
    assert leaks(rondine, [found, list(office.runs.calls(found["run"]))], canary) == []
