"""Pictures of records: shown in the console, fetched under the outbound rules alone."""

import base64

import pytest
from aiohttp import web
from playwright.sync_api import expect

from rondine_client import RondineProblem

DOT = base64.b64decode(
    "iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNkYPhfDwAChwGA60e6kgAAAABJRU5ErkJggg=="
)
DRAWING = b'<svg xmlns="http://www.w3.org/2000/svg" width="9" height="9"><script>alert(1)</script></svg>'


@pytest.fixture
def pictures(rondine, serve):
    """A project with kept trees, each with another kind of address; what the two services were asked for."""
    asked = []

    def answer(request):
        asked.append(("own", request.path, request.headers.get("X-Key")))
        if request.path == "/trees":
            return web.json_response({"trees": rows})
        if request.path.endswith(".png"):
            return web.Response(body=DOT, content_type="image/png")
        if request.path.endswith(".svg"):
            return web.Response(body=DRAWING, content_type="image/svg+xml")
        if request.path.endswith(".big"):
            return web.Response(body=bytes(6 * 1024 * 1024), content_type="image/png")
        if request.path.endswith(".html"):
            return web.Response(text="<p>no picture", content_type="text/html")
        return web.Response(status=404)

    def elsewhere(request):
        asked.append(("other", request.path, request.headers.get("X-Key")))
        return web.Response(body=DOT, content_type="image/png")

    own, other, refused = serve(answer), serve(elsewhere), serve(elsewhere)
    addresses = {
        "relative": "/pictures/1.png",
        "beside": "2.png",
        "drawn": f"{own.url}/pictures/3.svg",
        "other": f"{other.url}/4.png",
        "refused": f"{refused.url}/5.png",
        "big": "/6.big",
        "page": "/7.html",
        "none": None,
        "gone": "/8",
        "odd": "javascript:alert(1)",
    }
    rows = [{"number": name, "picture": address} for name, address in addresses.items()]
    admin = rondine.client("ada")
    name = f"pictures-{own.port}"
    admin.projects.make(name)
    project = admin.project(name)
    for outside in (own, other):
        project.hosts.permit("127.0.0.1", outside.port, is_private=True)
    project.services.make("picture-register")
    project.credentials.make("key", environment="test")
    project.credentials.set_secrets("key", key="canary-of-pictures-4471-more")
    document = {"base_address": own.url, "sign_in": {"type": "api_key", "name": "X-Key"}}
    project.connections.make(
        "test", service="picture-register", environment="test", credential="key", document=document
    )
    project.operations.make(
        "list", service="picture-register", document={"path": "/trees", "response": {"rows": ["$.trees[*]"]}}
    )
    fields = [{"name": "number", "type": "text"}, {"name": "picture", "type": "text", "is_picture": True}]
    project.record_types.make("tree", document={"key": ["number"], "fields": fields})
    output = {"record_type": "tree", "rows": [{"level": "tree", "at": "trees[*]"}], "fields": [
        {"name": "number", "from": "number"}, {"name": "picture", "from": "picture"}]}  # fmt: skip
    project.mappings.make("trees", service="picture-register", document={"outputs": [output]})
    project.feeds.make("trees", operation="list", mapping="trees", environment="test", document={})
    run = project.feeds.run("trees")
    assert list(project.runs.watch(run["id"]))[-1]["state"] == "done"
    project.asked = asked
    asked.clear()
    return project


def test_a_picture_is_fetched_where_it_is_permitted_and_nowhere_else(pictures):
    def picture(name, field="picture"):
        return pictures.records.picture("test", "tree", name, field=field)

    def wrong(name, field="picture"):
        with pytest.raises(RondineProblem) as caught:
            picture(name, field)
        return caught.value.code

    assert picture("relative") == picture("beside") == picture("other") == DOT
    assert picture("drawn") == DRAWING
    key = "canary-of-pictures-4471-more"
    assert pictures.asked == [
        ("own", "/pictures/1.png", key),
        ("own", "/2.png", key),
        ("other", "/4.png", None),  # the key is not for there
        ("own", "/pictures/3.svg", key),
    ]
    pictures.asked.clear()
    assert wrong("refused") == "host_not_permitted" and pictures.asked == []
    assert (wrong("none"), wrong("odd"), wrong("no-such")) == ("not_found", "wrong_input", "not_found")
    assert wrong("relative", "number") == wrong("relative", "") == "wrong_input"
    assert pictures.asked == []
    assert (wrong("page"), wrong("gone")) == ("service_failed", "service_failed")
    assert wrong("big") == "response_too_large"


def test_a_command_says_which_field_holds_pictures(pictures, rondine):
    words = ["record-type", "make", "tree", "--set", "fields.0.is_picture=true", "--set", "fields.1.is_picture=false"]
    rondine.cli("--project", pictures.name, *words, person="ada")
    fields = pictures.record_types.get("tree")["document"]["fields"]
    assert [one.get("is_picture", False) for one in fields] == [True, False]
    bare = rondine.cli("--project", pictures.name, "record-type", "make", "tree", check=False)
    assert bare.returncode == 2 and "--file" in bare.stderr


def test_the_console_shows_pictures_and_why_it_does_not(pictures, rondine):
    from playwright.sync_api import sync_playwright

    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(
            executable_path="/usr/bin/chromium", args=["--no-sandbox", "--disable-gpu"]
        )
        page = browser.new_page(base_url=rondine.url)
        page.goto("/")
        page.get_by_label("Name").fill("ada")
        page.get_by_label("Password").fill(rondine.passwords["ada"])
        page.get_by_role("button", name="Sign in").click()
        page.wait_for_url("**/p/*")
        page.goto(f"/p/{pictures.name}/records/tree")
        expect(page.get_by_alt_text("/pictures/1.png")).to_be_visible()
        assert page.get_by_alt_text("/pictures/1.png").evaluate(
            "image => image.decode().then(() => image.naturalWidth)"
        )
        expect(page.get_by_role("row").filter(has_text="not among the hosts")).to_contain_text("not shown")
        page.goto(f"/p/{pictures.name}/records/tree/drawn")
        drawn = page.locator("dd img")
        expect(drawn).to_be_visible()
        assert drawn.evaluate("image => image.decode().then(() => image.naturalWidth)") == 9
        browser.close()
