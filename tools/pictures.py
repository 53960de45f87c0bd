"""Takes docs/screenshots anew from the running demo: ./start, then .venv/bin/python tools/pictures.py (needs the tests'
packages and Chromium)."""

import html
import io
import os
import pty
import re
import subprocess
import sys
import urllib.request
from pathlib import Path

from playwright.sync_api import Page, sync_playwright
from rich.console import Console
from rich.terminal_theme import TerminalTheme
from rich.text import Text

from rondine_client import Client

#: A plain sheet around what a terminal says.
FRAME = """
body { margin: 0; background: #fffdf6; color: #263242;
       font: 13px/1.45 "JetBrains Mono", "DejaVu Sans Mono", monospace; }
figure { margin: 0; padding: 14px 18px; display: inline-block; border: 1px solid #d8d2c2; }
figcaption { margin-bottom: 10px; padding-bottom: 8px; border-bottom: 1px solid #d8d2c2; font-weight: 600; }
pre { margin: 0; font: inherit; }
"""
ROOT = Path(__file__).resolve().parent.parent
TARGET = ROOT / "docs" / "screenshots"
PAPER = TerminalTheme(
    (255, 253, 246),
    (38, 50, 66),
    [
        (38, 50, 66),
        (160, 50, 40),
        (40, 110, 70),
        (140, 100, 20),
        (30, 80, 130),
        (120, 60, 120),
        (20, 110, 120),
        (90, 90, 90),
    ],
)


def main() -> None:
    ports = dict(line.split("=") for line in (ROOT / "var" / "ports").read_text().split())
    url, register = f"http://127.0.0.1:{ports['web']}", f"http://127.0.0.1:{ports['register']}"
    passwords = dict(line.split()[:2] for line in (ROOT / "var" / "people.txt").read_text().splitlines())
    password = passwords["mira"]
    rondine = [str(ROOT / ".venv" / "bin" / "rondine"), "--url", url]
    subprocess.run([*rondine, "login", "mira", "--password-stdin"], input=password, text=True, check=True)
    subprocess.run([*rondine, "connection", "discard-token", "crew-board-test"], stderr=subprocess.DEVNULL, check=False)
    terminal([*rondine, "guide", "sign-in"])
    terminal([*rondine, "guide", "import"])
    terminal([*rondine, "guide", "live"])
    terminal([*rondine, "guide", "flow"])
    guide = terminal([*rondine, "guide"])
    run = int(re.findall(r"run (\d+) done", guide)[-1])
    control(register, b'{"version": 2}')
    subprocess.run([*rondine, "feed", "run", "all-trees"], stdout=subprocess.DEVNULL, check=False)
    control(register, b"{}")
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(
            executable_path="/usr/bin/chromium", args=["--no-sandbox", "--disable-gpu"]
        )
        page = browser.new_page(viewport={"width": 1280, "height": 800}, base_url=url)
        page.goto("/")
        page.get_by_label("Name").fill("mira")
        page.get_by_label("Password").fill(password)
        page.get_by_role("button", name="Sign in").click()
        page.wait_for_url("**/p/olmara")
        shoot(page, "services", "/services")
        shoot(page, "records", "/records/tree?district=Terrazze&girth_m.from=3&sort=-girth_m")
        shoot(page, "record", "/records/tree/OLM-00014")
        shoot(page, "live", "/records/seed-lot?grams.from=400&sort=-grams")
        shoot(page, "run", f"/runs/{run}")
        page.goto(f"/p/olmara/runs/{run - 1}/calls/1")
        page.get_by_role("cell", name="3.8", exact=True).first.click()
        page.get_by_role("treeitem").filter(has_text="girth").first.wait_for()
        page.wait_for_timeout(600)
        page.screenshot(path=TARGET / "fed.png")
        shoot(page, "feed", "/feeds/all-trees")
        shoot(page, "flow", "/flows/tree-file")
        shoot(page, "connection", "/connections/seed-store-test")
        shoot(page, "environments", "/environments")
        page.goto("/p/olmara/import")
        page.get_by_label("Address of the definition").fill(f"{register}/openapi.yaml")
        page.get_by_role("button", name="Look at it").click()
        page.get_by_role("listitem").filter(has_text="Report care").get_by_role("button", name="inputs").click()
        page.wait_for_timeout(400)
        page.screenshot(path=TARGET / "import.png")
        page.goto("/p/olmara/operations/inspections")
        page.get_by_role("button", name="describe", exact=True).click()
        page.get_by_text("Take fields from the schema").click()
        page.get_by_role("button", name="its fields").click()
        page.get_by_role("textbox", name="first integer").fill("3")
        page.get_by_role("button", name="Send this request").click()
        page.get_by_text("3 of 3 rows").wait_for()
        page.get_by_label("inspections.edges", exact=True).scroll_into_view_if_needed()
        page.wait_for_timeout(400)
        page.screenshot(path=TARGET / "graphql.png")
        page.goto("/p/olmara/operations/list-results")
        page.get_by_role("button", name="Send this request").click()
        page.get_by_text("12 of 12 rows").wait_for()
        page.get_by_role("button", name="how taken is converted").click()
        page.get_by_role("button", name="step 1 of taken", exact=True).click()
        page.wait_for_timeout(400)
        page.screenshot(path=TARGET / "xml.png")
        page.goto("/p/olmara/operations/list-trees")
        page.get_by_role("button", name="Send this request").click()
        page.get_by_text("100 of 100 rows").wait_for()
        page.get_by_role("cell", name="3.8").first.hover()
        page.wait_for_timeout(400)
        page.screenshot(path=TARGET / "bench.png")
        page.get_by_role("button", name="Switch to the night theme").click()
        page.get_by_role("button", name="as a text").click()
        rule = page.locator(".cm-line").filter(has_text='"girth_m"')
        rule.click()
        page.keyboard.press("End")
        for _ in "},":
            page.keyboard.press("ArrowLeft")
        page.keyboard.type(', "')
        page.get_by_role("listbox", name="Completions").wait_for()
        page.wait_for_timeout(600)
        page.screenshot(path=TARGET / "bench-night.png")
        admin = browser.new_page(viewport={"width": 1280, "height": 800}, base_url=url)
        admin.goto("/")
        admin.get_by_label("Name").fill("ada")
        admin.get_by_label("Password").fill(passwords["ada"])
        admin.get_by_role("button", name="Sign in").click()
        admin.wait_for_url("**/p/*")
        desk = browser.new_page(viewport={"width": 1280, "height": 800})
        desk.goto(f"http://127.0.0.1:{ports['tree-desk']}/?district=Mulini")
        desk.locator("a[data-details]").nth(3).click()
        desk.get_by_role("heading", name="Girth over the years").wait_for()
        desk.wait_for_timeout(600)
        desk.screenshot(path=TARGET / "desk.png")
        drawn = browser.new_page(viewport={"width": 1280, "height": 800})
        draw_terminal(drawn, "guide", "rondine guide", guide)
        release(page, [*rondine, "release", "make", "--notes", "What the guides made", "--to", "test"])
        for_applications(admin, url, passwords["ada"])
        browser.close()


def release(page: Page, make: list[str]) -> None:
    """Releases what there is, then changes a path, so that the draft differs."""
    subprocess.run(make, stdout=subprocess.DEVNULL, check=False)  # there may be one of the same already
    page.goto("/p/olmara/operations/inspections")
    page.get_by_role("button", name="Switch to the day theme").click()
    page.get_by_role("button", name="describe", exact=True).click()
    path = page.get_by_label("Path", exact=True)
    path.fill("/graphql/v2")
    page.keyboard.press("Tab")
    page.get_by_role("button", name="Save", exact=True).click()
    page.wait_for_timeout(600)
    shoot(page, "releases", "/releases")


def for_applications(page: Page, url: str, password: str) -> None:
    """What a developer sees with the token of an application. password: of an administrator."""
    client = Client(url)
    client.sign_in("ada", password)
    applications = client.project("olmara").applications
    document = {"operations": ["list-trees"], "record_types": ["tree"], "description": "the trees on the office's desk"}
    applications.save("tree-desk", title="Tree desk", environment="test", document=document)
    token = applications.make_token("tree-desk", "pictures", days=1)["token"]
    page.goto("/use/olmara/test")
    page.get_by_label("The application's token").fill(token)
    page.get_by_role("button", name="Show what it may use").click()
    page.get_by_label("district").fill("Terrazze")
    page.get_by_role("button", name="Call", exact=True).click()
    page.get_by_text('"is_all"').wait_for()
    page.wait_for_timeout(400)
    page.screenshot(path=TARGET / "application.png")


def shoot(page: Page, name: str, path: str) -> None:
    page.goto(f"/p/olmara{path}")
    page.wait_for_load_state("networkidle")
    page.wait_for_timeout(500)
    page.screenshot(path=TARGET / f"{name}.png")


def control(register: str, body: bytes) -> None:
    request = urllib.request.Request(f"{register}/control", data=body, method="PUT")
    urllib.request.urlopen(request, timeout=5).close()


def terminal(words: list[str]) -> str:
    """What a command prints on a terminal, colours and all."""
    shown = bytearray()

    def read(handle: int) -> bytes:
        piece = os.read(handle, 65536)
        shown.extend(piece)
        return piece  # nothing would mean that the command has ended

    os.environ["COLUMNS"] = "110"
    pty.spawn(words, read)
    return shown.decode(errors="replace").replace("\r\n", "\n")


def draw_terminal(page: Page, name: str, title: str, text: str) -> None:
    """The terminal's text as a picture; of a long one the beginning and the end."""
    lines = text.strip("\n").split("\n")
    shown = lines if len(lines) <= 45 else [*lines[:24], " ", "   ...", " ", *lines[-17:]]
    console = Console(record=True, width=112, file=io.StringIO())
    console.print(Text.from_ansi("\n".join(line[:240] for line in shown)))
    drawn = console.export_html(theme=PAPER, inline_styles=True, code_format="<pre>{code}</pre>")
    page.set_content(
        f"<style>{FRAME}</style><body><figure><figcaption>$ {html.escape(title)}</figcaption>{drawn}</figure></body>"
    )
    page.wait_for_timeout(300)
    page.locator("figure").first.screenshot(path=TARGET / f"{name}.png")


if __name__ == "__main__":
    sys.exit(main())
