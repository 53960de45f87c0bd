"""The bench beyond JSON of a connected service: a one-off address, XML by pointing, a response held against a
schema."""

import re

import pytest
from aiohttp import web
from playwright.sync_api import expect
from tests.console.conftest import word_in

pytestmark = pytest.mark.browser


@pytest.fixture(scope="module")
def laboratory(rondine):
    """A service that answers XML, with its schema imported."""
    sign_in = {"type": "basic", "user_name": rondine.papers.soil_user}
    base = rondine.outside("soil")
    name = rondine.sign_in("bench-lab", base, sign_in, {"password": rondine.papers.soil_password})
    office = rondine.office()
    office.operations.make("bench-results", title="Lab results", service=name, document={"path": "/results"})
    office.definitions.import_into(name, address=f"{base}/results.xsd", record_types=[])
    return name


def test_an_address_is_tried_alone_and_kept_as_a_service_without_typing_it_again(open_page, rondine):
    page = open_page(path="/services")
    page.get_by_role("link", name="Try an address").click()
    page.get_by_label("Paste a whole address").fill(f"{rondine.register_url}/openapi.json")
    page.get_by_role("button", name="Take apart").click()
    expect(page.get_by_label("Base address")).to_have_value(rondine.register_url)
    page.get_by_role("button", name="done").click()
    page.get_by_role("button", name="Send this request").click()
    expect(page.get_by_text("OK (200)")).to_be_visible()
    page.get_by_label("Title of the operation").fill("Read the description")
    page.get_by_label("What the service is called").fill("One-off register")
    page.get_by_role("button", name="Keep as a service").click()
    expect(page.get_by_text("read-the-description", exact=True)).to_be_visible()
    expect(page.get_by_text("OK (200)")).to_be_visible()  # what came back stays on the screen
    page.reload()
    page.get_by_role("button", name="Send this request").click()
    expect(page.get_by_text("OK (200)")).to_be_visible()
    assert rondine.office().connections.get("one-off-register-test")["document"]["base_address"] == rondine.register_url


def test_xml_is_mapped_by_pointing(open_page, rondine, laboratory):
    page = open_page(path="/operations/bench-results")
    page.get_by_role("button", name="Send this request").click()
    expect(page.get_by_text("record · 12 of 12 rows")).to_be_visible()
    expect(page.get_by_label("One row is each of")).to_have_value("/lab:results/lab:result")
    tree = page.get_by_role("tree")
    expect(tree.get_by_text("each is a row")).to_be_visible()
    page.get_by_role("cell", name="S-1041").hover()
    expect(page.locator("[role=treeitem][aria-selected=true]").last).to_contain_text("@number")
    expect(page.get_by_role("columnheader", name="humus %")).to_be_visible()  # its unit is checked, not kept
    expect(page.get_by_text("unit: @unit")).to_be_visible()
    expect(page.get_by_role("columnheader", name="unit")).to_have_count(0)
    tree.get_by_title("click to take it").filter(has_text="%").first.click()
    expect(page.get_by_role("columnheader", name="unit")).to_be_visible()

    # a level further in: the layers become the rows, whether there are several or one
    tree.get_by_text("list of 2").first.hover()
    tree.get_by_role("button", name="make these the rows").first.click()
    expect(page.get_by_label("One row is each of")).to_have_value("/lab:results/lab:result/lab:layers/lab:layer")
    expect(page.get_by_text("layer · 24 of 24 rows")).to_be_visible()
    expect(page.get_by_role("cell", name="sand").first).to_be_visible()


def test_a_response_is_held_against_the_schema_chosen_for_it(open_page, rondine, laboratory):
    page = open_page(path="/operations/bench-results")
    page.get_by_role("button", name="Send this request").click()
    page.get_by_role("tab", name="schema").click()
    expect(page.get_by_label("type of /lab:results/lab:result/lab:layers/lab:layer/@depth")).to_have_value("integer")
    page.get_by_label("Good responses are described by").select_option(label=f"{laboratory} › results · XML Schema")
    page.get_by_role("button", name="Save", exact=True).click()
    expect(page.get_by_text("mapping changed · not saved")).to_be_visible()
    assert rondine.office().trials.send(service=laboratory, operation="bench-results")["described"] == "200"


def test_a_pasted_document_of_lines_or_xml_is_looked_at(open_page, rondine, laboratory):
    page = open_page(path=f"/operations/new?service={laboratory}")
    page.get_by_label("Or paste a response").fill(
        '<trees><tree number="OLM-1"><girth>2.5</girth></tree><tree number="OLM-2"/></trees>'
    )
    page.get_by_role("button", name="Keep it as a sample and look").click()
    expect(page.get_by_text("tree · 2 of 2 rows")).to_be_visible()
    expect(page.get_by_label("type of girth", exact=True)).to_have_value("decimal")


def test_a_number_with_a_comma_is_converted_as_proposed_and_otherwise_by_choosing_steps(open_page, rondine, laboratory):
    page = open_page(path="/operations/bench-results")
    page.get_by_role("button", name="Send this request").click()
    expect(page.get_by_label("type of humus")).to_have_value("decimal")
    expect(page.get_by_role("cell", name="3.1", exact=True).first).to_be_visible()
    page.get_by_role("button", name="how humus is converted").click()
    expect(page.get_by_role("button", name="step 1 of humus", exact=True)).to_have_text("number ,")
    page.get_by_label("add a step to humus").select_option("arithmetic")
    page.get_by_label("Multiply").fill("10")
    expect(page.get_by_role("cell", name="31", exact=True).first).to_be_visible()
    page.get_by_role("button", name="take away step 1 of humus").click()
    expect(page.get_by_text("12 rejected")).to_be_visible()
    page.get_by_label("what a failure of humus does").select_option("empty")
    expect(page.get_by_text("12 of 12 rows")).to_be_visible()


def test_nothing_found_is_an_outcome_of_its_own_and_no_earlier_value_stays_on_the_screen(open_page, rondine, serve):
    async def trees(request):
        if request.query.get("district"):
            return web.json_response({"message": "no such tree"}, status=404)
        return web.json_response({"trees": [{"number": "OLM-1"}]})

    outside = serve(trees)
    rondine.permit(outside.port)
    service = rondine.connect("nothing-found", outside.url)
    document = {
        "path": "/trees",
        "inputs": [{"name": "district"}],
        "query": [{"name": "district", "value": {"input": "district"}}],
    }
    rondine.office().operations.make("maybe-trees", title="Maybe trees", service=service, document=document)
    page = open_page(path="/operations/maybe-trees")
    page.get_by_role("button", name="Send this request").click()
    expect(page.get_by_text("1 of 1 rows")).to_be_visible()
    page.get_by_label("district").fill("OLM-9")
    page.get_by_role("button", name="Send this request").click()
    expect(page.get_by_text("The service says: no such tree")).to_be_visible()
    page.get_by_role("button", name="404 here means that nothing was found").click()
    page.get_by_role("button", name="Send this request").click()
    expect(page.get_by_text("Nothing was found", exact=True)).to_be_visible()
    expect(page.get_by_text("OLM-1")).to_have_count(0)


def test_a_response_is_compared_with_a_kept_sample(open_page, rondine, serve):
    girth = iter([2.5, 2.5, 3])

    async def trees(request):
        return web.json_response({"trees": [{"number": "OLM-1", "girth": next(girth)}]})

    outside = serve(trees)
    rondine.permit(outside.port)
    service = rondine.connect("compared", outside.url)
    office = rondine.office()
    office.operations.make("compared-trees", title="Compared trees", service=service, document={"path": "/trees"})
    run = office.trials.send(service=service, operation="compared-trees")["run"]
    office.samples.keep("compared-sample", run=run, operation="compared-trees")
    page = open_page(path="/operations/compared-trees")
    for expected in ("They are the same, whatever their formatting.", "$['trees'][0]['girth']"):
        page.get_by_role("button", name="Send this request").click()
        expect(page.get_by_text("1 of 1 rows")).to_be_visible()
        page.get_by_role("tab", name="compare").click()
        page.get_by_label("against").select_option(label="sample compared-sample")
        expect(page.get_by_text(expected)).to_be_visible()
    after = str(next(iter(office.runs.search(operation="compared-trees", limit=1)))["id"])
    shown = rondine.cli("sample", "compare", "compared-sample", after, "--run", check=False)
    assert shown.returncode == 1 and "$['trees'][0]['girth']" in shown.stdout


def test_what_differs_than_in_the_sample_is_told_with_the_fields_it_touches_and_the_mapping_stays(
    open_page, rondine, serve
):
    answers = iter([{"number": "OLM-1", "girth": 2.5}, {"number": "OLM-1", "girth": {"value": 2.5}, "crown": 4}])

    async def trees(request):
        return web.json_response({"trees": [next(answers)]})

    outside = serve(trees)
    rondine.permit(outside.port)
    service = rondine.connect("otherwise", outside.url)
    rondine.office().operations.make("other-trees", title="Other trees", service=service, document={"path": "/trees"})
    page = open_page(path="/operations/other-trees")
    page.get_by_role("button", name="Send this request").click()
    expect(page.get_by_text("1 of 1 rows")).to_be_visible()
    page.get_by_role("button", name="keep as sample").click()
    expect(page.get_by_text("kept as other-trees")).to_be_visible()
    page.get_by_role("button", name="Send this request").click()
    page.get_by_text("2 parts differ from the kept sample").click()
    expect(page.get_by_text("was decimal, is object")).to_be_visible()
    expect(page.get_by_text("fills girth")).to_be_visible()
    expect(page.get_by_text("1 rejected")).to_be_visible()
    page.get_by_role("button", name="take it").click()
    expect(page.get_by_label("name of the field crown")).to_be_visible()
    expect(page.get_by_label("name of the field number")).to_be_visible()


def test_the_layers_of_each_result_become_records_that_belong_to_it(open_page, rondine, laboratory):
    rondine.office().operations.make("bench-linked", service=laboratory, document={"path": "/results"})
    page = open_page(path="/operations/bench-linked")
    page.get_by_role("button", name="Send this request").click()
    expect(page.get_by_text("record · 12 of 12 rows")).to_be_visible()
    page.get_by_label("Record type").fill("soil-result")
    page.get_by_role("button", name="Make it records that belong to their soil-result").click()
    layers = page.get_by_role("region", name="soil-result-layer")
    expect(layers.get_by_text("24 of 24 rows")).to_be_visible()
    expect(layers.get_by_role("cell", name="sand").first).to_be_visible()
    page.get_by_role("button", name="Save record type and mapping").click()
    expect(page.get_by_text("saved", exact=True)).to_be_visible()
    page.get_by_role("button", name="Save", exact=True).click()
    page.get_by_role("button", name="Make the feed and run it").click()
    page.wait_for_url("**/runs/*")
    expect(page.get_by_text("done", exact=True).first).to_be_visible()
    page = open_page(path="/records/soil-result/S-1041")
    held = page.get_by_role("region", name="soil-result-layer")
    expect(held.get_by_role("row")).to_have_count(3)
    held.get_by_role("link").nth(1).click()
    expect(page.get_by_text("Belongs to soil-result")).to_be_visible()
    page.get_by_role("link", name="S-1041").click()
    expect(page.get_by_role("region", name="soil-result-layer")).to_be_visible()


def test_every_value_of_a_request_says_where_it_comes_from_and_a_record_fills_inputs(open_page, rondine):
    office = rondine.office()
    office.operations.make(
        "bench-one-tree", service=rondine.connect("bench-trees"), document={"path": "/v1/trees/{number}",
        "inputs": [{"name": "number", "required": True}], "query": [{"name": "lang", "value": "it"}]},
    )  # fmt: skip
    rondine.feed("bench-tree", "/v1/trees", paging={"type": "link_header"}, limit=500, service="bench-trees")
    rondine.finish("bench-tree")
    page = open_page(path="/operations/bench-one-tree")
    page.get_by_text("Fill from a record").click()
    page.get_by_label("Type of the record").select_option("bench-tree")
    page.get_by_label("Key of the record").fill("OLM-00007")
    page.get_by_role("button", name="Fill", exact=True).click()
    expect(page.get_by_label("The request as it will be sent")).to_contain_text("GET /v1/trees/OLM-00007?lang=it")
    page.get_by_text("Where each value comes from").click()
    expect(page.get_by_role("link", name="field number of bench-tree OLM-00007")).to_be_visible()
    expect(page.get_by_role("button", name="fixed in the operation")).to_be_visible()
    page.get_by_role("button", name="Send this request").click()
    expect(page.get_by_text("OK (200)")).to_be_visible()
    page.get_by_role("textbox", name="number text · required").fill("OLM-00009")
    expect(page.get_by_label("The request as it will be sent")).to_contain_text("/v1/trees/OLM-00009")
    page.get_by_role("button", name="input number").click()
    expect(page.get_by_role("textbox", name="number text · required")).to_be_focused()


def test_a_response_from_a_file_is_narrowed_by_a_condition_put_together_by_choosing(open_page, rondine, tmp_path):
    service = rondine.connect("bench-file")
    file = tmp_path / "trees.json"
    lines = ",\n".join(f'  {{"number": "OLM-{n}", "girth": {n / 10}}}' for n in range(5000))
    file.write_text(f'{{"trees": [\n{lines}\n], "count": 5000, "count": 4999}}')
    page = open_page(path=f"/operations/new?service={service}")
    page.get_by_label("A response from a file").set_input_files(str(file))
    expect(page.get_by_text("tree · 5000 of 5000 rows")).to_be_visible()
    page.get_by_text("Only some of the rows").click()
    page.get_by_label("Value of the row").select_option("$.girth")
    page.get_by_label("How it is compared").select_option("at_least")
    page.get_by_label("What it is compared with").fill("499.5")
    page.get_by_role("button", name="Leave the others out").click()
    expect(page.get_by_text("tree · 5 of 5000 rows, 4995 left out")).to_be_visible()
    expect(page.get_by_text("Only rows where girth is at least 499.5")).to_be_visible()
    page.get_by_role("button", name="all rows again").click()
    expect(page.get_by_text("tree · 5000 of 5000 rows")).to_be_visible()
    page.get_by_label("one object in place of the list is a row too").check()
    page.get_by_role("button", name="as a text").click()
    expect(page.get_by_label("The mapping as text")).to_contain_text('"or_one": true')


def test_the_mapping_as_text_and_the_list_reflect_each_other(open_page, rondine, laboratory):
    rondine.office().operations.make("bench-text", service=laboratory, document={"path": "/results"})
    page = open_page(path="/operations/bench-text")
    page.get_by_role("button", name="Send this request").click()
    expect(page.get_by_text("record · 12 of 12 rows")).to_be_visible()
    page.get_by_role("button", name="leave out note").click()
    page.get_by_role("button", name="as a text").click()
    text = page.get_by_label("The mapping as text")
    expect(text).to_contain_text('"from": "@tree"')
    expect(text).not_to_contain_text('"note"')
    word_in(text, '"@tree"').dblclick()
    page.wait_for_function("document.getSelection().toString() === 'tree'")  # what is typed replaces what is selected
    page.keyboard.type("number")
    expect(text.get_by_text('"@number"')).to_have_count(2)
    expect(page.get_by_role("cell", name="S-1041")).to_have_count(2)  # number, and tree taken from it
    page.keyboard.press("Control+End")
    page.keyboard.press("Backspace")
    expect(page.get_by_text("Not a mapping yet")).to_be_visible()
    expect(page.get_by_role("cell", name="S-1041")).to_have_count(2)
    page.get_by_role("button", name="as a list").click()
    expect(page.get_by_text("@number")).to_have_count(3)  # in the tree, and of two rules


def test_what_only_the_samples_have_is_proposed_too(open_page, rondine, serve):
    outside = serve(lambda request: web.json_response({"trees": [{"number": "OLM-1", "girth": 2}]}))
    rondine.permit(outside.port)
    office, service = rondine.office(), rondine.connect("bench-samples", outside.url)
    office.operations.make("bench-samples", service=service, document={"path": "/trees"})
    text = '{"trees": [{"number": "OLM-2", "girth": 2.5, "crown": 4}]}'
    office.samples.keep("bench-samples", text=text, operation="bench-samples")
    page = open_page(path="/operations/bench-samples")
    page.get_by_role("button", name="Send this request").click()
    expect(page.get_by_text("tree · 1 of 1 rows")).to_be_visible()
    expect(page.get_by_label("type of girth", exact=True)).to_have_value("decimal")
    expect(page.get_by_label("type of crown", exact=True)).to_have_value("integer")


def test_the_text_of_a_mapping_is_completed_lit_and_marked_where_it_is_wrong(open_page, walked):
    page = open_page(path="/operations/list-trees")
    page.get_by_role("button", name="Send this request").click()
    expect(page.get_by_text("OK (200)")).to_be_visible()
    page.get_by_role("button", name="as a text").click()
    text = page.get_by_label("The mapping as text")
    rule = page.locator(".cm-line").filter(has_text='"planted"')
    page.wait_for_load_state("networkidle")  # until then, parts of the tree that open make others move
    page.get_by_role("treeitem", name=re.compile("^planted")).first.hover()
    expect(rule).to_have_class(re.compile("cm-lit"))
    rule.hover()  # and the other way round
    expect(page.get_by_role("treeitem", selected=True)).to_contain_text("planted")

    rule.click()
    page.keyboard.press("End")
    for _ in "},":
        page.keyboard.press("ArrowLeft")
    page.keyboard.type(', "on')
    offered = page.get_by_role("listbox", name="Completions").get_by_role("option")
    expect(offered).to_have_count(2)
    page.wait_for_timeout(300)  # what was just drawn is not taken by a key that was meant for something else
    page.keyboard.press("Enter")
    page.keyboard.press("Control+Space")
    expect(offered).to_have_text(["empty", "reject", "stop"])
    page.wait_for_timeout(300)
    page.keyboard.press("Enter")
    expect(rule).to_contain_text('"planted", "on_failure": "empty"}')
    word_in(text, '"planted"').last.dblclick()
    page.keyboard.type("place.d")
    expect(offered.first).to_have_text(re.compile("^place.district"))
    page.wait_for_timeout(300)
    page.keyboard.press("Enter")
    expect(rule).to_contain_text('"from": "place.district", "on_failure"')
    expect(page.get_by_role("columnheader", name="planted")).to_be_visible()

    page.keyboard.press("ArrowLeft")
    page.keyboard.type(".")
    expect(page.get_by_role("alert")).to_contain_text("The records are those before this change.")
    expect(page.get_by_role("cell", name="OLM-00014", exact=True)).to_be_visible()
    expect(page.locator(".cm-lintRange-error")).to_have_text('"place.district."')


def test_a_response_fills_a_record_type_that_is_there_and_what_else_is_reached_is_told(open_page, rondine, serve):
    pages = {"/kept": [{"number": "OLM-1", "girth_m": 1.5, "height_m": 9}], "/other": [{"number": "OLM-7",
    "girthM": 2.5, "tall": 12}]}  # fmt: skip
    outside = serve(lambda request: web.json_response(pages[request.path]))
    rondine.permit(outside.port)
    service, office = rondine.connect("bench-onto", outside.url), rondine.office()
    office.operations.make("bench-onto-kept", service=service, document={"path": "/kept"})
    office.operations.make("bench-onto-other", service=service, document={"path": "/other"})
    body = office.trials.send(service=service, operation="bench-onto-kept")["body"]
    found = office.mappings.propose(body, rows=["$[*]"], name="bench-onto-tree")
    office.record_types.make("bench-onto-tree", document=found["record_type"])
    office.mappings.make("bench-onto-kept", service=service, document=found["mapping"])

    page = open_page(path="/operations/bench-onto-other")
    page.get_by_role("button", name="Send this request").click()
    expect(page.get_by_text("1 of 1 rows")).to_be_visible()
    page.get_by_label("They become").select_option("bench-onto-tree")
    page.get_by_role("button", name="girth_m was proposed by its same name: confirm").click()
    expect(page.get_by_role("button", name="girth_m was proposed")).to_have_count(0)
    expect(page.get_by_role("button", name="number was proposed")).to_be_visible()
    open_fields = page.get_by_role("list", name="Fields that nothing fills")
    open_fields.get_by_role("button").click()
    page.get_by_role("tree").get_by_title("click to take it").filter(has_text="12").click()
    expect(open_fields.get_by_role("button")).to_have_count(0)
    expect(page.get_by_role("cell", name="12", exact=True)).to_be_visible()
    expect(page.get_by_text("Saving changes")).to_have_count(0)  # the mapping is new, and the record type as it was
    page.get_by_label("unit of height_m").fill("m")
    expect(page.get_by_text("height_m was in no unit and is in m now")).to_be_visible()
    expect(page.get_by_text("Saving changes the record type bench-onto-tree, which mapping bench-onto-kept uses too.")).to_be_visible()  # fmt: skip
    page.get_by_role("button", name="leave out height_m").click()
    expect(open_fields).to_contain_text("height_m")  # the field is others' too
    page.get_by_role("button", name="Save record type and mapping").click()
    expect(page.get_by_text("saved", exact=True)).to_be_visible()
    kept = office.record_types.get("bench-onto-tree")
    assert kept["version"] == 2 and [field["name"] for field in kept["document"]["fields"]] == ["number", "girth_m",
    "height_m"]  # fmt: skip
