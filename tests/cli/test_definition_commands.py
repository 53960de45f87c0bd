"""Definitions from the command line: looked at, imported, compared and taken again, as a person would."""

import json

from rondine.standins.register import DEFINITION


def test_a_definition_is_looked_at_imported_in_part_tried_and_updated(rondine, tmp_path):
    folder = tmp_path / "register"
    folder.mkdir()
    (folder / "register.yaml").write_text(DEFINITION.read_text())
    (folder / "notes.txt").write_text("not a definition")
    seen = json.loads(rondine.cli("definition", "look", str(folder)).stdout)
    assert seen["files"] == ["register.yaml"] and len(seen["operations"]) == 6
    made = json.loads(
        rondine.cli(
            "definition", "import", f"{rondine.register_url}/openapi.json", "--service", "cli-register", "--title",
            "Register",
            "--operation", "GET /districts", "--tag", "care", "--leave-out", "POST /trees/{number}/care:hours",
            "--record-type", "care",
        ).stdout
    )  # fmt: skip
    assert (
        len(made["operations"]) == 3 and json.loads(rondine.cli("record-type", "show", "care").stdout)["name"] == "care"
    )
    rondine.cli("credential", "set", made["credential"], "--secret", "key", stdin=rondine.key + "\n")
    listed = next(name for name in made["operations"] if name.startswith("list-districts"))
    assert "Terrazze" in rondine.cli("operation", "try", listed, "--body").stdout
    report = next(name for name in made["operations"] if name.startswith("report-care"))
    asked = [
        "operation",
        "try",
        report,
        "--confirm",
        "--input",
        "number=OLM-00011",
        "--input",
        "work=pruned",
        "--input",
        "done_on=2026-11-03",
    ]
    assert json.loads(rondine.cli(*asked).stdout)["call"]["status"] == 201
    refused = rondine.cli(*asked, check=False)
    assert refused.returncode == 1 and "is reported for 2026-11-03 already" in refused.stdout
    newer = tmp_path / "register.yaml"
    newer.write_text(DEFINITION.read_text().replace("  /districts:", "  /quarters:"))
    seen = json.loads(rondine.cli("definition", "compare", made["definition"], str(newer)).stdout)
    assert {(change["kind"], change["key"]) for change in seen["changes"]} == {
        ("removed", "GET /districts"),
        ("added", "GET /quarters"),
    }
    taken = rondine.cli("definition", "update", made["definition"], str(newer), "--add", "GET /quarters")
    assert "is as it is there now" in taken.stderr
    assert "is disabled" in rondine.cli("operation", "try", listed, check=False).stderr


def test_what_is_no_definition_is_said_and_ends_with_one(rondine, tmp_path):
    page = tmp_path / "page.html"
    page.write_text("<html><body>documentation</body></html>")
    refused = rondine.cli("definition", "look", str(page), check=False)
    assert refused.returncode == 1 and "page of HTML" in refused.stderr and "openapi.json" in refused.stderr
    assert rondine.cli("definition", "look", str(tmp_path / "none.yaml"), check=False).returncode == 2
    (tmp_path / "empty").mkdir()
    assert (
        "no definition is in this folder"
        in rondine.cli("definition", "look", str(tmp_path / "empty"), check=False).stderr
    )


def test_the_guide_imports_two_definitions_and_can_be_walked_again(rondine):
    papers, key = str(rondine.home / "standins.json"), str(rondine.home / "register.key")
    (rondine.home / "ports").write_text(
        "".join(
            f"{name}={port}\n"
            for name, port in {"register": rondine.register_url.rpartition(":")[2], **rondine.more}.items()
        )
    )
    for _ in range(2):
        found = rondine.cli("guide", "import", "--papers", papers, "--key-file", key)
        assert "6 operations, 7 schemas" in found.stdout and "nothing was stored" in found.stdout
        assert "$filter=startswith(Species,'Tilia')" in found.stdout and "0 changed, 2 as before" in found.stdout
