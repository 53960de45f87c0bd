"""The API over real HTTP: roles, strictness, versions, problems."""

import json
import subprocess
import sys
import time
import uuid

import httpx
import pytest

from rondine_client import Client, RondineProblem

ANY = "/api/v1/projects/olmara"


@pytest.fixture(scope="module")
def http(rondine):
    with httpx.Client(base_url=rondine.url, timeout=60) as client:
        yield client


def headers(rondine, person):
    return {"Authorization": f"Bearer {rondine.token(person)}"}


def routes(rondine):
    """Every operation of the API within a project, from its own description."""
    document = httpx.get(f"{rondine.url}/api/v1/openapi.json").json()
    for path, operations in document["paths"].items():
        for method in operations:
            # where services send to nobody signs in: each delivery proves itself (tests/whole/test_webhooks.py)
            if "{project}" in path and "/hooks/" not in path and method in ("get", "post", "put", "patch", "delete"):
                yield method.upper(), path


LEAST = {
    ("POST", "/hosts"): "administrator",
    ("DELETE", "/hosts/{host_id}"): "administrator",
    ("PATCH", ""): "administrator",
    ("DELETE", ""): "administrator",
    ("GET", "/members"): "administrator",
    ("PUT", "/members/{person}"): "administrator",
    ("DELETE", "/members/{person}"): "administrator",
    ("POST", "/applications"): "administrator",
    ("PATCH", "/applications/{name}"): "administrator",
    ("DELETE", "/applications/{name}"): "administrator",
    ("POST", "/applications/{name}/tokens"): "administrator",
    ("DELETE", "/applications/{name}/tokens/{token_id}"): "administrator",
    ("DELETE", "/applications/{name}/sessions"): "administrator",
    ("GET", "/services/{name}/stand-in"): "builder",
    ("PUT", "/credentials/{name}/secrets"): "operator",
    ("POST", "/credentials/{name}/origins"): "administrator",
    ("PUT", "/connections/{name}/wait"): "operator",
    ("DELETE", "/credentials/{name}/secrets/second"): "operator",
    ("DELETE", "/connections/{name}/sign-in"): "operator",
    ("POST", "/feeds/{name}/runs"): "operator",
    ("POST", "/runs/{run_id}/cancel"): "operator",
    ("POST", "/flows/{name}/runs"): "operator",
    ("POST", "/runs/{run_id}/answers"): "operator",
    ("POST", "/runs/{run_id}/settlements"): "operator",
    ("POST", "/runs/{run_id}/continuations"): "operator",
    ("POST", "/flow-offers"): "viewer",
    ("POST", "/flow-imports"): "builder",
    ("POST", "/flow-fillings"): "viewer",
    ("POST", "/runs/{run_id}/go-on"): "operator",
    **{
        ("POST", path): "viewer"
        for path in (
            "/addresses",
            "/case-checks",
            "/requests",
            "/outlines",
            "/proposals",
            "/previews",
            "/definitions/{name}/fields",
            "/pastes",
            "/patterns",
            "/body-choices",
            "/names",
            "/comparisons",
            "/structure-comparisons",
            "/readings/tree",
            "/readings/outline",
            "/readings/comparison",
            "/readings/structure-comparison",
            "/readings/proposal",
            "/readings/records",
        )
    },
}
ROLES = ("viewer", "operator", "builder", "administrator")
PEOPLE = {"viewer": "vela", "operator": "odo", "builder": "mira", "administrator": "ada"}


def test_every_route_asks_for_its_role(rondine, http):
    rondine.office().services.make("keeps-the-project")  # an empty one may be removed
    seen = 0
    for method, path in routes(rondine):
        if "/use/" in path:  # applications come in there, with tokens of their own
            continue
        short = path.removeprefix("/api/v1/projects/{project}")
        least = LEAST.get((method, short)) or ("viewer" if method == "GET" else "builder")
        url = path.format(
            project="olmara",
            name="no-such",
            kind="no-such",
            environment="test",
            key="k",
            host_id=999999,
            run_id=999999,
            number=1,
            drift_id=999999,
            token_id=999999,
            body_id=uuid.uuid4(),
            person="no-such",
        )
        for role in ROLES:
            status = http.request(
                method, url, headers=headers(rondine, PEOPLE[role]), json={"surplus": 1} if method != "GET" else None
            ).status_code
            may = ROLES.index(role) >= ROLES.index(least)
            assert (status != 403) == may, f"{method} {short} as {role}: {status}"
            assert status not in (401, 500), f"{method} {short} as {role}: {status}"
            seen += 1
        assert http.request(method, url).status_code == 401
        other = http.request(method, url.replace("olmara", "elsewhere"), headers=headers(rondine, "ada"))
        assert (other.status_code, other.json()["code"]) == (404, "not_found")
    assert seen > 150


def test_an_unknown_field_or_wrong_type_is_told_at_its_place(rondine, http):
    for body, where, words in (
        ({"name": "x", "titel": "y"}, "/titel", 'did you mean "title"?'),
        ({"name": 3}, "/name", "not a name"),
        ({"name": "x", "document": {"metod": "GET"}}, "/document/metod", 'Did you mean "method"?'),
        ({"name": "x", "document": {"query": [{"name": "q", "value": 3}]}}, "/document/query/0/value", "expected"),
        ({"document": {}}, "/name", "required"),
        ([], "/", "object"),
        ({"name": "Ab C"}, "/name", "not a name"),
    ):
        if isinstance(body, dict):
            body = {"service": "tree-register", **body}
        found = http.post(f"{ANY}/operations", headers=headers(rondine, "mira"), json=body)
        assert found.status_code == 400, found.text
        assert found.headers["content-type"] == "application/problem+json"
        problem = found.json()
        assert problem["where"] == where or where in [one["where"] for one in problem["problems"]], problem
        assert words.lower() in json.dumps(problem).lower().replace('\\"', '"'), problem


def test_a_query_parameter_that_means_nothing_is_refused(rondine, http):
    for path, name, hint in (
        ("/services", "titel", ""),
        ("/runs", "feeds", 'did you mean "feed"?'),
        ("/services/tree-register", "after", ""),
        ("/naming", "q", ""),
        ("/members?limit=3", "limit", ""),
    ):
        found = http.get(f"{ANY}{path}", params=None if "?" in path else {name: "x"}, headers=headers(rondine, "ada"))
        assert (found.status_code, found.json()["where"]) == (400, f"?{name}"), found.text
        assert hint in found.json()["hint"]
    found = http.get(f"{ANY}/runs", params={"after": "x"}, headers=headers(rondine, "vela"))
    assert (found.status_code, found.json()["where"]) == (400, "?after")


def test_malformed_json_is_told_with_line_and_column(rondine, http):
    found = http.post(
        f"{ANY}/operations",
        headers={**headers(rondine, "mira"), "Content-Type": "application/json"},
        content='{"name":\n "x",,}',
    )
    assert (found.status_code, found.json()["where"]) == (400, "the request's body, line 2, column 6")
    assert http.post(f"{ANY}/operations", headers=headers(rondine, "mira"), content="a=1").status_code == 415
    assert http.get("/api/v1/nothing").status_code == 404
    assert http.request("PUT", f"{ANY}/runs", headers=headers(rondine, "mira")).status_code == 405


def test_the_second_to_save_sees_the_state_now_and_loses_nothing(rondine):
    office = rondine.office()
    office.services.make("two-builders", title="first")
    seen = office.services.get("two-builders")["version"]
    office.services.change("two-builders", version=seen, title="by the other")
    with pytest.raises(RondineProblem) as raised:
        office.services.change("two-builders", version=seen, title="by me")
    assert raised.value.code == "changed_meanwhile"
    current = raised.value.document["current"]
    assert current["title"] == "by the other"
    office.services.change("two-builders", version=current["version"], title="by me")
    with pytest.raises(RondineProblem, match="which version"):
        office.client.send(office.request("PATCH", "/services/two-builders", {"title": "x"}))
    assert [
        (revision["version"], revision["what"], revision["content"]["title"], revision["by"])
        for revision in office.services.revisions("two-builders")
    ] == [(3, "changed", "by me", "mira"), (2, "changed", "by the other", "mira"), (1, "made", "first", "mira")]


def test_names_are_unique_renaming_keeps_references_and_what_is_used_stays(rondine):
    office = rondine.office()
    name = rondine.feed("renamed", "/v1/trees")
    with pytest.raises(RondineProblem, match="already"):
        office.services.make(name)
    item = office.record_types.get(name)
    office.record_types.change(name, version=item["version"], name="renamed-tree")
    mapping = office.mappings.get(name)
    assert (mapping["document"]["outputs"][0]["record_type"], mapping["problems"]) == ("renamed-tree", [])
    with pytest.raises(RondineProblem, match="still used by"):
        office.mappings.remove(name)


def test_a_draft_is_stored_with_its_problems_and_refused_when_it_is_to_run(rondine):
    office = rondine.office()
    service = rondine.connect("drafts")
    made = office.operations.make("half-done", service=service, document={"path": "/v1/trees/{number}"})
    assert [(problem["where"], problem["message"]) for problem in made["problems"]] == [
        ("/path", '"{number}" is not an input')
    ]
    with pytest.raises(RondineProblem) as raised:
        office.trials.send(service=service, operation="half-done")
    assert raised.value.code == "not_ready"


def test_secrets_are_written_and_never_read(rondine):
    office = rondine.office("odo")
    rondine.connect("write-only", key="canary-write-only")
    found = office.credentials.set_secrets("write-only-key", key="canary-replaced")
    assert found == {
        "name": "write-only-key",
        "names": ["key"],
        "has_second": False,
        "origins": [rondine.register_url],
        "certificates": {},
        "version": 3,
    }
    assert "canary" not in json.dumps(rondine.office().credentials.get("write-only-key"))
    with pytest.raises(RondineProblem) as raised:
        office.credentials.set_secrets("write-only-key", key="canary-new\nline")
    assert "canary" not in str(raised.value.document)


def test_ten_wrong_passwords_make_one_wait(rondine):
    with Client(rondine.url) as client:
        codes = []
        for _ in range(11):
            with pytest.raises(RondineProblem) as raised:
                client.sign_in("somebody", "wrong")
            codes.append(raised.value.code)
    assert codes == ["sign_in_needed"] * 10 + ["too_many_attempts"]


def test_a_token_ends_when_it_is_signed_out(rondine):
    client = Client(rondine.url)
    client.sign_in("vela", rondine.passwords["vela"])
    assert client.session()["name"] == "vela"
    client.sign_out()
    with pytest.raises(RondineProblem, match="not known"):
        client.session()


def test_the_api_describes_itself_and_the_page_needs_nothing_from_outside(rondine, http):
    document = http.get("/api/v1/openapi.json").json()
    assert document["openapi"].startswith("3.1")
    references = {part.split('"')[0] for part in json.dumps(document).split("#/components/schemas/")[1:]}
    assert references <= set(document["components"]["schemas"])
    page = http.get("/api/v1/docs")
    assert page.status_code == 200
    for part in page.text.split('src="')[1:] + page.text.split('href="')[1:]:
        address = part.split('"')[0]
        assert address.startswith(("/", "data:")), address
        if address.startswith("/"):
            assert http.get(address).status_code == 200


def test_the_description_on_file_is_the_services_own(rondine, http):
    from tests.whole_rondine import ROOT

    on_file = json.loads((ROOT / "docs" / "openapi.json").read_text())
    command = [sys.executable, "-m", "rondine.server.main", "openapi"]
    made = subprocess.run(command, capture_output=True, check=True, env=rondine.env).stdout
    assert json.loads(made) == on_file, "write it anew: tools/generate"
    assert http.get("/api/v1/openapi.json").json() == on_file


def test_pages_come_under_a_strict_policy(http):
    found = http.get("/p/olmara/records")
    policy = found.headers["content-security-policy"]
    assert "default-src 'none'" in policy and "unsafe" not in policy
    assert found.headers["x-frame-options"] == "DENY"
    assert found.headers["cache-control"] == "no-store"


def test_an_event_stream_needs_a_right_and_ends_with_its_run(rondine, http):
    assert http.get(f"{ANY}/runs/1/events").status_code == 401
    assert http.get(f"{ANY}/runs/999999/events", headers=headers(rondine, "vela")).status_code == 404
    run = rondine.finish(rondine.feed("streamed", "/v1/trees"))
    began = time.monotonic()
    assert [one["state"] for one in rondine.office("vela").runs.watch(run["id"])] == ["done"]
    assert time.monotonic() - began < 14  # it does not wait for the next ping
