"""Connecting from the command line: what each command does and says, on the stand-ins."""

import json
import shlex

import httpx
import pytest

from rondine_cli.connecting import limit_of, sign_in_of


def said(found):
    return found.stdout + found.stderr


def test_a_service_is_connected_checked_and_its_token_seen(rondine):
    papers, store = rondine.papers, rondine.outside("seeds")
    rondine.cli("service", "make", "cli-seeds", "--title", "Seed store")
    rondine.cli("credential", "make", "cli-seeds-key")
    rondine.cli("credential", "set", "cli-seeds-key", "--secret", "client_secret", stdin=papers.seeds_secret + "\n")
    made = rondine.cli(
        "connection", "make", "cli-seeds-test", "--service", "cli-seeds", "--base-address", store, "--credential",
        "cli-seeds-key",
        "--sign-in", "client_credentials", "--setting", f"token_address={store}/oauth/token", "--setting",
        "client_id=tree-office",
        "--setting", "scope=lots.read", "--limit", "10 a second", "--limit", "1,000 in 24 hours", "--header",
        "X-Office=trees",
    )  # fmt: skip
    assert "plain http" in made.stderr and json.loads(made.stdout)["problems"] == []
    for where in ("web", "worker"):
        checked = json.loads(rondine.cli("connection", "check", "cli-seeds-test", "--from", where).stdout)
        assert checked["works"] and checked["steps"][-2]["step"] == "sign in"
    state = rondine.cli("connection", "token", "cli-seeds-test").stdout
    assert '"valid"' in state and papers.seeds_secret not in state
    meter = json.loads(rondine.cli("connection", "meter", "cli-seeds-test").stdout)
    assert [limit["words"] for limit in meter["limits"]] == ["10 calls a second", "1,000 calls in 24 hours"]
    effective = [
        json.loads(row) for row in rondine.cli("connection", "effective", "cli-seeds-test").stdout.splitlines()
    ]
    assert {"place": "header", "name": "X-Office", "value": "trees", "source": "connection"} in effective
    changed = rondine.cli("connection", "make", "cli-seeds-test", "--service", "cli-seeds", "--parallel", "3")
    document = json.loads(changed.stdout)["document"]
    assert document["parallel"] == 3 and document["sign_in"]["scope"] == "lots.read", "what was not given stays"
    rondine.cli("connection", "disable", "cli-seeds-test")
    refused = rondine.cli("connection", "check", "cli-seeds-test", check=False)
    assert refused.returncode == 1 and "is disabled" in said(refused)


def test_keys_from_files_and_what_is_none(rondine, tmp_path):
    rondine.cli("credential", "make", "cli-signed")
    good, bad = tmp_path / "good.pem", tmp_path / "bad.pem"
    good.write_text(rondine.papers.seeds_private_key)
    bad.write_text("not a key")
    refused = rondine.cli("credential", "set", "cli-signed", "--from-file", f"private_key={bad}", check=False)
    assert (
        refused.returncode == 1
        and "not a private key" in said(refused)
        and "not a key" not in said(refused).replace("private key", "")
    )
    found = rondine.cli("credential", "set", "cli-signed", "--from-file", f"private_key={good}")
    assert "the private_key of cli-signed is set" in found.stderr and found.stdout == ""


def test_environments_standing_values_and_obstacles(rondine):
    rondine.cli("environment", "make", "cli-env", "--title", "Rehearsal")
    assert "protected" in said(rondine.cli("environment", "change", "cli-env", "--protected", check=False))
    rondine.cli("environment", "change", "cli-env", "--protected", person="ada")
    refused = rondine.cli("standing-value", "set", "cli-year", "2026", "--in", "cli-env", check=False)
    assert refused.returncode == 1 and "is protected" in refused.stderr
    rondine.cli("standing-value", "set", "cli-year", "2026", "--in", "test")
    missing = rondine.cli("environment", "missing", "cli-env").stdout
    assert "standing value cli-year" in missing and "it has no value in cli-env" in missing
    assert "nothing uses it" in rondine.cli("standing-value", "uses", "cli-year").stderr
    rondine.connect("cli-unreached", "https://register.example")
    found = rondine.cli("obstacles", check=False)
    assert found.returncode == 1 and "not among the hosts" in found.stdout


def test_a_pasted_key_is_pointed_out_and_moved(rondine):
    rondine.connect("cli-paste", rondine.register_url)
    address = f"{rondine.register_url}/v1/trees?limit=2&access_token=cli-canary-4711"
    rondine.cli("operation", "make", "cli-paste", "--service", "cli-paste", "--address", address)
    shown = rondine.cli("operation", "request", "cli-paste")
    assert "a key? query access_token" in shown.stderr and "/query/1" in shown.stderr
    moved = rondine.cli("operation", "move-key", "cli-paste", "/query/1")
    assert json.loads(moved.stdout)["credential"] == "cli-paste-test-key"
    assert "cli-canary" not in said(rondine.cli("operation", "request", "cli-paste"))
    rondine.cli("operation", "disable", "cli-paste")
    assert 'operation "cli-paste" is disabled' in said(rondine.cli("operation", "try", "cli-paste", check=False))


def test_what_a_service_needs_is_noted_and_becomes_its_connection(rondine):
    rondine.cli("service", "make", "cli-noted")
    rondine.cli(
        "service", "note", "cli-noted", "--example", f"{rondine.register_url}/v1/districts", "--limit", "none",
        "--key-from", "room 7",
        "--sign-in", "api_key", "--setting", "name=X-Register-Key",
    )  # fmt: skip
    facts = {load["name"]: load for load in json.loads(rondine.cli("service", "preparation", "cli-noted").stdout)}
    assert facts["limits"]["value"] == "no limits" and "room 7" in facts["key"]["hint"]
    made = json.loads(rondine.cli("service", "connect", "cli-noted").stdout)
    rondine.cli("credential", "set", made["credential"], stdin=rondine.key + "\n")
    assert json.loads(rondine.cli("operation", "try", made["operation"]).stdout)["call"]["status"] == 200


def test_signing_in_prints_the_consent_page_and_addresses_are_found(rondine):
    base = rondine.outside("crew")
    found = json.loads(rondine.cli("connection", "addresses", base).stdout)
    rondine.sign_in(
        "cli-crew",
        base,
        {
            "type": "authorization_code",
            "client_id": "tree-office",
            **{name: found[name] for name in ("token_address", "authorization_address")},
        },
        {"client_secret": rondine.papers.crew_secret},
    )
    begun = json.loads(rondine.cli("connection", "sign-in", "cli-crew").stdout)
    assert httpx.get(begun["address"]).status_code == 200
    assert "nobody has signed in yet" in rondine.cli("connection", "token", "cli-crew").stdout


def test_the_guide_signs_in_at_the_other_stand_ins(rondine):
    ports = "".join(f"{name}={port}\n" for name, port in rondine.more.items())
    (rondine.home / "ports").write_text(ports)
    for _ in range(2):
        found = rondine.cli("guide", "sign-in", "--papers", str(rondine.home / "standins.json"))
    for words in (
        "GET /odata/Lots HTTP/1.1",
        "X-Survey-Year: 2026",
        "GET /results HTTP/1.1",
        "200 OK",
        "a month: ",
        "✗ sign in: nobody has signed in",
        "crew-board-test",
    ):
        assert words in found.stdout


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("10 a second", {"calls": 10, "span": "second"}),
        ("1,000 calls in 24 hours", {"calls": 1000, "span": "hour", "every": 24}),
        ("50000 per month", {"calls": 50000, "span": "month"}),
        ("none", None),
    ],
)
def test_limits_are_written_as_people_write_them(text, expected):
    assert limit_of(text) == expected


def test_wrong_words_are_usage_errors_and_settings_keep_their_types(rondine):
    for words in (("--limit", "lots"), ("--sign-in", "magic"), ("--blank", "region")):
        found = rondine.cli("connection", "make", "x", "--service", "x", *words, check=False)
        assert found.returncode == 2, said(found)
    assert sign_in_of("basic", ["user_name=007", "x=true", "y=a=b"]) == {
        "type": "basic",
        "user_name": "007",
        "x": True,
        "y": "a=b",
    }


def test_what_is_missing_is_named_with_the_command_that_makes_it(rondine):
    rondine.cli("service", "make", "wants-a-key")
    words = ["connection", "make", "wants-a-key", "--service", "wants-a-key", "--base-address", rondine.register_url]
    found = rondine.cli(*words, "--credential", "of-nobody", check=False)
    assert found.returncode == 1 and "rondine credential make of-nobody" in found.stderr
    alone = rondine.cli(*words, "--setting", "name=X-Key", check=False)
    assert alone.returncode == 2 and "--sign-in" in alone.stderr
    rondine.cli(*words, "--sign-in", "api_key", "--setting", "name=X-Key")
    rondine.cli(*words, "--setting", "carrier=query")
    sign_in = json.loads(rondine.cli("connection", "show", "wants-a-key").stdout)["document"]["sign_in"]
    assert sign_in == {"type": "api_key", "name": "X-Key", "carrier": "query"}


def test_one_taken_name_does_not_keep_the_other_usual_operations_from_being_made(rondine):
    rondine.cli("service", "make", "usual-thickets")
    rondine.cli(
        "operation", "make", "list-usual-thickets", "--service", "usual-thickets", "--file", "-", stdin='{"path": "/x"}'
    )
    proposed = [json.loads(line) for line in rondine.cli("operation", "usual", "/usual-thickets", "--service",
    "usual-thickets", "--show").stdout.splitlines()]  # fmt: skip
    taken = next(one["name"] for one in proposed if one["name"].startswith("list"))
    if taken != "list-usual-thickets":
        rondine.cli("operation", "make", taken, "--service", "usual-thickets", "--file", "-", stdin='{"path": "/x"}')
    found = rondine.cli("operation", "usual", "/usual-thickets", "--service", "usual-thickets", check=False)
    made = {json.loads(line)["name"] for line in found.stdout.splitlines()}
    assert found.returncode == 1 and taken in found.stderr
    assert made == {one["name"] for one in proposed} - {taken}


def test_an_operation_from_an_address_offers_the_connection_that_leads_there(rondine):
    rondine.cli("service", "make", "not-connected-yet")
    words = ["operation", "make", "its-trees", "--service", "not-connected-yet", "--address"]
    found = rondine.cli(*words, f"{rondine.register_url}/v1/trees?limit=5")
    offered = next(line.strip() for line in found.stderr.splitlines() if line.strip().startswith("rondine connection"))
    assert f"--base-address {rondine.register_url}" in offered
    rondine.cli(*shlex.split(offered)[1:])
    again = rondine.cli(*words, f"{rondine.register_url}/v1/trees?limit=6")
    assert "rondine connection make" not in again.stderr
