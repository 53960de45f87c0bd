"""What the console's tests share: a browser, pages of it signed in as somebody, and what the guided examples leave
behind."""

import re

import pytest
from playwright.sync_api import expect, sync_playwright

expect.set_options(timeout=20_000)  # a busy machine is not a failure
EDITED = ("/operations", "/connections", "/environments", "/queries", "/services")


@pytest.fixture(scope="module")
def browser():
    with sync_playwright() as playwright:
        made = playwright.chromium.launch(
            executable_path="/usr/bin/chromium", args=["--no-sandbox", "--disable-gpu", "--disable-quic"]
        )
        yield made
        made.close()


@pytest.fixture(scope="session")
def signed_in():
    """What a browser keeps of each person who has signed in once."""
    return {}


@pytest.fixture
def open_page(browser, rondine, signed_in):
    """Opens a page signed in as somebody; fails on script errors and on violations of the content policy."""
    contexts, faults = [], []

    def open_as(person="mira", path="", width=1280, height=800):
        held = signed_in.get(person)
        context = browser.new_context(
            viewport={"width": width, "height": height}, base_url=rondine.url, storage_state=held
        )
        contexts.append(context)
        page = context.new_page()
        page.set_default_timeout(30_000)
        page.on("pageerror", lambda error: faults.append(str(error)))
        page.on(
            "console",
            lambda message: faults.append(message.text) if "Content Security Policy" in message.text else None,
        )
        if held is None or not context.request.get("/api/v1/session").ok:
            page.goto("/")
            sign_in(page, person, rondine.passwords[person])
            page.wait_for_url("**/p/*")  # the first of their projects, which other tests may have made
            signed_in[person] = context.storage_state()
        if path or not page.url.endswith("/p/olmara"):
            page.goto(f"/p/olmara{path}")
        if path.startswith(EDITED):  # nobody clicks while a form still moves
            page.wait_for_load_state("networkidle")
        return page

    yield open_as
    for context in contexts:
        context.close()
    assert faults == []


def word_in(editor, text):
    """A word of an editor's text once it is coloured: until then its whole line is all that there is to click."""
    return editor.locator("span").filter(has_text=re.compile(f"^{re.escape(text)}$"))


def sign_in(page, person, password):
    page.get_by_label("Name").fill(person)
    page.get_by_label("Password").fill(password)
    page.get_by_role("button", name="Sign in").click()


@pytest.fixture(scope="module")
def walked(rondine):
    """What the guided example leaves behind."""
    rondine.cli("guide", "--key-file", str(rondine.home / "register.key"), "--register", rondine.register_url)
    return rondine
