"""A one-off request to an address, before there is a service; and service, connection and operation made of it."""

import json

import pytest
from aiohttp import web

from rondine_client import RondineProblem


@pytest.fixture
def outside(rondine, serve):
    async def trees(request):
        if request.path != "/v1/trees":
            return web.json_response({"message": "there is no such path"}, status=404)
        limit = int(request.query.get("limit", 3))
        return web.json_response(
            {"trees": [{"number": f"OLM-{n}", "by": request.headers.get("X-Who", "")} for n in range(limit)]}
        )

    found = serve(trees)
    rondine.permit(found.port)
    return found


DOCUMENT = {
    "path": "/v1/trees",
    "inputs": [{"name": "limit", "type": "integer"}],
    "query": [{"name": "limit", "value": {"input": "limit"}}],
    "headers": [{"name": "X-Who", "value": "tree office"}],
}


def test_a_one_off_is_sent_without_a_service_and_shown_before(rondine, outside):
    office = rondine.office()
    before = {service["name"] for service in office.services}
    found = office.trials.send_once(outside.url, DOCUMENT, inputs={"limit": 2})
    assert found["outcome"]["is_good"] and found["row_choices"][0] == {
        "path": "$.trees[*]",
        "count": 2,
        "holds": "object",
    }
    run = office.runs.get(found["run"])
    assert (run["kind"], run["operation"], run["inputs"]) == ("trial", None, {"limit": 2})
    assert {service["name"] for service in office.services} == before


def test_a_one_off_is_kept_as_service_connection_and_operation_and_answers_the_same(rondine, outside):
    office = rondine.office()
    found = office.trials.send_once(outside.url, DOCUMENT, inputs={"limit": 2})
    made = office.trials.keep(found["run"], "kept-register", service_title="Register")
    assert (
        made["connection"] == "kept-register-test" and office.runs.get(found["run"])["operation"] == made["operation"]
    )
    assert office.operations.get(made["operation"])["title"] == "List trees"
    again = office.trials.send(service="kept-register", operation=made["operation"], inputs={"limit": 2})
    assert office.bodies.content(again["body"]) == office.bodies.content(found["body"])
    assert again["call"]["request"] == found["call"]["request"]


def test_a_second_one_off_joins_the_service_only_if_it_leads_to_the_same_address(rondine, outside):
    office = rondine.office()
    first = office.trials.send_once(outside.url, DOCUMENT)
    office.trials.keep(first["run"], "joined", operation="joined-first")
    second = office.trials.send_once(f"{outside.url}/", {"path": "/v1/trees"})
    made = office.trials.keep(second["run"], "joined", operation="joined-second")
    assert made["connection"] == "joined-test"
    with pytest.raises(RondineProblem, match="of this service leads to") as problem:
        office.trials.keep(first["run"], "joined", base_address="https://elsewhere.example")
    assert problem.value.where == "/service"


def test_what_a_person_changed_since_the_trial_is_what_is_kept(rondine, outside):
    office = rondine.office()
    found = office.trials.send_once(outside.url, DOCUMENT)
    changed = {**DOCUMENT, "headers": []}
    made = office.trials.keep(
        found["run"], "kept-changed", document=changed, title="All trees", operation="all-of-them"
    )
    held = office.operations.get(made["operation"])
    assert (held["title"], held["document"].get("headers")) == ("All trees", None)


@pytest.mark.parametrize(
    ("base", "words", "where"),
    [
        ("", "neither a service nor a base address", "/base_address"),
        ("https://{region}.example", "waits for region", "/base_address"),
        ("ftp://register.example", "cannot be called", "/base_address"),
        ("https://not-permitted.example", "not-permitted.example", ""),
    ],
)
def test_an_address_that_may_not_be_called_is_refused_and_nothing_is_kept(rondine, base, words, where):
    office = rondine.office()
    with pytest.raises(RondineProblem, match=words) as problem:
        office.trials.send_once(base, DOCUMENT)
    assert where in problem.value.where


def test_keeping_needs_a_one_off_and_the_right_to_build(rondine, outside):
    office = rondine.office()
    service = rondine.connect("not-one-off")
    usual = office.trials.send(service=service, document={"path": "/v1/trees"})
    with pytest.raises(RondineProblem, match="not a one-off trial"):
        office.trials.keep(usual["run"], "another")
    with pytest.raises(RondineProblem, match="is not there"):
        office.trials.keep(999_999, "another")
    found = office.trials.send_once(outside.url, DOCUMENT)
    with pytest.raises(RondineProblem):
        rondine.office("vela").trials.keep(found["run"], "another")
    with pytest.raises(RondineProblem, match="is not a name"):
        office.trials.keep(found["run"], "Not a name")
    assert not any(one["name"] == "another" for one in office.services)


def test_the_whole_way_on_the_command_line(rondine, outside, tmp_path):
    text = tmp_path / "request.http"
    text.write_text(f"GET {outside.url}/v1/trees?limit=1 HTTP/1.1\nX-Who: from a file\n")
    shown = json.loads(rondine.cli("trial", "send", "--file", str(text)).stdout)
    assert (
        shown["call"]["request"].startswith("GET /v1/trees?limit=1 HTTP/1.1") and shown["row_choices"][0]["count"] == 1
    )
    refused = rondine.cli("trial", "send", f"{outside.url}/v1/shrubs", check=False)
    assert refused.returncode == 1 and "there is no such path" in refused.stdout
    kept = rondine.cli("trial", "keep", str(shown["run"]), "--service", "cli-one-off", "--operation", "cli-trees")
    assert json.loads(kept.stdout)["connection"] == "cli-one-off-test"
    tried = json.loads(rondine.cli("operation", "try", "cli-trees").stdout)
    assert tried["row_choices"][0]["count"] == 1  # with the values that were pasted
    tried = json.loads(rondine.cli("operation", "try", "cli-trees", "--only-given").stdout)
    assert tried["row_choices"][0]["count"] == 3
