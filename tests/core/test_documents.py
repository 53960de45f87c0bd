import json
from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rondine.core.documents import Limits, json_text, nodes_below, read_document, read_json, text_of_body
from rondine.core.documents.json import kind_of
from rondine.core.errors import DocumentError, RondineError

values = st.recursive(
    st.none()
    | st.booleans()
    | st.integers()
    | st.decimals(allow_nan=False, allow_infinity=False, places=3)
    | st.text(),
    lambda inner: st.lists(inner, max_size=4) | st.dictionaries(st.text(max_size=5), inner, max_size=4),
    max_leaves=12,
)


@given(values)
def test_what_is_written_is_read_back_exactly(value):
    assert read_json(json_text(value).encode("utf-8", "surrogatepass")) == value


@given(st.binary(max_size=60) | st.text(max_size=60).map(lambda text: text.encode("utf-8", "surrogatepass")))
def test_no_bytes_raise_anything_but_a_named_error(body):
    try:
        read_json(body)
    except RondineError as error:
        assert error.where


@pytest.mark.parametrize(
    "text", ["12345678901234567890123", "1.10", "0.1000000000000000055511151231257827", "1E+2", "-0.0"]
)
def test_numbers_keep_every_digit(text):
    value = read_json(text.encode())
    assert str(value) == text
    assert kind_of(value) == ("integer" if text.isdigit() else "number")


@pytest.mark.parametrize(
    ("text", "where", "words"),
    [
        ('{"trees": [\n  {"number": 1,\n   "girth" 2}\n]}', "line 3, column 12", 'a ":" is expected'),
        ('{"trees": [1, 2', "line 1, column 16", "the text ends here"),
        ('{"a": NaN}', "the response", "NaN is not a JSON number"),
        ("<!doctype html>", "line 1, column 1", "a value is expected"),
        ("[1] [2]", "line 1, column 5", "more text after the end"),
        ("", "the response", "is empty"),
    ],
)
def test_a_malformed_text_is_told_with_its_place(text, where, words):
    with pytest.raises(DocumentError) as raised:
        read_json(text.encode())
    assert where in raised.value.where
    assert words in raised.value.message


def test_a_lone_surrogate_is_kept_for_its_row_to_be_rejected():
    assert read_json(b'["\\ud800"]') == ["\ud800"]


def test_nesting_and_size_have_limits():
    with pytest.raises(DocumentError, match="levels deep"):
        read_json(b"[" * 100_000 + b"]" * 100_000)
    with pytest.raises(DocumentError, match="levels deep"):
        read_json(b"[" * 201 + b"]" * 201)
    assert read_json(b"[" * 200 + b"]" * 200)
    with pytest.raises(DocumentError, match="more than the 10"):
        read_json(b"[1,2,3,4,5,6]", limits=Limits(size=10))


def test_another_charset_and_a_byte_order_mark_are_read():
    assert read_json('["è"]'.encode("latin-1"), charset="latin-1") == ["è"]
    assert read_json(b"\xef\xbb\xbf[1]") == [1]


@pytest.mark.parametrize("encoding", ["utf-8-sig", "utf-16", "utf-32"])
def test_a_byte_order_mark_tells_the_charset_where_the_media_type_says_none(encoding):
    body = '{"number": "Ł-1"}\n{"number": "Ł-2"}\n'.encode(encoding)
    trees = [{"number": "Ł-1"}, {"number": "Ł-2"}]
    assert read_document(body, media_type="application/x-ndjson").value == trees
    assert read_document(json.dumps(trees).encode(encoding)).value == trees
    assert "Ł-2" in text_of_body(body)
    assert read_document('{"a": "è"}\n'.encode("latin-1"), media_type="application/jsonl",
    charset="latin-1").value == [{"a": "è"}]  # fmt: skip
    if encoding != "utf-8-sig":
        with pytest.raises(DocumentError, match="not UTF-8"):
            read_document(body, charset="utf-8")  # what the media type says counts


def test_the_tree_comes_in_parts_with_places():
    value = read_json(b'{"trees": [{"number": "OLM-1", "girth": 2.0}, {"number": "OLM-2"}], "total": 2}')
    nodes = list(nodes_below(value, depth=3))
    assert [(node.location, node.kind, node.text) for node in nodes][:4] == [
        (("trees",), "array", ""),
        (("trees", 0), "object", ""),
        (("trees", 0, "number"), "string", '"OLM-1"'),
        (("trees", 0, "girth"), "number", "2.0"),
    ]
    assert [node.location for node in nodes_below(value, ("trees",), offset=1, limit=1, depth=1)] == [("trees", 1)]


def test_json_text_is_plain_json():
    assert json.loads(json_text({"a": [Decimal("1.50"), "\ud800"]})) == {"a": [1.5, "\ud800"]}
