"""An installation of one's own: people, projects, members, tokens, passwords; over the API, by command and on the
server."""

import json
import subprocess
import sys
from concurrent.futures import ThreadPoolExecutor

import httpx
import pytest
from tests.whole_rondine import ROOT

from rondine_client import Client, RondineProblem

PASSWORD = "seven-alders-by-the-mill"


@pytest.fixture
def admin(rondine):
    with rondine.client("ada") as client:
        yield client


def newcomer(rondine, admin, name, role=None):
    """A person with a password, signed in."""
    admin.people.make(name, password=PASSWORD)
    if role:
        admin.project("olmara").members.set(name, role)
    client = Client(rondine.url)
    client.sign_in(name, PASSWORD)
    return client


def server(rondine, *words, stdin="", check=True):
    found = subprocess.run(
        [sys.executable, "-m", "rondine.server.main", *words],
        env=rondine.env,
        cwd=ROOT,
        input=stdin,
        capture_output=True,
        text=True,
        check=False,
    )
    assert not check or found.returncode == 0, found.stderr
    return found


def refused(action, *words, **options):
    with pytest.raises(RondineProblem) as raised:
        action(*words, **options)
    return raised.value


def test_a_project_of_ones_own_begins_empty_and_belongs_to_its_maker(rondine, admin):
    made = admin.projects.make("nursery", "Tree nursery")
    assert (made["title"], made["members"]) == ("Tree nursery", 1)
    mine = next(project for project in admin.session()["projects"] if project["name"] == "nursery")
    assert (mine["role"], mine["environments"]) == ("administrator", ["live", "test"])
    nursery = admin.project("nursery")
    assert list(nursery.services) == [] and nursery.hosts.list() == []
    assert refused(admin.projects.make, "nursery").code == "conflict"
    assert refused(admin.projects.make, "No Name").where == "/name"
    assert refused(rondine.client("mira").projects.make, "mine").code == "not_allowed"
    assert "nursery" not in [one["name"] for one in rondine.client("mira").projects.list()]
    assert refused(rondine.client("mira").projects.get, "nursery").code == "not_found"

    nursery.services.make("beds-again")
    found = refused(admin.projects.remove, "nursery")
    assert (found.code, found.message) == ("conflict", "nursery is not empty: 1 services")
    nursery.services.remove("beds-again")
    admin.projects.remove("nursery")
    assert "nursery" not in [one["name"] for one in admin.projects.list()]


def test_members_have_roles_and_a_project_keeps_an_administrator(rondine, admin):
    client = newcomer(rondine, admin, "ilex")
    assert client.session()["projects"] == []
    office = admin.project("olmara")
    assert office.members.set("ilex", "viewer")["role"] == "viewer"
    assert refused(client.project("olmara").services.make, "mine").code == "not_allowed"
    office.members.set("ilex", "builder")
    client.project("olmara").services.make("of-ilex")
    client.project("olmara").services.remove("of-ilex")
    assert refused(client.project("olmara").members.list).code == "not_allowed"
    assert "ilex" in [one["name"] for one in office.members.list()]
    office.members.remove("ilex")
    assert refused(list, client.project("olmara").services).code == "not_found"
    assert refused(office.members.remove, "ilex").code == "not_found"
    assert refused(office.members.set, "ilexx", "viewer").hint == 'did you mean "ilex"?'
    assert refused(office.members.set, "ilex", "gardener").where == "/role"
    assert "would have no administrator" in refused(office.members.set, "ada", "builder").message
    assert "would have no administrator" in refused(office.members.remove, "ada").message


def test_an_administrator_of_the_installation_can_make_themselves_a_member(rondine, admin):
    """Being one gives no sight of what is in a project; becoming its member does, for all its members to see."""
    server(rondine, "project", "make", "arboretum", "--administrator", "mira")
    assert refused(list, admin.project("arboretum").services).code == "not_found"
    admin.project("arboretum").members.set("ada", "viewer")
    assert list(admin.project("arboretum").services) == []
    names = [one["name"] for one in rondine.client("mira").project("arboretum").members.list()]
    assert names == ["ada", "mira"]
    rondine.client("mira").projects.remove("arboretum")


def test_a_closed_account_ends_at_once_and_opens_again(rondine, admin):
    client = newcomer(rondine, admin, "salix", "viewer")
    with httpx.Client(base_url=rondine.url) as browser:
        browser.post("/api/v1/session", json={"name": "salix", "password": PASSWORD}).raise_for_status()
        admin.people.change("salix", is_active=False)
        assert refused(client.session).code == "sign_in_needed"
        assert browser.get("/api/v1/session").status_code == 401
        assert refused(Client(rondine.url).sign_in, "salix", PASSWORD).code == "sign_in_needed"
    admin.people.change("salix", is_active=True)
    assert Client(rondine.url).sign_in("salix", PASSWORD)
    found = refused(admin.people.change, "ada", is_administrator=False)
    assert (found.code, found.where) == ("conflict", "/is_administrator")
    assert refused(admin.people.change, "ada", is_active=False).code == "conflict"


def test_only_administrators_of_the_installation_see_and_change_people(rondine, admin):
    mira = rondine.client("mira")
    for action in (mira.people.list, lambda: mira.people.make("x"), lambda: mira.people.change("ada", title="x")):
        assert refused(action).code == "not_allowed"
    assert refused(mira.people.reset_password, "ada").code == "not_allowed"
    assert refused(mira.people.tokens("ada").list).code == "not_allowed"
    assert refused(mira.people.tokens("ada").revoke, 1).code == "not_allowed"
    assert httpx.get(f"{rondine.url}/api/v1/people").status_code == 401
    ada = next(one for one in admin.people.list() if one["name"] == "ada")
    assert {"project": "olmara", "role": "administrator"} in ada["projects"]
    assert (ada["is_administrator"], ada["is_active"]) == (True, True)
    assert not any("password" in name for name in ada)


@pytest.mark.parametrize(
    ("password", "words"),
    [
        ("short", "at least 10 characters"),
        ("1234567890123", "entirely numeric"),
        ("password1234", "too common"),
        ("prunus-prunus", "too similar to the name"),
    ],
)
def test_a_weak_password_is_refused_with_its_reason(rondine, admin, password, words):
    found = refused(admin.people.make, "prunus-prunus", password=password)
    assert found.where == "/password" and words in found.message
    assert (
        words
        in server(rondine, "person", "make", "prunus-prunus", "--password-stdin", stdin=password, check=False).stderr
    )
    assert "prunus-prunus" not in [one["name"] for one in admin.people.list()]


def test_a_changed_password_ends_other_sessions_and_tokens(rondine, admin):
    client = newcomer(rondine, admin, "taxus")
    other = client.tokens.make("another")["token"]
    with httpx.Client(base_url=rondine.url) as browser:
        browser.post("/api/v1/session", json={"name": "taxus", "password": PASSWORD}).raise_for_status()
        assert refused(client.change_password, "wrong", "some-new-words-here").code == "sign_in_needed"
        client.change_password(PASSWORD, "some-new-words-here")
        assert browser.get("/api/v1/session").status_code == 401
    assert client.session()["name"] == "taxus"
    assert refused(Client(rondine.url, other).session).code == "sign_in_needed"
    made = admin.people.reset_password("taxus")
    assert refused(client.session).code == "sign_in_needed"
    assert Client(rondine.url).sign_in("taxus", made)


def test_tokens_are_listed_expire_and_are_revoked(rondine, admin):
    client = newcomer(rondine, admin, "acer")
    made = client.tokens.make("for the night job", days=10)
    program = Client(rondine.url, made["token"])
    assert program.session()["name"] == "acer"
    listed = {one["title"]: one for one in client.tokens.list()}
    assert set(listed) == {"client", "for the night job"}
    assert listed["for the night job"]["used_at"] and "token" not in listed["for the night job"]
    assert rondine.sql(
        "SELECT count(*) FROM access_apitoken WHERE position(%s in digest::text) > 0", made["token"]
    ) == [(0,)]

    found = refused(program.tokens.make, "a longer one", days=None)
    assert found.where == "/days" and "cannot outlast it" in found.message
    assert program.tokens.make("as long")["expires_at"] <= made["expires_at"]
    rondine.sql(
        "UPDATE access_apitoken SET expires_at = now() - interval '1 day' WHERE id = %s RETURNING 1", made["id"]
    )
    assert "the token expired on" in refused(program.session).message

    other = client.tokens.make("another")
    assert refused(rondine.client("mira").tokens.revoke, other["id"]).code == "not_found"
    client.tokens.revoke(other["id"])
    assert refused(Client(rondine.url, other["token"]).session).code == "sign_in_needed"
    admin.people.tokens("acer").revoke(listed["client"]["id"])
    assert refused(client.session).code == "sign_in_needed"


def test_guesses_from_elsewhere_do_not_lock_the_real_person_out(rondine, admin):
    newcomer(rondine, admin, "ulmus").close()

    def attempt(password, address):
        return httpx.post(
            f"{rondine.url}/api/v1/session",
            json={"name": "ulmus", "password": password},
            headers={"X-Forwarded-For": address},
            timeout=60,
        ).status_code

    with ThreadPoolExecutor(8) as pool:  # sent at once, so that none can be checked before the others are written down
        codes = list(pool.map(lambda _: attempt("a wrong guess", "198.51.100.7"), range(24)))
    assert codes.count(401) <= 10 and set(codes) == {401, 429}
    assert attempt(PASSWORD, "198.51.100.7") == 429  # also with the right one: from there nobody gets in by guessing
    assert attempt(PASSWORD, "127.0.0.1") == 200
    assert attempt("a wrong guess", "2001:db8:1:2::a") == 401
    rondine.sql("DELETE FROM access_signinattempt RETURNING 1")


def test_guesses_from_everywhere_close_the_name_to_strangers_only(rondine, admin):
    newcomer(rondine, admin, "fraxinus").close()
    rondine.sql(
        "INSERT INTO access_signinattempt (name, address, at)"
        " SELECT 'fraxinus', '203.0.113.' || mod(n, 120), now() FROM generate_series(1, 120) n RETURNING 1"
    )
    body = {"name": "fraxinus", "password": PASSWORD}
    stranger = {"X-Forwarded-For": "192.0.2.9"}
    assert httpx.post(f"{rondine.url}/api/v1/session", json=body, headers=stranger, timeout=60).status_code == 429
    assert httpx.post(f"{rondine.url}/api/v1/session", json=body, timeout=60).status_code == 200
    rondine.sql("DELETE FROM access_signinattempt RETURNING 1")


def test_the_first_people_and_projects_are_made_on_the_server(rondine):
    made = server(rondine, "person", "make", "quercus", "--title", "Quercus", "--administrator").stdout
    password = made.rpartition("password: ")[2].strip()
    assert "an administrator of this installation" in made
    assert "is its administrator" in server(rondine, "project", "make", "park", "--administrator", "quercus").stdout
    server(rondine, "person", "make", "betula", "--password-stdin", stdin=f"{PASSWORD}\n")
    assert server(rondine, "project", "member", "park", "betula", "builder").stdout == "betula is builder in park\n"
    assert "park: administrator" in server(rondine, "person", "list").stdout
    assert "betula (builder)" in server(rondine, "project", "list").stdout
    with Client(rondine.url) as client:
        client.sign_in("quercus", password)
        assert client.session()["projects"][0]["permissions"][0] == "administer"
        client.project("park").hosts.permit("register.example")
    for words, told in (
        (("person", "make", "quercus"), 'there is a person "quercus" already'),
        (("project", "make", "park", "--administrator", "quercus"), 'there is a project "park" already'),
        (("project", "member", "parc", "betula", "viewer"), 'did you mean "park"?'),
        (("person", "change", "betula"), "nothing to change"),
        (("project", "member", "park", "quercus", "none"), "would have no administrator"),
    ):
        found = server(rondine, *words, check=False)
        assert found.returncode == 1 and told.lower() in found.stderr.lower()
    new = server(rondine, "person", "password", "quercus").stdout.rpartition("password: ")[2].strip()
    assert new != password
    server(rondine, "person", "change", "betula", "--no-active")
    assert refused(Client(rondine.url).sign_in, "betula", PASSWORD).code == "sign_in_needed"


def test_people_projects_and_tokens_by_command(rondine):
    def rows(*words, person="ada"):
        return [json.loads(line) for line in rondine.cli(*words, person=person).stdout.splitlines()]

    made = rows("person", "make", "corylus", "--title", "Corylus")[0]
    assert made["made_password"]
    assert rondine.cli("member", "set", "corylus", "operator", person="ada", check=False).returncode == 0
    assert {row["name"]: row["role"] for row in rows("member", "list")}["corylus"] == "operator"
    assert "corylus" in {row["name"] for row in rows("person", "list")}
    rondine.cli("member", "remove", "corylus", person="ada")
    assert rows("person", "change", "corylus", "--no-active")[0]["is_active"] is False
    assert rondine.cli("person", "change", "corylus", person="ada", check=False).returncode == 2
    rondine.cli("person", "password", "corylus", "--password-stdin", person="ada", stdin=PASSWORD)

    rows("project", "make", "hedges", "--title", "Hedges")
    assert rows("project", "change", "hedges", "--title", "All hedges")[0]["title"] == "All hedges"
    rondine.cli("project", "remove", "hedges", person="ada")

    token = rows("token", "make", "for a script", "--days", "2", person="odo")[0]
    assert [row["id"] for row in rows("token", "list", "--of", "odo") if row["title"] == "for a script"] == [
        token["id"]
    ]
    rondine.cli("token", "revoke", str(token["id"]), person="odo")
    assert "not_found" not in rondine.cli("token", "revoke", str(token["id"]), person="odo", check=False).stdout
    assert rondine.cli("token", "revoke", str(token["id"]), person="odo", check=False).returncode == 1
    rondine.cli("person", "make", "tilia", "--password-stdin", person="ada", stdin=PASSWORD)
    with Client(rondine.url) as client:
        rondine._tokens["tilia"] = client.sign_in("tilia", PASSWORD)
    changed = rondine.cli("password", "--stdin", person="tilia", stdin=f"{PASSWORD}\nsome-other-words-here\n")
    assert "your password is changed" in changed.stderr
