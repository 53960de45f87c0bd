"""Odd responses in trials and feeds: shown as they came, or failed with the cause; never "it worked" beside "cannot be
read"."""

import gzip
import json

import httpx
import pytest
from aiohttp import web

ROWS = b'[{"number": "OLM-1"}, {"number": "OLM-2"}]'


def head(*lines, status="200 OK"):
    return "\r\n".join([f"HTTP/1.1 {status}", "Content-Type: application/json", *lines, "", ""]).encode("latin-1")


def feed(office, service, name, document=None, rows="[*]"):
    office.operations.make(name, service=service, document=document or {"path": "/trees"})
    office.record_types.make(name, document={"fields": [{"name": "number", "type": "text"}], "key": ["number"]})
    output = {
        "record_type": name,
        "rows": [{"level": "tree", "at": rows}],
        "fields": [{"name": "number", "from": "number"}],
    }
    office.mappings.make(name, service=service, document={"outputs": [output]})
    office.feeds.make(name, operation=name, mapping=name, environment="test")


def test_headers_and_reasons_of_iso_8859_1_are_shown_and_kept(rondine, serve_raw):
    port = serve_raw(head("X-Note: caf\xe9", f"Content-Length: {len(ROWS)}", status="200 D\xe9j\xe0 vu") + ROWS)
    rondine.permit(port)
    office, service = rondine.office(), rondine.connect("latin", f"http://127.0.0.1:{port}")
    feed(office, service, "latin")
    trial = office.trials.send(service=service, operation="latin")
    assert trial["call"]["reason"] == "Déjà vu" and ["X-Note", "café"] in trial["call"]["headers"]
    assert rondine.finish("latin")["counts"][0]["created"] == 2


@pytest.mark.parametrize(
    ("name", "answer", "words"),
    [
        ("unasked-304", head(status="304 Not Modified"), "nothing has changed, which nobody asked"),
        ("packed-twice", None, "is compressed: it is gzip"),
        ("cut-off", head("Content-Encoding: gzip") + gzip.compress(ROWS, mtime=0)[:-4], "its gzip content has no end"),
        ("no-json", head() + b"the office is closed", "not JSON"),
    ],
)
def test_an_answer_that_cannot_be_what_it_says_fails_in_trials_and_feeds_alike(rondine, serve_raw, name, answer, words):
    twice = gzip.compress(gzip.compress(ROWS))
    port = serve_raw(answer or head("Content-Encoding: gzip", f"Content-Length: {len(twice)}") + twice)
    rondine.permit(port)
    office, service = rondine.office(), rondine.connect(name, f"http://127.0.0.1:{port}")
    feed(office, service, name)
    trial = office.trials.send(service=service, operation=name)
    told = json.dumps([trial["outcome"], trial["unreadable"], trial["call"]["error"]], ensure_ascii=False)
    assert words in told and not (trial["outcome"] and trial["outcome"]["is_good"])
    run = office.runs.get(trial["run"])
    assert run["state"] == "failed" and run["error"]["message"]
    run = rondine.finish(name)
    assert run["state"] == "failed" and words in run["error"]["message"], run["error"]


def test_content_under_a_wrong_media_type_is_told(rondine, serve):
    outside = serve(lambda request: web.Response(text="<trees><tree>1</tree></trees>", content_type="application/json"))
    rondine.permit(outside.port)
    service = rondine.connect("mislabelled", outside.url)
    trial = rondine.office().trials.send(service=service, document={"path": "/"})
    assert trial["format"] == "xml" and "its Content-Type says application/json, and it is XML" in trial["notes"]


def test_a_text_that_nobody_wants_as_a_structure_may_be_one(rondine, serve):
    outside = serve(lambda request: web.Response(text="the office is open"))
    rondine.permit(outside.port)
    office, service = rondine.office(), rondine.connect("plain-text", outside.url)
    assert office.trials.send(service=service, document={"path": "/"})["outcome"]["is_good"]
    wanted = {"path": "/", "response": {"rows": ["$[*]"]}}
    assert not office.trials.send(service=service, document=wanted)["outcome"]["is_good"]


def test_a_draft_that_was_never_saved_is_held_against_its_description(rondine, serve):
    outside = serve(lambda request: web.json_response({"number": 7}))
    rondine.permit(outside.port)
    office, service = rondine.office(), rondine.connect("draft-described", outside.url)
    schema = {"type": "object", "properties": {"number": {"type": "string"}}, "required": ["number", "girth"]}
    document = {"path": "/", "responses": [{"status": "200", "media_type": "application/json", "schema": schema}]}
    draft = office.trials.send(service=service, document=document)
    assert draft["described"] == "200" and {difference["where"] for difference in draft["differences"]} == {
        "$['number']",
        "$",
    }
    office.operations.make("draft-described", service=service, document=document)
    saved = office.trials.send(service=service, operation="draft-described")
    assert sorted(map(str, saved["differences"])) == sorted(map(str, draft["differences"]))
    changed = {**document, "responses": []}
    assert office.trials.send(service=service, operation="draft-described", document=changed)["described"] == ""


def test_a_wait_of_a_day_is_shown_believed_for_an_hour_and_lifted_by_an_operator(rondine, serve):
    answers = [web.Response(status=429, headers={"Retry-After": "86400"})]
    outside = serve(lambda request: answers.pop() if answers else web.json_response([]))
    rondine.permit(outside.port)
    office, service = rondine.office(), rondine.connect("day-off", outside.url)
    assert office.trials.send(service=service, document={"path": "/"})["call"]["status"] == 429
    held = office.connections.meter("day-off-test")
    assert 3500 < held["held_until"] - held["now"] <= 3600 and 86_000 < held["asked_until"] - held["now"] <= 86_400
    assert "60 minutes of it are believed" in held["held_why"]
    trial = office.trials.send(service=service, document={"path": "/"})
    assert trial["call"]["status"] is None and "asked to wait (Retry-After)" in trial["call"]["error"]["message"]
    assert "--lift" in trial["call"]["error"]["hint"]
    assert rondine.cli("connection", "wait", "day-off-test", "--as-asked", person="odo").returncode == 0
    held = office.connections.meter("day-off-test")
    assert held["held_until"] - held["now"] > 86_000 and held["asked_until"] is None
    assert rondine.cli("connection", "wait", "day-off-test", "--lift", person="vela", check=False).returncode == 1
    assert rondine.cli("connection", "wait", "day-off-test", "--lift", person="odo").returncode == 0
    assert office.connections.meter("day-off-test")["held_until"] is None
    assert office.trials.send(service=service, document={"path": "/"})["call"]["status"] == 200


def test_a_saved_response_has_the_name_that_the_service_gave_it(rondine, serve_raw):
    said = "Content-Disposition: attachment; filename=\"trees.json\"; filename*=UTF-8''B%C3%A4ume.json"
    port = serve_raw(head(said, f"Content-Length: {len(ROWS)}") + ROWS)
    rondine.permit(port)
    office, service = rondine.office(), rondine.connect("named-file", f"http://127.0.0.1:{port}")
    office.operations.make("named-file", service=service, document={"path": "/trees"})
    body = office.trials.send(service=service, operation="named-file")["body"]
    address = f"{rondine.url}/api/v1/projects/olmara/bodies/{body}/content"
    saved = httpx.get(address, headers={"Authorization": f"Bearer {rondine.token()}"})
    assert saved.content == ROWS
    assert saved.headers["content-disposition"] == "attachment; filename*=utf-8''B%C3%A4ume.json"
