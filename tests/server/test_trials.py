"""Trying operations from the draft: what is sent, what comes back, and every failure in words."""

import asyncio
import json

import pytest
from aiohttp import web

from rondine_client import RondineProblem


@pytest.fixture
def register(rondine):
    yield rondine
    rondine.control()


@pytest.fixture(scope="module")
def service(rondine):
    return rondine.connect("tried")


TREES = {
    "path": "/v1/trees",
    "inputs": [{"name": "district"}, {"name": "limit", "type": "integer", "default": 5}],
    "query": [{"name": "limit", "value": {"input": "limit"}}, {"name": "district", "value": {"input": "district"}}],
}


def test_a_trial_shows_the_request_and_what_came_back(register, service):
    office = register.office()
    found = office.trials.send(service=service, document=TREES, inputs={"district": "Vigna Vecchia"})
    call = found["call"]
    assert call["request"].startswith("GET /v1/trees?limit=5&district=Vigna%20Vecchia HTTP/1.1")
    assert "X-Register-Key: ••••••• tried-key" in call["request"]
    assert (call["status"], found["outcome"]["is_good"], found["row_choices"][0]["path"]) == (200, True, "$.trees[*]")
    assert call["size"] == len(office.bodies.content(found["body"])) > 0
    assert found["paging"][0]["paging"] == {"type": "link_header"}
    assert (
        office.trials.show_request(service=service, document=TREES, inputs={"district": "Vigna Vecchia"})["text"]
        == call["request"]
    )


def test_nothing_is_sent_by_showing_a_request_or_by_wrong_inputs(register, service, serve):
    outside = serve(lambda request: web.json_response({}))
    register.permit(outside.port)
    quiet = register.connect("quiet", outside.url)
    office = register.office()
    shown = office.trials.show_request(service=quiet, document=TREES, inputs={"distict": "x", "limit": "many"})
    assert {problem["where"] for problem in shown["problems"]} == {"/distict", "/limit"}
    with pytest.raises(RondineProblem) as raised:
        office.trials.send(service=quiet, document=TREES, inputs={"distict": "x"})
    assert raised.value.hint == 'did you mean "district"?'
    with pytest.raises(RondineProblem) as raised:
        office.trials.send(service=quiet, document={"method": "POST", "path": "/t"})
    assert raised.value.code == "conflict"
    assert outside.calls == []
    assert (
        office.trials.send(service=quiet, document={"method": "POST", "path": "/t"}, confirmed=True)["call"]["status"]
        == 200
    )
    assert len(outside.calls) == 1


@pytest.mark.parametrize(
    ("control", "path", "status", "words", "message"),
    [
        ({"status": 401}, "/v1/trees", 401, "does not accept the sign-in", "told to answer 401"),
        ({}, "/v1/trees/OLM-99999", 404, "nothing at this address", "the register has no tree OLM-99999"),
        ({"status": 429}, "/v1/trees", 429, "too many calls", "told to answer 429"),
        ({"status": 500}, "/v1/trees", 500, "failed on its side", "told to answer 500"),
        ({}, "/v1/trees?limit=x", 422, "not its values", 'limit is "x", not a number'),
    ],
)
def test_a_bad_status_is_told_in_words_with_what_to_do(register, service, control, path, status, words, message):
    register.control(**control)
    found = register.office().trials.send(
        service=service,
        document={"path": path.partition("?")[0], "query": [{"name": "limit", "value": "x"}] if "?" in path else []},
    )
    assert (found["call"]["status"], found["outcome"]["is_good"]) == (status, False)
    assert words in found["outcome"]["words"] and message in found["outcome"]["message"] and found["outcome"]["hint"]


def test_a_response_that_is_not_json_is_shown_as_text_with_the_place(register, service):
    register.control(garbage=True)
    found = register.office().trials.send(service=service, document={"path": "/v1/trees"})
    assert "line 1, column 1" in found["unreadable"] and "page of HTML" in found["unreadable"]
    assert "being repaired" in register.office().bodies.text(found["body"])["text"]


@pytest.mark.parametrize(
    ("control", "code", "words"),
    [
        ({"delay": 3}, "service_too_slow", "took longer than 0.3 s"),
        ({"drop": True}, "service_failed", "without a response"),
    ],
)
def test_no_response_is_told_in_words(register, control, code, words):
    name = register.connect(
        f"impatient-{code.replace('_', '-')}",
        register.register_url,
        key=register.key,
        sign_in={"type": "api_key", "name": "X-Register-Key"},
        time_outs={"first_byte": 0.3},
    )
    register.control(**control)
    found = register.office().trials.send(service=name, document={"path": "/v1/trees"})
    assert found["outcome"] is None
    assert (found["call"]["error"]["code"], found["call"]["status"]) == (code, None)
    assert words in found["call"]["error"]["message"] and found["call"]["error"]["hint"]


def test_a_refused_connection_and_a_host_that_is_not_permitted_differ(register):
    register.permit(1)
    found = register.office().trials.send(
        service=register.connect("closed", "http://127.0.0.1:1"), document={"path": "/"}
    )
    assert found["call"]["error"]["code"] == "unreachable" and "refused" in found["call"]["error"]["message"]
    with pytest.raises(RondineProblem) as raised:
        register.office().trials.send(
            service=register.connect("forbidden", "http://127.0.0.1:2"), document={"path": "/"}
        )
    assert (raised.value.code, raised.value.status) == ("host_not_permitted", 403)
    assert "rondine host permit 127.0.0.1 --port 2" in raised.value.hint


def test_a_connection_says_whether_it_works(register):
    office = register.office()
    register.connect("checked")
    assert office.connections.check("checked-test")["works"]
    office.credentials.set_secrets("checked-key", key="wrong")
    found = office.connections.check("checked-test")
    assert not found["works"] and "not a key we gave out" in found["steps"][-1]["words"]
    assert office.connections.get("checked-test")["check_result"]["works"] is False


def test_one_address_serves_all_operations_of_a_service_and_changes_for_all(register, serve):
    outside = serve(lambda request: web.json_response([]))
    register.permit(outside.port)
    name = register.connect("moves", "http://127.0.0.1:1")
    office = register.office()
    item = office.connections.get("moves-test")
    office.connections.change("moves-test", version=item["version"], document={"base_address": f"{outside.url}/base"})
    for path in ("/a", "/b"):
        office.trials.send(service=name, document={"path": path})
    assert [call[0] for call in outside.calls] == ["/base/a", "/base/b"]
    assert "X-Register-Key" not in outside.calls[0][1]


def test_a_status_without_content_is_no_error(register, serve):
    outside = serve(lambda request: web.Response(status=204))
    register.permit(outside.port)
    found = register.office().trials.send(service=register.connect("silent", outside.url), document={"path": "/"})
    assert (found["call"]["status"], found["outcome"]["is_good"], found["body"], found["call"]["size"]) == (
        204,
        True,
        None,
        0,
    )


def test_trials_wait_without_holding_up_others(register, serve):
    async def slow(request):
        await asyncio.sleep(1.5)
        return web.json_response({})

    from concurrent.futures import ThreadPoolExecutor
    from time import monotonic

    outside = serve(slow)
    register.permit(outside.port)
    name = register.connect("waiting", outside.url, time_outs={"connect": 30})
    began = monotonic()
    with ThreadPoolExecutor(40) as pool:
        found = list(pool.map(lambda _: register.office().trials.send(service=name, document={"path": "/"}), range(40)))
    assert all(one["call"]["status"] == 200 for one in found)
    assert monotonic() - began < 15  # one after another they would take 30 s


def test_a_sample_is_kept_or_pasted_and_its_schema_read(register, service):
    office = register.office()
    trial = office.trials.send(service=service, document=TREES)
    kept = office.samples.keep("kept-trees", run=trial["run"])
    assert office.bodies.content(kept["body"]) == office.bodies.content(trial["body"])
    pasted = office.samples.keep(
        "pasted-tree", text='{"trees": [{"number": "OLM-1", "girth": 2}, {"number": "OLM-2", "girth": 2.5}]}'
    )
    lines = {line["path"]: line for line in office.bodies.outline(pasted["body"])["lines"]}
    assert lines["$.trees[*].girth"]["type"] == "decimal"
    tree = office.bodies.tree(pasted["body"], depth=4)
    assert [(node["pointer"], node["text"]) for node in tree["nodes"] if node["text"]][:2] == [
        ("/trees/0/number", '"OLM-1"'),
        ("/trees/0/girth", "2"),
    ]
    with pytest.raises(RondineProblem) as raised:
        office.samples.keep("broken", text='{"trees": [\n{"number": 1}')
    assert raised.value.where == "the sample, line 2, column 14"


def test_a_name_that_stands_twice_in_an_object_is_told(register, serve):
    outside = serve(
        lambda request: web.Response(text='{"tree": {"girth": 1, "girth": 2}}', content_type="application/json")
    )
    register.permit(outside.port)
    found = register.office().trials.send(service=register.connect("twice", outside.url), document={"path": "/"})
    assert found["notes"] == ['"girth" is duplicated in one object: the last of them counts']


def test_a_sample_of_50_megabytes_is_taken_or_refused_in_words(register):
    office = register.office()
    kept = office.samples.keep("large-one", text="[" + ",".join(['"' + "x" * 990 + '"'] * 50_000) + "]")
    assert office.bodies.tree(kept["body"], limit=1)["count"] == 50_000
    with pytest.raises(RondineProblem) as raised:
        office.samples.keep("too-large", text='"' + "x" * (70 * 1024 * 1024) + '"')
    assert raised.value.status in (400, 413) and raised.value.hint


def test_a_401_without_any_sign_in_says_where_to_choose_one(register):
    office = register.office()
    once = office.trials.send_once(register.register_url, {"path": "/v1/trees"})["outcome"]
    assert "a one-off has none" in once["words"] and "keep it as a service" in once["hint"]
    bare = register.connect("signs-in-with-nothing", register.register_url)
    found = office.trials.send(service=bare, document={"path": "/v1/trees"})["outcome"]
    assert "the connection has none" in found["words"] and "--sign-in" in found["hint"]
    wrong = register.connect("signs-in-wrongly", key="not-the-key-of-the-office")
    found = office.trials.send(service=wrong, document={"path": "/v1/trees"})["outcome"]
    assert found["words"] == "the service does not accept the sign-in"


def test_a_run_says_the_same_of_a_401_without_any_sign_in(register):
    office = register.office()
    name = register.feed("asks-without-key", "/v1/trees", paging={"type": "link_header"})
    held = office.connections.get(f"{name}-test")
    bare = {**held["document"], "sign_in": {"type": "none"}}
    office.connections.change(held["name"], version=held["version"], document=bare)
    run = register.finish(name)
    assert run["state"] == "failed" and "the connection has none" in run["error"]["message"]
    assert "--sign-in" in run["error"]["hint"]


def test_objects_of_several_kinds_are_told_apart_in_an_outline(register):
    rows = [{"kind": "oak", "acorns": 3}, {"kind": "lime", "flowers": 9}] * 5
    (line,) = [
        one
        for one in register.office().readings.outline(("rows.json", json.dumps(rows).encode(), "application/json"))[
            "lines"
        ]
        if one["alternatives"]
    ]
    assert line["alternatives"] == {
        "field": "kind",
        "values": [{"value": "oak", "members": ["acorns"]}, {"value": "lime", "members": ["flowers"]}],
    }
