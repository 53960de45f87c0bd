"""Every field of a document by command, how an operation pages, and a policy that a feed has in place of its
connection's."""

import json

from aiohttp import web


def shown(rondine, *words):
    return json.loads(rondine.cli("--json", *words).stdout)


def test_any_field_of_a_document_is_set_and_taken_away_by_its_path(rondine):
    service = rondine.connect("set-by-path")
    make = ["connection", "make", f"{service}-test", "--service", service]
    rondine.cli(*make, "--set", "time_outs.idle=20", "--set", "retrying.max_waits=5", "--set", "documentation=see it")
    document = shown(rondine, "connection", "show", f"{service}-test")["document"]
    assert (document["time_outs"], document["retrying"]) == ({"idle": 20.0}, {"max_waits": 5})
    assert document["documentation"] == "see it" and document["sign_in"]["name"] == "X-Register-Key"
    rondine.cli(*make, "--set", "time_outs.idle=")
    assert "time_outs" not in shown(rondine, "connection", "show", f"{service}-test")["document"]
    for change, words in (
        ("retrying.max_wait=5", 'there is no field "max_wait" here'),
        ("retrying.max_waits=many", "/document/retrying/max_waits"),
        ("documentation.x=1", "documentation has no fields"),
        ("nothing", "write FIELD=VALUE"),
    ):
        refused = rondine.cli(*make, "--set", change, check=False)
        assert refused.returncode != 0 and words in refused.stderr, change
    assert shown(rondine, "connection", "show", f"{service}-test")["document"]["retrying"] == {"max_waits": 5}


def test_a_strategy_is_chosen_set_and_declined_by_command(rondine):
    service = rondine.connect("strategies")
    rondine.office().operations.make("strategies", service=service, document={"path": "/v1/trees"})
    assert shown(rondine, "operation", "paging", "strategies") is None
    forms = {form["type"]: form for form in shown(rondine, "operation", "paging", "--strategies")}
    assert {field["name"] for field in forms["page_number"]["fields"]} == {
        "input", "first", "total", "total_header", "pages", "size_input", "until", "max_pages",
    }  # fmt: skip
    assert [field["is_required"] for field in forms["next_address"]["fields"] if field["name"] == "at"] == [True]
    settings = ["input=p", "first=0", "total=/total"]
    assert shown(rondine, "operation", "paging", "strategies", "page_number", *settings) == {
        "type": "page_number", "input": "p", "first": 0, "total": "/total",
    }  # fmt: skip
    for words, told in (
        (["pagenumber"], 'did you mean "page_number"?'),
        (["next_address"], '"at" is missing'),
        (["page_number", "frist=0"], 'did you mean "first"?'),
    ):
        refused = rondine.cli("operation", "paging", "strategies", *words, check=False)
        assert refused.returncode == 1 and told in refused.stderr, words
    assert rondine.office().operations.get("strategies")["document"]["paging"]["input"] == "p"
    assert shown(rondine, "operation", "paging", "strategies", "undecided") is None


def test_a_feed_is_patient_or_not_in_place_of_its_connection(rondine, serve):
    rows = [{"number": f"OLM-{number}"} for number in (1, 2)]
    calls = []

    def busy(request):
        calls.append(request.path)
        if len(calls) % 3:
            return web.Response(status=503, headers={"Retry-After": "0"})
        return web.json_response({"trees": rows})

    outside = serve(busy)
    rondine.permit(outside.port)
    service = rondine.connect("patient", outside.url, retrying={"max_waits": 2})
    office = rondine.office()
    office.operations.make("patient", service=service, document={"path": "/trees", "paging": {"type": "one_response"}})
    fields = [{"name": "number", "type": "text"}]
    office.record_types.make("patient-tree", document={"fields": fields, "key": ["number"]})
    output = {
        "record_type": "patient-tree",
        "rows": [{"level": "tree", "at": "trees[*]"}],
        "fields": [{"name": "number", "from": "number"}],
    }
    office.mappings.make("patient", service=service, document={"outputs": [output]})
    rondine.cli("feed", "make", "patient", "--operation", "patient", "--mapping", "patient")
    assert rondine.finish("patient")["state"] == "done" and len(calls) == 3
    rondine.cli(
        "feed", "make", "patient", "--operation", "patient", "--mapping", "patient", "--set", "retrying.max_waits=1"
    )
    run = rondine.finish("patient")
    assert run["state"] == "failed" and "503" in str(run["error"]) and len(calls) == 5
    document = office.feeds.get("patient")["document"]
    assert document["retrying"] == {"max_waits": 1}
    rondine.cli("feed", "make", "patient", "--operation", "patient", "--mapping", "patient", "--set", "parallel=2")
    assert office.feeds.get("patient")["document"] == {**document, "parallel": 2}  # the rest stays as it was
