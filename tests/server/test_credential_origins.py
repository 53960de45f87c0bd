"""A credential belongs to the origins it was entered for: whoever did not enter its secrets cannot send them anywhere
else."""

import pytest
from aiohttp import web

from rondine_client import RondineProblem

KEY = "origin-canary-0123456789"


@pytest.fixture
def outside(rondine, serve):
    """Two services; each tells which headers came to it."""
    came = {"here": [], "there": []}

    def keeping(name):
        async def told(request):
            came[name].append(dict(request.headers))
            if request.path == "/token":
                return web.json_response(
                    {"access_token": "origin-token-canary", "token_type": "bearer", "expires_in": 900}
                )
            return web.json_response({"trees": []})

        return serve(told)

    here, there = keeping("here"), keeping("there")
    for one in (here, there):
        rondine.permit(one.port)
    return here, there, came


def connected(rondine, name, here, sign_in, person="odo", **secrets):
    """A connection that mira made, with secrets that somebody else entered."""
    mira = rondine.office()
    mira.services.make(name)
    mira.credentials.make(f"{name}-key", environment="test")
    document = {"base_address": here.url, "sign_in": sign_in}
    mira.connections.make(name, service=name, environment="test", credential=f"{name}-key", document=document)
    mira.operations.make(f"{name}-list", service=name, document={"path": "/trees"})
    return rondine.office(person).credentials.set_secrets(f"{name}-key", **secrets)


def moved(office, name, **change):
    held = office.connections.get(name)
    return office.connections.change(name, version=held["version"], document={**held["document"], **change})


API_KEY = {"type": "api_key", "name": "X-Key"}


def test_a_changed_address_asks_for_the_secret_again(rondine, outside):
    here, there, came = outside
    made = connected(rondine, "own-address", here, API_KEY, key=KEY)
    assert made["origins"] == [here.url]
    mira = rondine.office()
    assert mira.trials.send(service="own-address", operation="own-address-list")["call"]["status"] == 200
    changed = moved(mira, "own-address", base_address=there.url)
    (problem,) = changed["problems"]
    assert f"were entered for {here.url}, and are not sent to {there.url}" in problem["message"]
    assert f"rondine credential set own-address-key --for {there.url}" in problem["hint"]
    with pytest.raises(RondineProblem, match="are not sent to"):
        mira.trials.send(service="own-address", operation="own-address-list")
    assert any(obstacle["name"] == "own-address" for obstacle in mira.obstacles())
    assert came["there"] == [] and KEY in str(came["here"])
    made = mira.credentials.set_secrets(
        "own-address-key", key="mira-entered-0123456789", origins=[f"{there.url}/v1?a=b"]
    )
    assert made["origins"] == sorted([here.url, there.url])
    assert mira.trials.send(service="own-address", operation="own-address-list")["call"]["status"] == 200
    assert KEY not in str(came["there"]) and "mira-entered-0123456789" in str(came["there"])


def test_who_entered_the_secret_may_send_it_elsewhere_and_so_may_an_administrator(rondine, outside):
    here, there, _ = outside
    connected(rondine, "own-secret", here, API_KEY, person="mira", key=KEY)
    mira = rondine.office()
    assert moved(mira, "own-secret", base_address=there.url)["problems"] == []
    connected(rondine, "permitted-secret", here, API_KEY, key=KEY)
    assert moved(mira, "permitted-secret", base_address=there.url)["problems"] != []
    with pytest.raises(RondineProblem, match="administer"):
        mira.credentials.permit_origin("permitted-secret-key", there.url)
    ada = rondine.office("ada")
    with pytest.raises(RondineProblem, match="is not an address"):
        ada.credentials.permit_origin("permitted-secret-key", "register")
    assert ada.credentials.permit_origin("permitted-secret-key", there.url)["origins"] == sorted([here.url, there.url])
    assert mira.connections.get("permitted-secret")["problems"] == []
    assert mira.trials.send(service="permitted-secret", operation="permitted-secret-list")["call"]["status"] == 200


def test_a_new_connection_does_not_get_somebody_elses_secret(rondine, outside):
    here, there, came = outside
    connected(rondine, "first-user", here, API_KEY, key=KEY)
    mira = rondine.office()
    mira.services.make("second-user")
    made = mira.connections.make("second-user", service="second-user", environment="test", credential="first-user-key",
    document={"base_address": there.url, "sign_in": API_KEY})  # fmt: skip
    assert "are not sent to" in made["problems"][0]["message"]
    mira.operations.make("second-user-list", service="second-user", document={"path": "/trees"})
    with pytest.raises(RondineProblem, match="are not sent to"):
        mira.trials.send(service="second-user", operation="second-user-list")
    rotated = rondine.office("odo").credentials.set_secrets("first-user-key", key="rotated-0123456789")
    assert rotated["origins"] == [here.url] and came["there"] == []
    assert mira.connections.get("second-user")["problems"] != []


@pytest.mark.parametrize("where", ["base", "token", "own", "proxy"])
def test_neither_a_token_nor_what_obtains_it_goes_elsewhere(rondine, outside, where):
    here, there, came = outside
    name = f"token-{where}"
    sign_in = {"type": "client_credentials", "token_address": f"{here.url}/token", "client_id": "office"}
    connected(rondine, name, here, sign_in, client_secret=KEY)
    mira = rondine.office()
    assert mira.trials.send(service=name, operation=f"{name}-list")["call"]["status"] == 200
    changes = {
        "base": {"base_address": there.url},
        "proxy": {"proxy": {"address": there.url}},
        "token": {"sign_in": {**sign_in, "token_address": f"{there.url}/token"}},
        "own": {
            "own_sign_ins": [
                {"operation": f"{name}-list", "credential": f"{name}-key", "sign_in": {**sign_in,
                "token_address": f"{there.url}/token"}}
            ]
        },
    }  # fmt: skip
    assert "are not sent to" in moved(mira, name, **changes[where])["problems"][0]["message"]
    with pytest.raises(RondineProblem, match="are not sent to"):
        mira.trials.send(service=name, operation=f"{name}-list")
    assert came["there"] == []


def test_a_next_page_at_another_origin_is_followed_when_the_connection_says_so_and_the_secret_may(rondine, serve):
    """Nothing goes there before an administrator, or who entered the key, has said so; then the key goes there too."""
    archive_got = []

    def archive_answer(request):
        archive_got.append(request.headers.get("X-Key"))
        return web.json_response({"trees": [{"number": "OLM-2"}], "next": None})

    archive = serve(archive_answer)
    first = serve(
        lambda request: web.json_response({"trees": [{"number": "OLM-1"}], "next": f"{archive.url}/trees?page=2"})
    )
    for port in (archive.port, first.port):
        rondine.permit(port)
    office, admin = rondine.office(), rondine.office("ada")
    admin.services.make("two-origins")
    admin.credentials.make("two-origins-key", environment="test")
    admin.credentials.set_secrets("two-origins-key", key="canary-two-origins-4711")
    sign_in = {"type": "api_key", "name": "X-Key"}
    document = {"base_address": first.url, "sign_in": sign_in}
    admin.connections.make("two-origins", service="two-origins", environment="test", credential="two-origins-key",
    document=document)  # fmt: skip
    name = rondine.feed("two-origins", "/trees", paging={"type": "next_address", "at": "/next"}, parameter="",
    service="two-origins")  # fmt: skip
    failed = rondine.finish(name)
    assert failed["state"] == "failed" and archive_got == []
    assert f"--further-origin {archive.url}" in failed["error"]["hint"]

    held = office.connections.get("two-origins")
    changed = office.connections.change("two-origins", version=held["version"], document={**held["document"],
    "further_origins": [archive.url]})  # fmt: skip
    assert archive.url in changed["problems"][0]["message"]
    admin.credentials.permit_origin("two-origins-key", archive.url)
    assert office.connections.get("two-origins")["problems"] == []
    run = rondine.finish(name)
    assert (run["state"], run["completeness"], run["calls"]) == ("done", "complete", 2), run["error"]
    assert archive_got == ["canary-two-origins-4711"]
