"""What services send by themselves: verified, stored, mapped in the order that it says itself, acted on once. Signed by
a library that none of us wrote."""

import base64
import hashlib
import hmac
import json
import random
from datetime import UTC, datetime, timedelta

import httpx
import pytest
import requests
from standardwebhooks.webhooks import Webhook
from tests.made_feed import ROWS, feed, whole
from tests.whole_rondine import wait_until

#: Deliveries; with 1,000 it takes a minute longer.
MANY = 300
KEY = "whsec_MfKQ9r8GKYqrTwjUPD8ILPZIo2LaLaSw"


@pytest.fixture
def make(rondine, trees):
    """A webhook with a credential; of deliveries that are one tree each, unless it is to become something else."""

    def made(name, *, key=KEY, becomes=None, **document):
        office = rondine.office()
        if becomes is None:
            kinds = {"number": "text", "girth": "decimal", "version": "integer"}
            feed(rondine, trees, name, whole([]), kinds=kinds, rows=[{"level": "tree", "at": {"jsonpath": "$.tree"}}])
            becomes = {"type": "records", "mapping": name, "newest_by": "version"}
        office.credentials.make(f"{name}-key", environment="test")
        office.credentials.set_secrets(f"{name}-key", signing_key=key)
        webhook = office.webhooks.make(
            name, environment="test", credential=f"{name}-key", document={"becomes": becomes, **document}
        )
        assert webhook["problems"] == [], webhook["problems"]
        return f"{rondine.url}{webhook['path']}"

    return made


def send(url, value, *, mark="m-1", key=KEY, at=None, **options):
    body = json.dumps(value)
    at = at or datetime.now(UTC)
    headers = {
        "webhook-id": mark,
        "webhook-timestamp": str(int(at.timestamp())),
        "webhook-signature": Webhook(key).sign(mark, at, body),
        "Content-Type": "application/json",
    }
    return httpx.post(url, content=body, headers=headers, **options)


def data_of(rondine, name):
    return {record["key"][0]: record["data"] for record in rondine.office().records.search("test", name)}


def settled(rondine, name):
    wait_until(lambda: rondine.office().webhooks.get(name)["waiting"] == 0)


def test_many_deliveries_repeated_and_out_of_order_are_as_they_would_be_in_order(rondine, make):
    url = make("tree-changes", becomes=None)
    chance = random.Random(7)
    changes = [
        {"tree": {"number": f"OLM-{chance.randrange(60)}", "girth": version / 100, "version": version}}
        for version in range(1, MANY + 1)
    ]
    expected = {change["tree"]["number"]: change["tree"]["version"] for change in changes}
    marked = [(f"d-{number}", change) for number, change in enumerate(changes)]
    sent = marked + chance.sample(marked, MANY // 10)
    chance.shuffle(sent)
    with requests.Session() as client:
        for mark, change in sent:
            body = json.dumps(change)
            now = datetime.now(UTC)
            headers = {
                "webhook-id": mark,
                "webhook-timestamp": str(int(now.timestamp())),
                "webhook-signature": Webhook(KEY).sign(mark, now, body),
                "Content-Type": "application/json",
            }
            answer = client.post(url, data=body, headers=headers, timeout=30)
            assert answer.status_code == 202, answer.text
    settled(rondine, "tree-changes")
    kept = data_of(rondine, "tree-changes")
    assert {number: record["version"] for number, record in kept.items()} == expected
    assert all(float(record["girth"]) == record["version"] / 100 for record in kept.values())
    counted = rondine.sql(
        "SELECT count(*), sum(repeated) FROM webhooks_delivery d JOIN webhooks_webhook w ON w.id = d.webhook_id WHERE w.name = 'tree-changes'"
    )
    assert counted == [(MANY, MANY // 10)]
    runs = [run for run in rondine.office().runs.search(kind="webhook") if run["title"] == "tree-changes"]
    assert sum(count["rows"] for run in runs for count in run["counts"]) == MANY
    assert all(run["by"] is None and run["begun_by"] == "webhook tree-changes" for run in runs)
    # each record leads back to the delivery that made it
    record = rondine.office().records.get("test", "tree-changes", next(iter(expected)))
    assert record["feeds"] == ["tree-changes"] and record["trace"]["row"]["fields"][0]["pointer"] == "/tree/number"


def test_a_wrong_signature_leaves_no_trace(rondine, make):
    url = make("guarded-hook")
    tree = {"tree": {"number": "OLM-1", "girth": 1, "version": 1}}
    old = datetime.now(UTC) - timedelta(minutes=6)
    for answer in (
        send(url, tree, key="whsec_c2VjcmV0LW9mLXNvbWVib2R5LWVsc2U="),
        send(url, tree, at=old),
        httpx.post(url, json=tree),
        httpx.post(
            url,
            content=b"{",
            headers={"webhook-id": "é".encode(), "webhook-timestamp": "now", "webhook-signature": "v1,x"},
        ),
    ):
        assert (answer.status_code, answer.json()["code"]) == (401, "not_authentic")
    assert send(url.replace("guarded-hook", "no-such-hook"), tree).status_code == 404
    assert rondine.sql(
        "SELECT count(*) FROM webhooks_delivery d JOIN webhooks_webhook w ON w.id = d.webhook_id WHERE w.name = 'guarded-hook'"
    ) == [(0,)]
    assert data_of(rondine, "guarded-hook") == {}
    # what cannot be read is kept with its reason, and the others go on
    assert send(url, [1, 2], mark="odd").json() == {"is_new": True}
    assert send(url, tree, mark="good").status_code == 202
    settled(rondine, "guarded-hook")
    lines = [json.loads(line) for line in rondine.cli("webhook", "deliveries", "guarded-hook").stdout.splitlines()]
    assert {line["mark"]: line["state"] for line in lines} == {"good": "done", "odd": "failed"}
    assert list(data_of(rondine, "guarded-hook")) == ["OLM-1"]


def test_what_is_removed_is_gone_and_nothing_older_brings_it_back(rondine, make):
    removed = [{"from": "event", "is": "equal", "value": "removed"}]
    url = make("taken-away")
    office = rondine.office()
    held = office.webhooks.get("taken-away")
    document = held["document"]
    document["becomes"]["removed_when"] = removed
    office.webhooks.change("taken-away", version=held["version"], document=document)
    send(url, {"tree": {"number": "OLM-1", "girth": 1, "version": 3}}, mark="a")
    settled(rondine, "taken-away")
    send(url, {"event": "removed", "tree": {"number": "OLM-1", "version": 5}}, mark="b")
    send(url, {"event": "removed", "tree": {"number": "OLM-2", "version": 5}}, mark="c")  # before it ever came
    settled(rondine, "taken-away")
    assert data_of(rondine, "taken-away") == {}
    send(url, {"tree": {"number": "OLM-1", "girth": 2, "version": 4}}, mark="d")
    send(url, {"tree": {"number": "OLM-2", "girth": 2, "version": 4}}, mark="e")
    settled(rondine, "taken-away")
    assert data_of(rondine, "taken-away") == {}
    send(url, {"tree": {"number": "OLM-1", "girth": 3, "version": 6}}, mark="f")
    settled(rondine, "taken-away")
    assert data_of(rondine, "taken-away") == {"OLM-1": {"number": "OLM-1", "girth": "3", "version": 6}}
    kinds = [change["kind"] for change in office.records.changes("test", "taken-away", "OLM-1")["items"]]
    assert kinds == ["returned", "gone", "changed"]


def test_a_delivery_starts_a_run_of_a_feed_once(rondine, trees, make):
    name = feed(rondine, trees, "woken", whole(ROWS))
    url = make("waker", becomes={"type": "run", "feed": name})
    assert send(url, {"ready": True}, mark="w-1").json() == {"is_new": True}
    assert send(url, {"ready": True}, mark="w-1").json() == {"is_new": False}
    runs = wait_until(lambda: [run for run in rondine.office().runs.search(feed=name) if run["state"] == "done"])
    settled(rondine, "waker")
    assert [(run["begun_by"], run["counts"][0]["created"]) for run in runs] == [("webhook waker", 6)]
    assert len(list(rondine.office().runs.search(feed=name))) == 1


@pytest.mark.parametrize(
    ("name", "proof", "headers"),
    [
        (
            "hex-hook",
            {"type": "hmac", "header": "X-Signature", "prefix": "sha256="},
            lambda body: {"X-Signature": "sha256=" + hmac.new(b"a key of the crew", body, hashlib.sha256).hexdigest()},
        ),
        (
            "base64-hook",
            {"type": "hmac", "header": "X-Signature", "algorithm": "sha1"},
            lambda body: {
                "X-Signature": base64.b64encode(hmac.new(b"a key of the crew", body, hashlib.sha1).digest()).decode()
            },
        ),
        (
            "shared-hook",
            {"type": "shared_header", "header": "Authorization", "prefix": "Bearer "},
            lambda body: {"Authorization": "Bearer a key of the crew"},
        ),
    ],
)
def test_other_forms_of_proof_are_verified_and_content_tells_deliveries_apart(rondine, make, name, proof, headers):
    url = make(name, key="a key of the crew", proof=proof, id_header="")
    body = json.dumps({"tree": {"number": "OLM-1", "girth": 1, "version": 1}}).encode()
    assert httpx.post(url, content=body, headers=headers(body)).json() == {"is_new": True}
    assert httpx.post(url, content=body, headers=headers(body)).json() == {"is_new": False}
    wrong = {key: value.replace("a", "b").replace("A", "B") for key, value in headers(body).items()}
    assert httpx.post(url, content=body + b" ", headers=wrong).status_code == 401
    settled(rondine, name)
    assert list(data_of(rondine, name)) == ["OLM-1"]


def test_a_challenge_is_answered(rondine, make):
    url = make("challenged", challenge={"parameter": "challenge", "member": "/challenge"})
    assert httpx.get(url, params={"challenge": "prove it"}).json() == "prove it"
    assert httpx.post(url, json={"challenge": "prove it"}).json() == {"challenge": "prove it"}
    assert httpx.get(url).status_code == 404


def test_what_keeps_a_webhook_from_working_is_said(rondine):
    told = rondine.cli("webhook", "make", "judged-hook", "--runs", "no-such-feed", "--signed-in", "X-Signature").stdout
    made = json.loads(told.splitlines()[0])
    assert {problem["where"] for problem in made["problems"]} == {"/credential", "/becomes/feed"}
    assert made["path"] == "/api/v1/hooks/olmara/judged-hook"
