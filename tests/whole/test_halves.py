"""What a mapping does not name it does not touch: two feeds fill two halves of one record type."""

import json

from aiohttp import web

MEASURES = [{"number": "OLM-1", "girth": "100", "crown": {"b": 1.50, "a": [2, 1e2]}}, {"number": "OLM-2", "girth": 2.5}]
PLACES = [
    {"number": "OLM-1", "street": "Via Orti", "place": {"z": 1, "a": 100.0}},
    {"number": "OLM-3", "street": "Piazza"},
]
FIELDS = [
    {"name": "number", "type": "text"},
    {"name": "place", "type": "json"},
    {"name": "girth", "type": "decimal"},
    {"name": "street", "type": "text"},
    {"name": "crown", "type": "json"},
]


def test_two_feeds_fill_two_halves_of_one_record_type(rondine, serve):
    answers = {"/measures": MEASURES, "/places": PLACES}
    outside = serve(lambda request: web.json_response(answers[request.path]))
    rondine.permit(outside.port)
    office, service = rondine.office(), rondine.connect("halves", outside.url)
    office.record_types.make("half-tree", document={"fields": FIELDS, "key": ["number"]})
    for name, names in (("measures", ["crown", "girth", "number"]), ("places", ["street", "number", "place"])):
        office.operations.make(name, service=service, document={"path": f"/{name}"})
        output = {
            "record_type": "half-tree",
            "rows": [{"level": "tree", "at": "[*]"}],
            "fields": [{"name": one, "from": one} for one in names],
        }
        office.mappings.make(name, service=service, document={"outputs": [output]})
        office.feeds.make(name, operation=name, mapping=name, environment="test")

    def run(name):
        (count,) = rondine.finish(name)["counts"]
        return {part: count[part] for part in ("created", "changed", "unchanged") if count[part]}

    assert [run("measures"), run("places")] == [{"created": 2}, {"created": 1, "changed": 1}]
    whole = office.records.get("test", "half-tree", "OLM-1")["data"]
    assert (whole["girth"], whole["street"]) == ("100", "Via Orti")
    assert json.dumps(whole["place"]) and whole["crown"]["a"][0] in (2, "2")
    assert office.records.get("test", "half-tree", "OLM-2")["data"]["girth"] == "2.5"
    for _ in range(2):
        assert [run("measures"), run("places")] == [{"unchanged": 2}, {"unchanged": 2}]
    PLACES[0]["street"] = "Via Nuova"
    del MEASURES[0]["girth"]
    assert [run("places"), run("measures")] == [{"changed": 1, "unchanged": 1}] * 2
    whole = office.records.get("test", "half-tree", "OLM-1")["data"]
    assert whole["street"] == "Via Nuova" and whole.get("girth") is None and whole["crown"]
