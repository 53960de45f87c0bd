"""The files of a definition: archives opened, the main one found, references followed between them, places told by
line."""

import io
import zipfile

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rondine.core.definitions import files as definition_files
from rondine.core.definitions.files import Broken, Files, Place, main_of, storable, unpacked
from rondine.core.errors import DocumentError


def archive(**members):
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as made:
        for name, content in members.items():
            made.writestr(name.replace("__", "/"), content)
    return out.getvalue()


def files(main="api.yaml", **contents):
    return Files(main, {name.replace("__", "/").replace("_yaml", ".yaml"): text.encode() for name,
    text in contents.items()})  # fmt: skip


TREES = """\
openapi: 3.1.0
paths:
  /trees:
    $ref: "parts/trees.yaml#/trees"
components:
  schemas:
    Tree: {type: object}
    Again: {$ref: "#/components/schemas/Round"}
    Round: {$ref: "#/components/schemas/Again"}
"""
PARTS = """\
trees:
  get:
    $ref: "../api.yaml#/components/schemas/Tree"
"""


def test_archives_are_opened_and_their_paths_kept():
    made = unpacked({"upload.zip": archive(api="openapi: 3.1.0", parts__trees="trees: {}"), "./more.yaml": b"a: 1"})
    assert made == {"api": b"openapi: 3.1.0", "parts/trees": b"trees: {}", "more.yaml": b"a: 1"}


def test_an_archive_that_is_broken_or_holds_too_much_is_told(monkeypatch):
    with pytest.raises(DocumentError, match="cannot be opened") as raised:
        unpacked({"upload.zip": archive(api="a" * 1000)[:-30]})
    assert raised.value.where == "upload.zip" and "pack it as zip again" in raised.value.hint
    monkeypatch.setattr(definition_files, "MOST_FILES", 2)
    with pytest.raises(DocumentError, match="holds more than 2 files"):
        unpacked({"upload.zip": archive(a="1", b="2", c="3")})


@given(st.binary(max_size=60))
def test_whatever_follows_the_mark_of_an_archive_ends_with_files_or_words(content):
    try:
        unpacked({"upload.zip": b"PK\x03\x04" + content})
    except DocumentError as error:
        assert error.where == "upload.zip"


@pytest.mark.parametrize(
    ("contents", "main"),
    [
        ({"parts/a.yaml": b"trees: {}", "deep/api.yaml": b"openapi: 3.1.0"}, "deep/api.yaml"),
        ({"a.json": b'{"swagger": "2.0"}', "b.json": b"{}"}, "a.json"),
        ({"types.xsd": b"<schema/>", "permits.wsdl": b"<wsdl:definitions/>"}, "permits.wsdl"),
        ({"metadata.xml": b"<edmx:Edmx/>", "a.xml": b"<a/>"}, "metadata.xml"),
        ({"recorded.har": b'{"log": {}}', "a": b"{}"}, "recorded.har"),
        ({"schema.graphql": b"# trees\ntype Query { trees: [Tree] }", "a": b"type Tree { number: ID }"},
        "schema.graphql"),
        ({"far/off/a.yaml": b"x: 1", "b.yaml": b"x: 1"}, "b.yaml"),
    ],
)  # fmt: skip
def test_the_definition_among_files_is_found_by_what_it_says(contents, main):
    assert main_of(contents) == main


def test_no_file_at_all_is_told():
    with pytest.raises(DocumentError, match="there is no file"):
        main_of({})


def test_references_are_followed_from_file_to_file():
    read = files(api_yaml=TREES, parts__trees_yaml=PARTS)
    value, place = read.follow(read.value("api.yaml")["paths"]["/trees"], Place("api.yaml", ("paths", "/trees")))
    assert place == Place("parts/trees.yaml", ("trees",))
    value, place = read.follow(value["get"], place / "get")
    assert value == {"type": "object"} and place == Place("api.yaml", ("components", "schemas", "Tree"))
    assert place.pointer == "/components/schemas/Tree"


@pytest.mark.parametrize(
    ("reference", "words", "hint"),
    [
        ("#/components/schemas/Again", "leads back to itself", "name what it stands for"),
        ("#/components/schemas/Tre", 'refers to "#/components/schemas/Tre", which the document does not define',
        'did you mean "Tree"?'),
        ("parts/trees.yaml#/tres", '"trees.yaml" does not define', 'did you mean "trees"?'),
        ("parts/shrubs.yaml", 'the file "parts/shrubs.yaml" is not here', "upload it too"),
        ("https://register.example/parts.yaml", "is not here", "it was not fetched"),
        ("#Tree", "is not a JSON Pointer", "anchors are not followed"),
        ("parts/broken.yaml#/a", "cannot be read", ""),
    ],
)  # fmt: skip
def test_a_reference_that_leads_nowhere_is_told_with_the_nearest(reference, words, hint):
    read = files(api_yaml=TREES, parts__trees_yaml=PARTS, parts__broken_yaml="a: [1")
    with pytest.raises(Broken) as raised:
        read.follow({"$ref": reference}, Place("api.yaml", ("paths",)))
    assert words in raised.value.message and hint in raised.value.hint
    assert raised.value.place.location == ("paths",) or raised.value.place.file == "api.yaml"


def test_files_that_are_referred_to_and_missing_are_named_once():
    read = files(api_yaml=TREES, a_yaml='x: {$ref: "more.yaml#/a"}\ny: {$ref: "more.yaml#/b"}\n')
    assert read.outside() == ["parts/trees.yaml", "more.yaml"]
    wsdl = b"<definitions><import location=\"types.xsd\"/><xs:include schemaLocation='a&amp;b.xsd'/></definitions>"
    assert Files("p.wsdl", {"p.wsdl": wsdl}).outside() == ["types.xsd", "a&b.xsd"]
    by_address = Files("https://a.example/v1/api.yaml", {"https://a.example/v1/api.yaml": b'x: {$ref: "../b.yaml"}'})
    assert by_address.outside() == ["https://a.example/b.yaml"]


def test_problems_have_the_line_of_their_place_in_json_and_yaml():
    read = Files("api.yaml", {"api.yaml": TREES.encode(), "deep/b.json": b'{\n "a": [\n  1,\n  {"c": 2}\n ]\n}'})
    for name in read.contents:
        read.value(name)
    found = read.with_lines(
        [
            (Place("api.yaml", ("components", "schemas", "Round")), "one", ""),
            (Place("deep/b.json", ("a", "1", "c")), "two", ""),
            (Place("gone.yaml", ("a",)), "three", ""),
            (Place("api.yaml"), "four", ""),
        ]
    )
    assert [one.where for one in found] == [
        "api.yaml, line 9: /components/schemas/Round",
        "b.json, line 4: /a/1/c",
        "gone.yaml: /a",
        "api.yaml, line 1",
    ]


def test_a_page_of_html_and_doubled_names_are_told():
    read = Files("a.json", {"a.json": b'{"a": 1, "a": 2}', "b.yaml": b"<!DOCTYPE html><html><body>no</body></html>"})
    assert read.value("a.json") == {"a": 2}
    assert ["is duplicated" in problem.message for problem in read.problems] == [True]
    with pytest.raises(DocumentError, match="a page of HTML") as raised:
        read.value("b.yaml")
    assert raised.value.where == "b.yaml" and not Files("b.yaml", read.contents).is_xml()


@given(st.recursive(st.text(), lambda inner: st.lists(inner) | st.dictionaries(st.text(), inner), max_leaves=8))
def test_what_is_stored_has_no_text_that_a_database_refuses(value):
    def texts(one):
        if isinstance(one, str):
            yield one
        elif isinstance(one, dict):
            for name, member in one.items():
                yield from (name, *texts(member))
        else:
            for member in one:
                yield from texts(member)

    for text in texts(storable(value)):
        assert "\0" not in text
        text.encode()
    assert storable("a\0b\ud800c") == "ab\ufffdc"
