"""Connecting in the console: every part of a connection's page, a person's consent, environments, and keys that were
pasted."""

import pytest
from playwright.sync_api import expect
from tests.canary import leaks
from tests.whole_rondine import wait_until

pytestmark = pytest.mark.browser


def connect(rondine, name, base, **document):
    office = rondine.office()
    office.services.save(name, title=name.capitalize())
    office.connections.save(name, service=name, environment="test", document={"base_address": base, **document})
    return f"/connections/{name}"


def test_a_scheme_is_chosen_filled_in_and_checked_wrong_and_right(open_page, rondine):
    papers = rondine.papers
    page = open_page(path=connect(rondine, "console-lab", rondine.outside("soil") + "/results"))
    page.get_by_label("Scheme").select_option("basic")
    page.get_by_label("User name").fill(papers.soil_user)
    page.get_by_role("button", name="Save the connection").click()
    expect(page.get_by_text("missing", exact=True)).to_be_visible()
    for password, words in (("not-the-password", "does not work"), (papers.soil_password, "works")):
        if page.get_by_role("button", name="Replace").is_visible():
            page.get_by_role("button", name="Replace").click()
        page.get_by_label("Password", exact=True).fill(password)
        page.get_by_role("button", name="Keep the secret").click()
        expect(page.get_by_role("button", name="Replace")).to_be_visible()
        page.get_by_role("button", name="Check it").click()
        expect(page.get_by_text(words, exact=True)).to_be_visible()
    stored = page.evaluate("JSON.stringify([{...localStorage}, {...sessionStorage}])") + page.content()
    assert leaks(rondine, stored, papers.soil_password, "not-the-password") == []


def test_a_person_consents_in_the_browser_and_sees_the_life_of_the_token(open_page, rondine):
    base = rondine.outside("crew")
    rondine.tell("crew", begin="canary-console-4711-")
    sign_in = {
        "type": "authorization_code",
        "client_id": rondine.papers.crew_client,
        "authorization_address": f"{base}/oauth/consent",
        "token_address": f"{base}/oauth/token",
        "scope": "days.read",
    }
    page = open_page(path=connect(rondine, "console-crew", base, sign_in=sign_in))
    page.get_by_label("Client secret").fill(rondine.papers.crew_secret)
    page.get_by_role("button", name="Keep the secret").click()
    callback = page.get_by_text("/callback/olmara/test")
    expect(callback).to_have_text(f"{rondine.url}/callback/olmara/test")
    expect(page.get_by_text("nobody has signed in yet")).to_be_visible()
    page.get_by_role("button", name="Sign in at the service").click()
    page.get_by_role("button", name="Allow").click()
    expect(page.get_by_text("You have signed in at the service")).to_be_visible()
    expect(page.get_by_text("signed in by Mira")).to_be_visible()
    stored = page.evaluate("JSON.stringify([{...localStorage}, {...sessionStorage}, location.href])") + page.content()
    assert leaks(rondine, stored, "canary-console-4711-", rondine.papers.crew_secret) == []
    rondine.tell("crew")
    page.get_by_role("button", name="Forget the token").click()
    expect(page.get_by_text("nobody has signed in yet")).to_be_visible()


def test_limits_and_what_goes_with_every_request_are_edited_and_shown(open_page, rondine):
    rondine.office().standing_values.set_value("console-year", "2026", "test")
    page = open_page(path=connect(rondine, "console-limits", rondine.register_url))
    page.get_by_role("button", name="Add a limit").click()
    page.get_by_label("Span", exact=True).select_option("month")
    page.get_by_label("Calls", exact=True).fill("500")
    page.get_by_role("button", name="add a header").click()
    page.get_by_label("Name of the header").fill("X-Year")
    page.get_by_label("Value of X-Year from").select_option("console-year")
    page.get_by_role("button", name="Save the connection").click()
    expect(page.get_by_text("0 used, 500 left")).to_be_visible()
    row = page.get_by_role("row").filter(has_text="X-Year")
    expect(row).to_contain_text("2026")
    expect(row).to_contain_text("connection")
    page.get_by_role("button", name="Disable").click()
    expect(page.get_by_text("disabled", exact=True)).to_be_visible()


def test_standing_values_are_set_and_administrators_permit_hosts_and_protect(open_page, rondine):
    page = open_page(path="/environments")
    page.get_by_label("Name of a new standing value").fill("office-number")
    page.get_by_role("button", name="Make it").last.click()
    field = page.get_by_label("office-number in test")
    field.fill("7")
    field.press("Enter")
    expect(page.get_by_text("standing value office-number").first).to_be_visible()
    kept = {"test": "7"}
    wait_until(lambda: rondine.office().standing_values.get("office-number")["document"].get("values") == kept)
    expect(page.get_by_label("Host to permit")).to_have_count(0)
    ada = open_page("ada", "/environments")
    ada.get_by_label("Host to permit").fill("console.example")
    ada.get_by_role("button", name="Permit it").click()
    expect(ada.get_by_text("console.example")).to_be_visible()
    ada.get_by_label("Name of a new environment").fill("rehearsal")
    ada.get_by_role("button", name="Make it").first.click()
    card = ada.get_by_role("article").filter(has_text="rehearsal")
    card.get_by_role("button", name="Protect").click()
    expect(card.get_by_text("protected", exact=True)).to_be_visible()


def test_a_pasted_key_is_moved_into_the_credential_by_one_button(open_page, rondine):
    connect(rondine, "console-paste", rondine.register_url)
    page = open_page(path="/operations/new?service=console-paste")
    key = "k9Canary7Zx4Qw8Er2Ty6Ui"
    page.get_by_label("Paste a whole address").fill(f"{rondine.register_url}/v1/trees?limit=3&api_key={key}")
    page.get_by_role("button", name="Take apart").click()
    page.get_by_role("button", name="Move it into the credential").click()
    request = page.get_by_label("The request as it will be sent")
    expect(request).to_contain_text("api_key=•••••••")
    assert key not in page.content()
    assert leaks(rondine, page.content(), key) == []


def test_what_is_noted_of_a_service_becomes_its_connection(open_page, rondine):
    rondine.office().services.save("console-noted", title="Noted")
    page = open_page(path="/services")
    page.get_by_role("link", name="Noted", exact=True).click()
    noted = page.get_by_role("main")
    expect(noted.get_by_text("What is known of it: 0 of 7")).to_be_visible()
    noted.get_by_label("An example address").fill(f"{rondine.register_url}/v1/districts")
    noted.get_by_role("button", name="Note it").click()
    noted.get_by_role("button", name="Connect it from what is noted").click()
    page.wait_for_url("**/connections/console-noted-test")
    expect(page.get_by_label("Base address")).to_have_value(rondine.register_url)


def test_one_operation_signs_in_otherwise_with_a_credential_of_its_own(open_page, rondine):
    papers, office = rondine.papers, rondine.office()
    path = connect(rondine, "console-own", rondine.outside("soil"))
    office.operations.save("console-own-results", service="console-own", document={"path": "/results"})
    page = open_page(path=path)
    page.get_by_label("Let an operation sign in another way").select_option("console-own-results")
    page.get_by_label("Scheme of console-own-results").select_option("basic")
    page.get_by_label("User name").fill(papers.soil_user)
    page.get_by_role("button", name="Save the connection").click()
    page.get_by_label("Password", exact=True).fill(papers.soil_password)
    page.get_by_role("button", name="Keep the secret").click()
    expect(page.get_by_role("button", name="Replace")).to_be_visible()
    page.goto("/p/olmara/operations/console-own-results")
    page.get_by_role("button", name="Send this request").click()
    expect(page.get_by_text("200")).to_be_visible()
    other = office.trials.send(service="console-own", document={"path": "/results"})
    assert other["call"]["status"] == 401 and leaks(rondine, page.content(), papers.soil_password) == []


def test_a_body_and_standing_values_are_put_together_by_pointing(open_page, rondine):
    office = rondine.office()
    office.standing_values.set_value("console-office", "7", "test")
    connect(rondine, "console-body", rondine.outside("soil"))
    page = open_page(path="/operations/new?service=console-body")
    page.get_by_label("Path", exact=True).fill("/keyed/results")
    page.get_by_label("name of a parameter").fill("office")
    page.get_by_role("button", name="add").first.click()
    page.get_by_label("where office comes from").select_option("standing:console-office")
    page.get_by_label("Method").select_option("POST")
    page.get_by_label("name of an input").fill("lot")
    page.get_by_role("button", name="add").last.click()
    page.get_by_label("Kind of body").select_option("text")
    text = page.get_by_label("text 1 of the body")
    text.fill('{"lot": }')
    text.press("End")
    text.press("ArrowLeft")
    page.get_by_label("Put a value into the body").select_option("input:lot")
    page.get_by_role("textbox", name="lot text").fill('He said "7"')
    request = page.get_by_label("The request as it will be sent")
    expect(request).to_contain_text("?office=7")
    expect(request).to_contain_text('{"lot": "He said \\"7\\""}')
    page.get_by_label("enabled: it may be sent").uncheck()
    expect(page.get_by_text("disabled", exact=True)).to_be_visible()


def test_where_secrets_go_is_seen_and_asked_for_again_where_the_address_changes(open_page, rondine):
    mira = rondine.office()
    mira.services.make("belonging")
    mira.credentials.make("belonging-key", environment="test")
    document = {"base_address": "https://crews.example/v1", "sign_in": {"type": "api_key", "name": "X-Key"}}
    mira.connections.make("belonging", service="belonging", environment="test", credential="belonging-key",
    document=document)  # fmt: skip
    rondine.office("odo").credentials.set_secrets("belonging-key", key="entered-by-odo-4711")
    page = open_page(path="/connections/belonging")
    expect(page.get_by_text("sent to https://crews.example alone")).to_be_visible()
    page.get_by_label("Base address").fill("https://other.example/v1")
    page.get_by_role("button", name="Save").click()
    told = page.get_by_text("They were entered for https://crews.example, and are not sent to https://other.example.")
    expect(told).to_be_visible()
    expect(page.get_by_text("or ask an administrator to permit it")).to_be_visible()
    page.get_by_role("button", name="enter them again for it").click()
    page.get_by_label("Key", exact=True).fill("entered-by-mira-4711")
    page.get_by_role("button", name="Keep the secret").click()
    expect(page.get_by_text("sent to https://other.example alone")).to_be_visible()
    assert mira.credentials.get("belonging-key")["origins"] == ["https://crews.example", "https://other.example"]
