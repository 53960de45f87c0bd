"""References by name: renaming breaks none of them, and what is used is not removed."""

import pytest
from aiohttp import web

from rondine_client import RondineProblem


@pytest.fixture
def desk(rondine, serve):
    """A service with a sign-in operation, an operation with a sign-in of its own, and a standing value in every place
    that takes one."""

    def answer(request):
        if request.path == "/session":
            return web.json_response({"token": "token-0123456789"})
        return web.json_response([{"number": "OLM-1", "seen": dict(request.headers)}])

    outside = serve(answer)
    rondine.permit(outside.port)
    return outside


def make(rondine, desk, name):
    office = rondine.office()
    office.standing_values.make(f"{name}-year", document={"values": {"test": "2026"}})
    office.services.make(name)
    for part in ("key", "own"):
        office.credentials.make(f"{name}-{part}", environment="test")
    office.credentials.set_secrets(f"{name}-key", password="password-0123456789")
    office.credentials.set_secrets(f"{name}-own", key="own-key-0123456789")
    office.operations.make(
        f"{name}-session",
        service=name,
        document={"method": "POST", "path": "/session", "inputs": [{"name": "password"}],
                  "body": {"type": "form", "fields": [{"name": "password", "value": {"input": "password"}}]}},
    )  # fmt: skip
    standing = {"standing": f"{name}-year"}
    office.operations.make(
        f"{name}-trees",
        service=name,
        document={"path": "/trees",
                  "query": [{"name": "year", "value": standing}, {"name": "since", "value": {"input": "since"}}],
                  "inputs": [{"name": "note", "type": "json", "try_value": {"of": standing}}, {"name": "since",
                  "default": standing}],
                  "headers": [{"name": "X-Note", "value": [{"input": "note"}, " of ", standing]}]},
    )  # fmt: skip
    office.operations.make(f"{name}-open", service=name, document={"path": "/open"})
    office.connections.make(
        name,
        service=name,
        environment="test",
        credential=f"{name}-key",
        document={
            "base_address": desk.url,
            "sign_in": {"type": "sign_in_operation", "operation": f"{name}-session"},
            "own_sign_ins": [
                {
                    "operation": f"{name}-open",
                    "credential": f"{name}-own",
                    "sign_in": {"type": "api_key", "name": "X-Key"},
                }
            ],
            "query": [{"name": "survey", "value": standing}],
        },
    )
    office.record_types.make(
        name,
        document={"fields": [{"name": "number", "type": "text"}, {"name": "year", "type": "text"}], "key": ["number"]},
    )
    office.mappings.make(
        name,
        service=name,
        document={"outputs": [{"record_type": name, "rows": [{"level": "tree", "at": "[*]"}],
                  "fields": [{"name": "number", "from": "number"}, {"name": "year", "from": standing}]}]},
    )  # fmt: skip
    return office


def test_renaming_breaks_no_reference_and_each_item_that_is_touched_has_a_new_revision(rondine, desk):
    office = make(rondine, desk, "renaming")
    for kind, old in (
        ("standing_values", "renaming-year"), ("operations", "renaming-session"), ("operations", "renaming-open"),
        ("credentials", "renaming-own"), ("record_types", "renaming"),
    ):  # fmt: skip
        items = getattr(office, kind)
        version = items.get(old)["version"]
        assert items.change(old, version=version, name=f"{old}-two")["problems"] == []
    connection = office.connections.get("renaming")
    assert connection["problems"] == [] and connection["document"]["sign_in"]["operation"] == "renaming-session-two"
    own = connection["document"]["own_sign_ins"][0]
    assert (own["operation"], own["credential"]) == ("renaming-open-two", "renaming-own-two")
    operation = office.operations.get("renaming-trees")
    assert operation["document"]["query"][0]["value"] == {"standing": "renaming-year-two"}
    note, since = operation["document"]["inputs"]
    assert note["try_value"] == {"of": {"standing": "renaming-year"}}  # a fixed value, no reference
    assert since["default"] == {"standing": "renaming-year-two"}
    mapping = office.mappings.get("renaming")
    assert mapping["problems"] == [] and mapping["document"]["outputs"][0]["record_type"] == "renaming-two"
    assert mapping["document"]["outputs"][0]["fields"][1]["from"] == {"standing": "renaming-year-two"}
    revision = office.operations.revisions("renaming-trees")[0]
    assert revision["version"] == operation["version"] == 2
    assert revision["why"] == 'standing value "renaming-year" is called "renaming-year-two" now'
    desk.calls.clear()
    assert office.trials.send(service="renaming", operation="renaming-open-two")["outcome"]["is_good"]
    assert desk.calls[-1][1]["X-Key"] == "own-key-0123456789"
    assert office.trials.send(service="renaming", operation="renaming-trees", inputs={"note": '"x"'})["outcome"][
        "is_good"
    ]
    address, headers = desk.calls[-1]
    assert (
        address == "/trees?year=2026&since=2026&survey=2026" and headers["Authorization"] == "Bearer token-0123456789"
    )


@pytest.mark.parametrize(
    ("kind", "name", "users"),
    [
        ("standing_values", "removing-year", ["connection removing", "operation removing-trees", "mapping removing"]),
        ("operations", "removing-session", ["connection removing"]),
        ("operations", "removing-open", ["connection removing"]),
        ("credentials", "removing-own", ["connection removing"]),
        ("record_types", "removing", ["mapping removing"]),
    ],
)
def test_what_is_used_is_not_removed_and_its_users_are_told(rondine, desk, kind, name, users):
    office = rondine.office()
    try:
        office.services.get("removing")
    except RondineProblem:
        make(rondine, desk, "removing")
    items = getattr(office, kind)
    held = items.get(name)
    if kind == "standing_values":
        assert {f"{one['kind']} {one['name']}" for one in held["used_by"]} == set(users)
    with pytest.raises(RondineProblem) as refused:
        items.remove(name, version=held["version"])
    assert "still used by" in str(refused.value) and all(user in str(refused.value) for user in users)
    assert items.get(name)["version"] == held["version"]


def test_a_request_whose_sign_in_cannot_be_found_is_never_sent(rondine, desk):
    office = make(rondine, desk, "lost")
    rondine.sql("UPDATE connecting_credential SET encrypted = '' WHERE name = 'lost-own' RETURNING id")
    desk.calls.clear()
    with pytest.raises(RondineProblem, match="cannot sign in"):
        office.trials.send(service="lost", operation="lost-open")
    assert desk.calls == []


def test_what_is_saved_as_it_is_already_stays_at_its_version(rondine, desk):
    make(rondine, desk, "as-it-is")
    office = rondine.office()
    for items, name in (
        (office.operations, "as-it-is-trees"),
        (office.connections, "as-it-is"),
        (office.services, "as-it-is"),
    ):
        held = items.get(name)
        saved = items.save(name, title=held["title"], document=held["document"])
        assert saved["version"] == held["version"] and len(items.revisions(name)) == held["version"]
        changed = items.save(name, title="Another title")
        assert changed["version"] == held["version"] + 1 and items.revisions(name)[0]["version"] == changed["version"]
        with pytest.raises(RondineProblem, match="was changed meanwhile"):
            items.change(name, version=held["version"], title="Another title")
