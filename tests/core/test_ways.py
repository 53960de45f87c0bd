"""Every way from a response to records gives the same: generated source over plain values, over what a mapping wants
alone, over elements, and the exact way field by field. Mappings and responses are made up."""

import json
from xml.sax.saxutils import escape, quoteattr

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from rondine.core.documents.json import read_json
from rondine.core.documents.reading import BodyForm, read_document
from rondine.core.errors import MappingError
from rondine.core.mapping.compile import compile_mapping
from rondine.core.mapping.document import MappingDocument, RecordTypeDocument
from rondine.core.mapping.rowwise import row_reader
from rondine.core.settings import load

TYPES = ("text", "integer", "decimal", "boolean", "date", "datetime", "json")
DEFAULTS = {"text": "none", "integer": 0, "decimal": "1.5", "boolean": False, "date": "2020-01-02",
"datetime": "2020-01-02T00:00:00Z", "json": [1]}  # fmt: skip
TEXTS = st.sampled_from(
    ["", " ", "x", " x ", "m", "cm", "7", "2.50", "-3", "1e3", "1,5", "true", "2025-01-03", "2025-W01-1", "2025-13-01",
    "2025-01-03T10:00:00Z",
     "2025-01-03T10:00:00+02:00", "2025-01-03T10:00:00", "/Date(1761991200000)/", "0001-01-01T00:00:00+10:00",
     "9" * 30, "<&>"]
)  # fmt: skip
SCALARS = st.none() | st.booleans() | st.integers(-3, 3) | st.integers(2**62, 2**66) | st.sampled_from([2.5,
1e30]) | TEXTS  # fmt: skip
STEPS = st.lists(
    st.sampled_from(
        [{"type": "trim"}, {"type": "case", "to": "upper"}, {"type": "join", "with": ","}, {"type": "pick"},
        {"type": "default", "value": "z"},
         {"type": "number", "decimal": ","}, {"type": "affix", "suffix": "m"}, {"type": "aggregate",
         "function": "count"}, {"type": "table", "values": {"x": None, "7": 7}}]
    ),
    max_size=2,
)  # fmt: skip
CONDITIONS = st.sampled_from(
    [{"is": "present"}, {"is": "absent"}, {"value": "x"}, {"is": "not_equal", "value": 2.5}, {"is": "more",
    "value": 0}, {"is": "one_of", "value": ["m", 7]},
     {"is": "matches", "value": "[a-z ]+"}]
)  # fmt: skip


@st.composite
def mappings(draw, sources, rows, **of):
    """(a mapping of one output, its record type)."""
    fields, types = [], []
    for number in range(draw(st.integers(1, 5))):
        kind = draw(st.sampled_from(TYPES))
        rule = {"name": f"f{number}", "from": draw(sources), "convert": draw(STEPS)}
        if draw(st.integers(0, 3)) == 0:
            rule["required"] = True
        if draw(st.integers(0, 3)) == 0:
            rule["default"] = DEFAULTS[kind]
        if draw(st.integers(0, 4)) == 0:
            rule["on_failure"] = "empty"
        if draw(st.integers(0, 4)) == 0:
            rule["unit"] = draw(sources)
        fields.append(rule)
        types.append({"name": f"f{number}", "type": kind, "unit": "m"})
    where = [{"from": draw(sources), **draw(CONDITIONS)} for _ in range(draw(st.sampled_from([0, 0, 1, 2])))]
    output = {"record_type": "made", "rows": draw(rows), "fields": fields, "where": where}
    return load(MappingDocument, {"outputs": [output], **of}), load(RecordTypeDocument, {"fields": types})


def told(mapped):
    rejects = [(reject.ordinal, reject.path, reject.problems, reject.row) for reject in mapped.rejects]
    return mapped.rows, mapped.filtered, mapped.records, rejects


def check(mapping, record_type, body, value, of):
    try:
        (output,) = compile_mapping(mapping, {"made": record_type}, is_kept=False)
    except Exception as error:
        assert "takes all that a path finds" in str(error)
        return
    try:
        exact = told(output.run_rows(value, output._first_rows(value), {}, None))
    except MappingError:
        with pytest.raises(MappingError):
            output.run(value)
        return
    assert told(output.run(value)) == exact
    reader = row_reader(mapping, [output])
    if reader is None:
        return
    page = reader.page(body, {}, form=BodyForm(of))
    if page is not None:
        assert told(page[0].mapped[0]) == exact
    parts = [
        part.mapped[0]
        for part in reader.parts(
            lambda: (body[at : at + 40] for at in range(0, len(body), 40)), {}, [], form=BodyForm(of)
        )
    ]
    assert (
        sum(part.rows for part in parts) == exact[0] and [pair for part in parts for pair in part.records] == exact[2]
    )


VALUES = st.recursive(SCALARS, lambda one: st.lists(one, max_size=3) | st.dictionaries(st.sampled_from("abm"), one,
max_size=3), max_leaves=6)  # fmt: skip
ROW = st.dictionaries(st.sampled_from("abml"), VALUES, max_size=4) | VALUES
JSON_SOURCES = st.sampled_from(
    ["a", "b", "m", "m.a", "m.b", "m.m.a", {"jsonpath": "$"}, {"jsonpath": "$.l[0]"}, {"jsonpath": "$.l[*].a"},
    {"jsonpath": "$.l[*]", "all": True},
     {"jsonpath": "$..a"}, {"pointer": "/l/0"}, {"level": "root", "jsonpath": "$.b"}, {"level": "row",
     "jsonpath": "$.a"}, {"position": "row"}, {"value": "x"}, {"key": "row"}, {"first_of": ["a", "m.a",
     {"value": "z"}]}, {"several": ["a", "b"]},
     {"first_of": [{"several": ["a"]}, "b"]}]
)  # fmt: skip
JSON_ROWS = st.sampled_from(
    [[{"level": "row", "at": "v[*]"}], [{"level": "row", "at": "v[*]"}, {"level": "inner", "at": "l[*]"}],
    [{"level": "row", "at": {"jsonpath": "$.v[*].m"}}], [{"level": "row", "at": "v[*]", "or_one": True}],
     [{"level": "row", "at": "v[*]"}, {"level": "inner", "at": "l[*]", "or_one": True}]]
)  # fmt: skip


@settings(max_examples=300, deadline=None)
@given(mappings(JSON_SOURCES, JSON_ROWS), st.lists(ROW, max_size=4), st.sampled_from([None, "x", 3]))
def test_all_ways_over_json_give_the_same(made, rows, around):
    body = json.dumps({"v": rows[0] if len(rows) == 1 and around else rows, "b": around}).encode()
    check(*made, body, read_json(body), "json")


XML_SOURCES = st.sampled_from(
    ["a", "b", "@a", "@b", "m/a", "m/@a", "m/m/a", ".", "text()", "l[1]", {"xpath": "l", "all": True},
    {"level": "root", "xpath": "/r/@b"}, "/r/b",
     {"level": "row", "xpath": "@a"}, {"position": "row"}, {"value": "x"}, {"first_of": ["@a", "m/a", "b"]},
     {"several": ["a", "@b"]}, {"first_of": [{"several": ["@a"]}, "b"]}]
)  # fmt: skip
XML_ROWS = st.sampled_from([[{"level": "row", "at": "/r/t"}], [{"level": "row", "at": "/r/t"}, {"level": "inner",
"at": "l"}]])  # fmt: skip
ELEMENTS = st.recursive(
    st.tuples(st.just({}), TEXTS, st.just([])),
    lambda inner: st.tuples(st.dictionaries(st.sampled_from("ab"), TEXTS, max_size=2), TEXTS,
    st.lists(st.tuples(st.sampled_from("ablm"), inner), max_size=4)),
    max_leaves=8,
)  # fmt: skip


def written(name, element):
    attributes, text, parts = element
    inner = escape(text) + "".join(written(*part) for part in parts)
    return f"<{name}{''.join(f' {key}={quoteattr(value)}' for key, value in attributes.items())}>{inner}</{name}>"


@settings(max_examples=300, deadline=None)
@given(mappings(XML_SOURCES, XML_ROWS, format="xml"), st.lists(ELEMENTS, min_size=1, max_size=4), TEXTS)
def test_all_ways_over_xml_give_the_same(made, rows, around):
    body = f"<r b={quoteattr(around)}>{''.join(written('t', row) for row in rows)}<b>{escape(around)}</b></r>".encode()
    check(*made, body, read_document(body).value, "xml")
