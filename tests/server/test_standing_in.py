"""Stand-ins of services: made of their descriptions and samples, asked through whole connections."""

import json

import httpx
import jsonschema
import pytest
from tests.whole_rondine import ROOT

from rondine_client import RondineProblem

TREE = {
    "type": "object",
    "required": ["number", "girth", "planted"],
    "properties": {
        "number": {"type": "string"},
        "girth": {"type": "number", "minimum": 0.1, "maximum": 9},
        "planted": {"type": "string", "format": "date"},
        "state": {"enum": ["sound", "watch"]},
    },
}
PAGED = {
    "type": "object",
    "required": ["trees"],
    "properties": {"trees": {"type": "array", "items": TREE}, "total": {"type": "integer"}, "next": {"type": "string"}},
}


@pytest.fixture
def stand(rondine, request):
    """A project of its own with a service whose operations are described, and a connection to its stand-in."""
    words, _, way = request.node.name.removeprefix("test_").replace("_", "-").partition("[")
    name = f"stand-{words[:30].rstrip('-')}-{way.rstrip(']')}".rstrip("-")
    admin = rondine.client("ada")
    admin.projects.make(name)
    project = admin.project(name)
    project.hosts.permit("127.0.0.1", rondine.port, is_private=True)
    project.services.make("register-away", document={"stand_in": {"rows": 23, "page_size": 5}})
    return project


def connect(project, **document):
    address = project.services.stand_in("register-away")["address"]
    return project.connections.make(
        "register-away-test",
        service="register-away",
        environment="test",
        document={"base_address": address, **document},
    )


def operation(project, name, schema, **document):
    responses = [{"status": "200", "media_type": "application/json", "schema": schema}]
    return project.operations.make(name, service="register-away", document={"responses": responses, **document})


def keep(project, operation, rows):
    fields = [{"name": "number", "type": "text"}, {"name": "girth", "type": "decimal"}]
    project.record_types.save("tree", document={"key": ["number"], "fields": fields})
    taken = [{"name": "number", "from": "number"}, {"name": "girth", "from": "girth"}]
    output = {"record_type": "tree", "rows": [{"level": "tree", "at": rows}], "fields": taken}
    project.mappings.save(operation, service="register-away", document={"outputs": [output]})
    project.feeds.save(operation, operation=operation, mapping=operation, environment="test")
    run = project.feeds.run(operation)
    for state in project.runs.watch(run["id"]):
        run = state
    return run


WAYS = {
    "page_number": {
        "query": [{"name": "p", "value": {"input": "page"}}],
        "inputs": [{"name": "page", "type": "integer"}],
        "paging": {"type": "page_number", "input": "page", "total": "/total"},
    },
    "offset": {"paging": {"type": "offset", "input": "skip", "total": "/total"}},
    "next_address": {"paging": {"type": "next_address", "at": "/next"}},
    "link_header": {"paging": {"type": "link_header"}},
    "another_header": {"paging": {"type": "link_header", "header": "Next-Page"}},
    "cursor": {"paging": {"type": "cursor", "input": "cursor", "at": "/next"}},
    "one_response": {"paging": {"type": "one_response"}},
}


@pytest.mark.parametrize("way", WAYS)
def test_a_feed_fetches_every_page_of_a_stand_in_and_the_same_again(stand, way):
    connect(stand)
    operation(stand, "list-trees", PAGED, path="/trees", response={"rows": ["$.trees[*]"]}, **WAYS[way])
    run = keep(stand, "list-trees", "trees[*]")
    assert (run["state"], run["counts"][0]["created"]) == ("done", 23), run
    again = keep(stand, "list-trees", "trees[*]")
    assert (again["counts"][0]["created"], again["counts"][0]["unchanged"]) == (0, 23)


def test_an_operation_responds_with_schema_true_data_while_its_service_is_away(stand):
    connect(stand)
    operation(stand, "get-tree", TREE, path="/trees/{number}", inputs=[{"name": "number", "required": True}])
    trial = stand.trials.send(service="register-away", operation="get-tree", inputs={"number": "OLM-1"})
    assert trial["call"]["status"] == 200
    assert ["rondine-stand-in", "invented as the operation describes it"] in [
        [name.lower(), value] for name, value in trial["call"]["headers"]
    ]
    made = stand.bodies.content(trial["body"])
    jsonschema.Draft202012Validator(TREE, format_checker=jsonschema.Draft202012Validator.FORMAT_CHECKER).validate(
        json.loads(made)
    )
    again = stand.trials.send(service="register-away", operation="get-tree", inputs={"number": "OLM-1"})
    assert stand.bodies.content(again["body"]) == made
    other = stand.trials.send(service="register-away", operation="get-tree", inputs={"number": "OLM-2"})
    assert stand.bodies.content(other["body"]) != made


def test_a_sample_is_what_it_responds_with_byte_for_byte(stand):
    connect(stand)
    operation(stand, "get-tree", TREE, path="/trees/{number}", inputs=[{"name": "number", "required": True}])
    text = '{"number": "OLM-7",  "girth": 1.10}'
    stand.samples.keep("seven", operation="get-tree", text=text)
    trial = stand.trials.send(service="register-away", operation="get-tree", inputs={"number": "OLM-1"})
    assert stand.bodies.content(trial["body"]).decode() == text
    lacking = [one for one in stand.environments.checklist("test") if "stand-in" in one["message"]]
    assert [one["what"] for one in lacking] == ["connection register-away-test"]
    shown = stand.services.stand_in("register-away")["operations"]
    assert [(one["responds"], one["words"]) for one in shown] == [("sample", "the sample seven")]


def test_delays_and_failures_are_as_they_are_set(stand, rondine):
    connect(stand, time_outs={"first_byte": 0.5}, retrying={"max_retries": 0})
    operation(stand, "get-tree", TREE, path="/tree")

    def set_stand_in(**how):
        held = stand.services.get("register-away")
        stand.services.change("register-away", version=held["version"], document={**held["document"], "stand_in": how})

    set_stand_in(delay=2)
    late = stand.trials.send(service="register-away", operation="get-tree")["call"]
    assert late["status"] is None and late["error"]["code"] == "service_too_slow"
    set_stand_in(fail_every=2, fail_status=500)
    found = [stand.trials.send(service="register-away", operation="get-tree")["call"]["status"] for _ in range(4)]
    assert sorted(found) == [200, 200, 500, 500] and found[0] == found[2]
    said = rondine.cli("--project", stand.name, "service", "stand-in", "register-away", "--off", person="ada")
    assert "switched off" in said.stderr or '"is_on": false' in said.stdout
    assert stand.trials.send(service="register-away", operation="get-tree")["call"]["status"] == 404


def test_what_is_not_known_is_told_and_not_made_up(stand):
    connect(stand)
    stand.operations.make("bare", service="register-away", document={"path": "/bare"})
    odd = {"type": "integer", "minimum": 2, "maximum": 1}
    operation(stand, "odd", odd, path="/odd")
    shown = {one["name"]: one["responds"] for one in stand.services.stand_in("register-away")["operations"]}
    assert shown == {"bare": "nothing", "odd": "invented"}
    assert stand.trials.send(service="register-away", operation="bare")["call"]["status"] == 404
    trial = stand.trials.send(service="register-away", operation="odd")
    assert trial["call"]["status"] == 501 and "no value could be found" in stand.bodies.text(trial["body"])["text"]


def test_the_whole_road_of_an_imported_definition(stand, rondine):
    """The register's own document, without the register: looked at, imported, tried, mapped, fed."""
    document = (ROOT / "src/rondine/standins/documents/register.yaml").read_text()
    stand.definitions.import_into("register-away", files={"register.yaml": document})
    connect(stand)
    shown = stand.services.stand_in("register-away")["operations"]
    assert len(shown) > 5 and any(one["responds"] == "invented" for one in shown)
    for one in shown:
        held = stand.operations.get(one["name"])["document"]
        needed = {entry["name"]: "1" for entry in held.get("inputs", []) if entry.get("required")}
        if one["method"] == "GET" and one["responds"] == "invented":
            trial = stand.trials.send(service="register-away", operation=one["name"], inputs=needed)
            assert trial["call"]["status"] in (200, 202), (one, trial["call"])
            assert not [note for note in trial["notes"] if "differs" in note], trial["notes"]
    listing = next(one["name"] for one in shown if one["path"] == "/trees" and one["method"] == "GET")
    run = keep(stand, listing, "trees[*]")
    assert run["state"] == "done" and run["counts"][0]["created"] > 0, run


def test_the_address_is_a_secret_and_shown_to_builders(stand, rondine):
    address = stand.services.stand_in("register-away")["address"]
    assert httpx.get(f"{address}/none").status_code == 404
    broken = address[:-3] + ("000" if not address.endswith("000") else "111")
    assert "there is no stand-in" in httpx.get(f"{broken}/trees").text
    stand.members.set("vela", "viewer")
    with pytest.raises(RondineProblem) as caught:
        rondine.client("vela").project(stand.name).services.stand_in("register-away")
    assert caught.value.status == 403
