"""Bodies from samples on the command line, sent for real."""

import json

from aiohttp import web


def test_a_body_is_made_from_a_sample_and_sent_with_its_values(rondine, serve, tmp_path):
    async def told(request):
        return web.json_response({"type": request.content_type, "body": (await request.read()).decode()})

    outside = serve(told)
    rondine.permit(outside.port)
    service = rondine.connect("bodies", outside.url)
    rondine.office().operations.make(
        "report-care-by-hand", service=service, document={"method": "POST", "path": "/care"}
    )
    sample = tmp_path / "sample.json"
    sample.write_text('{"tree": "OLM-1", "work": ["crown"], "crew": {"size": 3}}')
    made = json.loads(rondine.cli("operation", "body", "report-care-by-hand", "--sample", str(sample)).stdout)
    tried = ["operation", "try", "report-care-by-hand", "--confirm", "--body"]
    as_sampled = json.loads(rondine.cli(*tried).stdout)  # with the values of the sample, as on the bench
    assert json.loads(as_sampled["body"]) == {"tree": "OLM-1", "work": ["crown"], "crew": {"size": 3}}
    assert "none of its 3 inputs has a value" in rondine.cli(*tried, "--only-given", check=False).stderr
    assert [one["name"] for one in made["document"]["inputs"]] == ["tree", "work", "crew_size"]
    words = [
        "operation",
        "try",
        "report-care-by-hand",
        "--confirm",
        "--body",
        "--input",
        "tree=OLM-2",
        "--input",
        "crew_size=4",
    ]
    sent = json.loads(rondine.cli(*words, "--input", 'work=["roots"]').stdout)
    assert (sent["type"], json.loads(sent["body"])) == (
        "application/json",
        {"tree": "OLM-2", "work": ["roots"], "crew": {"size": 4}},
    )
    rondine.cli(
        "operation",
        "body",
        "report-care-by-hand",
        "--sample",
        "-",
        stdin='<c:care xmlns:c="urn:c"><c:tree>OLM-1</c:tree></c:care>',
    )
    sent = json.loads(
        rondine.cli("operation", "try", "report-care-by-hand", "--confirm", "--body", "--input", "tree=A & B").stdout
    )
    assert sent["type"] == "application/xml" and "<c:tree>A &amp; B</c:tree>" in sent["body"]
    broken = rondine.cli("operation", "body", "report-care-by-hand", "--sample", "-", stdin='{"tree": ', check=False)
    assert broken.returncode == 1 and "line 1" in broken.stderr


def test_another_of_the_bodies_that_a_definition_offers_is_chosen_and_sent(rondine, serve, tmp_path):
    async def told(request):
        return web.json_response({"type": request.content_type, "body": (await request.read()).decode()})

    outside = serve(told)
    rondine.permit(outside.port)
    member = {"schema": {"type": "object", "required": ["tree"], "properties": {"tree": {"type": "string"}}}}
    content = {"application/json": member, "application/x-www-form-urlencoded": member}
    definition = tmp_path / "cases.json"
    definition.write_text(
        json.dumps(
            {
                "openapi": "3.1.0",
                "info": {"title": "Told cases", "version": "1"},
                "servers": [{"url": outside.url}],
                "paths": {"/cases": {"post": {"operationId": "tellCase", "requestBody": {"content": content},
                "responses": {}}}},
            }
        )
    )  # fmt: skip
    rondine.cli("definition", "import", str(definition), "--service", "told-cases")
    shown = json.loads(rondine.cli("operation", "body", "tell-case").stdout)
    assert (shown["body"]["type"], shown["others"]) == ("json", ["application/x-www-form-urlencoded"])
    words = ("operation", "try", "tell-case", "--confirm", "--body")
    assert json.loads(rondine.cli(*words, "--input", "tree=OLM-2").stdout)["body"] == '{"tree":"OLM-2"}'
    nothing = rondine.cli(*words, check=False)
    assert nothing.returncode == 1 and "its input has no value" in nothing.stderr and "--empty" in nothing.stderr
    assert json.loads(rondine.cli(*words, "--empty").stdout)["body"] == ""
    rondine.cli("operation", "body", "tell-case", "application/x-www-form-urlencoded")
    sent = json.loads(rondine.cli(*words, "--input", "tree=OLM-2").stdout)
    assert sent == {"type": "application/x-www-form-urlencoded", "body": "tree=OLM-2"}
    wrong = rondine.cli("operation", "body", "tell-case", "application/jso", check=False)
    assert wrong.returncode == 1 and "application/json" in wrong.stderr
