"""Mappings and record types that are there already: used by several operations, with an exception for one; filled from
another response."""

import json

from aiohttp import web

TREES = [{"number": "OLM-1", "girth": 1.5, "street": "Largo Nord", "way": "Riva Bassa"}]


def test_one_edit_reaches_all_that_use_it_but_the_exception(rondine, serve):
    outside = serve(lambda request: web.json_response({"trees": TREES}))
    rondine.permit(outside.port)
    service, office = rondine.connect("reuse", outside.url), rondine.office()
    fields = [{"name": name, "type": kind} for name, kind in (("number", "text"), ("girth", "decimal"), ("street",
    "text"))]  # fmt: skip
    for name in ("reuse-tree", "reuse-other"):
        office.record_types.make(name, document={"key": ["number"], "fields": fields})
    rules = [{"name": "number", "from": "number"}, {"name": "girth", "from": "girth"}, {"name": "street",
    "from": "street"}]  # fmt: skip
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

    feeds = [{"kind": "feed", "name": name} for name in ("reuse-one", "reuse-two")]
    assert office.mappings.get("reuse-all")["used_by"] == [{"kind": "mapping", "name": "reuse-exception"}, *feeds]
    users = office.record_types.get("reuse-tree")["used_by"]
    assert [user["name"] for user in users] == ["reuse-all", "reuse-exception", "reuse-one", "reuse-three", "reuse-two"]

    def street_after(feed):
        run = rondine.finish(feed)
        assert run["state"] == "done", run
        return office.records.get("test", "reuse-tree", "OLM-1")["data"]

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


def test_another_response_is_fitted_onto_a_record_type_that_is_there(rondine, serve):
    """By names, types, and what its records have."""
    kept = [{"number": f"OLM-{n}", "girth_m": n / 2, "district": name} for n, name in enumerate(["Orti", "Terrazze"])]
    other = [{"plate": "OLM-7", "girthM": 2.5, "area": "Terrazze", "leans": False}]
    outside = serve(lambda request: web.json_response(kept if request.path == "/kept" else {"list": other}))
    rondine.permit(outside.port)
    service, office = rondine.connect("onto", outside.url), rondine.office()
    for name in ("onto-kept", "onto-other"):
        office.operations.make(name, service=service, document={"path": name.replace("onto-", "/")})
    first = office.mappings.propose(office.trials.send(service=service, operation="onto-kept")["body"], rows=["$[*]"],
    name="onto-tree")  # fmt: skip
    first["record_type"]["fields"].append({"name": "height_m", "type": "decimal", "unit": "m"})
    office.record_types.make("onto-tree", document=first["record_type"])
    office.mappings.make("onto-kept", service=service, document=first["mapping"])
    office.feeds.make("onto-kept", operation="onto-kept", mapping="onto-kept", environment="test")
    assert rondine.finish("onto-kept")["state"] == "done"

    run = office.trials.send(service=service, operation="onto-other")["run"]
    office.samples.keep("onto-sample", run=run, operation="onto-other")
    words = ["mapping", "propose", "onto-sample", "--rows", "$.list[*]", "--onto", "--record-type", "onto-tree"]
    save = ["--save", "onto-other", "--service", service]
    unsure = rondine.cli(*words, *save, check=False)
    assert unsure.returncode == 1 and "nothing is saved: these matches are not sure: number from plate" in unsure.stderr
    assert not any(mapping["name"] == "onto-other" for mapping in office.mappings)
    found = json.loads(rondine.cli(*words, "--accept", "number", "--accept", "district", *save).stdout)
    assert {pair["field"]: (pair["path"], pair["reason"]) for pair in found["pairs"]} == {
        "number": ("plate", "like values"),
        "girth_m": ("girthM", "same name"),
        "district": ("area", "like values"),
    }
    assert found["open"] == ["height_m"] and found["left_out"] == ["leans"]
    assert office.record_types.get("onto-tree")["version"] == 1
    office.feeds.make("onto-other", operation="onto-other", mapping="onto-other", environment="test")
    assert rondine.finish("onto-other")["state"] == "done"
    data = {"number": "OLM-7", "girth_m": "2.5", "district": "Terrazze"}
    assert office.records.get("test", "onto-tree", "OLM-7")["data"] == data
    refused = rondine.cli(*words[:-1], "onto-tre", check=False)
    assert refused.returncode == 1 and 'did you mean "onto-tree"?' in refused.stderr
