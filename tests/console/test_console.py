"""The console in Chromium, against the whole service: the road of a builder, and what must not get lost."""

import asyncio
import re

import pytest
from aiohttp import web
from playwright.sync_api import expect
from tests.console.conftest import sign_in
from tests.whole_rondine import wait_until

from rondine.standins.register import DEFINITION

pytestmark = pytest.mark.browser


def test_the_road_from_an_address_to_kept_records(open_page, rondine):
    page = open_page(path="/services")
    page.get_by_role("button", name="Connect a service").click()
    page.get_by_label("What the service is called").fill("Council register")
    page.get_by_label("Base address").fill(rondine.register_url)
    page.get_by_label("Header that carries the API key").fill("X-Register-Key")
    page.get_by_label("API key", exact=True).fill(rondine.key)
    page.get_by_role("button", name="Make the connection").click()
    page.get_by_role("button", name="Check it").click()
    expect(page.get_by_text("not refused")).to_be_visible()
    page.get_by_role("link", name="describe an operation and try it").click()

    page.get_by_label("Paste a whole address").fill(f"{rondine.register_url}/v1/trees?district={{district}}&limit=50")
    page.get_by_role("button", name="Take apart").click()
    expect(page.get_by_label("Title of the operation")).to_have_value("List trees")
    page.get_by_label("Title of the operation").fill("Council trees")
    page.get_by_role("button", name="done").click()
    page.get_by_label("district").fill("Vigna Vecchia")
    request = page.get_by_label("The request as it will be sent")
    expect(request).to_contain_text("GET /v1/trees?district=Vigna%20Vecchia&limit=50")
    expect(request).to_contain_text("•••••••")
    page.get_by_role("button", name="Send this request").click()
    expect(page.get_by_text("OK (200)")).to_be_visible()
    expect(page.get_by_text("tree · 50 of 50 rows")).to_be_visible()
    page.get_by_role("button", name="follow it").click()

    # point at a value in a record: its place in the response and its rule light up
    cell = page.get_by_role("cell", name=re.compile(r"^OLM-\d+$")).first
    cell.hover()
    expect(page.locator("[role=treeitem][aria-selected=true]").last).to_contain_text("number")
    # leave a value out and take it again, rename a field, mend a type
    page.get_by_role("button", name="leave out sheet").click()
    expect(page.get_by_role("columnheader", name="sheet")).to_have_count(0)
    page.get_by_title("click to take it").first.click()
    expect(page.get_by_role("columnheader", name="sheet")).to_be_visible()
    page.get_by_label("name of the field girth").fill("girth_m")
    page.get_by_label("name of the field girth").blur()
    expect(page.get_by_role("columnheader", name="girth_m")).to_be_visible()
    page.get_by_role("tab", name="schema").click()
    page.get_by_label("type of $.trees[*].place.position").select_option("text")
    expect(page.get_by_label("type of position")).to_have_value("text")

    page.get_by_role("button", name="Save", exact=True).click()
    expect(page.get_by_text("mapping changed · not saved")).to_be_visible()
    page.get_by_label("Record type").fill("council-tree")
    page.get_by_role("button", name="Save record type and mapping").click()
    page.get_by_role("button", name="Make the feed and run it").click()
    expect(page.get_by_text("2,412 created").first).to_be_visible(timeout=30_000)
    page.get_by_role("link", name="open the records").click()
    expect(page.get_by_text("2,412 kept in test")).to_be_visible()
    assert rondine.office().records.get("test", "council-tree", "OLM-00001")["data"]["position"] == "10"


def test_a_response_can_be_pasted_and_a_missing_brace_shows_its_line(open_page, walked):
    page = open_page(path="/operations/new?service=tree-register")
    pasted = page.get_by_label("Or paste a response")
    pasted.fill('{"trees": [\n  {"number": "OLM-1", "girth": 2,\n  {"number": "OLM-2"}]}')
    page.get_by_role("button", name="Keep it as a sample and look").click()
    expect(page.get_by_role("alert")).to_contain_text("line 3, column 3")
    pasted.fill('{"trees": [{"number": "OLM-1", "girth": 2}, {"number": "OLM-2", "girth": 2.5}]}')
    page.get_by_role("button", name="Keep it as a sample and look").click()
    expect(page.get_by_text("tree · 2 of 2 rows")).to_be_visible()
    expect(page.get_by_role("treeitem").first).to_contain_text("list of 2")


def test_records_are_filtered_sorted_and_opened_by_address(open_page, walked):
    page = open_page("vela", "/records/tree")
    page.get_by_label("Field to filter by").select_option("girth_m")
    page.get_by_label("How to compare").select_option("from")
    page.get_by_label("Value").fill("4")
    page.get_by_role("button", name="Filter", exact=True).click()
    page.get_by_role("columnheader").get_by_role("button", name="girth_m").click()
    page.wait_for_url("**/records/tree?girth_m.from=4&sort=girth_m")
    page.reload()
    first = page.get_by_role("row").nth(1)
    expect(first).to_contain_text("4")
    page.get_by_role("link", name=re.compile("OLM-")).first.click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("OLM-")
    expect(page.get_by_text("Last changed")).to_be_visible()


def test_what_a_response_fed_is_shown_beside_it_both_ways(open_page, walked):
    page = open_page(path="/records/tree/OLM-00014")
    expect(page.get_by_role("treeitem", name=re.compile("^number"))).to_contain_text("OLM-00014")  # its row is open
    page.get_by_role("link", name="call 1").click()
    page.get_by_role("cell", name="3.8", exact=True).first.click()
    girth = page.get_by_role("treeitem", selected=True)
    expect(girth).to_contain_text("girth")
    girth.get_by_role("button", name="where it went").click()
    expect(page.get_by_text("tree, 1 row")).to_be_visible()
    page.get_by_role("region", name="tree").get_by_role("link", name="OLM-00014").click()
    page.wait_for_url("**/records/tree/OLM-00014")


def test_what_is_pointed_at_last_is_shown_however_late_the_rest_is_read(open_page, walked):
    page = open_page(path="/records/tree/OLM-00014")
    held = []
    page.route(re.compile(r"/(tree|places)\?.*pointer=(/|%2F)trees(/|%2F)0(&|$)"), lambda route: held.append(route))
    page.get_by_role("link", name="call 1").click()
    page.get_by_role("cell", name="3.8", exact=True).first.click()
    pointed_at = page.get_by_role("treeitem", selected=True)
    expect(pointed_at.get_by_role("button", name="where it went")).to_be_visible()
    page.unroute_all()  # lets go of them
    page.wait_for_load_state("networkidle")
    expect(pointed_at).to_contain_text("girth")
    expect(pointed_at.get_by_role("button", name="where it went")).to_be_visible()
    assert held


def test_a_failure_is_told_in_words_with_what_to_do(open_page, walked):
    page = open_page(path="/operations/list-trees")
    walked.control(status=429)
    try:
        page.get_by_role("button", name="Send this request").click()
        expect(page.get_by_text("too many calls in a short time")).to_be_visible()
        expect(page.get_by_text("told to answer 429").first).to_be_visible()
        expect(page.get_by_text("Retry-After: 30")).to_be_visible()
        page.reload()
        expect(page.get_by_text("all calls wait")).to_be_visible()  # what the service asked for is kept, and said
    finally:
        walked.control()
        walked.sql("DELETE FROM connecting_connectionusage RETURNING 1")


def test_leaving_with_unsaved_changes_asks_and_saving_sends_nothing(open_page, walked):
    page = open_page(path="/operations/list-trees")
    title = page.get_by_label("Title of the operation")
    expect(title).to_have_value("List trees")
    calls = len(list(walked.office().runs.search()))
    title.fill("List all trees")
    expect(page.get_by_text("draft, changed · not saved")).to_be_visible()
    page.get_by_role("link", name="Runs").click()
    expect(page.get_by_role("alertdialog")).to_contain_text("not saved")
    page.get_by_role("button", name="Stay").click()
    expect(title).to_have_value("List all trees")
    title.fill("List trees")
    expect(page.get_by_text("draft, changed")).to_have_count(0)
    assert len(list(walked.office().runs.search())) == calls


def test_the_second_to_save_sees_the_difference_and_loses_nothing(open_page, walked):
    walked.office().operations.save(
        "two-browsers", title="Both edit", service="tree-register", document={"path": "/v1/trees"}
    )
    one, other = open_page(path="/operations/two-browsers"), open_page("ada", "/operations/two-browsers")
    for page, title in ((one, "By Mira"), (other, "By Ada")):
        expect(page.get_by_label("Title of the operation")).to_have_value("Both edit")
        page.get_by_label("Title of the operation").fill(title)
    one.get_by_role("button", name="Save", exact=True).click()
    expect(one.get_by_text("saved, version 2")).to_be_visible()
    other.get_by_role("button", name="Save", exact=True).click()
    expect(other.get_by_role("alert")).to_contain_text("By Mira")
    expect(other.get_by_label("Title of the operation")).to_have_value("By Ada")
    other.get_by_role("button", name="Save mine over it").click()
    expect(other.get_by_text("saved, version 3")).to_be_visible()
    assert walked.office().operations.get("two-browsers")["title"] == "By Ada"


def test_when_the_session_ends_signing_in_again_goes_on_at_the_same_place(open_page, walked):
    page = open_page(path="/operations/list-trees")
    title = page.get_by_label("Title of the operation")
    expect(title).to_have_value("List trees")
    title.fill("Not yet saved")
    page.context.clear_cookies()
    page.get_by_role("button", name="Send this request").click()
    dialog = page.get_by_role("dialog")
    expect(dialog).to_contain_text("Your session has ended")
    sign_in(dialog, "mira", walked.passwords["mira"])
    expect(dialog).to_have_count(0)
    expect(title).to_have_value("Not yet saved")
    page.get_by_role("button", name="Send this request").click()
    expect(page.get_by_text("OK (200)")).to_be_visible()


def test_what_was_typed_stays_while_a_page_cannot_be_read_anew(open_page, walked):
    page = open_page(path="/operations/list-trees")
    title = page.get_by_label("Title of the operation")
    title.fill("Not yet saved")
    page.route("**/api/v1/**", lambda route: route.abort())
    page.clock.install()
    page.clock.fast_forward(61_000)  # so that the session, too, is asked for anew
    page.context.set_offline(True)
    page.context.set_offline(False)
    told = page.get_by_role("alert").filter(has_text="What is shown was read at")
    expect(told).to_be_visible()
    expect(title).to_have_value("Not yet saved")
    page.unroute("**/api/v1/**")
    told.get_by_role("button", name="Read it again").click()
    expect(told).to_have_count(0)
    expect(title).to_have_value("Not yet saved")


def test_a_running_feed_is_watched_live(open_page, walked):
    walked.control(delay=0.4)
    try:
        run = walked.office().feeds.run("all-trees")
        page = open_page("odo", f"/runs/{run['id']}")
        expect(page.get_by_text("running", exact=True)).to_be_visible()
        expect(page.get_by_text("done", exact=True)).to_be_visible(timeout=60_000)
        expect(page.get_by_text("nothing changed").first).to_be_visible()
    finally:
        walked.control()


def test_whoever_may_only_look_is_offered_nothing_else(open_page, walked):
    page = open_page("vela", "/operations/list-trees")
    expect(page.get_by_role("button", name="Send this request")).to_be_disabled()
    expect(page.get_by_role("button", name="Save", exact=True)).to_have_count(0)
    page.goto("/p/olmara/services")
    expect(page.get_by_role("link", name="Import a definition")).to_have_count(0)
    expect(page.get_by_role("button", name="Connect a service")).to_have_count(0)
    page.get_by_role("row").filter(has_text="tree-register").get_by_role("link", name="Tree register").click()
    expect(page.get_by_role("link", name="List trees")).to_be_visible()
    expect(page.get_by_role("link", name="Describe an operation")).to_have_count(0)


@pytest.mark.parametrize(
    "path",
    [
        "",
        "/services",
        "/operations/list-trees",
        "/connections/register-test",
        "/environments",
        "/applications",
        "/releases",
        "/records",
        "/records/tree",
        "/records/tree/OLM-00001",
        "/feeds/all-trees",
        "/runs",
        "/runs/1",
        "/nothing-here",
    ],
)
def test_every_page_has_a_heading_names_and_fits_a_telephone(open_page, walked, path):
    page = open_page(path=path, width=390, height=800)
    expect(page.get_by_role("heading", level=1)).to_have_count(1)
    page.wait_for_load_state("networkidle")
    wide = page.evaluate("document.documentElement.scrollWidth")
    assert wide <= 391, f"{path} is {wide} wide"
    nameless = page.evaluate(
        "[...document.querySelectorAll('input, select, button, a')].filter((one) => one.checkVisibility()).filter((one)"
        " => !(one.getAttribute('aria-label') || one.innerText?.trim() || one.labels?.length || one.title)).map((one)"
        " => one.outerHTML)"
    )
    assert nameless == []


def test_no_secret_is_kept_in_the_browser(open_page, walked):
    page = open_page(path="/connections/register-test")
    page.get_by_role("button", name="Replace").click()
    page.get_by_label("Key", exact=True).fill("canary-browser-key")
    page.reload()
    page.get_by_role("button", name="Replace").click()
    expect(page.get_by_label("Key", exact=True)).to_have_value("")
    stored = page.evaluate("JSON.stringify([{...localStorage}, {...sessionStorage}])") + page.content()
    assert "canary" not in stored and walked.key not in stored


def test_a_definition_is_looked_at_chosen_from_and_its_operation_tried(open_page, rondine):
    page = open_page(path="/import")
    page.get_by_label("Address of the definition").fill(f"{rondine.register_url}/openapi.yaml")
    page.get_by_role("button", name="Look at it").click()
    expect(page.get_by_text("6 operations · 7 schemas")).to_be_visible()
    page.get_by_label("all 6").uncheck()
    page.get_by_label("Search the operations").fill("care")
    page.get_by_label("these 2").check()
    page.get_by_role("listitem").filter(has_text="Report care").get_by_role("button", name="inputs").click()
    page.get_by_label("crew_people").uncheck()
    page.get_by_label("Service", exact=True).fill("console-import")
    page.get_by_role("button", name="Import 2 operations").click()
    page.get_by_role("button", name="Give the connection its key").click()
    page.get_by_label("Key", exact=True).fill(rondine.key)
    page.get_by_role("button", name="Keep the secret").click()
    expect(page.get_by_role("button", name="Replace")).to_be_visible()
    made = rondine.office().definitions.get("console-import")["operations"]
    page.goto(f"/p/olmara/operations/{next(name for name in made if name.startswith('report'))}")
    expect(page.get_by_role("textbox", name="number text")).to_have_value("OLM-00007")
    expect(page.get_by_label("The request as it will be sent")).to_contain_text('"crew":{"name":"West"}')
    page.get_by_label("I have looked at the request; send it").check()
    page.get_by_role("button", name="Send this request").click()
    expect(page.get_by_text("201")).to_be_visible()


def test_what_a_definition_says_otherwise_is_compared_and_taken(open_page, rondine, tmp_path):
    text = DEFINITION.read_text()
    rondine.office().definitions.import_into("console-compare", files={"register.yaml": text}, record_types=[])
    newer = tmp_path / "register.yaml"
    newer.write_text(text.replace("default: 100", "default: 50").replace("  /districts:", "  /quarters:"))
    page = open_page(path="/definitions/console-compare")
    page.get_by_label("Or its files").set_input_files(str(newer))
    expect(page.get_by_text("3 operations have changed, 4 as before.")).to_be_visible()
    expect(page.get_by_role("row").filter(has_text="inputs/limit/default")).to_contain_text("100")
    page.get_by_role("button", name="Take 2 changes").click()
    expect(page.get_by_text("The definition is as it is there now")).to_be_visible()


def test_a_page_of_html_in_place_of_a_definition_is_refused_in_words(open_page, tmp_path):
    wrong = tmp_path / "docs.html"
    wrong.write_text("<!doctype html><title>Docs</title>")
    page = open_page(path="/import", width=390)
    page.get_by_label("Or its files").set_input_files(str(wrong))
    expect(page.get_by_role("alert")).to_contain_text("page of HTML")


def test_fields_conditions_and_relations_of_an_odata_set_are_chosen_without_typing_syntax(open_page, rondine):
    base = rondine.outside("seeds")
    rondine.tell("seeds")
    sign_in = {
        "type": "client_credentials",
        "token_address": f"{base}/oauth/token",
        "client_id": "tree-office",
        "scope": "lots.read",
    }
    rondine.sign_in("console-seeds", f"{base}/odata", sign_in, {"client_secret": rondine.papers.seeds_secret})
    page = open_page(path="/import?service=console-seeds")
    page.get_by_label("Address of the definition").fill(f"{base}/odata/$metadata")
    page.get_by_role("button", name="Look at it").click()
    lots = page.get_by_role("listitem").filter(has_text="List Lots")
    lots.get_by_role("button", name="first rows").click()
    expect(page.get_by_text("10 rows at $.value[*]; nothing was stored")).to_be_visible()
    page.get_by_role("button", name="Import 22 operations").click()
    page.get_by_role("link", name="list-lots").click()
    page.get_by_role("button", name="describe", exact=True).click()
    page.get_by_text("Fields: all").click()
    page.get_by_label("Number", exact=True).check()
    page.get_by_label("Grams", exact=True).check()
    page.get_by_label("Add a condition").select_option("Species")
    page.get_by_label("comparison of condition 1").select_option("startswith")
    page.get_by_role("button", name="make it an input").last.click()
    page.get_by_label("Tests").check()
    page.get_by_role("textbox", name="Species text").fill("Quercus")
    request = page.get_by_label("The request as it will be sent")
    expect(request).to_contain_text("$filter=startswith(Species,'Quercus')")
    page.get_by_role("button", name="Send this request").click()
    expect(page.get_by_text("OK (200)")).to_be_visible()
    expect(page.get_by_label("Record type", exact=True)).to_have_value("lot")


def write(editor, text):
    """Types a text in place of what stands in an editor."""
    editor.click()
    editor.press("Control+A")
    editor.press("Delete")  # in place of a selection, the browser itself would style what is typed
    editor.press_sequentially(text)
    page = editor.page
    held = page.evaluate("[document.activeElement.ariaLabel, document.activeElement.textContent.length]")
    assert held[1] >= len(text), f"what was typed is not in the editor: {held}"


def test_a_graphql_query_is_composed_by_taking_fields_and_runs(open_page, rondine):
    base = rondine.outside("desk")
    rondine.tell("desk")
    rondine.sign_in("console-desk", base, {"type": "bearer"}, {"token": rondine.papers.desk_token})
    page = open_page(path="/import?service=console-desk")
    page.get_by_label("Address of the definition").fill(f"{base}/graphql")
    page.get_by_label("ask it for its schema").check()
    page.get_by_role("button", name="Look at it").click()
    page.get_by_role("button", name="Import 5 operations").click()
    page.get_by_role("link", name=re.compile("^inspections")).click()
    page.get_by_role("button", name="describe", exact=True).click()
    page.get_by_text("Take fields from the schema").click()
    page.get_by_role("button", name="its fields").click()
    page.get_by_role("listitem").filter(has=page.get_by_label("inspections.nodes", exact=True)).last.get_by_role(
        "button", name="its fields"
    ).click()
    page.get_by_label("inspections.nodes.tree", exact=True).click()
    expect(page.get_by_label("Query", exact=True)).to_contain_text(re.compile(r"tree \{\s*number\s*species"))
    page.get_by_role("textbox", name="first integer").fill("3")
    page.get_by_role("button", name="Send this request").click()
    expect(page.get_by_text("OK (200)")).to_be_visible()
    expect(page.get_by_label("One row is each of")).to_have_value(re.compile(r"nodes"))
    write(page.get_by_label("Query", exact=True), "query Q { inspections { nodes { girth } } }")
    expect(page.get_by_text("Cannot query field").first).to_be_visible()
    expect(page.locator(".cm-lintRange-error")).to_have_text("girth")
    write(page.get_by_label("Query", exact=True), "query Q { inspections { nodes { gr } } }")
    for _ in range(6):
        page.keyboard.press("ArrowLeft")
    page.keyboard.press("Control+Space")
    expect(page.get_by_role("option", name=re.compile("^grade"))).to_be_visible()
    page.wait_for_timeout(300)  # what was just drawn is not taken by a key that was meant for something else
    page.keyboard.press("Enter")
    expect(page.get_by_label("Query", exact=True)).to_contain_text("nodes { grade } } }")
    expect(page.locator(".cm-lintRange-error")).to_have_count(0)


def test_nothing_moves_under_the_pointer_when_a_query_was_checked(open_page, rondine):
    base = rondine.outside("desk")
    rondine.tell("desk")
    rondine.sign_in("console-still", base, {"type": "bearer"}, {"token": rondine.papers.desk_token})
    office = rondine.office()
    made = office.definitions.import_into("console-still", address=f"{base}/graphql", introspect=True)
    name = next(operation for operation in made["operations"] if operation.startswith("inspections"))
    page = open_page(path=f"/operations/{name}")
    held, answers = [], []
    page.route("**/definitions/*/fields", lambda route: route.continue_() if answers else held.append(route))
    page.get_by_role("button", name="describe", exact=True).click()
    summary = page.get_by_text("Take fields from the schema")
    expect(page.get_by_label("Query", exact=True)).to_be_visible()  # the editor is loaded when it is wanted first
    expect(page.get_by_text("checking the query")).to_be_visible()
    summary.scroll_into_view_if_needed()
    before = summary.bounding_box()
    answers.append(True)
    for route in held:
        route.continue_()
    expect(page.get_by_text(re.compile(r"\d+ fields, \d+ deep"))).to_be_visible()
    expect(page.get_by_text("checking the query")).to_have_count(0)
    assert summary.bounding_box() == before


def test_a_list_of_parameters_is_pasted_and_the_usual_operations_are_made_and_copied(open_page, rondine):
    rondine.connect("console-usual")
    page = open_page(path="/services/console-usual")
    mine = page.get_by_role("main")
    mine.get_by_role("button", name="Describe the usual six").click()
    mine.get_by_label("Path of the resource").fill("/v1/plots")
    mine.get_by_role("button", name="Propose").click()
    mine.get_by_label("path of List plots").fill("/v1/trees")
    mine.get_by_label("Remove plot", exact=True).uncheck()
    mine.get_by_role("button", name="Make 5 operations").click()
    mine.get_by_role("link", name="List plots").click()
    page.get_by_role("button", name="describe", exact=True).click()
    page.get_by_label("Paste a whole address").fill(
        "district | string | optional | of the town\nlimit | integer | optional | on a page"
    )
    page.get_by_role("button", name="Take apart").click()
    page.get_by_role("textbox", name="district text").fill("Orti")
    expect(page.get_by_label("The request as it will be sent")).to_contain_text("/v1/trees?district=Orti")
    page.get_by_role("button", name="Save", exact=True).click()
    page.get_by_role("button", name="Copy", exact=True).click()
    page.wait_for_url("**/operations/list-plots-copy")


def test_a_query_is_kept_once_and_changed_for_all_that_use_it(open_page, rondine):
    base = rondine.outside("desk")
    rondine.tell("desk")
    rondine.sign_in("console-kept", base, {"type": "bearer"}, {"token": rondine.papers.desk_token})
    page = open_page(path="/operations/new?service=console-kept")
    page.get_by_label("Path", exact=True).fill("/graphql")
    page.get_by_label("Method").select_option("POST")
    page.get_by_label("Kind of body").select_option("graphql")
    write(page.get_by_label("Query", exact=True), "{ inspections(first: 1) { totalCount } }")
    page.get_by_label("Name to keep the query under").fill("console-kept-query")
    page.get_by_role("button", name="keep it for others").click()
    page.get_by_label("Prepared query").fill("{ inspections(first: 1) { totalCount nodes { id } } }")
    page.get_by_role("button", name="Change it for all that use it").click()
    expect(page.get_by_label("The request as it will be sent")).to_contain_text("nodes { id }")
    page.get_by_role("button", name="Send this request").click()
    expect(page.get_by_text("OK (200)")).to_be_visible()
    assert rondine.office().queries.get("console-kept-query")["version"] == 2


def test_three_clicks_in_one_task_reach_the_service_once(open_page, rondine, serve):
    async def answer(request):
        await asyncio.sleep(0.3)
        return web.json_response({"entry": 1}, status=201)

    outside = serve(answer)
    rondine.permit(outside.port)
    service = rondine.connect("clicked-diary", outside.url)
    rondine.office().operations.make("write-entry", service=service, document={"method": "POST", "path": "/entries"})
    page = open_page(path="/operations/write-entry")
    page.get_by_label("I have looked at the request").check()
    send = page.get_by_role("button", name="Send this request")
    send.evaluate("button => { button.click(); button.click(); button.click(); }")
    expect(page.get_by_text("201", exact=False).first).to_be_visible()
    page.wait_for_load_state("networkidle")
    assert len(outside.calls) == 1
    send.click()
    wait_until(lambda: len(outside.calls) == 2)


def test_a_click_shows_at_once_that_the_page_is_on_its_way(open_page, rondine):
    """The code of a page that was not visited yet may take its time."""
    page = open_page(path="")
    expect(page.get_by_role("heading", name="Overview")).to_be_visible()
    held = []
    page.route(re.compile(r"/assets/Runs-.*\.js"), lambda route: held.append(route))
    page.get_by_role("link", name="Runs").first.click()
    expect(page.get_by_role("status").filter(has_text="Loading")).to_be_visible()
    expect(page.get_by_role("heading", name="Overview")).to_have_count(0)
    for route in held:
        route.continue_()
    expect(page.get_by_role("heading", name="Runs")).to_be_visible()
