import json
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rondine.core.errors import PathError
from rondine.core.paths import (
    normalized_path,
    parse_jsonpath,
    parse_normalized,
    parse_pointer,
    parse_short,
    pointer_text,
    resolve,
    short_form,
)

CASES = json.loads((Path(__file__).parent / "data" / "jsonpath-cts.json").read_text())["tests"]
PLAIN = [case for case in CASES if "?" not in case["selector"]]
locations = st.lists(st.text(max_size=6) | st.integers(0, 50), max_size=4).map(tuple)


@pytest.mark.parametrize("case", PLAIN, ids=[case["name"] for case in PLAIN])
def test_the_conformance_cases_of_rfc_9535_without_filters(case):
    if case.get("invalid_selector"):
        with pytest.raises(PathError):
            parse_jsonpath(case["selector"])
        return
    nodes = parse_jsonpath(case["selector"]).find(case["document"])
    found = [node.value for node in nodes]
    assert found in case.get("results", [case.get("result")])
    paths = [normalized_path(node.location) for node in nodes]
    assert paths in case.get("results_paths", [case.get("result_paths", paths)])


def test_a_filter_is_refused_by_name():
    with pytest.raises(PathError, match="filters are not read yet"):
        parse_jsonpath("$[?@.girth > 1]")


@given(st.text(max_size=30).map(lambda text: "$" + text))
def test_no_text_raises_anything_but_a_path_error(text):
    try:
        parse_jsonpath(text).find({"a": [1, {"b": 2}]})
    except PathError as error:
        assert error.where.startswith("column")


@given(locations)
def test_a_normalized_path_names_its_place_again(location):
    if all(not isinstance(part, str) or not any(0xD800 <= ord(c) <= 0xDFFF for c in part) for part in location):
        assert parse_normalized(normalized_path(location)) == location


@given(st.lists(st.text(max_size=5), max_size=4).map(tuple))
def test_a_pointer_is_read_back(tokens):
    assert parse_pointer(pointer_text(tokens)) == tokens


def test_the_examples_of_rfc_6901():
    document = {"foo": ["bar", "baz"], "": 0, "a/b": 1, "m~n": 8}
    for pointer, value in (("", document), ("/foo/0", "bar"), ("/", 0), ("/a~1b", 1), ("/m~0n", 8)):
        assert resolve(document, parse_pointer(pointer))[1] == value
    assert resolve(document, parse_pointer("/foo/01")) is None
    assert resolve(document, parse_pointer("/foo/-")) is None
    for wrong in ("foo", "/a~2"):
        with pytest.raises(PathError):
            parse_pointer(wrong)


@pytest.mark.parametrize(
    ("short", "path"), [("measures.girth", "$.measures.girth"), ("trees[*]", "$.trees[*]"), ("[*]", "$[*]")]
)
def test_the_short_form_and_back(short, path):
    assert parse_short(short).text == path
    assert short_form(parse_jsonpath(path)) == short


@pytest.mark.parametrize("text", ["", "a..b", "a b", "$.a", "a[0]", "/a", "[*].a"])
def test_what_is_no_short_form_is_refused(text):
    with pytest.raises(PathError):
        parse_short(text)
