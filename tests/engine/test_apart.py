"""Responses read in a process of their own are read as in this one."""

import json
import threading
import time

import pytest

from rondine.core.documents.reading import JSON, BodyForm
from rondine.core.mapping.compile import compile_mapping
from rondine.core.mapping.document import MappingDocument, RecordTypeDocument
from rondine.core.mapping.rowwise import row_reader
from rondine.core.settings import load
from rondine.engine import apart
from rondine.engine.apart import ProcessLost, RowsProcess, none_known, read_rows

TREE = load(
    RecordTypeDocument,
    {"key": ["number"], "fields": [{"name": "number", "type": "text"}, {"name": "girth", "type": "decimal"}]},
)
FIELDS = [{"name": "number", "from": "number"}, {"name": "girth", "from": "girth"}]
ROWS = [{"number": "OLM-1", "girth": "2.50"}, {"number": "OLM-2", "girth": "thick"}, {"girth": 1}, {"number": "ä"}]


def mapping_of(rows, **more):
    output = {"record_type": "tree", "rows": [rows], "fields": FIELDS}
    return load(MappingDocument, {"outputs": [output], **more})


@pytest.fixture
def process():
    made = []

    def start(mapping, also=()):
        one = RowsProcess(mapping, {"tree": TREE}, list(also))
        made.append(one)
        while not one.is_up:
            time.sleep(0.01)
        return one

    yield start
    for one in made:
        one.close()


def told(found):
    mapped = [(one.rows, one.filtered, rows, rejects) for one, rows, rejects in found.mapped]
    return mapped, found.items, found.around, list(found.hashes)


@pytest.mark.parametrize("is_hashed", [False, True])
def test_json_is_read_as_here(process, is_hashed):
    mapping = mapping_of({"level": "tree", "at": "trees[*]"})
    outputs = compile_mapping(mapping, {"tree": TREE})
    body = json.dumps({"trees": ROWS, "next": "/trees?page=2"}).encode()
    here = read_rows(
        row_reader(mapping, outputs, ["/next"]), outputs, body, {}, JSON, none_known if is_hashed else None
    )
    one = process(mapping, ["/next"])
    for _ in range(3):
        there = one.read(body, {}, JSON, is_hashed=is_hashed)
        assert told(there) == told(here)
    assert here.around["next"] == "/trees?page=2" and len(here.hashes) == (4 if is_hashed else 0)
    assert one.read(b'{"trees": 7}', {}, JSON, is_hashed=is_hashed) is None
    assert one.read(b'{"trees": [', {}, JSON, is_hashed=is_hashed) is None


def test_xml_is_read_as_here(process):
    mapping = mapping_of({"level": "tree", "at": "/trees/tree"}, format="xml")
    outputs = compile_mapping(mapping, {"tree": TREE})
    body = b"<trees><tree><number>OLM-1</number><girth>3</girth></tree><tree><number>OLM-2</number></tree></trees>"
    form = BodyForm("xml")
    here = read_rows(row_reader(mapping, outputs), outputs, body, {}, form)
    assert told(process(mapping).read(body, {}, form, is_hashed=False)) == told(here)


def test_one_that_ends_is_told_of_and_gives_its_place_back(process):
    places = apart._places._value
    mapping = mapping_of({"level": "tree", "at": "trees[*]"})
    one = process(mapping)
    one._process.kill()
    with pytest.raises(ProcessLost):
        one.read(b'{"trees": []}', {}, JSON, is_hashed=False)
    one.close()
    with pytest.raises(ProcessLost):
        one.read(b'{"trees": []}', {}, JSON, is_hashed=False)
    started = []
    while (another := RowsProcess.started(mapping, {"tree": TREE}, [])) is not None:
        started.append(another)
    assert started or places == 0
    for another in started:
        another.close()
        another.close()
    assert apart._places._value >= places


def test_it_ends_when_nobody_can_ask_any_more(process):
    one = process(mapping_of({"level": "tree", "at": "trees[*]"}))
    one._process.stdin.close()
    assert one._process.wait(10) == 0


def test_closing_wakes_who_waits_for_an_answer(process):
    one = process(mapping_of({"level": "tree", "at": "trees[*]"}))
    errors = []

    def ask():
        try:
            one.read(b'{"trees": [' + b'{"number": "a"},' * 2_000_000 + b'{"number": "b"}]}', {}, JSON, is_hashed=True)
        except ProcessLost as lost:
            errors.append(lost)

    asking = threading.Thread(target=ask)
    asking.start()
    time.sleep(0.3)
    one.close()
    asking.join(20)
    assert not asking.is_alive() and errors
