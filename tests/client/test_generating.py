"""Code that is generated for what an application is offered: it compiles strictly, and reads what comes."""

import importlib
import subprocess
import sys
from datetime import UTC, date, datetime
from decimal import Decimal
from pathlib import Path

import pytest

from rondine.core.definitions.offering import (
    OfferedFlow,
    OfferedMapping,
    OfferedMember,
    OfferedOperation,
    OfferedType,
    Offering,
    offering_openapi,
)
from rondine.core.mapping.document import RecordTypeDocument
from rondine.core.operations.inputs import Input
from rondine.core.settings import load
from rondine_client.generating import offer_of, python_package, typescript_module

ROOT = Path(__file__).resolve().parents[2]
TREE = load(
    RecordTypeDocument,
    {
        "key": ["number", "class"],
        "fields": [
            {"name": "number", "type": "text", "title": 'its "number"'},
            {"name": "class", "type": "integer"},
            {"name": "girth-m", "type": "decimal", "unit": "m", "searchable": True},
            {"name": "planted", "type": "date"},
            {"name": "surveyed", "type": "datetime"},
            {"name": "protected", "type": "boolean"},
            {"name": "care", "type": "json"},
        ],
    },
)


LOT = load(
    RecordTypeDocument,
    {
        "key": ["number"],
        "kind": "live",
        "fields": [{"name": "number", "type": "integer"}, {"name": "grams", "type": "decimal"}],
    },
)


def document():
    inputs = [
        load(Input, {"name": "from", "type": "date", "required": True, "description": "first day\nof */ all"}),
        load(Input, {"name": "girth", "type": "decimal"}),
        load(Input, {"name": "second-one", "type": "integer"}),
        load(Input, {"name": "key"}),
    ]
    mapping = OfferedMapping("all-trees", "", {"tree": TREE})
    operations = [
        OfferedOperation("list-trees", "List trees", 'trees """of\\ a day', inputs, True, [mapping]),
        OfferedOperation("ping", "", "", [], True, []),
    ]
    roles = ("create", "change", "replace", "remove")
    live = OfferedType("lot", "", LOT, {"number": ["equal"]}, ["number"], roles)
    types = [OfferedType("tree", "Trees", TREE), live]
    address = "http://127.0.0.1:18200/api/v1/use/olmara/live"
    reply = [OfferedMember("trees", "", "json", "tree", True), OfferedMember("girth", "", "decimal", "", False)]
    flow = OfferedFlow("tree-file", "Tree file", "", inputs[:2], reply, {"tree": TREE}, is_reading=True, is_short=False)
    return offering_openapi(Offering('Tree "desk" of Olmara', address, "release 4", operations, [flow], types))


def test_an_offer_is_read_from_its_document():
    offer = offer_of(document())
    assert (offer.title, offer.version) == ('Tree "desk" of Olmara', "release 4")
    assert [(one.name, one.kind, one.is_optional) for one in offer.types["tree"]] == [
        ("number", "string", False),
        ("class", "integer", False),
        ("girth-m", "decimal", True),
        ("planted", "date", True),
        ("surveyed", "datetime", True),
        ("protected", "boolean", True),
        ("care", "json", True),
    ]
    [trees, ping] = offer.calls
    assert (trees.name, trees.mappings, ping.inputs) == ("list-trees", {"all-trees": ["tree"]}, [])
    [flow] = offer.flows
    assert [(one.name, one.records, one.is_optional) for one in flow.reply] == [
        ("trees", "tree", False),
        ("girth", "", True),
    ]
    assert [(one.name, one.key, one.roles) for one in offer.records] == [
        ("lot", ["number"], ["create", "change", "replace", "remove"]),
        ("tree", ["number", "class"], []),
    ]


@pytest.fixture
def package(tmp_path, monkeypatch):
    folder = tmp_path / "tree_desk"
    folder.mkdir()
    for name, text in python_package(document()).items():
        (folder / name).write_text(text)
    monkeypatch.syspath_prepend(str(tmp_path))
    yield importlib.import_module("tree_desk")
    sys.modules.pop("tree_desk")


def test_the_python_package_is_typed_and_compiles_strictly(package, tmp_path):
    assert (tmp_path / "tree_desk" / "py.typed").exists()
    words = [sys.executable, "-m", "mypy", "--strict", "--config-file", "", "--no-incremental"]
    found = subprocess.run(
        [*words, str(tmp_path / "tree_desk")], cwd=ROOT / "src", capture_output=True, text=True, check=False
    )
    assert found.returncode == 0, found.stdout


def test_the_python_package_reads_replies_and_writes_inputs(package):
    class Application:
        def call(self, operation, inputs, **options):
            self.called = (operation, inputs, options)
            data = {"number": "T-1", "class": "9007199254740993", "girth-m": "1.25", "planted": "1999-04-01"}
            data |= {"surveyed": "2026-11-30T08:00:00Z", "protected": False, "care": [1]}
            said = {"run": "/r/1", "status": 200, "outcome": "good", "message": "", "is_all": None, "next": "n"}
            return {**said, "records": {"tree": [data, {"number": "T-2", "class": 3}]}, "rejects": [], "filtered": 0}

    application = Application()
    desk = package.TreeDeskOfOlmara(application)
    reply = desk.list_trees_as_all_trees(from_=date(2026, 3, 1), girth=Decimal("1.50"), key_="k")
    sent = {"from": "2026-03-01", "girth": "1.50", "key": "k"}
    assert application.called == ("list-trees", sent, {"mapping": "all-trees", "after": None, "key": None})
    first, second = reply.tree
    assert (first.class_, first.girth_m, first.planted) == (9007199254740993, Decimal("1.25"), date(1999, 4, 1))
    assert first.surveyed == datetime(2026, 11, 30, 8, tzinfo=UTC)
    assert (second.number, second.girth_m, second.care) == ("T-2", None, None)
    assert (reply.is_all, reply.next) == (None, "n")


def test_the_python_package_runs_flows(package):
    class Application:
        def call_flow(self, flow, inputs, **options):
            self.called = (flow, inputs, options)
            return self.answer

    application = Application()
    desk = package.TreeDeskOfOlmara(application)
    data = {"number": "T-1", "class": 3}
    application.answer = {"run": "/r/2", "flow": "tree-file", "reply": {"trees": [data], "girth": "1.5"}}
    result = desk.run_tree_file(from_=date(2026, 3, 1), wait=2)
    assert application.called == ("tree-file", {"from": "2026-03-01"}, {"key": None, "wait": 2})
    assert (result.run, result.trees[0].number, result.girth) == ("/r/2", "T-1", Decimal("1.5"))
    application.answer = {"number": 7, "state": "waiting", "waits_for": []}
    with pytest.raises(package.NotOver, match="run 7 is waiting") as told:
        desk.run_tree_file(from_=date(2026, 3, 1))
    assert told.value.run["number"] == 7


def test_live_records_are_written_with_types(package):
    class Application:
        def change(self, record_type, *key, data, version):
            self.changed = (record_type, key, data, version)
            return {"data": {"number": 7, "grams": "1.5"}}

        def create(self, record_type, data):
            self.created = data
            return {"data": None}

        def remove(self, record_type, *key, version):
            self.removed = (record_type, key, version)

    application = Application()
    desk = package.TreeDeskOfOlmara(application)
    assert desk.change_lot(7, '"3"', grams=Decimal("1.50")).grams == Decimal("1.5")
    assert application.changed == ("lot", (7,), {"grams": "1.50"}, '"3"')
    assert desk.create_lot(number=8) is None and application.created == {"number": 8}
    desk.remove_lot(7, "*")
    assert application.removed == ("lot", (7,), "*")


def test_the_typescript_module_compiles_strictly(tmp_path):
    (tmp_path / "desk.ts").write_text(typescript_module(document()))
    use = """import { TreeDeskOfOlmara, type Tree } from "./desk";
const desk = new TreeDeskOfOlmara("http://x", "t");
const reply = await desk.listTreesAsAllTrees({ from: "2026-03-01", girth: "1.5" });
const trees: Tree[] = reply.records["tree"];
const girth: string | null | undefined = trees[0]?.["girth-m"];
const page = await desk.treeRecords({ limit: "5" });
const lot = await desk.lotRecord("7");
const changed = await desk.changeLot(["7"], lot.version ?? "*", { grams: "1.5" });
await desk.removeLot(["7"], changed.version ?? "*", { key: "one-time-key" });
console.log((await desk.createLot({ number: 8 })).confirmed);
const file = await desk.runTreeFile({ from: "2026-03-01" });
if (file.state === undefined) console.log(file.reply.trees[0]?.number, file.reply.girth);
else console.log(file.waits_for[0]?.question, file.reply?.body);
// @ts-expect-error  it has no such field
await desk.createLot({ colour: "red" });
console.log(girth, page.items[0]?.data.number, (await desk.ping()).body);
// @ts-expect-error  a required input is missing
await desk.listTrees({});
export {};
"""
    (tmp_path / "use.ts").write_text(use)
    tsc = ROOT / "console" / "node_modules" / "typescript" / "bin" / "tsc"
    words = ["--strict", "--noEmit", "--target", "es2022", "--module", "esnext", "--moduleResolution", "bundler"]
    found = subprocess.run(
        ["node", str(tsc), *words, "--lib", "es2022,dom,dom.iterable", "--noUncheckedIndexedAccess", "use.ts"],
        cwd=tmp_path,
        capture_output=True,
        text=True,
        check=False,
    )
    assert found.returncode == 0, found.stdout + found.stderr
