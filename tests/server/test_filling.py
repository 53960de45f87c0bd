"""The sending side: a kept record fills the inputs of an operation, and each value of the request says where it came
from."""

import json

import pytest
from aiohttp import web

from rondine_client import RondineProblem

CARE = {
    "method": "POST",
    "path": "/trees/{number}/care",
    "inputs": [
        {"name": "number", "required": True},
        {
            "name": "height_cm",
            "type": "integer",
            "field": "girth",
            "convert": [{"type": "arithmetic", "multiply": "100"}],
        },
        {"name": "planted", "field": "planted", "convert": [{"type": "substring", "length": 4}]},
        {"name": "note", "default": "looked at"},
        {"name": "by", "default": {"standing": "filling_by"}},
    ],
    "body": {
        "type": "json",
        "members": [
            {"at": "/tree", "value": {"input": "number"}},
            {"at": "/measures/girth_cm", "value": {"input": "height_cm"}},
            {"at": "/year", "value": {"input": "planted"}},
            {"at": "/note", "value": {"input": "note"}},
            {"at": "/by", "value": {"input": "by"}},
        ],
    },
}


@pytest.fixture(scope="module")
def trees(rondine):
    """Three kept trees, and an operation that sends one back."""
    from tests.conftest import OutsideService

    rows = [{"number": f"OLM-{at}", "girth": at / 4, "planted": "1973-04-16"} for at in (1, 2, 3)]

    async def answer(request):
        return web.json_response({"trees": rows} if request.method == "GET" else await request.json())

    outside = OutsideService(answer)
    rondine.permit(outside.port)
    name = rondine.feed("filling", "/", parameter="", service=rondine.connect("filling", outside.url))
    rondine.finish(name)
    office = rondine.office()
    office.standing_values.make("filling_by", document={"values": {"test": "Mira"}})
    office.operations.make("filling-care", service="filling", document=CARE)
    yield name
    outside.close()


def test_a_record_fills_inputs_and_the_body_is_shown_against_its_fields(rondine, trees):
    record = {"record_type": trees, "key": ["OLM-3"]}
    shown = rondine.office().trials.show_request(service="filling", operation="filling-care", record=record)
    assert shown["problems"] == []
    body = json.loads(shown["text"].partition("\n\n")[2])
    assert body == {"tree": "OLM-3", "measures": {"girth_cm": 75}, "year": "1973", "note": "looked at", "by": "Mira"}
    sources = {(origin["place"], origin["name"]): origin["source"] for origin in shown["origins"]}
    assert sources["path", "number"] == sources["body", "number"] == f"field number of {trees} OLM-3"
    assert sources["body", "height_cm"] == f"field girth of {trees} OLM-3"
    assert sources["body", "note"] == "default note" and sources["header", "Accept"] == "Rondine"


def test_what_is_given_goes_before_the_record_and_the_request_is_sent(rondine, trees):
    found = rondine.office().trials.send(
        service="filling",
        operation="filling-care",
        inputs={"note": "by hand", "number": "OLM-9"},
        record={"record_type": trees, "key": ["OLM-2"]},
        confirmed=True,
    )
    echoed = json.loads(rondine.office().bodies.content(found["body"]))
    assert (echoed["tree"], echoed["note"], echoed["measures"]["girth_cm"]) == ("OLM-9", "by hand", 50)


@pytest.mark.parametrize(
    ("record", "inputs", "said"),
    [
        ({"record_type": "filling", "key": ["OLM-99"]}, CARE["inputs"], "there is no record OLM-99"),
        ({"record_type": "no-such", "key": ["1"]}, CARE["inputs"], 'there is no record type "no-such"'),
        ({"record_type": "filling", "key": ["OLM-1"]}, [{"name": "number"}, {"name": "a", "field": "grith"}],
        'no field "grith"'),
        ({"record_type": "filling", "key": ["OLM-1"]}, [{"name": "street"}], "no field that an input takes"),
    ],
)  # fmt: skip
def test_a_record_that_does_not_fit_says_why(rondine, trees, record, inputs, said):
    document = {"path": "/trees", "inputs": inputs}
    with pytest.raises(RondineProblem, match=said):
        rondine.office().trials.show_request(service="filling", document=document, record=record)


def test_the_command_shows_the_request_with_the_origin_of_each_value(rondine, trees):
    shown = json.loads(
        rondine.cli("operation", "request", "filling-care", "--record", f"{trees}/OLM-1", "--input", "note=x").stdout
    )
    assert {origin["source"] for origin in shown["origins"] if origin["name"] == "note"} == {"input note"}
    assert any(origin["source"] == f"field girth of {trees} OLM-1" for origin in shown["origins"])
    wrong = rondine.cli("operation", "request", "filling-care", "--record", trees, check=False)
    assert wrong.returncode == 2 and "TYPE/KEY" in wrong.stderr
