"""Who is told of what: signed webhooks with CloudEvents, checked by a library that none of us wrote, and e-mail through
a real SMTP server."""

import json
from email import message_from_bytes

import psycopg
import pytest
from aiohttp import web
from aiosmtpd.controller import Controller
from standardwebhooks.webhooks import Webhook
from tests.desk import Desk
from tests.made_feed import ROWS, feed, whole
from tests.whole_rondine import wait_until

from rondine_client import RondineProblem

KEY = "whsec_MfKQ9r8GKYqrTwjUPD8ILPZIo2LaLaSw"


@pytest.fixture
def receiver(rondine, serve):
    """An application that is told; it answers as a test says."""

    class Receiver:
        status = 204
        messages: list[tuple[str, list]] = []

    async def answer(request):
        body = await request.read()
        events = Webhook(KEY).verify(body, dict(request.headers))
        Receiver.messages.append((request.headers["webhook-id"], events))
        return web.Response(status=Receiver.status)

    outside = serve(answer)
    rondine.permit(outside.port)
    office = rondine.office()
    name = f"hook-{outside.port}"
    office.credentials.make(name, environment="test")
    office.credentials.set_secrets(name, signing_key=KEY)
    Receiver.url, Receiver.credential, Receiver.messages = f"{outside.url}/told", name, []
    return Receiver


def subscribe(rondine, receiver, name, about, **by):
    document = {"about": about, "by": {"type": "webhook", "address": receiver.url, **by}}
    made = rondine.office().subscriptions.make(
        name, environment="test", credential=receiver.credential, document=document
    )
    assert made["problems"] == [], made["problems"]
    return made


def told(receiver):
    return [
        (event["type"].removeprefix("rondine."), event["data"]) for _, events in receiver.messages for event in events
    ]


def test_a_feed_that_fails_recovers_and_drifts_is_told_once_each(rondine, trees, receiver):
    name = feed(rondine, trees, "told-feed", whole(ROWS), document={"retrying": {"max_retries": 0}})
    subscribe(rondine, receiver, "of-feeds", {"type": "feeds", "feeds": [name]})
    rondine.finish(name)
    trees.pages = [{"trees": "none"}]
    for _ in range(2):
        assert rondine.finish(name)["state"] == "failed"
    trees.pages = whole([{**row, "crown": 3} for row in ROWS])
    rondine.finish(name)
    rondine.finish(name)
    trees.pages = [{"trees": ROWS, "has_more": True}]
    rondine.finish(name)
    wait_until(lambda: len(told(receiver)) >= 5)
    kinds = [kind for kind, _ in told(receiver)]
    assert kinds == ["feed.failed", "feed.recovered", "feed.drift", "feed.incomplete", "feed.drift"], told(receiver)
    failed = told(receiver)[0][1]
    assert failed["feed"] == name and failed["message"] and failed["run"]
    event = receiver.messages[0][1][0]
    assert (
        event["specversion"] == "1.0" and event["source"].endswith("/environments/test") and event["time"].endswith("Z")
    )
    shown = [json.loads(line) for line in rondine.cli("event", "list", "--feed", name).stdout.splitlines()]
    assert [event["kind"] for event in shown] == ["drift", "incomplete", "drift", "recovered", "failed"]
    assert rondine.office().subscriptions.get("of-feeds")["told"] == 5


def test_changes_of_records_are_told_in_order_again_until_they_are_taken(rondine, trees, receiver):
    name = feed(rondine, trees, "told-records", whole(ROWS), type_document={"history": "all"})
    subscribe(rondine, receiver, "of-records", {"type": "records", "record_type": name}, batch=4)
    receiver.status = 503
    rondine.finish(name)
    wait_until(lambda: receiver.messages)
    held = wait_until(lambda: (found := rondine.office().subscriptions.get("of-records"))["failures"] and found)
    assert held["error"]["message"] == "it answered 503 Service Unavailable" and held["told"] == 0
    trees.pages = whole([{**ROWS[0], "girth": 1.5}, *ROWS[1:5]])
    rondine.finish(name)
    receiver.status = 200
    with psycopg.connect(rondine.uri, autocommit=True) as connection:  # in place of waiting for the pause
        connection.execute("UPDATE subscriptions_subscription SET next_at = now() WHERE name = 'of-records'")
    wait_until(lambda: rondine.office().subscriptions.get("of-records")["told"] == 8)
    first, *rest = receiver.messages
    assert rest[0][0] == first[0]  # the same message by its id, though more had happened
    assert [event["id"] for event in rest[0][1]] == [event["id"] for event in first[1]]
    taken = [event for _, events in rest for event in events]
    assert [(event["type"], event["subject"]) for event in taken] == [
        *(("rondine.record.created", row["number"]) for row in ROWS),
        ("rondine.record.changed", "OLM-1"),
        ("rondine.record.gone", "OLM-6"),
    ]
    assert len({event["id"] for event in taken}) == 8
    changed = taken[6]["data"]
    assert (changed["before"], changed["after"], changed["record"]["girth"]) == (
        {"girth": "1"},
        {"girth": "1.5"},
        "1.5",
    )


def test_what_keeps_a_subscription_from_telling_is_said(rondine, trees, receiver):
    name = feed(rondine, trees, "judged-records", whole(ROWS))
    office = rondine.office()
    made = office.subscriptions.make(
        "judged",
        environment="test",
        document={
            "about": {"type": "records", "record_type": name},
            "by": {"type": "webhook", "address": "https://elsewhere.example/told"},
        },
    )
    assert {problem["where"] for problem in made["problems"]} == {"/about/kinds", "/by/address", "/credential"}
    told_of = rondine.cli("subscription", "make", "judged-mail", "--email", "ines").stdout
    assert '"/by/to/0"' in told_of
    office.feeds.change(name, version=office.feeds.get(name)["version"], name="judged-feed")
    made = office.subscriptions.make(
        "of-renamed",
        environment="test",
        credential=receiver.credential,
        document={
            "about": {"type": "feeds", "feeds": ["judged-feed"]},
            "by": {"type": "webhook", "address": receiver.url},
        },
    )
    feed_now = office.feeds.get("judged-feed")
    office.feeds.change("judged-feed", version=feed_now["version"], name=name)
    assert office.subscriptions.get("of-renamed")["document"]["about"]["feeds"] == [name]


def test_whoever_started_a_run_in_the_background_can_be_told_of_its_end(rondine, trees, receiver):
    name = feed(rondine, trees, "ended-feed", whole(ROWS))
    subscribe(rondine, receiver, "of-ends", {"type": "feeds", "feeds": [name], "events": ["ended"]})
    run = rondine.office().feeds.run(name)
    wait_until(lambda: told(receiver))
    ((kind, data),) = told(receiver)
    assert (kind, data["run"], data["state"], data["completeness"]) == ("feed.ended", run["id"], "done", "complete")


def test_a_feed_that_had_no_good_run_for_too_long_is_late_once(rondine, trees, receiver):
    name = feed(rondine, trees, "late-feed", whole(ROWS), document={"late_after": "PT2S"})
    subscribe(rondine, receiver, "of-late", {"type": "feeds", "feeds": [name], "events": ["late", "recovered"]})
    wait_until(lambda: told(receiver))
    assert "no good run for PT2S; it never had one" in told(receiver)[0][1]["message"]
    rondine.finish(name)
    wait_until(lambda: len(told(receiver)) >= 2)
    assert [kind for kind, _ in told(receiver)][:2] == ["feed.late", "feed.recovered"]


def test_people_are_told_by_e_mail(rondine, trees, monkeypatch, tmp_path):
    mails = []

    class Handler:
        async def handle_DATA(self, server, session, envelope):
            mails.append((envelope.rcpt_tos, message_from_bytes(envelope.content)))
            return "250 OK"

    smtp = Controller(Handler(), hostname="127.0.0.1", port=rondine.smtp_port)
    smtp.start()
    try:
        name = feed(rondine, trees, "mailed-feed", [{"trees": "none"}], document={"retrying": {"max_retries": 0}})
        office = rondine.office()
        made = office.subscriptions.make(
            "by-mail",
            environment="test",
            document={
                "about": {"type": "feeds", "feeds": [name]},
                "by": {"type": "email", "to": ["ines@olmara.example"]},
            },
        )
        assert made["problems"] == []
        run = rondine.finish(name)
        subject = f"feed {name}: failed"
        to, mail = wait_until(lambda: next((each for each in mails if each[1]["Subject"] == subject), None))
    finally:
        smtp.stop()
    assert to == ["ines@olmara.example"]
    text = mail.get_payload(decode=True).decode()
    assert run["error"]["message"] in text and f"run {run['id']}" in text


def test_an_application_is_told_when_its_calls_in_the_background_end(rondine, serve):
    desk = Desk(rondine, serve, "told-calls")
    came = []

    async def answer(request):
        events = Webhook(KEY).verify(await request.read(), dict(request.headers))
        came.extend((event["type"], event["subject"], event["data"]) for event in events)
        return web.Response(status=204)

    outside = serve(answer)
    desk.admin.hosts.permit("127.0.0.1", outside.port, is_private=True)
    desk.project.credentials.make("hook", environment="test")
    desk.project.credentials.set_secrets("hook", signing_key=KEY)
    early = desk.use.start("get-tree", {"number": "OLM-1"})
    wait_until(lambda: desk.use.run(early["number"])["state"] == "done")
    words = ["subscription", "make", "answers", "--calls", "desk", "--credential", "hook"]
    rondine.cli("--project", desk.name, *words, "--webhook", f"{outside.url}/answers")
    good = desk.use.start("get-tree", {"number": "OLM-2"})
    wait_until(lambda: came)
    desk.use.call("get-tree", {"number": "OLM-2"})  # not in the background
    bad = desk.use.start("get-tree", {"number": "none"})
    wait_until(lambda: len(came) >= 2)
    desk.seconds = 3
    slow = [desk.use.start("plan", {"task": f"task {number}"}) for number in range(60)]
    last = slow[-1]["number"]
    desk.project.runs.cancel(last)
    desk.seconds = 0
    ended = wait_until(lambda: [one for one in came if one[1] == f"runs/{last}"])
    kind, subject, data = came[0]
    assert (kind, subject, data["application"], data["operation"], data["state"], data["status"]) == (
        *("rondine.call.ended", f"runs/{good['number']}", "desk", "get-tree", "done", 200),
    )
    assert data["address"] == good["run"] and "OLM" not in json.dumps(data)
    assert (came[1][1], came[1][2]["state"], came[1][2]["status"]) == (f"runs/{bad['number']}", "failed", 502)
    assert "nothing at this address" in came[1][2]["message"] and ended[0][2]["state"] == "cancelled"
    with pytest.raises(RondineProblem, match="it was cancelled"):
        desk.use.reply(last)
    wait_until(lambda: len(came) == 62)
    assert len({one[1] for one in came}) == 62 and len(desk.planned) == 59
    shown = list(desk.project.events.search(application="desk", kind="call_ended", limit=3))
    assert len(shown) == 3 and shown[0]["run"] and shown[0]["feed"] == ""
