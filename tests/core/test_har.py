"""Recorded sessions: requests of the service grouped into operations, everything else and every secret left out."""

import json

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from msgspec import UNSET

from rondine.core.definitions import Files, fit_to_keep, read_definition
from rondine.core.errors import DocumentError, RondineError
from rondine.core.operations.document import GraphQLBody
from rondine.core.operations.inputs import checked_inputs
from rondine.core.pagination import PageNumber
from rondine.core.protocols.body_choice import with_body_as
from rondine.core.protocols.problems import operation_problems
from rondine.core.protocols.rest import build_request
from rondine.core.settings import dump

SECRET = "k9Canary7Zx4Qw8Er2Ty6Ui"
BASE = "https://register.example"


def entry(
    url,
    *,
    method="GET",
    headers=(),
    post=None,
    media="application/json",
    status=200,
    answer=None,
    mime="application/json",
):
    request = {
        "method": method,
        "url": url,
        "headers": [{"name": name, "value": value} for name, value in headers],
        "cookies": [{"name": "sid", "value": SECRET}],
    }
    if post is not None:
        request["postData"] = {"mimeType": mime, "text": post}
    text = answer if isinstance(answer, str) else json.dumps(answer)
    return {"request": request, "response": {"status": status, "content": {"mimeType": media, "text": text}}}


SIGNED = [
    ("Authorization", f"Bearer {SECRET}"),
    ("X-Register-Key", SECRET),
    ("User-Agent", "b"),
    ("X-Office", "trees"),
    ("Cookie", f"sid={SECRET}"),
]
ENTRIES = [
    entry(f"{BASE}/", media="text/html", answer="<html>"),
    entry(f"{BASE}/assets/app.js", media="application/javascript", answer="1"),
    entry("https://counter.example/hit?id=7", answer={}),
    entry(f"{BASE}/v1/trees?district=Orti&limit=5", headers=SIGNED, answer={"trees": [{"number": "OLM-00007",
    "girth": 2}], "token": SECRET}),
    entry(f"{BASE}/v1/trees?district=Mulini&limit=5", headers=SIGNED, answer={"trees": [{"number": "OLM-00008",
    "girth": 1.5}]}),
    entry(f"{BASE}/v1/trees/OLM-00007?api_key={SECRET}", headers=SIGNED, answer={"number": "OLM-00007"}),
    entry(f"{BASE}/v1/trees/OLM-00008", answer={"error": {"message": "no"}}, status=404),
    entry(f"{BASE}/v1/trees/OLM-00007/care", method="POST", post=json.dumps({"work": "pruned",
    "crew": {"name": "West"}, "password": SECRET}), status=201, answer={"id": 7}),
    entry(f"{BASE}/v1/session", method="POST", mime="application/x-www-form-urlencoded",
    post=f"user=mira&password={SECRET}", answer={"access_token": SECRET}),
    entry(f"{BASE}/graphql", method="POST",
    post=json.dumps({"query": "query Some($id: ID) { inspection(id: $id) { grade } }", "operationName": "Some",
    "variables": {"id": "I-1"}}), answer={"data": {}}),
    entry(f"{BASE}/graphql", method="POST", post=json.dumps({"query": "mutation Other { withdraw }"}),
    answer={"data": {}}),
    entry(f"{BASE}/v1/trees", method="OPTIONS", answer=""),
    entry(f"{BASE}/old", status=302, answer=""),
]  # fmt: skip


def read(*entries):
    content = fit_to_keep(
        json.dumps({"log": {"version": "1.2", "creator": {"name": "b"}, "entries": list(entries)}}).encode()
    )
    assert SECRET.encode() not in content
    return read_definition(Files("session.har", {"session.har": content}))


def test_requests_are_grouped_by_template_and_everything_else_is_passed_over():
    found = read(*ENTRIES)
    keys = {operation.key: operation for operation in found.operations}
    assert set(keys) == {
        "GET /v1/trees", "GET /v1/trees/{tree}", "POST /v1/trees/{tree}/care", "POST /v1/session",
        "POST /graphql#Some", "POST /graphql#Other",
    }  # fmt: skip
    assert found.servers[0].address == BASE and "counter.example" in found.left_out[0].message
    trees = keys["GET /v1/trees"].document
    assert {one.name: (one.type, dump(one).get("default"), dump(one).get("try_value")) for one in trees.inputs} == {
        "district": ("text", None, "Orti"), "limit": ("integer", 5, 5), "X_Office": ("text", "trees", "trees"),
    }  # fmt: skip
    assert trees.responses[0].schema["properties"]["trees"]["items"]["properties"]["girth"]["type"] == "number"
    assert [response.status for response in keys["GET /v1/trees/{tree}"].document.responses] == ["200", "404"]
    report = keys["POST /v1/trees/{tree}/care"].document
    values = {one["name"]: one["try_value"] for one in dump(report.inputs) if "try_value" in one}
    assert values == {"tree": "OLM-00007", "work": "pruned", "crew_name": "West"}
    assert json.loads(build_request(report, BASE, checked_inputs(report.inputs, values)).request.body) == {
        "work": "pruned",
        "crew": {"name": "West"},
    }
    assert all(operation_problems(operation.document) == [] for operation in found.operations)
    body = keys["POST /graphql#Other"].document.body
    assert isinstance(body, GraphQLBody) and body.kind == "mutation"


def test_no_secret_is_left_in_anything_and_the_ways_to_sign_in_are_offered():
    found = read(*ENTRIES)
    assert SECRET not in str(found)
    assert {one.name: dump(one.sign_in)["type"] for one in found.sign_ins} == {
        "bearer": "bearer",
        "X-Register-Key in the header": "api_key",
        "api_key in the query": "api_key",
    }
    assert any("taken out" in warning.message for warning in found.warnings)


OTHER = [entry(f"https://crews.example/v2/crews?page={number}", answer={"crews": [number]}) for number in (1, 2)]


def test_the_requests_of_any_of_the_hosts_can_be_chosen():
    content = fit_to_keep(json.dumps({"log": {"version": "1.2", "entries": [*ENTRIES, *OTHER]}}).encode())
    files = Files("session.har", {"session.har": content})
    first = read_definition(files)
    assert (first.part, [(part.name, part.count) for part in first.parts]) == (
        BASE,
        [(BASE, 8), ("https://crews.example", 2), ("https://counter.example", 1)],
    )
    assert {one.message for one in first.left_out} == {
        "2 requests to https://crews.example",
        "one request to https://counter.example",
    }
    other = read_definition(files, part="https://crews.example")
    assert [operation.key for operation in other.operations] == ["GET /v2/crews"] and other.title == "crews.example"
    assert other.servers[0].address == other.part == "https://crews.example"
    with pytest.raises(DocumentError, match="no part") as caught:
        read_definition(files, part="https://crew.example")
    assert "https://crews.example" in caught.value.hint


def test_several_forms_of_one_body_are_kept_to_choose_from():
    form = "application/x-www-form-urlencoded"
    file = (
        '--x\r\nContent-Disposition: form-data; name="note"\r\n\r\nold\r\n--x\r\nContent-Disposition: form-data;'
        ' name="picture"; filename="a.png"\r\n\r\n1\r\n--x--\r\n'
    )
    one = read(
        entry(f"{BASE}/v1/care", method="POST", post='{"work": "pruned"}', status=201),
        entry(f"{BASE}/v1/care", method="POST", mime=form, post="work=felled&sign=dry&sign=leaning", status=201),
        entry(f"{BASE}/v1/care", method="POST", mime=form, post=f"work=felled&crew=West&password={SECRET}", status=201),
        entry(f"{BASE}/v1/care", method="POST", mime="multipart/form-data; boundary=x", post=file, status=201),
    ).operations[0]
    assert [each.media_type for each in one.document.other_bodies] == ["application/json", "multipart/form-data"]
    assert {each.name: each.type for each in one.document.inputs} == {
        "work": "text", "sign": "json", "crew": "text", "password": "text",
    }  # fmt: skip
    as_json = with_body_as(one.document, "application/json")
    assert build_request(as_json, BASE, {"work": "pruned"}).request.sent_body == b'{"work":"pruned"}'
    parts = with_body_as(as_json, "multipart/form-data")
    sent = build_request(parts, BASE, {"note": "old", "picture": "b25l"}).request.sent_body
    assert b'name="note"\r\n\r\nold' in sent and b'filename="a.png"' in sent and b"\r\n\r\none\r\n" in sent
    assert with_body_as(parts, form).other_bodies == one.document.other_bodies
    assert operation_problems(parts) == operation_problems(as_json) == []


def test_a_body_that_was_not_recorded_is_told():
    sent = entry(f"{BASE}/v1/care", method="POST", headers=[("Content-Type", "multipart/form-data; boundary=x")])
    found = read(sent, entry(f"{BASE}/v1/care", method="POST", post='{"work": "pruned"}', status=201)).operations[0]
    assert [warning.message for warning in found.warnings] == [
        "a body of the type multipart/form-data was sent, which is not in the recording"
    ]
    assert found.warnings[0].where == "session.har: /log/entries/0"
    assert read(entry(f"{BASE}/v1/care/7", method="DELETE")).operations[0].warnings == ()


def test_many_names_in_one_place_are_values_although_one_has_no_digit():
    names = ("oak-1", "elm-2", "ash-3", "lime")
    found = read(*(entry(f"{BASE}/v1/trees/{name}/care", answer=[]) for name in names))
    assert [operation.key for operation in found.operations] == ["GET /v1/trees/{tree}/care"]
    listed = read(*(entry(f"{BASE}/v1/{name}", answer=[]) for name in ("trees", "crews", "districts", "tests2")))
    assert len(listed.operations) == 4


def test_secrets_in_paths_are_taken_out_and_become_places():
    found = read(
        entry(f"{BASE}/v1/share/{SECRET}/trees", answer=[]),
        entry(f"{BASE}/v1/share/{SECRET}b/trees", answer=[]),
        entry(f"{BASE}/v1/tokens/summer7/use", answer={}),
    )
    assert SECRET not in str(found) and "summer7" not in str(found)
    assert sorted(operation.key for operation in found.operations) == [
        "GET /v1/share/{share}/trees",
        "GET /v1/tokens/{token}/use",
    ]
    share = found.operations[0].document.inputs[0]
    assert share.required and share.try_value is UNSET
    assert "3 secrets, tokens and cookies were taken out" in [warning.message for warning in found.warnings]


@pytest.mark.parametrize(
    ("name", "numbers", "wanted"),
    [
        ("pageIndex", (0, 1, 2), PageNumber(input="pageIndex", first=0)),
        ("pageNo", (3, 2), PageNumber(input="pageNo")),
        ("pageSize", (5, 6), None),
        ("tree", (1, 2), None),
        ("pageNo", (1, 5), None),
    ],
)
def test_pages_recorded_one_after_another_become_paging(name, numbers, wanted):
    entries = [entry(f"{BASE}/v1/trees?{name}={number}&q=a", answer=[{"number": number}]) for number in numbers]
    assert read(*entries).operations[0].document.paging == wanted
    same = [entry(f"{BASE}/v1/trees?{name}={number}&q=a", answer=[{"number": 1}]) for number in numbers]
    assert read(*same).operations[0].document.paging is None  # the number changes nothing


@pytest.mark.parametrize("entries", [[], ENTRIES[:2], [{"request": 1}], [None]])
def test_a_session_without_a_request_of_a_service_is_refused_in_words(entries):
    with pytest.raises(DocumentError, match="no request of a service") as caught:
        read(*entries)
    assert caught.value.where == "session.har"


ODD = (
    st.none()
    | st.integers()
    | st.text(max_size=8)
    | st.lists(st.integers(), max_size=2)
    | st.just({})
    | st.just("http://[x")
    | st.just("https://a.example/{x}/%zz?{y}=%")
)


@settings(max_examples=200, deadline=None, suppress_health_check=list(HealthCheck))
@given(
    st.integers(0, len(ENTRIES) - 1),
    st.sampled_from(["request", "response"]),
    st.sampled_from(["url", "method", "headers", "postData", "status", "content", "cookies", "text", "mimeType", ""]),
    ODD,
)
def test_however_an_archive_is_broken_it_ends_with_operations_or_words(number, side, part, new):
    entries = json.loads(json.dumps(ENTRIES))
    if part == "":
        entries[number][side] = new
    elif part in ("text", "mimeType"):
        (
            entries[number][side].setdefault("content", {})
            if side == "response"
            else entries[number][side].setdefault("postData", {})
        )[part] = new
    else:
        entries[number][side][part] = new
    try:
        content = fit_to_keep(json.dumps({"log": {"entries": entries}}).encode())
        found = read_definition(Files("session.har", {"session.har": content}))
    except RondineError as error:
        assert error.where
        return
    assert all(operation_problems(operation.document) == [] for operation in found.operations)
