"""Feeds that run when a field of a kept record changes: once for each real change, and for none from before."""

import json

from aiohttp import web
from tests.made_feed import ROWS, feed, whole
from tests.whole_rondine import wait_until


def ended(rondine, name):
    runs = list(rondine.office().runs.search(feed=name))
    return [run for run in runs if run["state"] == "done"] if all(run["ended_at"] for run in runs) else []


def watch_mark(rondine, name):
    return rondine.sql("SELECT watch_mark FROM feeds_feed WHERE name = %s", name)[0][0]


def test_a_run_starts_once_for_each_real_change_of_a_field(rondine, trees, serve):
    source = feed(rondine, trees, "watched-trees", whole(ROWS))
    rondine.finish(source)
    asked = []

    def answer(request):
        asked.append(request.path)
        return web.json_response({"care": [{"id": request.path, "work": "look again"}], "next": None})

    outside = serve(answer)
    rondine.permit(outside.port)
    office = rondine.office()
    service = rondine.connect("watch-looking", outside.url)
    operation = {"path": "/trees/{number}", "inputs": [{"name": "number", "required": True}]}
    office.operations.make("watch-look", service=service, document=operation)
    fields = [{"name": "id", "type": "text"}, {"name": "work", "type": "text"}]
    office.record_types.make("watch-look", document={"fields": fields, "key": ["id"]})
    rules = [{"name": name, "from": name} for name in ("id", "work")]
    mapping = {
        "outputs": [{"record_type": "watch-look", "rows": [{"level": "care", "at": "care[*]"}], "fields": rules}]
    }
    office.mappings.make("watch-look", service=service, document=mapping)
    made = office.feeds.make(
        "look-again",
        operation="watch-look",
        mapping="watch-look",
        environment="test",
        document={
            "for_each": {"record_type": source},
            "schedule": {"type": "watch", "record_type": source, "field": "girth", "when": "rises"},
        },
    )
    assert made["problems"] == [] and made["schedule_words"] == "when girth of a record of watched-trees rises"
    wait_until(lambda: watch_mark(rondine, "look-again") is not None)
    # nothing that was there before, nothing unchanged, no fall
    rondine.finish(source)
    trees.pages = whole([{**ROWS[0], "girth": 0.5}, *ROWS[1:]])
    rondine.finish(source)
    # two trees grew: one run, for these two alone
    trees.pages = whole([{**ROWS[0], "girth": 2}, {**ROWS[1], "girth": 9}, *ROWS[2:]])
    rondine.finish(source)
    (run,) = wait_until(lambda: ended(rondine, "look-again"))
    assert (run["begun_by"], run["rows_asked"], run["brings_all"]) == ("watch", 2, False)
    assert sorted(asked) == ["/trees/OLM-1", "/trees/OLM-2"]
    # a worker that starts again finds nothing new, and the same rows again are no change
    rondine.end("worker")
    rondine.start_worker()
    rondine.finish(source)
    trees.pages = whole([{**ROWS[0], "girth": 3}, {**ROWS[1], "girth": 9}, *ROWS[2:]])
    rondine.finish(source)
    runs = wait_until(lambda: len(found := ended(rondine, "look-again")) == 2 and found)
    assert [one["rows_asked"] for one in runs] == [1, 2] and asked[2:] == ["/trees/OLM-1"]


def test_a_watch_that_can_never_fire_says_so(rondine, trees):
    source = feed(rondine, trees, "unwatchable", whole(ROWS), type_document={"history": "none"})
    told = rondine.cli("feed", "schedule", source, "--watch", f"{source}.grth").stdout
    assert "no field" in rondine.cli("feed", "show", source).stdout and told
    rondine.cli("feed", "schedule", source, "--watch", f"{source}.number", "--set", "schedule.when=rises")
    problems = json.loads(rondine.cli("feed", "show", source).stdout)["problems"]
    assert [problem["where"] for problem in problems] == ["/schedule/when", "/schedule/record_type"]
