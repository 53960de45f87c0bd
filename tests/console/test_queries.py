"""Prepared queries in the console: in a service's own language, kept once, used by an operation, changed for all."""

import pytest
from aiohttp import web
from playwright.sync_api import expect

pytestmark = pytest.mark.browser


def test_a_query_in_the_services_own_language_is_kept_once_and_used_by_an_operation(open_page, rondine, serve):
    async def told(request):
        return web.json_response({"rows": [{"asked": request.query.get("q", "")}]})

    outside = serve(told)
    rondine.permit(outside.port)
    service = rondine.connect("own-language", outside.url)
    rondine.office().operations.make(
        "ask-it", title="Ask it", service=service, document={"path": "/ask", "query": [{"name": "q"}]}
    )

    page = open_page(path="/services")
    page.get_by_role("link", name="Prepared queries").click()
    page.get_by_role("button", name="Prepare a query").click()
    page.get_by_label("What it is called").fill("Trees of a street")
    expect(page.get_by_text("named trees-of-a-street")).to_be_visible()
    page.get_by_label("Name of a variable").fill("street")
    page.get_by_role("button", name="add").click()
    page.get_by_label("text 1 of the query").fill("SELECT * FROM trees WHERE street = ")
    page.get_by_label("text 1 of the query").click()
    page.keyboard.press("End")
    page.get_by_label("Put a value into the query").select_option(label="input street")
    page.get_by_role("button", name="Keep it").click()
    expect(page.get_by_text("used by nothing yet")).to_be_visible()

    page.goto("/p/olmara/operations/ask-it")
    page.get_by_role("button", name="describe").click()
    page.get_by_label("where q comes from").select_option(label="query trees-of-a-street")
    page.get_by_role("button", name="done").click()
    page.get_by_label("street").fill("Via dell'Orto")
    expect(page.get_by_label("The request as it will be sent")).to_contain_text("Via%20dell''Orto")
    page.get_by_role("button", name="Send this request").click()
    expect(page.get_by_text("SELECT * FROM trees WHERE street = 'Via dell''Orto'").first).to_be_visible()
    page.get_by_role("button", name="Save", exact=True).click()
    expect(page.get_by_text("mapping changed · not saved")).to_be_visible()

    page.goto("/p/olmara/queries")
    expect(page.get_by_text("used by 1")).to_be_visible()
    page.get_by_role("button", name="Trees of a street").click()
    page.get_by_label("text 1 of the query").fill("SELECT number FROM trees WHERE street = ")
    page.get_by_role("button", name="Change it for all that use it").click()
    expect(page.get_by_text("version 2, used by 1")).to_be_visible()
    expect(page.get_by_role("link", name="ask-it")).to_be_visible()
    shown = rondine.office().trials.show_request(service=service, operation="ask-it", inputs={"street": "x"})
    assert "SELECT%20number" in shown["text"]
