"""Every way of paging, recognised from a response, set where the operation puts it, and followed to its proven end."""

import httpx
import pytest
from aiohttp import web

from rondine.standins.trees import TREES
from rondine_client import RondineProblem

SIZE = 400


@pytest.fixture
def register(rondine):
    yield rondine
    rondine.control()


@pytest.fixture(scope="module")
def service(rondine):
    return rondine.connect("pages")


def counts(run):
    (found,) = run["counts"]
    return {name: number for name, number in found.items() if number and name != "record_type"}


def query(**values):
    """Query parameters, and the inputs that they take; a number is the input's default, None is none."""
    inputs = [
        {"name": name, "type": "text", **({} if one is None else {"default": str(one)})} for name, one in values.items()
    ]
    return {"inputs": inputs, "query": [{"name": name, "value": {"input": name}} for name in values]}


JSON_PAGES = {
    "method": "POST",
    "inputs": [{"name": "number", "type": "integer"}, {"name": "size", "type": "integer", "default": SIZE}],
    "body": {
        "type": "json",
        "members": [
            {"at": "/page/number", "value": {"input": "number"}},
            {"at": "/page/size", "value": {"input": "size"}},
        ],
    },
}
#: name, path below /v1/pages, what the operation has, rows, what has to be recognised, calls
WAYS = [
    ("offset", query(offset=None, limit=SIZE), "$.trees[*]", {"type": "offset", "total_header": "X-Total-Count", "size_input": "limit"}, 7),
    ("numbered", query(page=None, size=SIZE), "$.trees[*]", {"type": "page_number", "pages": "/total_pages", "size_input": "size"}, 7),
    ("more", query(after=None, limit=SIZE), "$.trees[*]", {"type": "cursor", "input": "after", "at": "/paging/next_cursor", "more": "/paging/has_more"}, 7),
    ("header", query(cursor=None, limit=SIZE), "$.trees[*]", {"type": "cursor", "header": "X-Next-Cursor"}, 7),
]  # fmt: skip
#: The same with a strategy that a person sets.
SET = [
    ("plain", query(page=None, size=SIZE), "$[*]", {"type": "page_number", "first": 0}, 8),
    ("key", query(after=None, limit=SIZE), "$.trees[*]", {"type": "keyset", "key": "$.trees[-1].number"}, 8),
    ("relative", query(limit=SIZE), "$.trees[*]", {"type": "next_address", "at": "/links/next", "relative_to": "base_address"}, 7),
]  # fmt: skip


def feed(register, service, name, document, rows, *, paging=None, inputs=None):
    """A feed by an operation that is tried, looked at and mapped; with the paging that its response shows, or this."""
    office = register.office()
    paged = {**document, **({"paging": paging} if paging else {})}
    office.operations.make(name, service=service, document=paged)
    trial = office.trials.send(service=service, operation=name, inputs=inputs or {}, confirmed=True)
    found = office.mappings.propose(trial["body"], rows=[rows], name=name)
    found["record_type"]["key"] = ["number"]
    office.record_types.make(name, document=found["record_type"])
    office.mappings.make(name, service=service, document=found["mapping"])
    office.feeds.make(name, operation=name, mapping=name, environment="test", document={"inputs": inputs or {}})
    return trial


@pytest.mark.parametrize(("way", "document", "rows", "recognised", "calls"), WAYS)
def test_a_way_that_a_response_shows_is_recognised_adopted_and_brings_all_trees(
    register, service, way, document, rows, recognised, calls
):
    name = f"shown-{way}"
    trial = feed(register, service, name, {"path": f"/v1/pages/{way}", **document}, rows)
    guess = trial["paging"][0]
    assert guess["paging"] == recognised and guess["reason"]
    assert register.office().operations.get(name)["document"]["paging"] == recognised  # the feed adopted it
    _brings_all(register, name, calls)


def _brings_all(register, name, calls, rows=TREES):
    run = register.finish(name)
    assert (run["state"], run["completeness"], run["calls"]) == ("done", "complete", calls), run
    assert counts(run) == {"rows": rows, "created": rows}
    again = register.finish(name)
    assert counts(again) == {"rows": rows, "unchanged": rows} and again["completeness"] == "complete"


@pytest.mark.parametrize(("way", "document", "rows", "paging", "calls"), SET)
def test_a_way_that_is_set_by_hand_brings_all_trees(register, service, way, document, rows, paging, calls):
    name = f"set-{way}"
    feed(register, service, name, {"path": f"/v1/pages/{way}", **document}, rows, paging=paging)
    _brings_all(register, name, calls)


def test_pages_are_set_in_a_json_body_a_graphql_variable_and_a_soap_element(rondine, register, service):
    office = register.office()
    body = {**JSON_PAGES, "path": "/v1/pages/search"}
    paging = {"type": "page_number", "input": "number", "total": "/page/total", "size_input": "size"}
    trial = feed(register, service, "posted", body, "$.trees[*]", inputs={"number": 1})
    assert trial["paging"][0]["paging"] == paging
    with pytest.raises(RondineProblem, match="a feed only reads"):  # a posted search does, and only people can say so
        office.feeds.run("posted")
    register.cli("operation", "reads", "posted")
    register.cli("operation", "paging", "posted", "page_number", "input=number", "total=/page/total", "size_input=size")
    _brings_all(register, "posted", 7)

    desk = rondine.outside("desk")
    rondine.tell("desk")
    rondine.sign_in("paged-desk", desk, {"type": "bearer"}, {"token": rondine.papers.desk_token})
    text = "query Q($after: String) { inspections(first: 25, after: $after) { nodes { id grade } pageInfo { hasNextPage endCursor } } }"
    document = {
        "method": "POST",
        "path": "/graphql",
        "inputs": [{"name": "after"}],
        "body": {"type": "graphql", "query": text, "variables": [{"at": "/after", "value": {"input": "after"}}]},
    }
    name = "paged-inspections"
    office.operations.make(name, service="paged-desk", document=document)
    trial = office.trials.send(service="paged-desk", operation=name)
    assert trial["paging"][0]["paging"] == {"type": "graphql_connection", "at": "/data/inspections"}
    found = office.mappings.propose(trial["body"], rows=["$.data.inspections.nodes[*]"], name=name)
    found["record_type"]["key"] = ["id"]
    office.record_types.make(name, document=found["record_type"])
    office.mappings.make(name, service="paged-desk", document=found["mapping"])
    office.feeds.make(name, operation=name, mapping=name, environment="test")
    asked = httpx.post(
        f"{desk}/graphql",
        json={"query": "{ inspections { totalCount } }"},
        headers={"Authorization": f"Bearer {rondine.papers.desk_token}"},
    ).json()
    rows = asked["data"]["inspections"]["totalCount"]
    _brings_all(register, name, -(-rows // 25), rows)

    soap = {
        "method": "POST",
        "path": "/v1/pages/envelope",
        "inputs": [{"name": "cursor"}, {"name": "limit", "type": "integer", "default": SIZE}],
        "body": {
            "type": "soap",
            "reads": True,
            "namespaces": {"t": "urn:olmara:trees"},
            "root": "t:Trees",
            "elements": [
                {"at": "t:cursor", "value": {"input": "cursor"}},
                {"at": "t:limit", "value": {"input": "limit"}},
            ],
        },
    }
    at = "/s:Envelope/s:Body/t:TreesResponse"
    paging = {"type": "cursor", "at": f"{at}/t:next", "more": f"{at}/t:more"}
    feed(register, service, "enveloped", soap, f"{at}/t:tree", paging=paging)
    _brings_all(register, "enveloped", 7)


def test_windows_are_asked_for_one_by_one_and_one_that_is_too_full_is_told(register, service):
    document = {**query(**{"from": None, "to": None}), "path": "/v1/pages/surveyed"}
    inputs = {"from": "2025-01-01", "to": "2026-01-01"}
    windows = {"type": "windows", "start_input": "from", "end_input": "to", "size": "P1M"}
    feed(register, service, "by-month", document, "$.trees[*]", paging=windows, inputs=inputs)
    _brings_all(register, "by-month", 12)
    office = register.office()
    held = office.operations.get("by-month")
    wide = {**held["document"], "paging": {**windows, "size": "P6M"}}
    office.operations.change("by-month", version=held["version"], document=wide)
    run = register.finish("by-month")
    assert (run["state"], run["completeness"]) == ("done", "incomplete")
    assert "the window from 2025-01-01 to 2025-07-01 is not whole: /truncated is true" in run["ending"]


@pytest.mark.parametrize(("way", "document", "rows", "paging", "calls"), [*WAYS[1:3], SET[1]])
def test_a_run_that_fails_at_a_page_has_kept_those_before_it(register, service, way, document, rows, paging, calls):
    name = f"failing-{way}"
    feed(register, service, name, {"path": f"/v1/pages/{way}", **document}, rows, paging=paging)
    register.control(fail_from=2 * SIZE)
    run = register.finish(name)
    assert run["state"] == "failed" and "500" in run["error"]["message"]
    assert counts(run)["created"] == 2 * SIZE
    register.control()
    assert counts(register.finish(name))["rows"] == TREES


def test_a_service_that_takes_no_notice_counts_wrongly_or_moves_is_found_out(register, service):
    way, document, rows, paging, _ = WAYS[0]
    feed(register, service, "odd", {"path": f"/v1/pages/{way}", **document}, rows, paging=paging)
    register.control(ignore=True)
    run = register.finish("odd")
    assert run["error"]["code"] == "paging_failed" and 'takes no notice of "offset"' in run["error"]["message"]
    assert counts(run) == {"rows": SIZE, "created": SIZE}
    register.control(miscount=SIZE)
    run = register.finish("odd")
    assert run["completeness"] == "incomplete" and "2,812 rows are announced" in run["ending"]
    register.control(overlap=10)
    run = register.finish("odd")
    assert run["completeness"] != "complete" and counts(run)["repeated"] == 10
    register.control(shift=1)
    run = register.finish("odd")
    assert run["completeness"] != "complete" and counts(run)["repeated"] > 0


def test_pages_of_which_the_mapping_leaves_out_everything_are_not_taken_for_repeated(register, service):
    way, document, rows, paging, _ = WAYS[2]
    feed(register, service, "left-out", {"path": f"/v1/pages/{way}", **document}, rows, paging=paging)
    office = register.office()
    held = office.mappings.get("left-out")
    (output,) = held["document"]["outputs"]
    output = {**output, "where": [{"from": "number", "value": "OLM-02412"}]}
    held = office.mappings.change(
        "left-out", version=held["version"], document={**held["document"], "outputs": [output]}
    )
    assert held["problems"] == []
    run = register.finish("left-out")
    assert (run["state"], run["completeness"]) == ("done", "complete"), run
    assert counts(run) == {"rows": TREES, "created": 1, "filtered": TREES - 1}


def test_an_input_that_paging_names_and_nobody_has_is_told_with_the_operation(register, service):
    office = register.office()
    wrong = {**JSON_PAGES, "path": "/v1/pages/search", "paging": {"type": "page_number", "input": "numbr"}}
    made = office.operations.make("misnamed", service=service, document=wrong)
    assert [(one["where"], one["hint"]) for one in made["problems"]] == [("/paging/input", 'did you mean "number"?')]
    sized = {**query(page=None), "path": "/v1/pages/plain", "paging": {"type": "page_number", "size_input": "size"}}
    made = office.operations.make("unsized", service=service, document=sized)
    assert [one["where"] for one in made["problems"]] == ["/paging/size_input"]


def test_the_same_trees_from_csv_and_json_are_equal_records(register, service):
    """2,412 trees page by page as CSV, whose next page a Link header names; parted by semicolons as well."""
    office = register.office()
    kinds = {
        "number": "text",
        "place.district": "text",
        "measures.girth": "decimal",
        "measures.height": "decimal",
        "planted": "date",
        "surveyed": "datetime",
        "protected": "boolean",
    }
    fields = [{"name": name.replace(".", "_"), "type": kind} for name, kind in kinds.items()]
    sizes = {
        "from-json": {"limit": SIZE},
        "from-csv": {"size": SIZE},
        "from-semicolons": {"size": SIZE, "delimiter": ";"},
    }
    records = {}
    for way, values in sizes.items():
        is_csv = way != "from-json"
        path = "/v1/pages/list" if is_csv else "/v1/trees"
        office.operations.make(way, service=service, document={"path": path, **query(**values)})
        trial = office.trials.send(service=service, operation=way)
        assert trial["format"] == ("csv" if is_csv else "json")
        note = next((note for note in trial["notes"] if "read as CSV" in note), "")
        assert ("parted by semicolon, which is a guess" in note) is (way == "from-semicolons")
        assert trial["row_choices"][0]["path"] == ("$[*]" if is_csv else "$.trees[*]")
        rules = [
            {"name": name.replace(".", "_"), "from": {"pointer": f"/{name if is_csv else name.replace('.', '/')}"}}
            for name in kinds
        ]
        rows = [{"level": "tree", "at": {"jsonpath": trial["row_choices"][0]["path"]}}]
        office.record_types.make(way, document={"fields": fields, "key": ["number"]})
        mapping = {"outputs": [{"record_type": way, "rows": rows, "fields": rules}]}
        office.mappings.make(way, service=service, document=mapping)
        office.feeds.make(way, operation=way, mapping=way, environment="test")
        _brings_all(register, way, 7)
        records[way] = {record["key"][0]: record["data"] for record in office.records.search("test", way)}
    assert len(records["from-json"]) == TREES
    assert records["from-csv"] == records["from-json"] == records["from-semicolons"]
    proposed = office.mappings.propose(trial["body"], rows=["$[*]"], name="proposed-csv")["record_type"]["fields"]
    types = {field["name"]: field["type"] for field in proposed}
    assert (types["measures_girth"], types["protected"], types["planted"]) == ("decimal", "boolean", "date"), types


def test_csv_that_calls_itself_something_else_is_read_as_the_operation_says(rondine, serve):
    """Semicolons, no header line, an old charset, and a Content-Type that says nothing of it."""
    outside = serve(lambda request: web.Response(body="OLM-1;Bäckerweg\n".encode("cp1252"), content_type="text/plain"))
    rondine.permit(outside.port)
    office = rondine.office()
    service = rondine.connect("plain-list", outside.url)
    read_as = "text/csv; delimiter=semicolon; header=absent; charset=windows-1252"
    document = {"path": "/list", "response": {"read_as": read_as}}
    office.operations.make("plain-list", service=service, document=document)
    trial = office.trials.send(service=service, operation="plain-list")
    assert (trial["format"], trial["row_choices"][0]["path"]) == ("csv", "$[*]")
    made = office.mappings.propose(trial["body"], rows=["$[*]"], name="plain-list")
    made["record_type"]["key"] = ["column_1"]
    office.record_types.make("plain-list", document=made["record_type"])
    office.mappings.make("plain-list", service=service, document=made["mapping"])
    office.feeds.make("plain-list", operation="plain-list", mapping="plain-list", environment="test")
    run = rondine.finish("plain-list")
    (record,) = office.records.search("test", "plain-list")
    assert record["data"] == {"column_1": "OLM-1", "column_2": "Bäckerweg"} and run["completeness"] == "unknown"
    office.samples.keep("plain-list", run=trial["run"], operation="plain-list")
    sample = office.samples.get("plain-list")
    assert "delimiter=semicolon" in sample["media_type"]
    bad = {**document, "response": {"read_as": "text/csv; delimiter=words"}}
    item = office.operations.save("plain-list", service=service, document=bad)
    assert item["problems"][0]["where"] == "/response/read_as"
