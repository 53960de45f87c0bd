"""XML read as values, paths over it, and what is proposed and mapped from it."""

import contextlib
from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rondine.core.documents import Limits, ReadDocument, format_of, read_document, text_of_body
from rondine.core.documents.elements import read_elements, text_of, write_elements
from rondine.core.documents.reading import BodyForm
from rondine.core.errors import DocumentError, DraftError, MappingError, PathError, RondineError
from rondine.core.mapping.compile import check_format, compile_mapping
from rondine.core.mapping.document import MappingDocument, RecordTypeDocument, problems_of
from rondine.core.mapping.propose import propose, row_choices
from rondine.core.mapping.rowwise import row_reader
from rondine.core.paths import parse_xpath, xpath_of
from rondine.core.schema import document_outline, infer, to_json_schema
from rondine.core.schema.check import as_described, differences
from rondine.core.settings import dump, load

RESULTS = b"""<?xml version="1.0" encoding="UTF-8"?>
<lab:results xmlns:lab="urn:soil:2" lab:count="2">
  <lab:result number="S-1042"><lab:ph>6.8</lab:ph><lab:humus unit="%">3.1</lab:humus>
    <lab:note>clay &amp; sand</lab:note></lab:result>
  <lab:result number="S-1043"><lab:ph> 7 </lab:ph><lab:humus unit="%">2.4</lab:humus><lab:note/></lab:result>
</lab:results>"""
LAB = {"lab": "urn:soil:2"}


def value(text: str | bytes, **options):
    return read_elements(text.encode() if isinstance(text, str) else text, **options).value


def found(path: str, of=RESULTS) -> list[tuple[str, object]]:
    return [(xpath_of(node.location), text_of(node.value)) for node in parse_xpath(path).find(value(of))]


# --- reading


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("<a/>", {"a": ""}),
        ("<a>one</a>", {"a": "one"}),
        ("<a>\n <b>1</b>\n</a>", {"a": {"b": "1"}}),
        ("<a><b>1</b><b/></a>", {"a": {"b": ["1", ""]}}),
        ('<a n="1">x<![CDATA[ < ]]>y</a>', {"a": {"@n": "1", "text()": "x < y"}}),
        ("<a>one <b>two</b> three</a>", {"a": {"b": "two", "text()": "one  three"}}),
        ('<a xmlns:i="http://www.w3.org/2001/XMLSchema-instance" i:nil="true"/>', {"a": None}),
        ('<a xmlns="urn:soil:2"><b/></a>', {"soil:a": {"soil:b": ""}}),
        ('<a xmlns:x="urn:one"><x:b/><c xmlns:x="urn:two"><x:b/></c></a>', {"a": {"x:b": "", "c": {"x2:b": ""}}}),
        ("<!-- said --><a><?do it?>1</a>", {"a": "1"}),
    ],
)
def test_elements_become_values(text, expected):
    assert value(text) == expected


def test_a_namespace_has_the_prefix_that_the_reader_gives_it_whatever_the_document_calls_it():
    other = RESULTS.replace(b"lab:", b"x9:").replace(b"xmlns:lab", b"xmlns:x9")
    assert value(other, namespaces=LAB) == value(RESULTS)
    assert read_elements(RESULTS).namespaces == LAB


@pytest.mark.parametrize(
    ("body", "charset"),
    [
        ("<?xml version='1.0' encoding='windows-1252'?><a>pòma</a>".encode("cp1252"), ""),
        ("<?xml version='1.0' encoding='iso-8859-1'?><a>pòma</a>".encode("latin-1"), ""),
        ("<?xml version='1.0' encoding='utf-16'?><a>pòma</a>".encode("utf-16"), ""),
        ("<?xml version='1.0' encoding='utf-8'?><a>pòma</a>".encode("latin-1"), "iso-8859-1"),
        ("\ufeff<a>pòma</a>".encode(), "iso-8859-1"),
        ("<a>pòma</a>".encode("cp1252"), "windows-1252"),
    ],
)
def test_the_encoding_is_told_by_mark_media_type_or_declaration_in_this_order(body, charset):
    assert value(body, charset=charset) == {"a": "pòma"}
    assert "pòma" in text_of_body(body, "" if body[:3] == b"\xef\xbb\xbf" else charset)


@pytest.mark.parametrize(
    ("body", "where", "words"),
    [
        (b"<a>\n<b></a>", "the response, line 2, column 6", "mismatched tag"),
        (b"<a>&tree;</a>", "line 1, column 4", "undefined entity"),
        (b'<!DOCTYPE a [<!ENTITY x "y">]><a>&x;</a>', "line 1", "document type"),
        (b"<a>" * 300, "line 1", "nested more than 200 levels"),
        (b"  ", "the response", "empty"),
        (b"<?xml version='1.0' encoding='klingon'?><a/>", "the response", "klingon"),
        (b"<x:a/>", "line 1", "unbound prefix"),
        (b"<a b='1' b='2'/>", "line 1", "duplicate attribute"),
    ],
)
def test_what_is_not_sound_has_its_line_and_column(body, where, words):
    with pytest.raises(DocumentError) as error:
        read_elements(body)
    assert where in error.value.where and words in str(error.value)


def test_a_document_over_the_limit_is_refused_before_it_is_read():
    with pytest.raises(DocumentError, match="more than the 10"):
        read_elements(b"<a>1234567890</a>", limits=Limits(size=10))


def test_entities_that_multiply_cannot_be_defined():
    bomb = b'<!DOCTYPE a [<!ENTITY a "aaaaaaaaaa">' + b"".join(
        f'<!ENTITY {b} "{f"&{a};" * 10}">'.encode() for a, b in zip("abcdefgh", "bcdefghi", strict=True)
    )
    with pytest.raises(DocumentError, match="document type"):
        read_elements(bomb + b"]><a>&i;</a>")


@pytest.mark.parametrize(
    ("body", "media_type", "expected"),
    [
        (b"<a/>", "application/xml", "xml"),
        (b"<a/>", "text/plain", "xml"),
        (b"<a/>", "application/atom+xml", "xml"),
        (b"<!doctype html><html>", "text/html", "json"),
        (b'{"a": 1}', "application/xml", "json"),
        (b'{"a": 1}\n{"a": 2}', "application/x-ndjson; charset=utf-8", "ndjson"),
        (b"", "", "json"),
    ],
)
def test_the_format_is_told_by_media_type_and_content(body, media_type, expected):
    assert format_of(body, media_type) == expected


def test_one_json_value_a_line_is_a_list_and_a_broken_line_is_named():
    read = read_document(b'{"n": 1}\n\n{"n": 2.50}\r\n', media_type="application/x-ndjson")
    assert read == ReadDocument([{"n": 1}, {"n": Decimal("2.50")}], "ndjson")
    with pytest.raises(DocumentError) as error:
        read_document(b'{"n": 1}\n{"n": }', media_type="application/jsonl")
    assert error.value.where == "the response, line 2, column 7"


NAMES = st.text(alphabet="abc", min_size=1, max_size=2)
TEXTS = st.text(
    st.characters(blacklist_categories=["Cs", "Cc"], blacklist_characters="\ufffe\uffff"), min_size=1, max_size=8
).filter(lambda text: not text.isspace())


@st.composite
def documents(draw) -> tuple[str, object]:
    """A document as text, and the value it should be read as."""

    def element(name: str, depth: int) -> tuple[str, object]:
        attributes = draw(st.dictionaries(NAMES, TEXTS, max_size=2))
        names = draw(st.lists(NAMES, max_size=3 if depth < 3 else 0))
        children = [(child, *element(child, depth + 1)) for child in names]
        head = "".join(f' {key}="{escaped(one)}"' for key, one in attributes.items())
        if not children:
            text = draw(st.one_of(st.just(""), TEXTS))
            plain: object = text
            if attributes:
                plain = {**{f"@{key}": one for key, one in attributes.items()}, **({"text()": text} if text else {})}
            return f"<{name}{head}>{escaped(text)}</{name}>", plain
        members: dict[str, object] = {f"@{key}": one for key, one in attributes.items()}
        inner = ""
        seen: dict[str, list[object]] = {}
        for child, text, held in children:
            inner += text
            seen.setdefault(child, []).append(held)
        members |= {key: many if len(many) > 1 else many[0] for key, many in seen.items()}
        return f"<{name}{head}>{inner}</{name}>", members

    text, held = element("r", 0)
    return text, {"r": held}


def escaped(text: str) -> str:
    return "".join(char if char not in "<>&\"'" else f"&#{ord(char)};" for char in text)


@given(documents())
def test_what_is_written_is_read_back(pair):
    text, expected = pair
    assert value(text) == expected


@given(st.binary(max_size=200))
def test_any_bytes_are_read_or_refused_by_name(body):
    for wrapped in (body, b"<a>" + body + b"</a>"):
        with contextlib.suppress(RondineError):
            read_elements(wrapped)


# --- paths


@pytest.mark.parametrize(
    ("path", "expected"),
    [
        ("/lab:results/lab:result/@number", ["S-1042", "S-1043"]),
        ("/lab:results/lab:result[2]/@number", ["S-1043"]),
        ("/lab:results/lab:result[last()]/lab:humus", ["2.4"]),
        ("//lab:humus/@unit", ["%", "%"]),
        ("/lab:results/lab:result[@number='S-1042']/lab:note", ["clay & sand"]),
        ('//lab:result[lab:ph="6.8"]/@number', ["S-1042"]),
        ("//lab:result[lab:humus]/lab:humus/text()", ["3.1", "2.4"]),
        ("/lab:results/@*", ["2"]),
        ("/lab:results/lab:nothing", []),
        ("//lab:note/text()", ["clay & sand"]),
    ],
)
def test_a_path_finds_its_values(path, expected):
    assert [text for _, text in found(path)] == expected


def test_every_place_is_a_path_that_finds_it_again():
    for place, text in found("//*") + found("//@*"):
        assert [text] == [again for _, again in found(place)], place


@pytest.mark.parametrize(
    ("path", "column", "words"),
    [
        ("", "column 1", "empty"),
        ("lab:result/", "column 12", "name is expected"),
        ("a b", "column 3", "not expected"),
        ("a[1", "column 4", "]"),
        ("a/'b'", "column 3", "name is expected"),
        ("total(a)", "total", "has no function total"),
        ("$a/b", "column 1", "no variables"),
    ],
)
def test_a_path_that_is_not_read_has_its_column(path, column, words):
    with pytest.raises(PathError) as error:
        parse_xpath(path)
    assert error.value.where == column and words in str(error.value)


@given(st.text(alphabet="ab:/@*[].'\"=1 ()", max_size=20))
def test_any_text_is_a_path_or_refused_by_name(text):
    with contextlib.suppress(PathError, MappingError):
        parse_xpath(text).find(read_document(RESULTS).value)


# --- schema


def test_an_element_that_repeats_in_one_sample_is_a_list_in_all_of_them():
    one, two = value("<r><t><c>a</c></t></r>"), value("<r><t><c>a</c><c>b</c></t><t/></r>")
    for order in ([one, two], [two, one]):
        lines = {line.path: line for line in document_outline(infer(order, is_xml=True), is_xml=True)}
        assert (lines["/r/t"].lists, lines["/r/t/c"].lists, lines["/r/t/c"].lengths) == (1, 2, (1, 2))
        assert lines["/r/t/c"].presence == pytest.approx(2 / 3, abs=0.001)


def test_texts_that_are_all_numbers_are_proposed_as_numbers_and_attributes_have_lines_of_their_own():
    lines = {line.path: line.type for line in document_outline(infer([value(RESULTS)], is_xml=True), is_xml=True)}
    assert lines["/lab:results/lab:result/lab:humus"] == "decimal"
    assert lines["/lab:results/lab:result/lab:humus/@unit"] == "text"
    assert lines["/lab:results/@lab:count"] == "integer"
    assert lines["/lab:results/lab:result"] == ""


def test_the_schema_calls_members_by_their_local_names_and_says_what_they_are_in_xml():
    schema = to_json_schema(infer([value(RESULTS)], is_xml=True), is_xml=True, namespaces=LAB)
    result = schema["properties"]["results"]["properties"]["result"]["items"]
    assert result["properties"]["number"] == {"type": "string", "xml": {"attribute": True}}
    assert result["properties"]["humus"]["properties"]["text()"] == {"type": "number", "xml": {"nodeType": "text"}}
    assert result["xml"] == {"namespace": "urn:soil:2", "prefix": "lab"}


def test_a_response_in_xml_is_held_against_the_description_in_its_form():
    schema = {
        "type": "object",
        "properties": {
            "result": {
                "type": "array",
                "items": {
                    "type": "object",
                    "required": ["number", "ph"],
                    "properties": {
                        "number": {"type": "string", "xml": {"attribute": True}},
                        "ph": {"type": "number"},
                        "humus": {"type": "integer"},
                        "lime": {"type": "string"},
                    },
                },
            }
        },
        "required": ["result", "taken"],
    }
    one = as_described(value("<r><result number='S-1'><ph>6.5</ph><humus>x</humus></result></r>"), schema, {})
    assert one == {"result": [{"number": "S-1", "ph": Decimal("6.5"), "humus": "x"}]}
    assert [(each.where, each.message) for each in differences(one, schema, {})] == [
        ("$['result'][0]['humus']", '"x" is not of the type integer'),
        ("$", '"taken" is missing'),
    ]


# --- proposing and mapping


def test_what_repeats_is_offered_as_rows_first():
    assert [(choice.path, choice.count) for choice in row_choices(ReadDocument(value(RESULTS), "xml", LAB))] == [
        ("/lab:results/lab:result", 2),
        ("/lab:results", 1),
    ]
    single = value("<r><list><one n='1'><a>1</a></one></list></r>")
    assert [choice.path for choice in row_choices(ReadDocument(single, "xml"))] == ["/r/list", "/r/list/one", "/r"]


def proposed(**options):
    return propose(
        [ReadDocument(value(RESULTS), "xml", LAB)], rows=["/lab:results/lab:result"], name="result", **options
    )


def test_a_proposal_takes_elements_and_attributes_and_the_mapping_says_its_namespaces():
    made = proposed()
    assert {field.name: field.type for field in made.record_type.fields} == {
        "number": "text", "ph": "decimal", "humus": "decimal", "note": "text",
    }  # fmt: skip
    humus = next(field for field in made.record_type.fields if field.name == "humus")
    assert humus.unit == "%" and made.notes[-1].startswith("humus is in %, as the response says")
    assert made.record_type.key == ["number"] and made.mapping.namespaces == LAB
    assert load(MappingDocument, dump(made.mapping)) == made.mapping
    mapped = compile_mapping(made.mapping, {"result": made.record_type})[0].run(value(RESULTS))
    assert mapped.records[1] == (
        1,
        {"number": "S-1043", "ph": Decimal(7), "humus": Decimal("2.4"), "note": ""},
    )


def test_a_list_of_one_is_read_like_a_list_of_many():
    made = proposed()
    output = compile_mapping(made.mapping, {"result": made.record_type})[0]
    single = value(RESULTS[: RESULTS.index(b'  <lab:result number="S-1043')] + b"</lab:results>")
    assert [data["number"] for _, data in output.run(single).records] == ["S-1042"]
    assert output.run(value("<l:results xmlns:l='urn:soil:2'/>", namespaces=LAB)).rows == 0


def mapping(fields, rows="/lab:results/lab:result", types=None, **more):
    document = {
        "format": "xml",
        "namespaces": LAB,
        "outputs": [{"record_type": "result", "rows": [{"level": "result", "at": rows}], "fields": fields}],
        **more,
    }
    names = {field["name"]: (types or {}).get(field["name"], "text") for field in fields}
    record_type = load(
        RecordTypeDocument,
        {"fields": [{"name": name, "type": kind} for name, kind in names.items()], "key": [fields[0]["name"]]},
    )
    return load(MappingDocument, document), {"result": record_type}


def test_fields_come_from_attributes_the_root_predicates_and_all_of_many():
    made, types = mapping(
        [
            {"name": "number", "from": "@number"},
            {"name": "count", "from": "/lab:results/@lab:count"},
            {"name": "humus", "from": "lab:humus[@unit='%']"},
            {"name": "parts", "from": {"xpath": "*/text()", "all": True}},
            {"name": "whole", "from": "."},
        ],
        types={"count": "integer", "humus": "decimal", "parts": "json"},
    )
    assert problems_of(made, types) == []
    record = compile_mapping(made, types)[0].run(value(RESULTS)).records[0][1]
    assert record == {
        "number": "S-1042", "count": 2, "humus": Decimal("3.1"), "parts": ["6.8", "3.1", "clay & sand"],
        "whole": "6.83.1clay & sand",
    }  # fmt: skip


def test_a_value_that_does_not_fit_or_is_there_twice_is_a_reject_with_its_xpath():
    made, types = mapping(
        [{"name": "number", "from": "@number"}, {"name": "ph", "from": "lab:ph"}], types={"ph": "decimal"}
    )
    bad = RESULTS.replace(b"6.8", b"6,8").replace(b"<lab:ph> 7 </lab:ph>", b"<lab:ph>7</lab:ph><lab:ph>8</lab:ph>")
    first, second = compile_mapping(made, types)[0].run(value(bad)).rejects
    assert (first.path, first.problems[0].path) == ("/lab:results/lab:result[1]", "/lab:results/lab:result[1]/lab:ph")
    assert "decimal comma" in first.problems[0].reason
    assert "has 2 values" in second.problems[0].reason


@pytest.mark.parametrize(
    ("change", "where", "words"),
    [
        ({"rows": "/lb:results/lb:result"}, "/outputs/0/rows/0/at", 'prefix "lb"'),
        ({"fields": [{"name": "number", "from": {"jsonpath": "$.number"}}]}, "/outputs/0/fields/0/from", "for JSON"),
        ({"fields": [{"name": "number", "from": "a//"}]}, "/outputs/0/fields/0/from", "name is expected"),
    ],
)
def test_a_mapping_that_cannot_run_says_where(change, where, words):
    made, types = mapping(**{"fields": [{"name": "number", "from": "@number"}], **change})
    problem = problems_of(made, types)[0]
    assert problem.where == where and words in problem.message


def test_a_text_field_cannot_take_all_of_many():
    made, types = mapping([{"name": "number", "from": {"xpath": "*", "all": True}}])
    with pytest.raises(DraftError, match="all that a path finds"):
        compile_mapping(made, types)


def test_a_response_in_another_namespace_is_not_taken_for_an_empty_one():
    made, types = mapping([{"name": "number", "from": "@number"}])
    other = read_elements(RESULTS.replace(b"urn:soil:2", b"urn:soil:3"), namespaces=made.namespaces)
    with pytest.raises(MappingError, match="another namespace"):
        compile_mapping(made, types)[0].run(other.value)


def test_json_in_place_of_xml_is_said_before_anything_is_mapped():
    made, _ = mapping([{"name": "number", "from": "@number"}])
    with pytest.raises(DocumentError, match="the response is JSON, and the mapping reads XML"):
        check_format(made, ReadDocument({}))


LEAVES = st.one_of(st.sampled_from(["6.8", " 7 ", "", "x", "2026-11-04", "true"]), TEXTS)
ROWS = st.lists(
    st.fixed_dictionaries(
        {},
        optional={
            "@number": LEAVES, "a": LEAVES, "b": st.one_of(st.none(), LEAVES, st.lists(LEAVES, min_size=2, max_size=3)),
            "c": st.fixed_dictionaries({}, optional={"@u": LEAVES, "text()": LEAVES, "d": LEAVES}),
        },
    ),
    max_size=4,
)  # fmt: skip


@given(ROWS, st.sampled_from(["text", "integer", "decimal", "boolean", "date", "json"]), st.booleans())
def test_the_fast_way_and_the_exact_way_are_equal(rows, kind, required):
    document = {"r": {"t": rows if len(rows) != 1 else rows[0]}} if rows else {"r": ""}
    paths = ["@number", "a", "b", "c", "c/@u", "c/d", "c/text()", "."]
    fields = [{"name": f"f{number}", "from": path, "required": required} for number, path in enumerate(paths)]
    made, types = mapping(fields, rows="/r/t", types={field["name"]: kind for field in fields[1:]})
    output = compile_mapping(made, types)[0]
    fast = output.run(document)
    exact = list(output.explain(document))
    assert fast.rows == len(exact)
    assert fast.records == [(one.ordinal, one.data) for one in exact if one.data is not None]
    assert [reject.ordinal for reject in fast.rejects] == [one.ordinal for one in exact if one.data is None]


# --- read row by row


def row_by_row_equals(text: bytes, made, types, size=64):
    """What a mapping makes of the document row by row and of all of it at once; None where all of it is needed."""
    outputs = compile_mapping(made, types)
    reader = row_reader(made, outputs)
    if reader is None:
        return None
    whole = read_elements(text, namespaces=made.namespaces).value
    in_pieces = list(
        reader.parts(
            lambda: (text[at : at + size] for at in range(0, len(text), size)), {}, around := [], form=BodyForm("xml")
        )
    )
    page = reader.page(text, {}, form=BodyForm("xml"))
    for number, output in enumerate(outputs):
        wanted = output.run(whole)
        for parts in (in_pieces, [] if page is None else [page[0]]):
            ones = [part.mapped[number] for part in parts]
            assert sum(one.rows for one in ones) == wanted.rows or page is None
            assert [record for one in ones for record in one.records] == (wanted.records if ones else [])
            assert [reject for one in ones for reject in one.rejects] == (wanted.rejects if ones else [])
    return around


def test_row_by_row_makes_the_same_records_and_leaves_the_rest():
    made, types = mapping(
        [
            {"name": "number", "from": "@number"},
            {"name": "ph", "from": "lab:ph", "convert": [{"type": "trim"}]},
            {"name": "unit", "from": "lab:humus/@unit"},
            {"name": "count", "from": "/lab:results/@lab:count"},
            {"name": "whole", "from": {"level": "root", "xpath": "/lab:results/lab:other"}},
        ]
    )
    (around,) = row_by_row_equals(RESULTS, made, types)
    assert list(around) == ["lab:results"] and "lab:result" not in around["lab:results"]


def test_sources_that_look_at_all_rows_need_the_whole_response():
    made, types = mapping([{"name": "number", "from": "@number"}, {"name": "any", "from": "//lab:ph"}])
    assert row_by_row_equals(RESULTS, made, types) is None


@pytest.mark.parametrize("source", ["lab:ph[1]", ".", "*", "lab:ph/text()", {"xpath": "lab:humus", "all": True}])
def test_sources_that_are_no_plain_names_are_read_row_by_row_too(source):
    made, types = mapping(
        [{"name": "number", "from": "@number"}, {"name": "any", "from": source}], types={"any": "json"}
    )
    assert row_by_row_equals(RESULTS, made, types) is not None


def test_an_element_that_holds_others_after_all_gives_all_its_text():
    made, types = mapping([{"name": "number", "from": "@number"}, {"name": "ph", "from": "lab:ph"}])
    row_by_row_equals(RESULTS.replace(b"6.8", b"6<lab:half/>.8"), made, types)


def test_rows_in_several_places_are_refused_with_a_way_out():
    made, types = mapping([{"name": "number", "from": "@number"}], rows="/r/g/t")
    outputs = compile_mapping(made, types)
    body = b"<r><g><t number='1'/><t number='2'/></g><g><t number='3'/></g></r>"
    reader = row_reader(made, outputs)
    assert reader.page(body, {}, form=BodyForm("xml")) is None
    with pytest.raises(DocumentError, match="is there more than once") as error:
        list(reader.parts(lambda: (body,), {}, [], form=BodyForm("xml")))
    assert "level of its own" in error.value.hint
    assert outputs[0].run(read_elements(body).value).rows == 3


def test_what_is_broken_or_hostile_is_refused_in_the_same_words():
    made, types = mapping([{"name": "number", "from": "@number"}])
    reader = row_reader(made, compile_mapping(made, types))
    for body in (
        b"<a>\n<b></a>",
        b"<!DOCTYPE a><a/>",
        b"<!-- " + b"-" * 0 + b"x" * 70_000 + b" --><!DOCTYPE a [<!ENTITY b 'c'>]><a>&b;</a>",
        b"<?xml version='1.0' encoding='klingon'?><a/>",
        b"<a>&undefined;</a>",
        b"<a>",
    ):
        errors = []
        for read in (read_elements, lambda text: list(reader.parts(lambda: (text,), {}, [], form=BodyForm("xml")))):
            with pytest.raises(DocumentError) as error:
                read(body)
            errors.append((error.value.message, error.value.where))
        assert errors[0] == errors[1]


def test_neither_depth_nor_endless_rows_get_far(monkeypatch):
    made, types = mapping([{"name": "number", "from": "@number"}])
    reader = row_reader(made, compile_mapping(made, types))
    deep = b"<lab:results xmlns:lab='urn:soil:2'><lab:result>" + b"<a>" * 5_000 + b"</a>" * 5_000
    with pytest.raises(DocumentError, match="levels deep"):
        list(reader.parts(lambda: (deep + b"</lab:result></lab:results>",), {}, [], form=BodyForm("xml")))
    monkeypatch.setattr("rondine.core.documents.element_rows.MOST_OF_ONE", 1_000_000)

    def endless():
        yield b"<lab:results xmlns:lab='urn:soil:2'><lab:result>"
        while True:
            yield b"<lab:ph>" + b"7" * 100_000 + b"</lab:ph>"

    with pytest.raises(DocumentError, match="more than 1,000,000 bytes"):
        list(reader.parts(endless, {}, [], form=BodyForm("xml")))


@given(
    documents(),
    st.lists(
        st.sampled_from(["a", "b", "c", "@a", "a/b", "a/@b", "b/c/a", "text()", "aa", "a/text()", "."]),
        min_size=1,
        max_size=4,
        unique=True,
    ),
    st.sampled_from(["text", "integer", "decimal", "json"]),
    st.integers(1, 50),
)
def test_row_by_row_equals_the_whole_whatever_the_document(pair, paths, kind, size):
    document = {"format": "xml", "outputs": [{"record_type": "t", "rows": [{"level": "t", "at": "/r/a"}],
    "fields": [{"name": f"f{n}", "from": path} for n, path in enumerate(paths)]}]}  # fmt: skip
    record_type = load(
        RecordTypeDocument,
        {"fields": [{"name": f"f{n}", "type": kind if n else "text"} for n in range(len(paths))], "key": ["f0"]},
    )
    with contextlib.suppress(MappingError):  # what should be around the rows is not there; said by the whole reading
        row_by_row_equals(pair[0].encode(), load(MappingDocument, document), {"t": record_type}, size)


# --- units


def test_a_value_in_another_unit_than_its_field_is_never_taken_silently():
    record_type = load(
        RecordTypeDocument,
        {
            "key": ["number"],
            "fields": [{"name": "number", "type": "text"}, {"name": "humus", "type": "decimal", "unit": "%"}],
        },
    )
    rules = [
        {"name": "number", "from": "@number"},
        {"name": "humus", "from": "h", "unit": "h/@unit", "convert": [{"type": "number", "decimal": ","}]},
    ]
    document = {
        "format": "xml",
        "outputs": [{"record_type": "t", "rows": [{"level": "t", "at": "/r/t"}], "fields": rules}],
    }
    body = b"""<r><t number="1"><h unit="%">3,1</h></t><t number="2"><h unit="g/kg">31</h></t><t number="3"><h>3,1</h></t><t number="4"/></r>"""
    made = load(MappingDocument, document)
    (output,) = compile_mapping(made, {"t": record_type})
    whole, (part, _) = (
        output.run(read_elements(body).value),
        row_reader(made, [output]).page(body, {}, form=BodyForm("xml")),
    )
    for mapped in (whole, part.mapped[0]):
        assert [data.get("humus") for _, data in mapped.records] == [Decimal("3.1"), None]
        assert [reject.problems[0].reason for reject in mapped.rejects] == [
            "is in g/kg, and the field is in %",
            "comes without its unit, and the field is in %",
        ]
    without = load(
        RecordTypeDocument,
        {"key": ["number"], "fields": [{"name": "number", "type": "text"}, {"name": "humus", "type": "decimal"}]},
    )
    assert problems_of(made, {"t": without})[0].message == 'the field "humus" has no unit to compare with'


_texts = st.text(st.characters(exclude_categories=["Cs"], exclude_characters="\x00"), max_size=6).filter(
    lambda one: not one or not one.isspace()
)
_written = st.recursive(
    st.none() | _texts,
    lambda inner: st.dictionaries(st.sampled_from(["a", "b", "Ł-1"]), inner | st.lists(inner, min_size=2, max_size=3),
    min_size=1, max_size=3),
    max_leaves=8,
)  # fmt: skip


@given(_written, st.dictionaries(st.sampled_from(["@x", "@y"]), _texts, max_size=2))
def test_what_is_written_as_xml_is_read_back(value, attributes):
    value = {**attributes, **value} if isinstance(value, dict) else value
    try:
        text = write_elements({"tree": value})
    except ValueError as error:
        assert "which XML does not have" in str(error)
        return
    assert read_elements(text.encode()).value == {"tree": value}
