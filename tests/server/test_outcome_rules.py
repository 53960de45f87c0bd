"""An operation's own rules for its outcomes, in trials and feeds: nothing found is not a failure, and a failure with
status 200 is one."""

import pytest
from aiohttp import web


@pytest.fixture
def counter(rondine, serve):
    answers = {
        "none": (404, {"message": "no such tree"}),
        "empty": (200, {"trees": []}),
        "closed": (200, {"state": "error", "why": "the counter is closed", "trees": [{"number": "OLM-9"}]}),
        "told": (200, {"error": {"code": "7", "message": "no such collection"}}),
        "some": (200, {"state": "ok", "trees": [{"number": "OLM-1"}, {"number": "OLM-2"}]}),
    }

    async def answer(request):
        if request.query["q"] == "page":
            return web.Response(text="<p>The counter is closed today</p>", content_type="text/html")
        status, body = answers[request.query["q"]]
        return web.json_response(body, status=status)

    outside = serve(answer)
    rondine.permit(outside.port)
    return outside


DOCUMENT = {
    "path": "/trees",
    "inputs": [{"name": "q", "required": True}],
    "query": [{"name": "q", "value": {"input": "q"}}],
    "outcomes": {
        "nothing_found": {"statuses": [404], "empty": "trees"},
        "failures": [{"when": [{"from": "state", "value": "error"}], "message": "why"}, {"text": "is closed today"}],
    },
}


def test_each_outcome_of_a_trial_is_told_apart(rondine, counter):
    office, service = rondine.office(), rondine.connect("outcome-trials", counter.url)
    found = {
        q: office.trials.send(service=service, document=DOCUMENT, inputs={"q": q})
        for q in ("none", "empty", "closed", "told", "page", "some")
    }
    assert {q: one["outcome"]["kind"] for q, one in found.items()} == {
        "none": "nothing_found", "empty": "nothing_found", "closed": "failure", "told": "failure", "page": "failure",
        "some": "good",
    }  # fmt: skip
    assert found["closed"]["outcome"]["message"] == "the counter is closed"
    assert found["told"]["outcome"]["message"] == "no such collection"
    assert found["page"]["outcome"]["message"] == "<p>The counter is closed today</p>"
    assert office.runs.get(found["none"]["run"])["state"] == "done"
    plain = {key: value for key, value in DOCUMENT.items() if key != "outcomes"}
    usual = office.trials.send(service=service, document=plain, inputs={"q": "none"})
    assert usual["outcome"]["kind"] == "failure" and usual["outcome"]["message"] == "no such tree"


def test_a_feed_that_finds_nothing_ends_well_and_one_that_is_told_of_a_failure_fails(rondine, counter):
    office, service = rondine.office(), rondine.connect("outcome-feeds", counter.url)
    office.operations.make("outcome-trees", service=service, document=DOCUMENT)
    body = office.trials.send(service=service, operation="outcome-trees", inputs={"q": "some"})["body"]
    made = office.mappings.propose(body, rows=["$.trees[*]"], name="outcome-tree")
    office.record_types.make("outcome-tree", document=made["record_type"])
    office.mappings.make("outcome-tree", service=service, document=made["mapping"])
    office.feeds.make(
        "outcome-tree",
        operation="outcome-trees",
        mapping="outcome-tree",
        environment="test",
        document={"inputs": {"q": "some"}},
    )
    assert rondine.finish("outcome-tree")["counts"][0]["created"] == 2
    for q in ("none", "empty"):
        run = rondine.watch(office.feeds.run("outcome-tree", {"q": q})["id"])
        assert (run["state"], run["counts"][0]["rows"], run["error"]) == ("done", 0, None)
    run = rondine.watch(office.feeds.run("outcome-tree", {"q": "closed"})["id"])
    assert run["state"] == "failed" and "the counter is closed" in run["error"]["message"]
    for q, message in (("told", "no such collection"), ("page", "<p>The counter is closed today</p>")):
        run = rondine.watch(office.feeds.run("outcome-tree", {"q": q})["id"])
        assert run["state"] == "failed" and message in run["error"]["message"], run
    assert {one["data"]["number"] for one in office.records.search("test", "outcome-tree")} == {"OLM-1", "OLM-2"}


def test_the_rules_are_shown_on_the_command_line(rondine, counter):
    office, service = rondine.office(), rondine.connect("outcome-cli", counter.url)
    office.operations.make("outcome-cli", service=service, document=DOCUMENT)
    assert rondine.cli("operation", "try", "outcome-cli", "--input", "q=none").returncode == 0
    assert rondine.cli("operation", "try", "outcome-cli", "--input", "q=closed", check=False).returncode == 1
