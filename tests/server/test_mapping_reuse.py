"""One mapping used by several operations, with an exception for one of them."""

from aiohttp import web

TREES = [{"number": "OLM-1", "girth": 1.5, "street": "Largo Nord", "way": "Riva Bassa"}]


def test_one_edit_reaches_all_that_use_it_but_the_exception(rondine, serve):
    outside = serve(lambda request: web.json_response({"trees": TREES}))
    rondine.permit(outside.port)
    service, office = rondine.connect("reuse", outside.url), rondine.office()
    fields = [{"name": name, "type": kind} for name, kind in (("number", "text"), ("girth", "decimal"), ("street", "text"))]  # fmt: skip
    for name in ("reuse-tree", "reuse-other"):
        office.record_types.make(name, document={"key": ["number"], "fields": fields})
    rules = [{"name": "number", "from": "number"}, {"name": "girth", "from": "girth"}, {"name": "street", "from": "street"}]  # fmt: skip
    output = {"record_type": "reuse-tree", "rows": [{"level": "tree", "at": "trees[*]"}], "fields": rules}
    base = office.mappings.make("reuse-all", service=service, document={"outputs": [output]})
    exception = {"record_type": "reuse-tree", "fields": [{"name": "street", "from": "way"}]}
    own = office.mappings.make(
        "reuse-exception", service=service, document={"based_on": "reuse-all", "outputs": [exception]}
    )
    assert own["problems"] == [] and len(own["whole"]["outputs"][0]["fields"]) == 3
    for name, mapping in (("reuse-one", "reuse-all"), ("reuse-two", "reuse-all"), ("reuse-three", "reuse-exception")):
        office.operations.make(name, service=service, document={"path": f"/{name}"})
        office.feeds.make(name, operation=name, mapping=mapping, environment="test")

    def street_after(feed):
        run = rondine.finish(feed)
        assert run["state"] == "done", run
        return office.record("test", "reuse-tree", "OLM-1")["data"]

    assert street_after("reuse-one")["street"] == street_after("reuse-two")["street"] == "Largo Nord"
    assert street_after("reuse-three")["street"] == "Riva Bassa"
    rules[2]["convert"] = [{"type": "case", "to": "upper"}]
    rules[1]["convert"] = [{"type": "arithmetic", "multiply": "100"}]
    office.mappings.change("reuse-all", version=base["version"], document={"outputs": [output]})
    assert street_after("reuse-two") == {"number": "OLM-1", "girth": "150", "street": "LARGO NORD"}
    assert street_after("reuse-three") == {"number": "OLM-1", "girth": "150", "street": "Riva Bassa"}

    # renamed, it takes them along; gone, they say so
    base = office.mappings.get("reuse-all")
    office.mappings.change("reuse-all", version=base["version"], name="reuse-base")
    own = office.mappings.get("reuse-exception")
    assert own["document"]["based_on"] == "reuse-base" and own["problems"] == []
    circle = office.mappings.change(
        "reuse-base",
        version=office.mappings.get("reuse-base")["version"],
        document={"based_on": "reuse-exception", "outputs": [output]},
    )
    assert "in a circle" in circle["problems"][0]["message"]
    wrong = office.mappings.change("reuse-exception", version=own["version"], document={"based_on": "reuse-bas"})
    assert wrong["problems"][0]["message"] == 'there is no mapping "reuse-bas"'
