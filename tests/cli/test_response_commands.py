"""Responses in files and pipes: shown, described, compared, proposed from and mapped, without anything being stored."""

import json

import pytest
from aiohttp import web

TREES = {
    "district": "Vigna",
    "trees": [
        {"number": "OLM-1", "girth": 1.25, "planted": "1973-04-16", "place": {"street": "Largo Nord"}},
        {"number": "OLM-2", "girth": 0.5, "planted": "1980-01-01", "place": {"street": "Riva Bassa"}},
    ],
}
LAB = (
    '<?xml version="1.0" encoding="iso-8859-1"?><r><result number="S-1"><ph>6,8</ph></result><result'
    ' number="S-2"><ph>7,1</ph></result></r>'
)


@pytest.fixture
def trees(tmp_path):
    path = tmp_path / "trees.json"
    path.write_text(json.dumps(TREES))
    return path


def stored(rondine):
    return [rondine.sql(f"SELECT count(*) FROM {table}")[0][0] for table in ("runs_body", "operations_sample",
    "runs_run", "records_record")]  # fmt: skip


def test_a_file_is_shown_described_and_proposed_from_and_nothing_is_stored(rondine, trees):
    before = stored(rondine)
    shown = json.loads(rondine.cli("response", "show", str(trees), "--at", "/trees/1").stdout)
    assert [line["path"] for line in shown["lines"]][:2] == ["$['trees'][1]['number']", "$['trees'][1]['girth']"]
    schema = json.loads(rondine.cli("response", "schema", str(trees), "-", stdin='{"trees": []}').stdout)
    assert schema["properties"]["trees"]["items"]["properties"]["planted"]["format"] == "date"
    proposed = json.loads(
        rondine.cli("response", "propose", str(trees), "--rows", "$.trees[*]", "--record-type", "piped").stdout
    )
    assert proposed["record_type"]["key"] == ["number"]
    assert stored(rondine) == before


def test_a_draft_maps_a_pipe_to_records_a_line_each(rondine, trees, tmp_path):
    draft, rejects = tmp_path / "draft.json", tmp_path / "rejects.ndjson"
    draft.write_text(
        rondine.cli("response", "propose", str(trees), "--rows", "$.trees[*]", "--record-type", "piped").stdout
    )
    found = rondine.cli("response", "map", "--draft", str(draft), stdin=json.dumps(TREES))
    assert [json.loads(line)["number"] for line in found.stdout.splitlines()] == ["OLM-1", "OLM-2"]
    assert json.loads(found.stdout.splitlines()[0])["girth"] == "1.25" and "2 records" in found.stderr
    bad = json.dumps(TREES).replace("1.25", '"wide"')
    found = rondine.cli("response", "map", "--draft", str(draft), "--rejects", str(rejects), stdin=bad, check=False)
    assert found.returncode == 1 and len(found.stdout.splitlines()) == 1
    assert json.loads(rejects.read_text())["path"] == "$['trees'][0]"


def test_xml_and_lines_are_read_by_how_they_begin(rondine, tmp_path):
    draft = tmp_path / "draft.json"
    words = ("response", "propose", "-", "--rows", "/r/result", "--record-type", "lab")
    draft.write_text(rondine.cli(*words, stdin=LAB).stdout)
    found = rondine.cli("response", "map", "-", "--draft", str(draft), stdin=LAB)
    assert [json.loads(line)["ph"] for line in found.stdout.splitlines()] == ["6.8", "7.1"]
    lines = '{"number": "a"}\n{"number": "b"}\n'
    draft.write_text(rondine.cli("response", "propose", "--rows", "$[*]", "--record-type", "lines", stdin=lines).stdout)
    found = rondine.cli("response", "map", "--draft", str(draft), stdin=lines)
    assert [json.loads(line)["number"] for line in found.stdout.splitlines()] == ["a", "b"]


def test_two_files_and_a_trial_are_compared(rondine, trees, tmp_path):
    other = tmp_path / "other.json"
    other.write_text(json.dumps(TREES, indent=4).replace("OLM-2", "OLM-3"))
    found = rondine.cli("response", "compare", str(trees), str(other), check=False)
    (difference,) = map(json.loads, found.stdout.splitlines())
    assert found.returncode == 1 and difference["path"] == "$['trees'][1]['number']"
    assert rondine.cli("response", "compare", str(trees), "-", stdin=json.dumps(TREES)).returncode == 0


def test_two_files_are_compared_by_structure(rondine, tmp_path):
    before, after = tmp_path / "before.json", tmp_path / "after.json"
    before.write_text('[{"number": "OLM-1", "girth": 1.5}, {"number": "OLM-2", "girth": 2}]')
    after.write_text('[{"number": "OLM-3", "girth": 7}]')
    assert rondine.cli("response", "compare", str(before), str(after), "--structure").stdout == ""
    after.write_text('[{"number": 3, "girth": 7, "crown": 2.5}]')
    found = rondine.cli("response", "compare", str(before), str(after), "--structure", check=False)
    assert found.returncode == 1
    assert [json.loads(line) for line in found.stdout.splitlines()] == [
        {"path": "$[*].number", "kind": "changed", "before": "text", "after": "integer"},
        {"path": "$[*].crown", "kind": "added", "before": "", "after": "decimal"},
    ]


def test_a_saved_mapping_maps_what_a_trial_brought(rondine):
    name = rondine.feed("read-again", "/v1/trees", paging={"type": "link_header"}, limit=7)
    trial = rondine.office().trials.send(service=name, operation=name)
    found = rondine.cli("response", "map", f"run:{trial['run']}", "--mapping", name)
    assert len(found.stdout.splitlines()) == 7


def test_what_a_trial_brought_is_read_in_its_own_charset(rondine, serve, tmp_path):
    lab = LAB.replace("6,8", "für 6,8")
    outside = serve(lambda request: web.Response(text=lab, content_type="application/xml", charset="iso-8859-1"))
    rondine.permit(outside.port)
    service = rondine.connect("read-charset", outside.url)
    run = f"run:{rondine.office().trials.send(service=service, document={'path': '/'})['run']}"
    draft = tmp_path / "draft.json"
    draft.write_text(rondine.cli("response", "propose", run, "--rows", "/r/result", "--record-type", "lab").stdout)
    found = rondine.cli("response", "map", run, "--draft", str(draft))
    assert [json.loads(line)["ph"] for line in found.stdout.splitlines()] == ["für 6,8", "7,1"]
    assert "für" in rondine.cli("response", "show", run, "--depth", "5").stdout


def test_a_large_pipe_is_mapped_as_it_comes(rondine, tmp_path):
    """What is mapped comes out before all of it went in has been looked at, and a reader that has enough may stop."""
    draft = tmp_path / "draft.json"
    draft.write_text(
        rondine.cli(
            "response", "propose", "--rows", "$.trees[*]", "--record-type", "piped", stdin=json.dumps(TREES)
        ).stdout
    )
    many = tmp_path / "many.json"
    row = json.dumps(TREES["trees"][0])
    many.write_text('{"trees": [' + ",".join(row.replace("OLM-1", f"OLM-{at}") for at in range(100_000)) + "]}")
    out = rondine.cli("response", "map", str(many), "--draft", str(draft)).stdout
    assert out.count("\n") == 100_000 and json.loads(out.splitlines()[-1])["number"] == "OLM-99999"


@pytest.mark.parametrize(
    ("words", "stdin", "said"),
    [
        (("schema",), '{"a": ', "the text ends here"),
        (("map", "--mapping", "no-such"), "{}", 'there is no mapping "no-such"'),
        (("propose", "--rows", "$.treees[*]", "--record-type", "x"), json.dumps(TREES), "did you mean"),
        (("show", "--at", "/trees/9"), json.dumps(TREES), 'there is nothing at "9"'),
        (("show", "no-such-file"), "", "No such file"),
        (("show", "run:999999"), "", "999999"),
    ],
)
def test_what_cannot_be_read_says_why(rondine, words, stdin, said):
    found = rondine.cli("response", *words, stdin=stdin, check=False)
    assert found.returncode in (1, 2) and said in found.stderr, found.stderr
