"""The client library against a real service: what it asks, what it raises, and streams that go on after a break."""

import threading
import time

import pytest

from rondine_client import Client, RondineProblem, Unreachable


def test_a_watched_run_is_told_to_its_end_although_the_stream_breaks(rondine, bridge, slow_run):
    run = slow_run("watched")
    states = []
    with Client(bridge.url, rondine.token()) as client:
        for told in client.project("olmara").runs.watch(run):
            states.append((told["state"], str(told)))
            if len(states) == 1:
                bridge.is_down = True
                bridge.break_off()
                threading.Timer(1.5, lambda: setattr(bridge, "is_down", False)).start()
    assert states[-1][0] == "done" and bridge.lines >= 2
    assert len(states) == len(set(states))  # nothing is told twice


def test_a_service_that_stays_away_ends_the_watching_with_what_to_do(rondine, bridge, slow_run):
    run = slow_run("watched-in-vain")
    began = time.monotonic()
    with Client(bridge.url, rondine.token()) as client, pytest.raises(Unreachable) as raised:
        for _ in client.project("olmara").runs.watch(run, patience=1.0):
            bridge.is_down = True
            bridge.break_off()
    assert raised.value.code == "unreachable" and "start the service" in raised.value.hint
    assert 1.0 <= time.monotonic() - began < 20


def test_watching_what_is_not_there_is_refused_at_once(rondine, bridge):
    with Client(bridge.url, rondine.token()) as client, pytest.raises(RondineProblem) as raised:
        next(client.project("olmara").runs.watch(10**9))
    assert (raised.value.status, raised.value.code) == (404, "not_found")
    bridge.is_down = True
    bridge.break_off()
    with Client(bridge.url, rondine.token()) as client, pytest.raises(Unreachable):
        next(client.project("olmara").runs.watch(1))


def test_an_answer_that_breaks_off_is_unreachable_and_the_next_one_comes(rondine, bridge):
    with Client(bridge.url, rondine.token()) as client:
        assert client.session()["name"] == "mira"
        bridge.is_down = True
        bridge.break_off()
        with pytest.raises(Unreachable, match="cannot reach Rondine at"):
            client.session()
        bridge.is_down = False
        assert client.session()["name"] == "mira"


def test_items_are_made_changed_saved_and_removed_by_the_version_that_was_seen(rondine):
    types = rondine.office().record_types
    document = {"fields": [{"name": "number", "type": "text"}], "key": ["number"]}
    made = types.make("client-tree", document=document, title="Trees of a client")
    assert (made["version"], types.get("client-tree")["title"]) == (1, "Trees of a client")
    changed = types.change("client-tree", version=1, title="Changed", why="it was wrong")
    assert changed["version"] == 2
    with pytest.raises(RondineProblem) as raised:
        types.change("client-tree", version=1, title="Too late")
    assert (raised.value.code, raised.value.document["current"]["title"]) == ("changed_meanwhile", "Changed")
    assert types.save("client-tree", title="Saved")["version"] == 3
    assert [revision["version"] for revision in types.revisions("client-tree")] == [3, 2, 1]
    assert types.revisions("client-tree")[1]["why"] == "it was wrong"
    with pytest.raises(RondineProblem) as raised:
        types.make("client-tree", document={"feilds": []})
    assert raised.value.where == "/document/feilds" and "fields" in raised.value.hint
    types.remove("client-tree")
    with pytest.raises(RondineProblem) as raised:
        types.get("client-tree")
    assert raised.value.code == "not_found"


def test_a_long_list_is_walked_to_its_end_and_searched_by_name(rondine):
    types = rondine.office().record_types
    document = {"fields": [{"name": "number", "type": "text"}], "key": ["number"]}
    wanted = [f"many-{number:03}" for number in range(120)]  # more than a page
    for name in wanted:
        types.make(name, document=document)
    assert [one["name"] for one in types.search("many-")] == wanted
    assert [one["name"] for one in types.search("many-07")] == [f"many-07{digit}" for digit in range(10)]
    assert set(wanted) <= {one["name"] for one in types}
    for name in wanted:
        types.remove(name)


def test_a_client_without_a_token_is_told_to_sign_in_and_one_with_a_wrong_password_is_not_let_in(rondine):
    with Client(rondine.url) as client:
        with pytest.raises(RondineProblem) as raised:
            client.session()
        assert raised.value.status == 401 and raised.value.hint
        with pytest.raises(RondineProblem) as raised:
            client.sign_in("mira", "not it")
        assert raised.value.status in (400, 401)
        token = client.sign_in("mira", rondine.passwords["mira"], "of a test")
        assert client.session()["name"] == "mira"
        client.sign_out()
        with pytest.raises(RondineProblem):
            client.session()
    with Client(rondine.url, token) as client, pytest.raises(RondineProblem):
        client.session()


def test_names_with_odd_characters_stay_one_step_of_the_path(rondine):
    office = rondine.office()
    for name in ("a/b", "..", "a?b=c", "ä", "%2e%2e"):
        with pytest.raises(RondineProblem) as raised:
            office.services.get(name)
        assert raised.value.status in (400, 404), name


def test_two_threads_share_a_client(rondine):
    office = rondine.office()
    found = []

    def ask():
        found.append([one["name"] for one in office.environments.list()])

    threads = [threading.Thread(target=ask) for _ in range(8)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert len(found) == 8 and all(names == found[0] and "test" in names for names in found)
