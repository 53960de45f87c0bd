"""Users of an application sign in at a service with accounts of their own: a session each, and nothing of it stays."""

import subprocess
import sys
import time
from urllib.parse import parse_qsl, urlsplit

import httpx
import pytest
from aiohttp import web
from tests.board import CALLBACK, CLIENT, PEOPLE, Board

from rondine_client import RondineProblem


@pytest.fixture
def board(rondine, serve, request):
    return Board(rondine, serve, "own-" + request.node.name.removeprefix("test_").replace("_", "-")[:30].strip("-"))


def refused(call, *arguments, **options):
    with pytest.raises(RondineProblem) as caught:
        call(*arguments, **options)
    return caught.value


def nothing_of(rondine, *texts):
    """No table has any of these texts."""
    tables = rondine.sql("SELECT table_name FROM information_schema.tables WHERE table_schema = 'public'")
    for (table,) in tables:
        for text in texts:
            rows = rondine.sql(f'SELECT count(*) FROM "{table}" t WHERE t::text LIKE %s', f"%{text}%")
            in_hex = rondine.sql(f'SELECT count(*) FROM "{table}" t WHERE t::text LIKE %s', f"%{text.encode().hex()}%")
            assert rows == in_hex == [(0,)], f"{text} is in {table}"


def test_two_users_consent_and_call_each_as_themselves(board, rondine):
    board.sign_in_by(type="authorization_code")
    none = refused(board.use.call, "get-tree", {"number": "OLM-1"})
    assert none.code == "user_sign_in_needed" and none.status == 403 and not board.by
    vela, odo = board.signed_in("vela"), board.signed_in("odo")
    vela.call("get-tree", {"number": "OLM-1"})
    odo.call("plan", {"task": "watering"})
    vela.call("plan", {"task": "pruning"})
    assert board.by == ["vela", "odo", "vela"] and board.planned == ["watering", "pruning"]
    listed = board.admin.applications.sessions("desk")
    assert [(one["service"], one["caller"], one["is_begun"]) for one in listed] == [
        ("desk-register", "odo", False), ("desk-register", "vela", False),
    ]  # fmt: skip
    tokens = [token for token, owner in board.tokens.owners.items() if owner]
    assert len(tokens) == 4
    nothing_of(rondine, *tokens, vela.session, odo.session)
    mixed = refused(board.use.for_caller("odo", session=vela.session).call, "get-tree", {"number": "OLM-1"})
    assert "vela" in mixed.document["detail"] and board.by == ["vela", "odo", "vela"]
    vela.end_session()
    assert refused(vela.call, "get-tree", {"number": "OLM-1"}).code == "user_sign_in_needed"
    odo.call("get-tree", {"number": "OLM-2"})
    board.admin.applications.end_sessions("desk")
    assert refused(odo.own_session).code == "user_sign_in_needed"
    assert rondine.sql("SELECT count(*) FROM connecting_accesstoken WHERE session_id IS NOT NULL") == [(0,)]


def test_a_token_that_ended_is_renewed_and_one_that_was_revoked_asks_to_sign_in_again(board):
    board.tokens.how.lifetime = 2
    board.sign_in_by(type="authorization_code")
    vela = board.signed_in("vela")
    before = board.tokens.requests
    for _ in range(3):
        board.tokens.access = dict.fromkeys(board.tokens.access, 0.0)
        vela.call("get-tree", {"number": "OLM-1"})
    assert board.tokens.requests == before + 3 and board.by == ["vela"] * 3
    board.tokens.access.clear()
    board.tokens.refresh.clear()
    again = refused(vela.call, "get-tree", {"number": "OLM-1"})
    assert again.code == "user_sign_in_needed" and not again.may_pass and again.document["run"]
    assert refused(vela.call, "plan", {"task": "mulching"}).code == "user_sign_in_needed" and not board.planned
    board.signed_in("vela").call("plan", {"task": "mulching"})
    assert board.planned == ["mulching"]


def test_an_answer_counts_once_and_for_its_own_session(board):
    board.sign_in_by(type="authorization_code")
    wrong = refused(board.use.begin_session, "desk-register", callback="http://127.0.0.1:18399/elsewhere")
    assert wrong.document["where"] == "/callback" and CALLBACK in wrong.document["hint"]
    mine = board.use.begin_session("desk-register", callback=CALLBACK)
    theirs = board.use.begin_session("desk-register", callback=CALLBACK)
    answer = board.consent(theirs["address"], "odo")
    me, them = (board.use.for_caller(session=one["session"]) for one in (mine, theirs))
    waiting = refused(me.call, "get-tree", {"number": "OLM-1"})
    assert "has not come back" in waiting.document["detail"]
    swapped = refused(me.answer_session, answer)
    assert swapped.status == 400 and swapped.document["where"] == "/answer/state"
    them.answer_session(answer)
    assert refused(them.answer_session, answer).status == 400
    them.call("get-tree", {"number": "OLM-1"})
    assert board.by == ["odo"]
    no = board.use.for_caller(session=board.use.begin_session("desk-register", callback=CALLBACK)["session"])
    begun = board.use.begin_session("desk-register", callback=CALLBACK)
    state = dict(parse_qsl(urlsplit(begun["address"]).query))["state"]
    said_no = board.use.for_caller(session=begun["session"])
    denied = refused(said_no.answer_session, {"error": "access_denied", "state": state})
    assert denied.code == "user_sign_in_needed"
    assert refused(said_no.own_session).code == "user_sign_in_needed", "a refused session is over"
    assert no.own_session()["state"] == "begun"


def test_passwords_are_proven_and_sealed(board, rondine):
    board.sign_in_by(type="password_grant")
    lacking = refused(board.use.begin_session, "desk-register", secrets={"password": "x"})
    assert lacking.document["where"] == "/user_name"
    odd = refused(board.use.begin_session, "desk-register", user_name="vela", secrets={"pasword": "x"})
    assert {one["where"] for one in odd.document["problems"]} == {"/pasword", "/password"}
    wrong = refused(board.use.begin_session, "desk-register", user_name="vela", secrets={"password": "not-it-1234"})
    assert wrong.code == "user_sign_in_needed" and not board.admin.applications.sessions("desk")
    begun = board.use.begin_session("desk-register", user_name="vela", secrets={"password": PEOPLE["vela"]})
    assert begun["is_proven"] and begun["address"] is None
    vela = board.use.for_caller(session=begun["session"])
    vela.call("plan", {"task": "watering"})
    assert board.by == ["vela"]
    nothing_of(rondine, PEOPLE["vela"], begun["session"], *board.tokens.owners)


def test_basic_goes_with_each_call_and_a_wrong_one_asks_again(board, rondine):
    board.sign_in_by(type="basic")
    one = board.use.begin_session("desk-register", user_name="odo", secrets={"password": PEOPLE["odo"]})
    assert not one["is_proven"], "nothing was asked of the service yet"
    two = board.use.begin_session("desk-register", user_name="vela", secrets={"password": "wrong-wrong"})
    odo, vela = (board.use.for_caller(session=begun["session"]) for begun in (one, two))
    odo.call("get-tree", {"number": "OLM-1"})
    assert refused(vela.call, "get-tree", {"number": "OLM-1"}).code == "user_sign_in_needed" and board.by == ["odo"]
    nothing_of(rondine, PEOPLE["odo"], "wrong-wrong")
    trial = refused(
        board.project.trials.send, service="desk-register", operation="get-tree", inputs={"number": "OLM-1"}
    )
    assert "password is missing" in trial.document["detail"], "nobody else calls as a user"


def test_a_key_and_the_background_are_bound_to_the_user(board):
    board.sign_in_by(type="basic")
    users = {}
    for name in ("vela", "odo"):
        begun = board.use.begin_session("desk-register", user_name=name, secrets={"password": PEOPLE[name]})
        users[name] = board.use.for_caller(session=begun["session"])
    first = users["vela"].call("plan", {"task": "watering"}, key="the-same-key")
    assert users["vela"].call("plan", {"task": "watering"}, key="the-same-key") == first
    other = refused(users["odo"].call, "plan", {"task": "watering"}, key="the-same-key")
    assert other.code == "key_used" and board.planned == ["watering"]
    background = refused(users["odo"].start, "plan", {"task": "pruning"})
    assert background.document["where"] == "Prefer header" and board.planned == ["watering"]


def test_a_connection_that_moved_gets_nothing_of_a_session(board, serve, rondine):
    board.sign_in_by(type="basic")
    begun = board.use.begin_session("desk-register", user_name="vela", secrets={"password": PEOPLE["vela"]})
    vela = board.use.for_caller(session=begun["session"])
    vela.call("get-tree", {"number": "OLM-1"})
    seen = []

    async def other(request):
        seen.append(dict(request.headers))
        return web.json_response({})

    elsewhere = serve(other)
    board.admin.hosts.permit("127.0.0.1", elsewhere.port, is_private=True)
    held = board.project.connections.get("desk-register-test")
    document = {**held["document"], "base_address": elsewhere.url}
    board.project.connections.change("desk-register-test", version=held["version"], document=document, credential=None)
    time.sleep(1.2)
    moved = refused(vela.call, "get-tree", {"number": "OLM-1"})
    assert moved.code == "user_sign_in_needed" and "have changed" in moved.document["detail"] and not seen


def test_live_records_are_read_as_the_user_and_remembered_for_nobody_else(board):
    board.sign_in_by(type="basic")
    live = {**board.project.record_types.get("tree")["document"], "kind": "live"}
    board.project.record_types.change("tree", version=board.project.record_types.get("tree")["version"], document=live)
    document = {
        "record_type": "tree",
        "mapping": "trees",
        "list": {"operation": "list-trees"},
        "max_age": 60,
    }
    made = board.project.bindings.make("trees", document=document)
    assert made["problems"] == []
    found = {}
    for name in ("odo", "vela"):
        begun = board.use.begin_session("desk-register", user_name=name, secrets={"password": PEOPLE[name]})
        use = board.use.for_caller(session=begun["session"])
        found[name] = [one["data"]["number"] for one in use.page("tree", max_age=60)["items"]]
    assert found["vela"] == ["OLM-OF-VELA"] and "OLM-1" in found["odo"]
    assert refused(board.use.page, "tree", max_age=60).code == "user_sign_in_needed"


def test_the_offer_says_where_users_sign_in(board):
    board.sign_in_by(type="basic")
    operations = {one["name"]: one for one in board.use.offer()["operations"]}
    assert operations["get-tree"]["sign_in"] == {"service": "desk-register", "asks": ["user_name", "password"]}
    assert "Rondine-Session" in operations["get-tree"]["examples"]["http"]
    document = board.use.openapi()
    names = [one["name"] for one in document["paths"]["/operations/get-tree"]["post"]["parameters"]]
    assert "Rondine-Session" in names and "/sessions/current/answer" in document["paths"]


def test_only_schemes_of_people_can_be_the_users_own(board):
    held = board.project.connections.get("desk-register-test")
    scheme = {"type": "client_credentials", "client_id": CLIENT, "token_address": f"{board.outside.url}/oauth/token"}
    document = {**held["document"], "sign_in": scheme, "callers_sign_in": True}
    made = board.project.connections.change(
        "desk-register-test", version=held["version"], document=document, credential="board"
    )
    assert [one["where"] for one in made["problems"]] == ["/callers_sign_in"]
    plain = refused(board.use.begin_session, "desk-register", user_name="x")
    assert plain.status == 422 or plain.status == 400


def test_the_commands_sign_in_call_and_sign_out(board, rondine, tmp_path, monkeypatch):
    monkeypatch.setitem(rondine.env, "RONDINE_APPLICATION_TOKEN", board.token)
    session = tmp_path / "session"

    def say(*words, stdin="", status=0):
        found = rondine.cli("--project", board.name, *words, stdin=stdin, check=False)
        assert found.returncode == status, found.stderr
        return found.stdout + found.stderr

    board.sign_in_by(type="password_grant")
    wrong = say("use", "sign-in", "desk-register", str(session), "--user", "odo", stdin="not-it-1234\n", status=1)
    assert "user name or password is wrong" in wrong and not session.exists()
    say("use", "sign-in", "desk-register", str(session), "--user", "odo", stdin=PEOPLE["odo"] + "\n")
    assert session.stat().st_mode & 0o777 == 0o600
    assert "OLM-1" in say("use", "call", "get-tree", "number=OLM-1", "--session-file", str(session))
    assert board.by == ["odo"]
    assert "desk-register" in say("application", "sessions", "desk")
    say("use", "sign-out", str(session))
    assert not session.exists() and board.admin.applications.sessions("desk") == []


def test_the_command_listens_for_who_comes_back_from_the_page_of_consent(board, rondine, tmp_path, monkeypatch):
    monkeypatch.setitem(rondine.env, "RONDINE_APPLICATION_TOKEN", board.token)
    board.sign_in_by(type="authorization_code")
    session = tmp_path / "session"
    words = [*("--project", board.name, "use", "sign-in", "desk-register"), str(session), "--callback", CALLBACK]
    env = {**rondine.env, "RONDINE_URL": rondine.url, "RONDINE_TOKEN": rondine.token(), "PYTHONUNBUFFERED": "1"}
    with subprocess.Popen(
        [sys.executable, "-m", "rondine_cli.main", *words], env=env, stderr=subprocess.PIPE, stdout=subprocess.PIPE
    ) as process:
        told = process.stderr.readline().decode()
        answer = board.consent(told.partition("there: ")[2].strip(), "vela")
        assert httpx.get(CALLBACK.replace("signed-in", "other"), params=answer).status_code == 404
        assert "has arrived" in httpx.get(CALLBACK, params=answer).text
        assert process.wait(20) == 0
    say = rondine.cli("--project", board.name, "use", "call", "plan", "task=mulching", "--session-file", str(session))
    assert say.returncode == 0 and board.by == ["vela"]
