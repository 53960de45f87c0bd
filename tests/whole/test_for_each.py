"""One operation asked for each of many rows, several at a time; each failure is kept with its row."""

import asyncio
import json

import pytest
from aiohttp import web
from tests.made_feed import feed, whole

NUMBERS = [f"OLM-{number}" for number in range(1, 41)]


@pytest.fixture
def care(rondine, serve):
    """What was done at a tree, a page at a time; some trees' diaries cannot be had."""

    class Care:
        bad: set[str] = set()
        status = 500
        together = most = 0

    async def answer(request):
        number = request.path.split("/")[2]
        Care.together += 1
        Care.most = max(Care.most, Care.together)
        await asyncio.sleep(0.01)
        Care.together -= 1
        if number in Care.bad:
            return web.json_response({"title": "the diary is lost"}, status=Care.status)
        page = int(request.query.get("page", 1))
        done = [{"id": f"{number}-{page}-{n}", "work": "watered"} for n in (1, 2)]
        headers = {"Link": f'<{request.path}?page=2>; rel="next"'} if page == 1 and number == "OLM-3" else {}
        return web.json_response({"done": done, "next": None} if not headers else {"done": done}, headers=headers)

    outside = serve(answer)
    rondine.permit(outside.port)
    Care.outside = outside
    return Care


def care_feed(rondine, care, name, for_each, **document):
    """A feed that asks for the care of each tree."""
    office = rondine.office()
    service = rondine.connect(name, care.outside.url)
    operation = {
        "path": "/trees/{number}/care",
        "inputs": [{"name": "number", "required": True}],
        "paging": {"type": "link_header"},
    }
    office.operations.make(name, service=service, document=operation)
    fields = [{"name": each, "type": "text", "searchable": True} for each in ("id", "tree", "work")]
    office.record_types.make(name, document={"fields": fields, "key": ["id"]})
    rules = [
        {"name": "id", "from": "id"},
        {"name": "work", "from": "work"},
        {"name": "tree", "from": {"input": "number"}},
    ]
    mapping = {"outputs": [{"record_type": name, "rows": [{"level": "work", "at": "done[*]"}], "fields": rules}]}
    office.mappings.make(name, service=service, document=mapping)
    document = {"for_each": for_each, "retrying": {"max_retries": 0}, "parallel": 5, **document}
    return office.feeds.make(name, operation=name, mapping=name, environment="test", document=document)


@pytest.fixture
def kept_trees(rondine, trees):
    def make(name, numbers=NUMBERS):
        rows = [{"number": number, "girth": at} for at, number in enumerate(numbers, 1)]
        return feed(rondine, trees, name, whole(rows))

    return make


def test_it_asks_for_each_record_and_the_row_that_is_asked_for_stands_in_its_records(rondine, care, kept_trees):
    trees = kept_trees("each-tree")
    rondine.finish(trees)
    made = care_feed(rondine, care, "each-care", {"record_type": trees})
    assert made["problems"] == []
    run = rondine.finish("each-care")
    assert (run["state"], run["completeness"], run["rows_asked"], run["rows_failed"]) == ("done", "complete", 40, 0)
    assert run["calls"] == 41 and 1 < care.most <= 5  # OLM-3 has two pages
    assert "asked for 40 rows" in run["summary"] and "40 rows were asked for" in run["ending"]
    records = list(rondine.office().records.search("test", "each-care"))
    assert len(records) == 82
    assert {record["data"]["tree"] for record in records} == set(NUMBERS)
    assert rondine.finish("each-care")["counts"][0]["unchanged"] == 82


def test_a_failure_is_kept_with_its_row_and_only_the_failed_are_asked_for_again(rondine, care, kept_trees):
    trees = kept_trees("lossy-tree")
    rondine.finish(trees)
    care_feed(rondine, care, "lossy-care", {"record_type": trees})
    care.bad = {"OLM-2", "OLM-7", "OLM-40"}
    run = rondine.finish("lossy-care")
    assert (run["state"], run["completeness"], run["rows_asked"], run["rows_failed"]) == ("done", "incomplete", 40, 3)
    assert "3 of the 40 rows that were asked for failed" in run["summary"]
    office = rondine.office()
    failures = list(office.runs.failures(run["id"]))
    assert [failure["key"] for failure in failures] == [["OLM-2"], ["OLM-7"], ["OLM-40"]]
    assert "the diary is lost" in failures[0]["error"]["message"]
    call = next(call for call in office.runs.calls(run["id"]) if call["number"] == failures[0]["call"])
    assert call["status"] == 500 and "/trees/OLM-2/care" in call["url"]
    told = rondine.cli("run", "failures", str(run["id"])).stdout
    assert [json.loads(line)["key"] for line in told.splitlines()] == [["OLM-2"], ["OLM-7"], ["OLM-40"]]
    care.bad = {"OLM-7"}
    before = len(care.outside.calls)
    again = json.loads(rondine.cli("feed", "run", "lossy-care", "--only-failed-of", str(run["id"]), check=False).stdout)
    assert len(care.outside.calls) - before == 3
    assert (again["rows_asked"], again["rows_failed"], again["brings_all"]) == (3, 1, False)
    care.bad = set()
    last = rondine.watch(office.feeds.run("lossy-care", only_rows_of=again["id"])["id"])
    assert (last["rows_asked"], last["completeness"], last["counts"][0]["gone"]) == (1, "complete", 0)
    assert len(list(office.records.search("test", "lossy-care"))) == 82


def test_rows_are_chosen_by_filters_or_given_as_values(rondine, care, kept_trees):
    trees = kept_trees("some-tree")
    rondine.finish(trees)
    rondine.cli("record", "list", trees)
    care_feed(rondine, care, "some-care", {"record_type": trees, "where": {"girth.from": "39"}})
    assert rondine.finish("some-care")["rows_asked"] == 2
    values = [{"number": "OLM-3"}, {"number": "OLM-900"}]
    care_feed(rondine, care, "value-care", {"values": values})
    run = rondine.finish("value-care")
    assert (run["rows_asked"], run["calls"], run["counts"][0]["created"]) == (2, 3, 6)


def test_a_service_that_is_down_is_not_asked_for_all_rows(rondine, care, kept_trees):
    trees = kept_trees("down-tree")
    rondine.finish(trees)
    care_feed(rondine, care, "down-care", {"record_type": trees, "stop_after": 4}, parallel=1)
    care.bad = set(NUMBERS)
    run = rondine.finish("down-care")
    assert (run["state"], run["rows_failed"]) == ("failed", 4) and "4 rows failed one after another" in run["error"][
        "message"
    ]
    care.bad = set()
    run = rondine.watch(rondine.office().runs.go_on(run["id"])["id"])
    assert (run["rows_asked"], run["rows_failed"], run["completeness"]) == (40, 4, "incomplete")


@pytest.mark.parametrize(
    ("for_each", "where", "words"),
    [
        ({"record_type": "no-such-type"}, "/for_each/record_type", "there is no record type"),
        ({"values": [{"nummer": "1"}]}, "/for_each/values/0/nummer", 'no input "nummer"'),
    ],
)
def test_what_cannot_be_asked_is_told(rondine, care, for_each, where, words):
    name = f"told-{len(where)}"
    problems = care_feed(rondine, care, name, for_each)["problems"]
    assert any(problem["where"] == where and words in problem["message"] for problem in problems), problems


def test_either_records_or_values(rondine, care):
    with pytest.raises(Exception, match="give either record_type or values"):
        care_feed(rondine, care, "neither", {})
