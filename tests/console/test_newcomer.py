"""Somebody new, with what ./start prints and the README says: from the sign-in page to kept records, by the console
alone."""

import pytest
from aiohttp import web
from playwright.sync_api import expect

from rondine.standins.trees import TREES

pytestmark = pytest.mark.browser
MOST_CLICKS = 15


class Newcomer:
    """Counts what is clicked and typed; keys such as Tab are neither."""

    def __init__(self, page):
        self.page, self.clicks, self.fields = page, 0, 0

    def click(self, role, name):
        self.clicks += 1
        self.page.get_by_role(role, name=name).first.click()

    def sign_in(self, name, password):
        self.next("Name", name)
        self.next("Password", password)
        self.page.keyboard.press("Enter")

    def fill(self, label, text):
        """A field that one has to click into first."""
        self.clicks += 1
        self.next(label, text)

    def next(self, label, text):
        """A field that Tab leads to, or that has the focus."""
        self.fields += 1
        self.page.get_by_label(label, exact=True).fill(text)


@pytest.fixture
def newcomer(browser, rondine):
    context = browser.new_context(viewport={"width": 1280, "height": 800}, base_url=rondine.url)
    page = context.new_page()
    page.set_default_timeout(30_000)
    page.goto("/")
    yield Newcomer(page)
    context.close()


def test_from_the_sign_in_page_to_kept_records_of_the_demo(newcomer, rondine):
    admin = rondine.client("ada")
    admin.people.make("rubus", password="seven-alders-by-the-mill")
    admin.projects.make("walked-afresh")  # as the demo is after ./start, whatever other tests have left in it
    admin.project("walked-afresh").members.set("rubus", "builder")
    admin.project("walked-afresh").hosts.permit("127.0.0.1", rondine.register_port, is_private=True)
    page = newcomer.page
    newcomer.sign_in("rubus", "seven-alders-by-the-mill")
    newcomer.click("link", "Services")
    newcomer.click("button", "Connect a service")
    newcomer.fill("What the service is called", "Register of a newcomer")
    newcomer.next("Base address", rondine.register_url)
    newcomer.next("Header that carries the API key", "X-Register-Key")
    newcomer.next("API key", rondine.key)
    newcomer.click("button", "Make the connection")
    newcomer.click("link", "describe an operation and try it")
    newcomer.fill("Paste a whole address", f"{rondine.register_url}/v1/trees?limit=100")
    newcomer.click("button", "Take apart")
    newcomer.click("button", "Send this request")
    expect(page.get_by_text("100 of 100 rows")).to_be_visible()
    newcomer.click("button", "follow it")
    newcomer.click("button", "Save")
    newcomer.click("button", "Save record type and mapping")
    newcomer.click("button", "Make the feed and run it")
    expect(page.get_by_text(f"{TREES:,} created").first).to_be_visible(timeout=60_000)
    expect(page.get_by_text("proven complete").first).to_be_visible()
    assert newcomer.clicks <= MOST_CLICKS, f"{newcomer.clicks} clicks, {newcomer.fields} fields"


def test_from_an_own_address_to_kept_records_in_an_own_project(newcomer, rondine, serve):
    plots = [{"plot": f"P-{number}", "area": number / 4} for number in range(1, 31)]
    outside = serve(lambda request: web.json_response({"plots": plots, "total": len(plots)}))
    page = newcomer.page
    newcomer.sign_in("ada", rondine.passwords["ada"])
    newcomer.click("button", "Project")
    newcomer.click("button", "New project")
    newcomer.next("Name of a new project", "quarry-gardens")
    page.keyboard.press("Enter")
    page.wait_for_url("**/p/quarry-gardens")
    newcomer.click("link", "Services")
    newcomer.click("link", "Try an address")
    newcomer.fill("Paste a whole address", f"{outside.url}/plots")
    newcomer.click("button", "Take apart")
    newcomer.click("button", f"Permit 127.0.0.1:{outside.port}")
    newcomer.click("button", "Permit it")
    newcomer.click("button", "Send this request")
    expect(page.get_by_text("30 of 30 rows")).to_be_visible()
    newcomer.fill("What the service is called", "Garden plots")
    newcomer.click("button", "Keep as a service")
    newcomer.click("button", "Save record type and mapping")
    newcomer.click("button", "Make the feed and run it")
    expect(page.get_by_text("30 created").first).to_be_visible(timeout=60_000)
    assert newcomer.clicks <= MOST_CLICKS, f"{newcomer.clicks} clicks, {newcomer.fields} fields"
