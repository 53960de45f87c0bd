"""Definitions: looked at, chosen from, imported, used at once, and imported again, through the API."""

import io
import json
import re
import zipfile

import pytest
import yaml
from tests.canary import leaks

from rondine.standins.register import DEFINITION
from rondine_client import RondineProblem

TEXT = DEFINITION.read_text()


@pytest.fixture
def office(rondine):
    return rondine.office()


@pytest.fixture
def counts(rondine):
    """How many items there are of each kind, to see that nothing was left behind."""

    def count():
        tables = [f"connecting_{one}" for one in ("service", "connection", "credential")]
        tables += [f"operations_{one}" for one in ("operation", "definition", "definitionfile")]
        tables += ["records_recordtype", "items_revision"]
        return [rondine.sql(f"SELECT count(*) FROM {table}") for table in tables]

    return count


def changed(*changes):
    """The register's definition with some texts replaced."""
    text = TEXT
    for before, after in changes:
        assert before in text
        text = text.replace(before, after)
    return {"register.yaml": text}


def plain(name):
    """A record type's name without the numbers that it has where others were made first."""
    return re.sub(r"-\d+(?=-|$)", "", name)


def test_a_look_shows_what_an_import_makes_and_writes_nothing(office, counts):
    before = counts()
    seen = office.definitions.look_at(files={"register.yaml": TEXT})
    assert counts() == before
    assert (seen["format"], seen["title"], len(seen["operations"]), seen["schemas"]) == (
        "OpenAPI 3.1.0",
        "Tree register of Olmara",
        6,
        7,
    )
    assert [(one["name"], one["type"], one["secret_names"]) for one in seen["sign_ins"]] == [
        ("registerKey", "api_key", ["key"])
    ]
    types = {plain(one["name"]): one for one in seen["record_types"]}
    assert (
        set(types) == {"tree", "species", "tree-place", "tree-measures", "care", "care-crew", "district"}
        and plain(types["species"]["parent"]) == "tree"
    )
    key = f"{types['tree']['name'].replace('-', '_')}_number"
    assert types["tree"]["key"] == ["number"] and types["tree-measures"]["key"] == [key]
    made = office.definitions.import_into("register-whole", files={"register.yaml": TEXT}, hash=seen["hash"])
    assert len(made["operations"]) == len(seen["operations"]) and {plain(one) for one in made["record_types"]} <= set(
        types
    )


def test_one_operation_of_six_is_imported_with_just_what_it_needs_and_can_be_tried_at_once(office, rondine):
    address = f"{rondine.register_url}/openapi.yaml"
    seen = office.definitions.look_at(address=address)
    key = next(one["key"] for one in seen["operations"] if one["path"] == "/trees/{number}")
    made = office.definitions.import_into(
        "register-one", address=address, operations=[key], record_types=[], connect={"environment": "test"}
    )
    assert (made["record_types"], made["secrets_needed"], len(made["operations"])) == ([], ["key"], 1)
    held = office.definitions.get(made["definition"])
    assert held["document"]["address"] == address and held["operations"] == made["operations"]
    assert set(office.definitions.schemas(made["definition"])) == {"Tree", "Species", "Refusal", "Reason"}
    office.credentials.set_secrets(made["credential"], key=rondine.key)
    operation = office.operations.get(made["operations"][0])
    assert operation["problems"] == [] and operation["document"]["came_from"]["key"] == key
    values = {one["name"]: one["try_value"] for one in operation["document"]["inputs"]}
    found = office.trials.send(service="register-one", operation=operation["name"], inputs=values)
    assert found["call"]["status"] == 200 and '"OLM-00007"' in office.bodies.text(found["body"])["text"]
    assert office.connections.get(made["connection"])["document"]["base_address"] == f"{rondine.register_url}/v1"
    more = office.definitions.look_at(address=address, service="register-one")
    assert [one["key"] for one in more["operations"] if one["is_imported"]] == [key]


def test_inputs_nobody_wants_are_not_sent_not_asked_for_and_stay_out_on_importing_again(office, rondine):
    made = office.definitions.import_into(
        "register-lean",
        files={"register.yaml": TEXT},
        operations=["GET /trees"],
        record_types=[],
        left_out={"GET /trees": ["start", "limit"]},
    )
    document = office.operations.get(made["operations"][0])["document"]
    assert (
        [one["name"] for one in document["inputs"]]
        == ["district", "min_girth"]
        == [one["name"] for one in document["query"]]
    )
    newer = changed(("Trees on a page.", "How many trees a page has."), ('version: "1.4"', 'version: "1.5"'))
    seen = office.definitions.compare(made["definition"], files=newer)
    assert seen["changes"] == [] and seen["unchanged"] == 1
    office.definitions.update(made["definition"], files=newer)
    assert [one["name"] for one in office.operations.get(made["operations"][0])["document"]["inputs"]] == [
        "district",
        "min_girth",
    ]
    with pytest.raises(RondineProblem, match="part of the path"):
        office.definitions.import_into(
            "register-lean",
            files={"register.yaml": TEXT},
            operations=["GET /trees/{number}"],
            left_out={"GET /trees/{number}": ["number"]},
        )


def test_importing_again_lists_exactly_what_changed_keeps_corrections_and_says_what_is_hit(office, rondine):
    made = office.definitions.import_into("register-again", files={"register.yaml": TEXT}, record_types=[])
    listed = next(name for name in made["operations"] if name.startswith("list-trees"))
    operation = office.operations.get(listed)
    document = operation["document"]
    document["inputs"][0]["default"] = "Orti"  # own corrections: a default, and a limit that is fixed
    document["inputs"] = [one for one in document["inputs"] if one["name"] != "start"]
    document["query"] = [one for one in document["query"] if one["name"] != "start"]
    office.operations.change(listed, version=operation["version"], document=document)
    office.record_types.make("again-tree", document={"fields": [{"name": "number", "type": "text"}], "key": ["number"]})
    mapping = {
        "outputs": [
            {
                "record_type": "again-tree",
                "rows": [{"level": "tree", "at": "trees[*]"}],
                "fields": [{"name": "number", "from": "number", "required": True}],
            }
        ]
    }
    office.mappings.make("again-trees", service="register-again", document=mapping)
    office.feeds.make("again-trees", operation=listed, mapping="again-trees", environment="test")
    newer = changed(
        (
            "schema: {type: integer, minimum: 1, maximum: 500, default: 100}",
            "schema: {type: integer, minimum: 1, maximum: 500, default: 50}",
        ),
        ('height: {type: [number, "null"], description: metres}', "height: {type: string}"),
        ("  /districts:\n", "  /quarters:\n"),
        ("description: Only trees of this district.", "description: Only trees that stand there."),
    )
    seen = office.definitions.compare(made["definition"], files=newer)
    kinds = {(change["kind"], change["key"]) for change in seen["changes"]}
    assert kinds == {
        ("changed", "GET /trees"),
        ("changed", "GET /trees/{number}"),
        ("removed", "GET /districts"),
        ("added", "GET /quarters"),
    }
    trees = next(change for change in seen["changes"] if change["key"] == "GET /trees")
    assert {
        (difference["unit"], difference["before"], difference["now"], difference["is_kept"])
        for difference in trees["differences"]
    } == {
        ("inputs/limit/default", 100, 50, False),
        ("inputs/district/description", "Only trees of this district.", "Only trees that stand there.", False),
        ("response 200: trees[*].measures.height", "number, or null", "string", False),
    }
    assert trees["used_by"] == ["feed again-trees", "mapping again-trees"]
    before = office.operations.get(listed)
    with pytest.raises(RondineProblem, match="changed since"):
        office.definitions.update(made["definition"], files=changed(("Find a tree", "Find one")), hash=seen["hash"])
    assert office.operations.get(listed) == before
    office.definitions.update(
        made["definition"],
        files=newer,
        hash=seen["hash"],
        accept=["GET /trees", "GET /districts"],
        add=["GET /quarters"],
    )
    after = office.operations.get(listed)["document"]
    inputs = {one["name"]: one for one in after["inputs"]}
    assert inputs["limit"]["default"] == 50 and inputs["district"]["default"] == "Orti" and "start" not in inputs
    gone = next(name for name in made["operations"] if name.startswith("list-districts"))
    assert office.operations.get(gone)["document"]["enabled"] is False
    again = office.definitions.compare(made["definition"], files=newer)
    assert again["changes"] == [], "the schema of a tree is the same for all that refer to it"
    assert office.operations.revisions(listed)[0]["why"].startswith("imported again")


def test_a_correction_against_the_definition_stays_and_is_shown_beside_it(office):
    made = office.definitions.import_into(
        "register-mine", files={"register.yaml": TEXT}, operations=["GET /trees"], record_types=[]
    )
    item = office.operations.get(made["operations"][0])
    document = item["document"]
    next(one for one in document["inputs"] if one["name"] == "limit")["default"] = 500
    office.operations.change(item["name"], version=item["version"], document=document)
    newer = changed(("maximum: 500, default: 100", "maximum: 500, default: 50"))
    seen = office.definitions.compare(made["definition"], files=newer)
    assert [
        (difference["unit"], difference["now"], difference["is_kept"])
        for difference in seen["changes"][0]["differences"]
    ] == [("inputs/limit/default", 50, True)]
    office.definitions.update(made["definition"], files=newer)
    kept = office.operations.get(item["name"])["document"]
    assert next(one for one in kept["inputs"] if one["name"] == "limit")["default"] == 500
    assert office.definitions.compare(made["definition"], files=newer)["changes"] == []


def test_a_zip_of_several_files_is_opened_and_references_are_followed(office):
    document = yaml.safe_load(TEXT)
    schemas = document["components"].pop("schemas")
    main = json.dumps(document).replace("#/components/schemas/", "parts/schemas.json#/")
    inner = json.dumps(schemas).replace("#/components/schemas/", "#/")
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w") as archive:
        archive.writestr("register/parts/schemas.json", inner)
        archive.writestr("register/api.json", main)
    seen = office.definitions.look_at(files={"register.zip": packed.getvalue()})
    assert seen["main"] == "register/api.json" and seen["schemas"] == 7 and not seen["warnings"]
    alone = office.definitions.look_at(files={"api.json": main})
    assert any(
        "is not here" in warning["message"] for operation in alone["operations"] for warning in operation["warnings"]
    )


def test_references_are_fetched_from_the_same_host_alone_and_the_host_must_be_permitted(office, rondine):
    with pytest.raises(RondineProblem) as caught:
        office.definitions.look_at(address="http://elsewhere.example/openapi.json")
    assert caught.value.code == "host_not_permitted"
    with pytest.raises(RondineProblem, match="404"):
        office.definitions.look_at(address=f"{rondine.outside('soil')}/openapi.json")


@pytest.mark.parametrize(
    ("source", "where", "words"),
    [
        ({"files": {"page.html": "<!doctype html><title>Docs</title>"}}, "page.html", "page of HTML"),
        ({"files": {"a.json": '{"openapi": "3.1.0", "paths": {'}}, "a.json, line 1", "ends here"),
        ({"files": {"a.json": '{"openapi": "7"}'}}, "a.json", "not read"),
        ({"files": {"a.zip": b"PK\x03\x04broken"}}, "a.zip", "cannot be opened"),
        ({"files": {}}, "files", "no file"),
        ({}, "/address", "nothing was given"),
        ({"address": "register.yaml"}, "/address", "is not an address"),
    ],
)
def test_what_cannot_be_read_is_refused_with_its_place_and_nothing_is_stored(office, counts, source, where, words):
    before = counts()
    for ask in (office.definitions.look_at, lambda **given: office.definitions.import_into("broken", **given)):
        with pytest.raises(RondineProblem) as caught:
            ask(**source)
        assert where in caught.value.where and words in str(caught.value)
    assert counts() == before


def test_a_choice_that_is_not_there_stores_nothing_and_names_the_nearest(office, counts):
    before = counts()
    for options, words in (
        ({"operations": ["GET /tree"]}, "GET /trees"),
        ({"left_out": {"GET /trees": ["limits"]}}, '"limit"'),
        ({"record_types": ["trees"]}, '"tree"'),
        ({"connect": {"sign_in": "registerkey"}}, "registerKey"),
        ({"hash": "0"}, "changed since"),
    ):
        with pytest.raises(RondineProblem) as caught:
            office.definitions.import_into("choice", files={"register.yaml": TEXT}, **options)
        assert words in f"{caught.value} {caught.value.hint}"
    assert counts() == before


def test_a_response_is_checked_against_its_own_description_and_a_wrong_field_is_told_by_path(office, rondine):
    wrong = changed(("position: {type: integer}", "position: {type: string}"))
    options = {
        "operations": ["GET /trees/{number}"],
        "record_types": [],
        "connect": {"address": f"{rondine.register_url}/v1"},
    }
    made = office.definitions.import_into("register-wrong", files=wrong, **options)
    office.credentials.set_secrets(made["credential"], key=rondine.key)
    name = made["operations"][0]
    found = office.trials.send(service="register-wrong", operation=name, inputs={"number": "OLM-00007"})
    assert found["described"] == "200" and [difference["where"] for difference in found["differences"]] == [
        "$['place']['position']"
    ]
    missing = office.trials.send(service="register-wrong", operation=name, inputs={"number": "none"})
    assert (missing["described"], missing["differences"]) == ("404", [])


def test_a_response_of_a_conflict_has_its_own_schema(office):
    made = office.definitions.import_into(
        "register-conflict", files={"register.yaml": TEXT}, operations=["POST /trees/{number}/care"], record_types=[]
    )
    document = office.operations.get(made["operations"][0])["document"]
    assert {response["status"]: response["schema"]["$ref"] for response in document["responses"]} == {
        "201": "#/$defs/Care", "409": "#/$defs/Conflict", "422": "#/$defs/Refusal",
    }  # fmt: skip


def test_a_service_that_never_had_a_definition_is_exported_and_imported_as_one(office, rondine):
    rondine.connect("by-hand")
    document = {
        "path": "/v1/trees",
        "inputs": [{"name": "district", "try_value": "Orti"}],
        "query": [{"name": "district", "value": {"input": "district"}}],
    }
    office.operations.make("by-hand-trees", title="Trees by district", service="by-hand", document=document)
    trial = office.trials.send(service="by-hand", operation="by-hand-trees", inputs={"district": "Orti"})
    office.samples.keep("by-hand-sample", run=trial["run"], operation="by-hand-trees")
    made = office.services.export("by-hand")
    assert (
        made["unsaid"] == []
        and rondine.key not in json.dumps(made)
        and made["document"]["servers"][0]["url"] == rondine.register_url
    )
    seen = office.definitions.look_at(files={"by-hand.json": json.dumps(made["document"])})
    assert seen["warnings"] == [] and (seen["record_types"][0]["wanted"] or seen["record_types"][0]["name"]) == "tree"
    again = office.definitions.import_into(
        "by-hand-again", files={"by-hand.json": json.dumps(made["document"])}, record_types=[]
    )
    imported = office.operations.get(again["operations"][0])["document"]
    assert (
        imported["inputs"] == [{"name": "district", "try_value": "Orti"}]
        and imported["responses"][0]["status"] == "200"
    )
    printed = rondine.cli("service", "openapi", "by-hand").stdout
    assert json.loads(printed) == made["document"]


def test_a_recorded_session_gives_a_working_operation_and_leaves_its_secrets_nowhere(office, rondine):
    secret = "k9Canary7Zx4Qw8Er2Ty6Ui"
    address = f"{rondine.register_url}/v1/trees/OLM-00007"
    request = {
        "method": "GET",
        "url": address,
        "headers": [{"name": "X-Register-Key", "value": secret}],
        "cookies": [{"name": "sid", "value": secret}],
    }
    answer = {
        "status": 200,
        "content": {
            "mimeType": "application/json",
            "text": json.dumps({"number": "OLM-00007", "session_token": secret}),
        },
    }
    page = {
        "request": {"method": "GET", "url": f"{rondine.register_url}/index.html"},
        "response": {"status": 200, "content": {"mimeType": "text/html"}},
    }
    session = json.dumps({"log": {"version": "1.2", "entries": [page, {"request": request, "response": answer}]}})
    seen = office.definitions.look_at(files={"session.har": session})
    made = office.definitions.import_into(
        "recorded", files={"session.har": session}, hash=seen["hash"], connect={"environment": "test"}
    )
    assert len(made["operations"]) == 1 and made["secrets_needed"] == ["key"]
    office.credentials.set_secrets(made["credential"], key=rondine.key)
    found = office.trials.send(service="recorded", operation=made["operations"][0], inputs={"tree": "OLM-00009"})
    assert found["call"]["status"] == 200 and '"OLM-00009"' in office.bodies.text(found["body"])["text"]
    stored = [
        office.definitions.look_at(definition=made["definition"]),
        office.operations.get(made["operations"][0]),
        office.definitions.get(made["definition"]),
    ]
    assert leaks(rondine, [seen, made, stored], secret) == []


def test_an_operation_is_copied_with_its_sample_and_mapping_and_nothing_links_back(office, rondine):
    made = office.definitions.import_into(
        "copied",
        files={"register.yaml": TEXT},
        operations=["GET /trees"],
        record_types=[],
        connect={"address": f"{rondine.register_url}/v1"},
    )
    office.credentials.set_secrets(made["credential"], key=rondine.key)
    name = made["operations"][0]
    trial = office.trials.send(service="copied", operation=name, inputs={"limit": 3})
    office.samples.keep("copied-sample", run=trial["run"], operation=name)
    office.mappings.make(
        name,
        service="copied",
        document={
            "outputs": [{"record_type": "copied-tree", "rows": [{"level": "tree", "at": "trees[*]"}], "fields": []}]
        },
    )
    copy = office.operations.copy(name, "copied-again")
    assert copy == {"name": "copied-again", "samples": ["copied-again-copied-sample"], "mapping": "copied-again"}
    item = office.operations.get("copied-again")
    assert (
        "came_from" not in item["document"]
        and item["document"]["query"] == office.operations.get(name)["document"]["query"]
    )
    assert office.definitions.get(made["definition"])["operations"] == [name]
    with pytest.raises(RondineProblem, match="there already"):
        office.operations.copy(name, "copied-again")


def test_the_usual_operations_and_a_pasted_request_are_made_from_the_command_line(office, rondine, tmp_path):
    rondine.connect("usual")
    shown = rondine.cli("operation", "usual", "/v1/usual-trees", "--service", "usual", "--key", "number")
    assert [json.loads(line)["name"] for line in shown.stdout.splitlines()][:2] == [
        "list-usual-trees",
        "find-usual-tree",
    ]
    item = office.operations.get("find-usual-tree")
    office.operations.change(
        item["name"], version=item["version"], document={**item["document"], "path": "/v1/trees/{number}"}
    )
    assert (
        office.trials.send(service="usual", operation="find-usual-tree", inputs={"number": "OLM-00007"})["call"][
            "status"
        ]
        == 200
    )
    pasted = tmp_path / "request.txt"
    pasted.write_text("GET /v1/trees?district=Orti&limit=2 HTTP/1.1\nHost: register.example\n")
    words = ("operation", "make", "usual-pasted", "--service", "usual", "--pasted", str(pasted))
    refused = rondine.cli(*words, check=False)
    assert (
        refused.returncode == 1
        and "the pasted address is https://register.example/v1/trees, and below" in refused.stderr
    )
    rondine.cli(*words, "--below")
    found = office.trials.send(service="usual", operation="usual-pasted", inputs={"limit": 1})
    assert found["call"]["status"] == 200 and "limit=1" in found["call"]["url"]


def test_more_of_a_definition_that_has_changed_is_imported_into_the_same_one(office, rondine):
    address = f"{rondine.register_url}/openapi.yaml"
    made = office.definitions.import_into(
        "register-more", address=address, operations=["GET /districts"], record_types=[]
    )
    again = office.definitions.import_into(
        "register-more", address=address, operations=["GET /districts", "GET /trees"], record_types=[]
    )
    assert again["definition"] == made["definition"] and len(again["operations"]) == 1
    held = office.definitions.get(made["definition"])
    assert (
        len(held["operations"]) == 2
        and held["problems"] == []
        and {"Tree", "Species"} <= set(office.definitions.schemas(made["definition"]))
    )
    assert office.definitions.compare(made["definition"])["unchanged"] == 2


def test_texts_that_the_database_cannot_hold_do_not_keep_a_definition_out(office):
    odd = {"openapi": "3.1.0", "info": {"title": "Odd\u0000 \ud800", "version": "1\u0000"},
    "components": {"schemas": {"A\u0000": {"description": "b\u0000\udfff"}}},
           "paths": {"/a": {"get": {"operationId": "a\u0000", "summary": "s\u0000", "description": "d\ud800",
           "responses": {"200": {"description": "\u0000",
           "content": {"application/json": {"schema": {"$ref": "#/components/schemas/A%00"}}}}}}}}}  # fmt: skip
    made = office.definitions.import_into("odd", files={"odd.json": json.dumps(odd)})
    item = office.operations.get(made["operations"][0])
    assert item["document"]["description"].startswith("d") and "\x00" not in json.dumps(item, ensure_ascii=False)
    assert office.definitions.get(made["definition"])["title"].startswith("Odd")


def large(paths: int) -> str:
    item = {"get": {"responses": {"200": {"description": "ok"}}}}
    document = {
        "openapi": "3.1.0",
        "info": {"title": "Large", "version": "1"},
        "paths": {f"/p{n}": item for n in range(paths)},
    }
    return json.dumps(document)


def test_a_large_definition_tells_how_far_it_has_come(rondine):
    told = []
    found = rondine.office().definitions.look_at(files={"large.json": large(8000)}, report=told.append)
    assert len(found["operations"]) == 8000
    paths = [one for one in told if one["what"] == "paths"]
    assert (
        paths and paths[0]["of"] == 8000 and [path["done"] for path in paths] == sorted(path["done"] for path in paths)
    )


def test_a_problem_met_while_telling_progress_is_the_same_problem(rondine):
    for options in ({}, {"report": lambda _: None}):
        with pytest.raises(RondineProblem, match="does not say its version") as problem:
            rondine.office().definitions.look_at(files={"broken.json": '{"paths": {}}'}, **options)
        assert problem.value.code == "bad_document" or problem.value.hint


def test_reading_ends_when_nobody_waits_for_it_any_more(rondine):
    office = rondine.office()

    def leave(_):
        raise KeyboardInterrupt

    with pytest.raises(KeyboardInterrupt):
        office.definitions.look_at(files={"large.json": large(20000)}, report=leave)
    assert office.definitions.look_at(files={"small.json": large(1)})["operations"]
