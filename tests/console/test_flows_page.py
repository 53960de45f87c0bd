"""Flows in the console: written, run, answered."""

import re

import pytest
from playwright.sync_api import expect
from tests.console.conftest import word_in
from tests.flowing import Papers, ask, end, together


@pytest.fixture(scope="module")
def papers(rondine, serve_for_module):
    return Papers(rondine, serve_for_module, "console-flows")


DOCUMENT = """{"inputs": [{"name": "number", "required": true, "try_value": "OLM-1"}], "reply": [{"name": "it"}],
"steps": [{"type": "ask", "name": "tree", "ask": {"operation": "find-tre", "inputs": {"number": {"input": "number"}}}},
{"type": "pause", "name": "look", "time_limit": 600, "person": {"question": "May it be felled?"}},
{"type": "end", "name": "end", "reply": {"it": {"result": "look", "at": "agreed"}}}]}"""


def put(page, text):
    """A text in place of what stands in the editor, saved."""
    page.get_by_label("The flow as text").click()
    page.keyboard.press("Control+A")
    page.keyboard.insert_text(text)
    page.get_by_role("button", name="Save").click()


def test_a_flow_is_begun_written_mended_run_and_answered(open_page, papers):
    page = open_page("mira")
    page.goto(f"/p/{papers.name}/flows")
    page.get_by_label("What the new flow is called").fill("Felling")
    page.get_by_role("button", name="Begin a flow").click()
    page.wait_for_url(f"**/p/{papers.name}/flows/felling")
    expect(page.get_by_text("the flow has no steps yet")).to_be_visible()
    put(page, DOCUMENT)
    expect(page.get_by_text('there is no operation "find-tre"').first).to_be_visible()
    expect(page.get_by_role("button", name="Run", exact=True)).to_be_disabled()
    put(page, DOCUMENT.replace("find-tre", "find-tree"))
    expect(page.get_by_text("version 3")).to_be_visible()
    expect(page.get_by_label("number")).to_have_value("OLM-1")
    page.get_by_role("button", name="Run", exact=True).click()
    page.wait_for_url(re.compile(r"/runs/\d+$"))
    expect(page.get_by_role("status").get_by_text("May it be felled?")).to_be_visible()
    expect(page.get_by_text("waiting", exact=True)).to_be_visible()
    page.get_by_label("Why, in your own words").fill("it leans")
    page.get_by_role("button", name="Yes", exact=True).click()
    expect(page.get_by_text("done", exact=True)).to_be_visible()
    expect(page.get_by_text("yes, said mira")).to_be_visible()
    page.get_by_role("link", name="Flows").click()
    expect(page.get_by_role("link", name="Felling")).to_be_visible()


def test_two_people_edit_one_flow_and_nothing_is_lost(open_page, papers):
    papers.flow("shared", ask("tree"), end())
    page = open_page("mira")
    page.goto(f"/p/{papers.name}/flows/shared")
    editor = page.get_by_label("The flow as text")
    word_in(editor, '"tree"').dblclick()
    page.keyboard.type("elm")
    expect(editor.get_by_text('"elm"')).to_be_visible()
    held = papers.project.flows.get("shared")
    document = {**held["document"], "description": "by somebody else"}
    papers.project.flows.change("shared", version=held["version"], document=document)
    page.get_by_role("button", name="Save").click()
    expect(page.get_by_text("Somebody has saved version 2 meanwhile")).to_be_visible()
    expect(editor.get_by_text('"elm"')).to_be_visible()  # what was typed is still there
    page.get_by_role("button", name="Take theirs").click()
    expect(editor).to_contain_text("by somebody else")
    expect(page.get_by_role("button", name="Save")).to_be_disabled()


def test_a_half_typed_text_is_not_written_over_and_moves_nothing(open_page, papers):
    papers.flow("half", ask("tree"), end())
    page = open_page("mira")
    page.goto(f"/p/{papers.name}/flows/half")
    editor = page.get_by_label("The flow as text")
    page.get_by_role("button", name="Change tree").click()
    title = page.get_by_label("What it does, in your own words")
    expect(page.get_by_text("It is given")).to_be_visible()
    page.context.new_cdp_session(page).send("Emulation.setCPUThrottlingRate", {"rate": 10})
    word_in(editor, '"tree"').first.click()
    before = editor.bounding_box()
    page.keyboard.type('"')
    expect(page.get_by_text("Not JSON yet")).to_be_visible()
    assert editor.bounding_box() == before
    expect(title).to_be_disabled()
    expect(page.get_by_role("button", name="Add a step")).to_be_disabled()
    page.keyboard.press("Backspace")
    expect(page.get_by_text("Not JSON yet")).to_be_hidden()
    title.fill("looks it up")
    expect(editor).to_contain_text("looks it up")


def test_what_is_typed_while_it_is_saved_stays(open_page, papers):
    papers.flow("typed", ask("tree"), end())
    page = open_page("mira")
    page.goto(f"/p/{papers.name}/flows/typed")
    editor = page.get_by_label("The flow as text")
    held = []
    page.route(
        "**/flows/typed", lambda route: held.append(route) if route.request.method == "PATCH" else route.continue_()
    )
    word_in(editor, '"tree"').dblclick()
    page.keyboard.type("elm")
    page.get_by_role("button", name="Save").click()
    expect(page.get_by_role("button", name="Saving")).to_be_visible()
    word_in(editor, '"elm"').dblclick()
    page.keyboard.type("oak")
    [route] = held
    route.continue_()
    expect(page.get_by_text("version 2")).to_be_visible()
    expect(editor.get_by_text('"oak"')).to_be_visible()
    page.unroute("**/flows/typed")
    page.get_by_role("button", name="Save").click()
    expect(page.get_by_text("version 3")).to_be_visible()
    assert papers.project.flows.get("typed")["document"]["steps"][0]["name"] == "oak"


def test_a_flow_reads_as_numbered_steps_with_lanes_that_lead_to_its_text(open_page, papers):
    lanes = together("papers", "tree", "soil", success={"type": "what_succeeds"}, time_limit=5)
    felling = {"type": "ask", "name": "fell", "ask": {"operation": "fell", "inputs": {"number": {"input": "number"}}}}
    when = [{"from": {"result": "papers", "at": "failed"}, "value": 0}]
    decide = {"type": "decide", "name": "complete", "ways": [{"when": when, "steps": [felling]}]}
    papers.flow("read", lanes, decide, end(papers={"result": "papers", "at": "succeeded"}), reply=[{"name": "papers"}])
    page = open_page("mira")
    page.goto(f"/p/{papers.name}/flows/read")
    steps = page.locator("section").filter(has=page.get_by_role("heading", name="Steps"))
    expect(steps.get_by_text("goes on with what succeeds, each failure beside it")).to_be_visible()
    expect(steps.get_by_text("If papers › failed is 0:")).to_be_visible()
    expect(steps.get_by_text("2.1.1")).to_be_visible()
    expect(steps.get_by_role("link", name="find-soil")).to_have_attribute(
        "href", f"/p/{papers.name}/operations/find-soil"
    )
    steps.get_by_role("button", name="Ask fell").click()
    lit = page.locator(".cm-lit")
    expect(lit.filter(has_text='"fell"').first).to_be_in_viewport()

    editor = page.get_by_label("The flow as text")
    word_in(editor, '"soil"').first.dblclick()
    page.keyboard.type("ground")
    expect(steps.get_by_text("ground")).to_be_visible()
    page.get_by_role("button", name="Save").click()
    expect(page.get_by_text("version 2")).to_be_visible()
    word_in(editor, '"find-soil"').dblclick()
    page.keyboard.type("find")  # a word of it, as a double click takes one
    page.get_by_role("button", name="Save").click()
    expect(steps.get_by_text(re.compile("^there is no operation"))).to_be_visible()


def test_what_stops_it_in_an_environment_is_told_and_leads_to_its_place(open_page, papers):
    papers.flow("stopped", ask("crew"), end())
    held = papers.project.connections.get("crew-test")
    change = papers.project.connections.change
    change("crew-test", version=held["version"], document={**held["document"], "enabled": False})
    try:
        page = open_page("mira")
        page.goto(f"/p/{papers.name}/flows/stopped")
        expect(page.get_by_text("In test, it is stopped by")).to_be_visible()
        expect(page.get_by_text('find-crew: connection "crew-test" is disabled')).to_be_visible()
        page.get_by_role("button", name="/steps/0/ask/operation").click()
        expect(page.locator(".cm-lit").filter(has_text="find-crew")).to_be_in_viewport()
        expect(page.get_by_role("button", name="Ask find-crew")).to_have_attribute("aria-pressed", "true")
    finally:
        held = papers.project.connections.get("crew-test")
        change("crew-test", version=held["version"], document={**held["document"], "enabled": True})


def test_a_run_is_repeated_with_one_input_changed_and_stands_beside_the_first(open_page, papers):
    title = {"result": "lots", "at": {"jsonpath": "$.body.papers[0].title"}}
    papers.flow("again", ask("lots"), end(title=title), reply=[{"name": "title", "type": "text"}])
    first, _, _ = papers.run("again", number="OLM-1")
    page = open_page("mira")
    page.goto(f"/p/{papers.name}/runs/{first['id']}")
    page.get_by_role("link", name="run it again with these inputs").click()
    expect(page.get_by_label("number")).to_have_value("OLM-1")
    page.get_by_label("number").fill("OLM-2")
    page.get_by_role("button", name="Run", exact=True).click()
    page.wait_for_url(re.compile(rf"/runs/(?!{first['id']}$)\d+$"))
    page.get_by_label("Beside another run").select_option(str(first["id"]))
    row = page.get_by_role("row", name=re.compile("^lots good"))
    expect(row).to_contain_text('"OLM-1" → "OLM-2"')
    expect(row).to_contain_text(re.compile(r"good, \d+ ms good, \d+ ms|good, \d+ msgood, \d+ ms"))
    expect(page.get_by_text("How it ended").locator("..")).to_contain_text('"lots of OLM-1" → "lots of OLM-2"')


def test_a_flow_is_run_step_by_step_and_again_from_a_step_with_another_input(open_page, papers):
    papers.flow(
        "stepping", ask("tree"), together("both", "soil", "lots"), end(it={"result": "both"}), reply=[{"name": "it"}]
    )
    page = open_page("mira")
    page.goto(f"/p/{papers.name}/flows/stepping")
    page.get_by_label("How far").select_option("step by step")
    page.get_by_role("button", name="Run", exact=True).click()
    expect(page.get_by_text("It has stopped before tree.")).to_be_visible()
    page.get_by_role("button", name="Next step").click()
    expect(page.get_by_text("It has stopped before both.")).to_be_visible()
    page.get_by_role("button", name="good").click()
    expect(page.get_by_text('"girth": 1.25')).to_be_visible()
    page.get_by_role("button", name="On to the end").click()
    expect(page.get_by_role("heading", name="It replied")).to_be_visible()
    papers.asked.clear()
    page.get_by_role("listitem").filter(has_text="both").get_by_role("button", name="Again from here").click()
    page.get_by_label("number").fill("OLM-2")
    page.get_by_label("How far").select_option("to its end")
    first = page.url
    page.get_by_role("button", name="Run", exact=True).click()
    page.wait_for_url(lambda url: url != first)
    expect(page.get_by_text(re.compile(r"^of run \d+$"))).to_be_visible()
    expect(page.get_by_role("heading", name="It replied")).to_be_visible()
    assert sorted(papers.asked) == ["/lots/OLM-2", "/soil/OLM-2"]


def test_a_flow_is_put_together_by_pointing_and_nothing_is_typed_twice(open_page, papers):
    page = open_page("mira")
    page.goto(f"/p/{papers.name}/flows")
    page.get_by_label("What the new flow is called").fill("Pointed")
    page.get_by_role("button", name="Begin a flow").click()
    page.wait_for_url(f"**/p/{papers.name}/flows/pointed")
    page.get_by_role("button", name="Add a step").click()
    page.get_by_role("button", name="Ask a service").click()
    page.get_by_label("Service").select_option("tree")
    page.get_by_label("Search operations").fill("find")
    asked = page.get_by_role("group", name="What it asks")
    asked.get_by_role("button", name="find-tree").click()
    tree = page.get_by_role("group", name="Step find-tree")
    expect(tree.get_by_label("Where number comes from")).to_have_text("open")
    tree.get_by_label("Mapping").select_option("tree-papers")
    tree.get_by_role("button", name="Make inputs of the flow for what has to be given").click()
    expect(tree.get_by_label("Where number comes from")).to_have_text("number")
    page.get_by_role("button", name="Close find-tree").click()

    page.get_by_role("button", name="Add a step").click()
    page.get_by_role("button", name="Ask a service").click()
    page.get_by_label("Search operations").fill("plan")
    asked.get_by_role("button", name="plan").click()
    plan = page.get_by_role("group", name="Step plan")
    plan.get_by_label("Where number comes from").click()
    offered = plan.get_by_role("group", name="Values for number")
    expect(offered.get_by_text("Nothing before this step fits")).to_have_count(0)
    expect(offered.get_by_role("button", name="find-tree › records.paper", exact=False)).to_have_count(0)
    offered.get_by_role("button", name="find-tree › $.records.paper[0].title").click()
    expect(plan.get_by_label("Where number comes from")).to_have_text("find-tree › $.records.paper[0].title")
    plan.get_by_label("Where number comes from").click()
    offered.get_by_role("button", name=re.compile("^number")).click()
    plan.get_by_text("What comes of it").click()
    plan.get_by_role("checkbox", name="status").check()
    plan.get_by_role("button", name="Reply with it").click()
    expect(page.get_by_role("button", name="Change reply")).to_be_visible()
    page.get_by_role("button", name="Save").click()
    expect(page.get_by_text("pointed, version 2")).to_be_visible()
    expect(page.get_by_text("It cannot run")).to_have_count(0)
    page.get_by_label("number", exact=True).fill("OLM-1")
    page.get_by_role("button", name="Run", exact=True).click()
    page.wait_for_url(re.compile(r"/runs/\d+$"))
    expect(page.get_by_text('"status": 200').last).to_be_visible()
    made = papers.project.flows.get("pointed")["document"]
    assert [(one["name"], one["required"]) for one in made["inputs"]] == [("number", True)]
    assert made["reply"] == [{"name": "status", "type": "integer"}]


def test_a_decision_and_a_question_are_made_by_pointing_and_steps_are_moved(open_page, papers):
    papers.flow("decided", ask("tree"), end(), reply=[{"name": "it"}])
    page = open_page("mira")
    page.goto(f"/p/{papers.name}/flows/decided")
    page.get_by_role("button", name="Add a step").last.click()
    page.get_by_role("button", name="Ask a person").click()
    page.get_by_label("The question").fill("May it be felled?")
    page.get_by_label("Who may answer").select_option("operator")
    page.get_by_role("button", name="Add a step").last.click()
    expect(page.get_by_role("button", name="Reply", exact=True)).to_have_count(0)  # there is one, and it stays the last
    page.get_by_role("button", name="Decide", exact=True).click()
    decide = page.get_by_role("group", name="Step decide")
    decide.get_by_role("button", name="Later").click()
    expect(decide.get_by_role("button", name="Later")).to_be_disabled()
    decide.get_by_role("button", name="Earlier").click()
    decide.get_by_role("button", name="Add a condition").click()
    decide.get_by_role("button", name="person › agreed").click()
    expect(decide.get_by_label("What person › agreed is compared with")).to_have_value("true")
    page.get_by_role("button", name="Add a step here").first.click()
    page.get_by_role("button", name="Ask a service").click()
    page.get_by_label("Search operations").fill("fell")
    page.get_by_role("group", name="What it asks").get_by_role("button", name="fell").click()
    page.get_by_role("group", name="Step fell").get_by_label("Where number comes from").click()
    page.get_by_role("group", name="Values for number").get_by_role("button", name=re.compile("^number")).click()
    page.get_by_role("button", name="Save").click()
    expect(page.get_by_text("decided, version 2")).to_be_visible()
    expect(page.get_by_text("It cannot run")).to_have_count(0)
    steps = papers.project.flows.get("decided")["document"]["steps"]
    assert [one["name"] for one in steps] == ["tree", "person", "decide", "end"]
    [way] = steps[2]["ways"]
    assert way["when"] == [{"from": {"result": "person", "at": "agreed"}, "value": True}]
    assert way["steps"][0]["ask"] == {"operation": "fell", "inputs": {"number": {"input": "number"}}}
    assert steps[1]["person"] == {"question": "May it be felled?", "roles": ["operator"]}


def test_a_flow_goes_out_as_arazzo_and_comes_in_with_what_could_not_be_taken(open_page, papers, tmp_path):
    papers.flow(
        "carrying", {**ask("tree"), "time_limit": 5}, end(it={"result": "tree", "at": "body.girth"}), reply=[{"name": "it"}]
    )  # fmt: skip
    page = open_page("mira")
    page.goto(f"/p/{papers.name}/flows/carrying")
    page.get_by_role("button", name="as Arazzo").click()
    dialog = page.get_by_role("dialog", name="The flow as an Arazzo document")
    expect(dialog.get_by_text("how long it may take is not said")).to_be_visible()
    with page.expect_download() as download:
        dialog.get_by_role("button", name="carrying.arazzo.json").click()
    saved = tmp_path / "carrying.arazzo.json"
    saved.write_text(download.value.path().read_text().replace('"$statusCode < 300"', '"$statusCode == 404"'))
    page.goto(f"/p/{papers.name}/flows")
    page.get_by_role("button", name="Import an Arazzo document").click()
    dialog = page.get_by_role("dialog", name="Import an Arazzo document")
    dialog.get_by_label("The document, JSON or YAML").set_input_files(saved)
    expect(dialog.get_by_text("is made, and is ready.")).to_be_visible()
    expect(dialog.get_by_text('"$statusCode == 404", is not taken')).to_be_visible()
    dialog.get_by_role("link", name="carrying-2").click()
    expect(page.get_by_text("Not taken from the Arazzo document").first).to_be_visible()


def test_a_run_is_kept_as_a_test_case_whose_inputs_fill_other_forms(open_page, papers):
    papers.flow("kept", ask("tree"), end(it={"result": "tree", "at": "body.girth"}), reply=[{"name": "it"}])
    run = papers.project.flows.run("kept", {"number": "OLM-7"})["id"]
    papers.end_of(run)
    page = open_page("mira")
    page.goto(f"/p/{papers.name}/runs/{run}")
    page.get_by_label("Name of the test case").fill("seven")
    page.get_by_role("button", name="Keep this run as a test case").click()
    page.get_by_role("link", name="test case seven").click()
    expect(page.get_by_text("all as expected")).to_be_visible()
    expect(page.get_by_role("link", name="kept")).to_be_visible()
    page.goto(f"/p/{papers.name}/flows/kept")
    expect(page.get_by_label("number", exact=True)).to_have_value("OLM-1")
    page.get_by_label("Fill from a test case").select_option("seven")
    expect(page.get_by_label("number", exact=True)).to_have_value("OLM-7")
    page.goto(f"/p/{papers.name}/operations/find-tree")
    page.get_by_label("Fill from a test case").select_option("seven")
    expect(page.get_by_role("textbox", name="number text")).to_have_value("OLM-7")


def test_one_is_asked_for_each_of_a_list_and_what_comes_is_brought_together_by_pointing(open_page, papers):
    inputs = [{"name": "numbers", "type": "json", "required": True}]
    tree = {"type": "ask", "name": "tree", "ask": {"operation": "find-tree", "mapping": "tree-papers", "inputs": {}}}
    papers.project.flows.make("listed", document={"inputs": inputs, "steps": [tree]})
    page = open_page("mira")
    page.goto(f"/p/{papers.name}/flows/listed")
    page.get_by_role("button", name="Change tree").click()
    step = page.get_by_role("group", name="Step tree")
    step.get_by_role("button", name="Ask it for each of a list").click()
    step.get_by_role("group", name="Lists to ask it for").get_by_role("button", name="numbers").click()
    step.get_by_label("Where number comes from").click()
    step.get_by_role("group", name="Values for number").get_by_role("button", name="the one that").click()
    step.get_by_label("bring together").select_option("paper")
    step.get_by_label("with whose each is in").select_option("source")
    step.get_by_text("What comes of it").click()
    step.get_by_role("checkbox", name="records list").check()
    step.get_by_role("button", name="Reply with it").click()
    expect(page.get_by_role("button", name="Change reply")).to_be_visible()
    page.get_by_role("button", name="Save").click()
    expect(page.get_by_text("listed, version 2")).to_be_visible()
    run = papers.project.flows.run("listed", {"numbers": ["OLM-1", "OLM-2"]})["id"]
    _, reply, failure = papers.end_of(run)
    assert failure is None
    assert [(one["title"], one["source"]) for one in reply["records"]] == [
        ("tree of OLM-1", "0"),
        ("tree of OLM-2", "1"),
    ]


def add_step(page, kind):
    page.get_by_role("button", name="Add a step").last.click()
    page.get_by_role("button", name=kind, exact=True).click()


def give(step, name, offered):
    """Fills one of a step's inputs by pointing."""
    step.get_by_label(f"Where {name} comes from", exact=True).click()
    step.get_by_role("group", name=f"Values for {name}").get_by_role("button", name=re.compile(f"^{offered}")).click()


def test_a_whole_flow_is_made_without_a_word_of_its_text(open_page, papers):
    papers.project.flows.make("formed", document={})
    page = open_page("mira")
    page.goto(f"/p/{papers.name}/flows/formed")
    page.get_by_role("button", name="Change what it is given").click()
    whole = page.get_by_role("group", name="The flow as a whole")
    whole.get_by_label("Name of a new input").fill("1 number")
    expect(whole.get_by_text("letters, digits, - and _, beginning with a letter")).to_be_visible()
    whole.get_by_label("Name of a new input").fill("tree")
    page.keyboard.press("Enter")
    whole.get_by_label("tree is required").check()
    whole.get_by_label("Value to try tree with").fill("OLM-1")

    add_step(page, "Ask a service")
    page.get_by_label("Search operations").fill("plan")
    page.get_by_role("group", name="What it asks").get_by_role("button", name="plan").click()
    plan = page.get_by_role("group", name="Step plan")
    give(plan, "number", "tree")
    plan.get_by_role("button", name="What takes it back").click()
    page.get_by_label("Search operations").fill("cancel")
    page.get_by_role("group", name="What it asks").get_by_role("button", name="cancel").click()
    give(plan, "number, to take it back", "tree")
    plan.get_by_role("button", name="if it fails, in detail").click()
    plan.get_by_role("button", name="Add a rule for failures").click()
    plan.get_by_label("Rule 1").select_option("repeat")
    plan.get_by_label("Only of these kinds").fill("server_error, timeout")
    plan.get_by_label("Times").fill("5")
    page.get_by_role("button", name="Close plan").click()

    add_step(page, "Find or write a record")
    page.get_by_role("group", name="Which records").get_by_role("button", name="paper").click()
    paper = page.get_by_role("group", name="Step paper")
    paper.get_by_label("What it does with the record").select_option("keep")
    give(paper, "number", "tree")
    paper.get_by_label("Value of title").fill("planned")
    paper.get_by_text("Who may cause it, and when").click()
    paper.get_by_label("builder", exact=True).check()
    paper.get_by_role("button", name="Add a condition").click()
    paper.get_by_role("group", name="Values to decide by").get_by_role("button", name="plan › status").click()
    paper.get_by_label("How plan › status is compared").select_option("less")
    paper.get_by_label("What plan › status is compared with").fill("300")
    page.get_by_role("button", name="Close paper").click()

    add_step(page, "Reply")
    reply = page.get_by_role("group", name="Step reply")
    reply.get_by_label("The flow ends").select_option("fail")
    reply.get_by_label("Value of fail").fill("nobody is free")

    page.get_by_role("button", name="Change what it is given").click()
    name = whole.get_by_label("Name of input tree")
    name.fill("number")
    name.press("Enter")
    page.get_by_role("button", name="Save").click()
    expect(page.get_by_text("formed, version 2")).to_be_visible()
    expect(page.get_by_text("It cannot run")).to_have_count(0)
    made = papers.project.flows.get("formed")["document"]
    assert made["inputs"] == [{"name": "number", "required": True, "try_value": "OLM-1"}]
    plan, paper, _ = made["steps"]
    assert plan["ask"] == {
        "operation": "plan",
        "inputs": {"number": {"input": "number"}},
        "undo": {"operation": "cancel", "inputs": {"number": {"input": "number"}}},
    }
    assert plan["on_failure"] == [{"type": "repeat", "kinds": ["server_error", "timeout"], "times": 5}]
    assert (paper["action"], paper["only"]) == (
        "keep",
        {"roles": ["builder"], "when": [{"from": {"result": "plan", "at": "status"}, "is": "less", "value": 300}]},
    )

    papers.written.clear()
    page.get_by_role("button", name="Run", exact=True).click()
    page.wait_for_url(re.compile(r"/runs/\d+$"))
    _, _, failure = papers.end_of(int(page.url.rpartition("/")[2]))
    assert failure["message"] == "nobody is free"
    expect(page.get_by_text("failed", exact=True).first).to_be_visible()
    assert papers.written == [("plan", "OLM-1"), ("cancel", "OLM-1")]
    kept = papers.project.records.get("test", "paper", "OLM-1")
    assert kept["data"]["title"] == "planned"


def test_a_pause_is_changed_to_each_kind_and_shows_what_is_pointed_at(open_page, papers):
    papers.flow("paused", ask("tree"), {"type": "pause", "name": "look", "seconds": 60}, end())
    page = open_page("mira")
    page.goto(f"/p/{papers.name}/flows/paused")
    page.get_by_role("button", name="Change look").click()
    look = page.get_by_role("group", name="Step look")
    look.get_by_label("It waits").select_option("person")
    look.get_by_role("button", name="Show a value with it").click()
    look.get_by_role("group", name="Values to show").get_by_role("button", name=re.compile("^number")).click()
    expect(look.get_by_label("Where number comes from")).to_have_text("number")
    look.get_by_label("Who is asked, by sign-in name").fill("odo, mira")
    page.get_by_role("button", name="Save").click()
    expect(page.get_by_text("paused, version 2")).to_be_visible()
    [_, step, _] = papers.project.flows.get("paused")["document"]["steps"]
    assert step["person"] == {
        "question": "May it go on?",
        "shows": {"number": {"input": "number"}},
        "people": ["odo", "mira"],
    }
    look.get_by_label("It waits").select_option("callback")
    look.get_by_label("Told apart by, in the request").fill("job.number")
    page.keyboard.press("Enter")
    give(look, "job.number", "number")
    page.get_by_role("button", name="Save").click()
    expect(page.get_by_text("paused, version 3")).to_be_visible()
    [_, step, _] = papers.project.flows.get("paused")["document"]["steps"]
    assert step["callback"] == {"matches": [{"at": "job.number", "equals": {"input": "number"}}]}
    assert "person" not in step
