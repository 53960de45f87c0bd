"""Conditional requests (RFC 9110, section 13): a version that is there already is not sent again, and that is no
failure."""

import pytest
from aiohttp import web

ROWS = [{"number": "OLM-1"}, {"number": "OLM-2"}]
DOCUMENT = {
    "path": "/trees",
    "inputs": [{"name": "if_none_match"}],
    "headers": [{"name": "If-None-Match", "value": {"input": "if_none_match"}}],
}


@pytest.fixture
def trees(rondine, serve):
    async def answer(request):
        if request.headers.get("If-None-Match") == '"v1"':
            return web.Response(status=304, headers={"ETag": '"v1"'})
        return web.json_response(ROWS, headers={"ETag": '"v1"'})

    outside = serve(answer)
    rondine.permit(outside.port)
    return outside


def test_an_unchanged_version_is_an_outcome_of_its_own(rondine, trees):
    office = rondine.office()
    service = rondine.connect("conditional", trees.url)
    whole = office.trials.send(service=service, document=DOCUMENT)
    assert whole["row_choices"][0]["count"] == 2
    same = office.trials.send(service=service, document=DOCUMENT, inputs={"if_none_match": '"v1"'})
    assert (same["call"]["status"], same["outcome"]["is_good"], same["body"]) == (304, True, None)
    assert "nothing has changed" in same["outcome"]["words"]
    assert office.runs.get(same["run"])["state"] == "done"


def test_a_feed_that_is_told_that_nothing_has_changed_ends_well_and_keeps_what_is_there(rondine, trees):
    office = rondine.office()
    service = rondine.connect("conditional-feed", trees.url)
    office.operations.make("conditional-trees", service=service, document=DOCUMENT)
    body = office.trials.send(service=service, operation="conditional-trees")["body"]
    made = office.mappings.propose(body, rows=["$[*]"], name="conditional-tree")
    office.record_types.make("conditional-tree", document=made["record_type"])
    office.mappings.make("conditional-tree", service=service, document=made["mapping"])
    office.feeds.make("conditional-tree", operation="conditional-trees", mapping="conditional-tree", environment="test")
    first = rondine.finish("conditional-tree")
    assert (first["completeness"], first["counts"][0]["created"]) == ("unknown", 2)
    again = rondine.watch(office.feeds.run("conditional-tree", {"if_none_match": '"v1"'})["id"])
    assert (again["state"], again["completeness"], again["counts"][0]["rows"]) == ("done", "unknown", 0)
    assert "nothing has changed" in again["ending"]
    assert len(list(office.records.search("test", "conditional-tree"))) == 2
