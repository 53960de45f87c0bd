"""Rounds in which something dies at a moment that nobody chose, while a feed runs, another is due again and again, and
deliveries come in; and the same rounds again undisturbed, to compare with."""

import json
import random
import signal
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from datetime import UTC, datetime
from typing import Any, TypeVar

import httpx
import psycopg
from standardwebhooks.webhooks import Webhook

from rondine_client import RondineProblem
from tests.whole_rondine import WholeRondine, wait_until

T = TypeVar("T")
#: Of a run's rows: what became of them.
OUTCOMES = ("rows", "created", "changed", "unchanged", "repeated", "rejected", "filtered", "unseen", "gone")
KEY = "whsec_MfKQ9r8GKYqrTwjUPD8ILPZIo2LaLaSw"
DELIVERIES = 8
#: Of /v1/pages/offset, so that many calls are under way.
PAGING = {"type": "offset", "total_header": "X-Total-Count"}
LIMIT = 60


def kill_worker(rondine: WholeRondine) -> None:
    rondine.end("worker", signal.SIGKILL)
    rondine.start_worker()


def kill_web(rondine: WholeRondine) -> None:
    rondine.end("web", signal.SIGKILL)
    rondine.spawn("web", "-m", "rondine.server.main", "serve", "--port", str(rondine.port))


def break_connections(rondine: WholeRondine) -> None:
    """Every connection to the database ends, as when PostgreSQL is started again."""
    with psycopg.connect(rondine.cluster_uri, autocommit=True) as connection:
        words = "SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE datname = %s"
        connection.execute(words, (rondine.database,))


KILLS: dict[str, Callable[[WholeRondine], None]] = {
    "worker": kill_worker,
    "web": kill_web,
    "connections": break_connections,
}


def at_last(action: Callable[[], T], seconds: float = 90.0) -> T:
    """What an action gives, when whoever has to answer is there again."""
    until = time.monotonic() + seconds
    while True:
        try:
            return action()
        except (RondineProblem, httpx.HTTPError, OSError, psycopg.OperationalError) as error:
            passing = not isinstance(error, RondineProblem) or error.status in (0, 500, 502, 503)
            if not passing or time.monotonic() > until:
                raise
            time.sleep(0.3)


class Rounds:
    """kills: what may die, by name.  seed: of all that is random."""

    def __init__(self, rondine: WholeRondine, name: str, seed: int) -> None:
        self.rondine, self.name = rondine, name
        self.chance = random.Random(seed)
        self.office = rondine.office()
        self.runs: list[dict[str, Any]] = []
        self.died: list[str] = []
        rondine.feed(name, "/v1/pages/offset", paging=PAGING, limit=LIMIT)
        self._change(name, {"parallel": 4, "retrying": {"first_pause": 0.1, "max_pause": 1}, "gone": {"most_share": 1}})
        hook = f"{name}-told"
        fields = [{"name": "number", "type": "text"}, {"name": "version", "type": "integer"}]
        self.office.record_types.make(hook, document={"key": ["number"], "fields": fields})
        filled = [{"name": "number", "from": "number"}, {"name": "version", "from": "version"}]
        rows = [{"level": "told", "at": {"jsonpath": "$.told"}}]
        mapping = {"outputs": [{"record_type": hook, "rows": rows, "fields": filled}]}
        self.office.mappings.make(hook, service=name, document=mapping)
        self.office.credentials.make(f"{hook}-key", environment="test")
        self.office.credentials.set_secrets(f"{hook}-key", signing_key=KEY)
        becomes = {"type": "records", "mapping": hook, "newest_by": "version"}
        made = self.office.webhooks.make(
            hook, environment="test", credential=f"{hook}-key", document={"becomes": becomes}
        )
        self.url = f"{rondine.url}{made['path']}"

    def _change(self, feed: str, document: dict[str, Any]) -> None:
        held = self.office.feeds.get(feed)
        self.office.feeds.change(feed, version=held["version"], document={**held["document"], **document})

    def play(self, number: int, kill: str = "", kills: dict[str, Callable[[WholeRondine], None]] = KILLS) -> None:
        """One round: the register changes, the feed runs, deliveries come in, and something may die meanwhile."""
        self.rondine.control(delay=0.03, felled=(number * 37) % 300, grown=3 + number % 5)
        run = at_last(lambda: self.office.feeds.run(self.name, mark=f"{self.name}-{number}"))
        # processes end with the thread that started them, so it is this one that kills
        with ThreadPoolExecutor(1) as pool:
            sent = pool.submit(self._deliver_all, number)
            if kill:
                time.sleep(self.chance.uniform(0.0, 2.0))
                kills[kill](self.rondine)
                self.died.append(kill)
            sent.result()
        self.runs.append(at_last(lambda: self._ended(run["id"])))

    def _deliver_all(self, number: int) -> None:
        for one in range(DELIVERIES):
            self._deliver(number * DELIVERIES + one)

    def _deliver(self, version: int) -> None:
        body = json.dumps({"told": {"number": f"OLM-{version % 20}", "version": version}})
        mark, at = f"{self.name}-{version}", datetime.now(UTC)
        headers = {
            "webhook-id": mark,
            "webhook-timestamp": str(int(at.timestamp())),
            "webhook-signature": Webhook(KEY).sign(mark, at, body),
            "Content-Type": "application/json",
        }
        at_last(lambda: httpx.post(self.url, content=body, headers=headers, timeout=20).raise_for_status())

    def _ended(self, run_id: int) -> dict[str, Any]:
        until = time.monotonic() + 180
        while True:
            run: dict[str, Any] = self.office.runs.get(run_id)  # type: ignore[assignment]
            if run["state"] in ("done", "failed", "cancelled"):
                return run
            assert time.monotonic() < until, f"run {run_id} does not end: {run}"
            time.sleep(0.3)

    def story(self) -> dict[str, Any]:
        """All that is there in the end, but for what tells when and by which run it came."""
        hook = f"{self.name}-told"
        wait_until(lambda: at_last(lambda: self.office.webhooks.get(hook))["waiting"] == 0, 90)
        return {
            "runs": [
                (run["state"], run["completeness"], {name: one[name] for name in OUTCOMES})
                for run in self.runs
                for one in run["counts"]
            ],
            "records": self._records(self.name),
            "told": self._records(hook),
            "changes": self._changes(),
            "deliveries": len({one["mark"] for one in self.office.webhooks.deliveries(hook)}),
            "failed deliveries": [one for one in self.office.webhooks.deliveries(hook) if one["error"]],
        }

    def _records(self, record_type: str) -> dict[str, Any]:
        rows = self.rondine.sql(
            "SELECT r.key, r.data, r.gone_at IS NOT NULL, s.count FROM records_record r JOIN records_recordset s"
            " ON s.id = r.set_id JOIN records_recordtype t ON t.id = s.record_type_id WHERE t.name = %s",
            record_type,
        )
        return {key: rest for key, *rest in rows}

    def _changes(self) -> dict[str, list[Any]]:
        rows = self.rondine.sql(
            "SELECT c.key, c.kind, c.before, c.after FROM records_recordchange c JOIN records_recordset s"
            " ON s.id = c.set_id JOIN records_recordtype t ON t.id = s.record_type_id WHERE t.name = %s ORDER BY c.id",
            self.name,
        )
        found: dict[str, list[Any]] = {}
        for key, *change in rows:
            found.setdefault(key, []).append(change)
        return found


def schedule(rondine: WholeRondine, name: str, every: str) -> None:
    """A feed that is due again and again."""
    office = rondine.office()
    rondine.feed(name, "/v1/pages/offset", paging=PAGING, limit=400)
    held = office.feeds.get(name)
    document = {**held["document"], "schedule": {"type": "interval", "every": every}}
    office.feeds.change(name, version=held["version"], document=document)


def due_times(rondine: WholeRondine, name: str) -> list[datetime]:
    """The times that were due of the runs of a feed, in the order in which these began."""
    rows = rondine.sql(
        "SELECT r.due_at FROM runs_run r JOIN feeds_feed f ON f.id = r.feed_id WHERE f.name = %s ORDER BY r.id", name
    )
    return [at for (at,) in rows if at is not None]


def check_schedule(rondine: WholeRondine, name: str) -> int:
    """Every time that was due began one run, and runs go on; gives how many there were."""
    due = due_times(rondine, name)
    assert len(due) == len(set(due)), "a time was due twice"
    assert due == sorted(due)
    newest = due[-1]
    with suppress(psycopg.OperationalError):
        wait_until(
            lambda: rondine.sql(
                "SELECT 1 FROM runs_run r JOIN feeds_feed f ON f.id = r.feed_id WHERE f.name = %s AND r.due_at > %s",
                name,
                newest,
            ),
            60,
        )
    return len(due)
