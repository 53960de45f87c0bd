"""The command line as a subprocess, against the whole service."""

import json
import os
import shlex
import subprocess
import sys

import pytest
from jsonschema import Draft202012Validator

from rondine.standins.trees import TREES
from rondine_client import RondineProblem
from rondine_client.requests import Request


def lines(found):
    return [json.loads(line) for line in found.stdout.splitlines()]


def test_the_whole_road_by_commands(rondine, tmp_path):
    rondine.cli("service", "make", "road", "--title", "Tree register")
    rondine.cli("credential", "make", "road-key")
    rondine.cli("credential", "set", "road-key", stdin=rondine.key + "\n")
    rondine.cli(
        "connection",
        "make",
        "road-test",
        "--service",
        "road",
        "--base-address",
        rondine.register_url,
        "--api-key-header",
        "X-Register-Key",
        "--credential",
        "road-key",
    )
    assert lines(rondine.cli("connection", "check", "road-test"))[0]["works"]
    address = f"{rondine.register_url}/v1/trees?district=<district>&limit=150"
    assert lines(rondine.cli("operation", "apart", address))[0]["operation"]["inputs"] == [{"name": "district"}]
    rondine.cli("operation", "make", "road-trees", "--service", "road", "--address", address)
    shown = lines(rondine.cli("operation", "request", "road-trees", "--input", "district=Orti"))[0]
    assert "district=Orti" in shown["text"] and "•••" in shown["text"]
    trial = lines(rondine.cli("operation", "try", "road-trees", "--input", "district=Orti"))[0]
    assert trial["call"]["status"] == 200
    rondine.cli("sample", "keep", "road-sample", "--run", str(trial["run"]))
    assert lines(rondine.cli("sample", "schema", "road-sample"))[0]["properties"]["trees"]["type"] == "array"
    rondine.cli(
        "mapping",
        "propose",
        "road-sample",
        "--rows",
        "$.trees[*]",
        "--record-type",
        "road-tree",
        "--key",
        "number",
        "--save",
        "road-mapping",
        "--service",
        "road",
    )
    assert lines(rondine.cli("mapping", "preview", "road-mapping", "road-sample"))[0]["outputs"][0]["rejected"] == 0
    rondine.cli(
        "feed",
        "make",
        "road-feed",
        "--operation",
        "road-trees",
        "--mapping",
        "road-mapping",
        "--input",
        "district=Orti",
    )
    run = lines(rondine.cli("feed", "run", "road-feed"))[-1]
    assert run["state"] == "done" and run["counts"][0]["created"] == 328 and run["completeness"] == "complete"
    records = lines(
        rondine.cli("record", "list", "road-tree", "--where", "girth.from=2", "--sort=-girth", "--limit", "5")
    )
    first = lines(rondine.cli("record", "list", "road-tree", "--limit", "1"))[0]  # of the page whose body is kept
    assert len(records) == 5 and all(record["district"] == "Orti" for record in records)
    assert lines(rondine.cli("record", "show", "road-tree", first["number"]))[0]["trace"]["row"]["pointer"].startswith(
        "/trees/"
    )
    assert [line["id"] for line in lines(rondine.cli("run", "list", "--feed", "road-feed"))] == [run["id"]]
    assert len(lines(rondine.cli("run", "calls", str(run["id"])))) == 3


def test_the_guide_walks_from_an_address_to_kept_records(rondine):
    """In a project of its own: in another, other tests may have kept the trees before."""
    admin = rondine.client("ada")
    for project in ("walked-by-guide", "walked-by-command"):
        admin.projects.make(project)
        admin.project(project).members.set("mira", "builder")
        admin.project(project).hosts.permit("127.0.0.1", is_private=True)
    register = ("--key-file", str(rondine.home / "register.key"), "--register", rondine.register_url)
    found = rondine.cli("--project", "walked-by-guide", "guide", *register)
    for words in (
        "1. Connect",
        "✓ sign in",
        "6. Make a feed",
        "2,412 created",
        "nothing changed: all 2,412 rows",
        "Look at it in the console",
    ):
        assert words in found.stdout
    assert "could become rows:\n       $.trees[*]  100 × object" in found.stdout
    again = rondine.cli("--project", "walked-by-guide", "guide", *register)
    assert "nothing changed" in again.stdout

    # the commands as printed, in a project of their own, come to the same
    printed = [line.strip() for line in found.stdout.splitlines() if line.startswith("   rondine ")]
    for command in printed:
        rondine.cli("--project", "walked-by-command", *shlex.split(command)[1:])
    mira = rondine.client("mira")
    office, other = mira.project("walked-by-guide"), mira.project("walked-by-command")
    for kind, name in (
        ("connections", "register-test"),
        ("operations", "list-trees"),
        ("record_types", "tree"),
        ("mappings", "trees"),
        ("feeds", "all-trees"),
    ):
        one, same = getattr(office, kind).get(name), getattr(other, kind).get(name)
        assert (one["title"], one["document"]) == (same["title"], same["document"])
    assert office.operations.get("list-trees")["document"]["paging"] == {"type": "link_header"}
    assert other.records.page("test", "tree")["count"] == TREES
    for project in ("walked-by-guide", "walked-by-command"):
        admin.project(project).members.remove("mira")


@pytest.mark.parametrize(
    ("words", "status", "text"),
    [
        (["operation", "show", "lst-trees"], 1, 'there is no operation "lst-trees"'),
        (["operation", "try"], 2, "required: name"),
        (["record", "list", "road-tree", "--where", "girth"], 2, "is not NAME=VALUE"),
        (
            ["operation", "make", "x", "--service", "nowhere", "--address", "https://r.example/"],
            1,
            'there is no service "nowhere"',
        ),
        (["host", "permit", "register.example"], 1, "as builder you may not administer"),
        (["sample", "keep", "x", "--file", "/no/such/file"], 2, "No such file"),
    ],
)
def test_an_error_says_what_and_what_to_do(rondine, words, status, text):
    found = rondine.cli(*words, check=False)
    assert found.returncode == status
    assert text in found.stderr and found.stdout == ""
    assert len(found.stderr.strip().splitlines()) >= 2 or status == 2


def test_a_document_comes_from_json_or_yaml_and_a_broken_one_is_told_with_its_place(rondine, tmp_path):
    good, bad, broken = tmp_path / "tree.yaml", tmp_path / "bad.yaml", tmp_path / "broken.json"
    good.write_text("key: [number]\nfields:\n  - {name: number, type: text}\n")
    bad.write_text("key: [number\nfields:\n")
    broken.write_text('{"key": [}')
    made = lines(rondine.cli("record-type", "make", "from-yaml", "--file", str(good)))[0]
    assert made["document"]["key"] == ["number"] and made["problems"] == []
    for path, words in ((bad, "line 2"), (broken, "line 1 column")):
        found = rondine.cli("record-type", "make", "broken", "--file", str(path), check=False)
        assert found.returncode == 2 and words in found.stderr and "Traceback" not in found.stderr


def test_no_service_is_told(tmp_path):
    env = {**os.environ, "PYTHONPATH": "src", "RONDINE_URL": "http://127.0.0.1:1", "RONDINE_CLI_HOME": str(tmp_path)}
    found = subprocess.run(
        [sys.executable, "-m", "rondine_cli.main", "whoami"], env=env, capture_output=True, text=True, check=False
    )
    assert found.returncode == 1
    assert (
        "cannot reach Rondine at http://127.0.0.1:1 (connection refused)" in found.stderr and "./start" in found.stderr
    )


def test_signing_in_keeps_a_token_that_only_its_owner_can_read(rondine, tmp_path):
    env = {**os.environ, "PYTHONPATH": "src", "RONDINE_URL": rondine.url, "RONDINE_CLI_HOME": str(tmp_path)}

    def cli(*words, stdin=""):
        return subprocess.run(
            [sys.executable, "-m", "rondine_cli.main", *words],
            env=env,
            input=stdin,
            capture_output=True,
            text=True,
            check=False,
        )

    wrong = cli("login", "mira", "--password-stdin", stdin="no\n")
    assert wrong.returncode == 1 and "do not go together" in wrong.stderr
    assert cli("whoami").returncode == 1
    assert (
        "project olmara (builder)"
        in cli("login", "mira", "--password-stdin", stdin=rondine.passwords["mira"] + "\n").stderr
    )
    kept = json.loads((tmp_path / "signed-in.json").read_text())
    (tmp_path / "signed-in.json").write_text(json.dumps({**kept, "token": "one-that-has-ended"}))
    assert "rondine login" in cli("whoami").stderr
    assert cli("login", "mira", "--password-stdin", stdin=rondine.passwords["mira"] + "\n").returncode == 0
    assert (tmp_path / "signed-in.json").stat().st_mode & 0o777 == 0o600
    assert json.loads(cli("whoami").stdout)["name"] == "mira"
    cli("logout")
    assert cli("whoami").returncode == 1


def test_client_command_line_and_api_give_the_same(rondine):
    office = rondine.office()
    name = rondine.feed("same", "/v1/trees")
    assert lines(rondine.cli("operation", "show", name)) == [office.operations.get(name)]
    assert lines(rondine.cli("feed", "list", name)) == list(office.feeds.search(name))


def test_what_a_document_may_say_is_told_for_every_kind_that_has_one(rondine):
    office = rondine.office()
    kinds = ("service", "credential", "connection", "operation", "query", "sample", "record-type", "mapping", "feed",
    "definition", "standing-value")  # fmt: skip
    for kind in kinds:
        (schema,) = lines(rondine.cli(kind, "document-schema"))
        Draft202012Validator.check_schema(schema)
    (schema,) = lines(rondine.cli("mapping", "document-schema"))
    assert schema == office.mappings.document_schema()
    said = [mapping["document"] for mapping in office.mappings]
    assert said and all(Draft202012Validator(schema).is_valid(one) for one in said)
    with pytest.raises(RondineProblem, match="no kind of item") as raised:
        rondine.client().send(Request("GET", "/projects/olmara/document-schemas/maping"))
    assert raised.value.document["hint"] == 'did you mean "mappings"?'


def test_the_client_raises_what_the_service_says(rondine):
    with pytest.raises(RondineProblem) as raised:
        rondine.office().operations.get("lst-trees")
    assert (raised.value.code, raised.value.status) == ("not_found", 404)
