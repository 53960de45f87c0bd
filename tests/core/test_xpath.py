"""XPath 1.0: the compiled location paths against libxml2 over the same documents, and what only the whole of it
tells."""

import re
from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st
from lxml import etree

from rondine.core.documents.json import node_at
from rondine.core.documents.reading import read_document
from rondine.core.errors import MappingError, PathError
from rondine.core.mapping.compile import check_format, compile_mapping
from rondine.core.mapping.document import MappingDocument, RecordTypeDocument, problems_of
from rondine.core.mapping.rowwise import row_reader
from rondine.core.paths import WholeXPath, XPath, parse_xpath
from rondine.core.settings import load

RESULTS = b"""<?xml version="1.0"?>
<results xmlns="urn:olmara:soil:2" xmlns:x="urn:olmara:extra" year="2026">
  <result number="S-1"><tree>OLM-00412</tree><taken>2026-03-01</taken>
    <layer depth="10"><ph>6,5</ph><humus unit="%">3.1</humus></layer>
    <layer depth="30"><ph>7,1</ph></layer>
  </result>
  <x:remark>dry</x:remark>
  <result number="S-2"><tree>OLM-00500</tree><layer depth="20"><ph>5,9</ph></layer></result>
  <x:remark>wet</x:remark>
</results>"""
NAMESPACES = {"lab": "urn:olmara:soil:2", "x": "urn:olmara:extra"}
DOCUMENT = read_document(RESULTS, namespaces=NAMESPACES).value


@pytest.mark.parametrize(
    ("path", "found"),
    [
        ("/lab:results/lab:result/lab:layer[@depth > 15]/@depth", ["30", "20"]),
        ("//lab:ph[../@depth = '20']", ["5,9"]),
        ("/lab:results/lab:result[lab:tree = 'OLM-00500']/following-sibling::x:remark[1]", ["wet"]),
        ("//lab:layer[last()]/preceding-sibling::lab:layer/lab:ph", ["6,5"]),
        ("//lab:tree | //x:remark", ["OLM-00412", "dry", "OLM-00500", "wet"]),
        ("//lab:result[count(lab:layer) = 1]/@number", ["S-2"]),
        ("//lab:result[not(lab:taken)]/@number", ["S-2"]),
        ("/lab:results/*[local-name() = 'remark'][position() = 2]", ["wet"]),
        ("//lab:ph/ancestor::lab:result[@number='S-1']/@number", ["S-1"]),
        ("//lab:humus/@unit/..", [{"@unit": "%", "text()": "3.1"}]),
        ("//lab:humus/text()", ["3.1"]),
        ("//@*[. = '%']", ["%"]),
        ("count(//lab:layer)", [3]),
        ("sum(//@depth) div count(//@depth)", [20]),
        ("number(//lab:humus) * 10", [31]),
        ("number(//lab:humus) div 3", [Decimal("1.0333333333333334")]),
        ("concat(//lab:result[1]/@number, ' of ', /lab:results/@year)", ["S-1 of 2026"]),
        ("substring-after(//lab:tree, '-')", ["00412"]),
        ("translate(//lab:ph, ',', '.')", ["6.5"]),
        ("boolean(//lab:taken)", [True]),
        ("number('x')", [None]),
        ("//lab:nothing/@at", []),
    ],
)  # fmt: skip
def test_expressions_give_what_the_recommendation_says(path, found):
    nodes = parse_xpath(path).find(DOCUMENT)
    assert [node.value for node in nodes] == found
    for node in nodes:
        assert not node.location or node_at(DOCUMENT, node.location) == node.value


@pytest.mark.parametrize(
    "path",
    ["document('a')", "re:test('a','b')", "$a", "a[", "a b", "'text'", "3", "a/@b/(c)", "key('a','b')",
    "string-lenght(a)", "__import__('os')"],
)  # fmt: skip
def test_what_xpath_does_not_have_is_refused(path):
    with pytest.raises(PathError):
        parse_xpath(path)


def test_a_document_that_was_read_in_parts_is_not_at_hand():
    with pytest.raises(MappingError, match="needs the whole document"):
        parse_xpath("count(a)").find({"a": "1"})


def mapping(rows, fields, **extra):
    output = {"record_type": "layer", "rows": rows, "fields": fields, **extra}
    return load(MappingDocument, {"format": "xml", "namespaces": NAMESPACES, "outputs": [output]})


LAYER = load(
    RecordTypeDocument,
    {"key": ["number", "depth"], "fields": [{"name": name, "type": kind} for name, kind in {"number": "text",
    "depth": "integer", "remark": "text", "below": "integer", "ph": "decimal"}.items()]},
)  # fmt: skip
FIELDS = [
    {"name": "number", "from": {"xpath": "../@number"}},
    {"name": "depth", "from": "@depth"},
    {"name": "remark", "from": {"xpath": "../following-sibling::x:remark[1]"}},
    {"name": "below", "from": {"xpath": "count(following-sibling::lab:layer)"}},
    {"name": "ph", "from": "translate(lab:ph, ',', '.')"},
]


def test_rows_may_look_around_in_the_document_and_every_value_knows_its_place():
    document = mapping([{"level": "layer", "at": "//lab:layer[lab:ph]"}], FIELDS)
    assert problems_of(document, {"layer": LAYER}) == []
    (output,) = compile_mapping(document, {"layer": LAYER})
    assert row_reader(document, [output]) is None  # such a response is read at once
    read = read_document(RESULTS, namespaces=NAMESPACES)
    check_format(document, read)
    mapped = output.run(read.value)
    assert [list(record.values()) for _, record in mapped.records] == [
        ["S-1", 10, "dry", 1, Decimal("6.5")],
        ["S-1", 30, "dry", 0, Decimal("7.1")],
        ["S-2", 20, "wet", 0, Decimal("5.9")],
    ]
    trace = next(output.explain(read.value, only=[2]))
    places = {field.field: field.location for field in trace.fields}
    assert places["number"] == ("lab:results", "lab:result", 1, "@number") and places["below"] == (
        "lab:results",
        "lab:result",
        1,
        "lab:layer",
    )
    assert places["remark"] == ("lab:results", "x:remark", 1) and node_at(read.value, places["remark"]) == "wet"


def test_conditions_take_expressions_too():
    document = mapping(
        [{"level": "result", "at": "/lab:results/lab:result"}, {"level": "layer", "at": "lab:layer"}],
        FIELDS,
        where=[{"from": "lab:ph and ../@number = 'S-1'", "is": "equal", "value": True}],
    )
    (output,) = compile_mapping(document, {"layer": LAYER})
    mapped = output.run(read_document(RESULTS, namespaces=NAMESPACES).value)
    assert (len(mapped.records), mapped.filtered) == (2, 1)


def test_inner_levels_go_inwards_only():
    document = mapping(
        [{"level": "result", "at": "/lab:results/lab:result"}, {"level": "layer", "at": "lab:layer[@depth > 15]"}],
        FIELDS,
    )
    (problem,) = problems_of(document, {"layer": LAYER})
    assert (problem.where, problem.message) == ("/outputs/0/rows/1/at", "an inner level goes inwards by names")


def test_a_row_that_is_the_document_itself_can_be_a_reject():
    document = mapping(
        [{"level": "all", "at": "/"}], [{"name": "number", "from": "lab:nothing"}, {"name": "depth", "from": "@depth"}]
    )
    (output,) = compile_mapping(document, {"layer": LAYER})
    (reject,) = output.run(read_document(RESULTS, namespaces=NAMESPACES).value).rejects
    assert reject.row["lab:results"]["@year"] == "2026"


def test_names_in_another_encoding_and_prefix_are_the_same():
    text = (
        '<?xml version="1.0" encoding="iso-8859-2"?><s:r'
        ' xmlns:s="urn:olmara:soil:2"><s:t>Łąka</s:t><s:t>oak</s:t></s:r>'
    )
    read = read_document(text.encode("iso-8859-2"), namespaces={"lab": "urn:olmara:soil:2"})
    assert [node.value for node in parse_xpath("//lab:t[starts-with(., 'Ł')]").find(read.value)] == ["Łąka"]


names = st.sampled_from(["a", "b", "lab:a", "lab:b"])
contents = st.recursive(
    st.sampled_from(["", "x", "1"]),
    lambda inner: st.tuples(st.lists(st.tuples(names, inner), max_size=4), st.dictionaries(st.sampled_from(["n",
    "lab:m"]), st.sampled_from(["", "1", "x"]), max_size=2)),
    max_leaves=12,
)  # fmt: skip
steps = st.sampled_from(["a", "b", "lab:a", "lab:b", "*", "."])
predicates = st.sampled_from(["", "", "[1]", "[2]", "[last()]", "[@n]", "[@n='1']", "[a]", "[lab:b='x']", "[@lab:m]"])
ends = st.sampled_from(["", "", "/@n", "/@lab:m", "/@*", "//b", "//@n"])
paths = st.builds(
    lambda first, parts, end: first + "/".join(one + (which if one != "." else "") for one, which in parts) + end,
    st.sampled_from(["/", "//", "/*/"]), st.lists(st.tuples(steps, predicates), min_size=1, max_size=3), ends,
)  # fmt: skip


def made(name, content):
    element = etree.Element(tag(name), nsmap={"lab": NAMESPACES["lab"]})
    if isinstance(content, str):
        element.text = content
    else:
        for attribute, value in content[1].items():
            element.set(tag(attribute), value)
        for child, inner in content[0]:
            element.append(made(child, inner))
    return element


def tag(name):
    prefix, _, local = name.rpartition(":")
    return f"{{{NAMESPACES[prefix]}}}{local}" if prefix else local


@given(names, contents, paths)
def test_compiled_paths_find_what_the_whole_language_finds(name, content, path):
    value = read_document(etree.tostring(made(name, content)), namespaces=NAMESPACES).value
    compiled = parse_xpath(path)
    counts_across_names = re.search(r"\*\[(\d|last)", path)  # which only the document tells
    assert isinstance(compiled, XPath) and isinstance(compiled, WholeXPath) == bool(counts_across_names)
    # the document itself, which `/.` finds, is not a node that lxml gives
    found = {(node.location, str(node.value)) for node in compiled.find(value) if node.location}
    whole = {(node.location, str(node.value)) for node in WholeXPath(path, (), True).find(value)}
    assert found == whole


def test_the_number_among_elements_of_other_names_is_that_in_the_document():
    read = read_document(b"<t><a>1</a><b>2</b><a>3</a></t>")
    assert [node.value for node in parse_xpath("/t/*[2]").find(read.value)] == ["2"]
    assert [node.value for node in parse_xpath("/t/*[last()]").find(read.value)] == ["3"]
