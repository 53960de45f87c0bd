"""Responses mapped row by row, against the same responses mapped as a whole."""

import json
from decimal import Decimal

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from rondine.core.documents import read_json
from rondine.core.documents.reading import BodyForm
from rondine.core.documents.slices import Around, line_slices, list_slices
from rondine.core.errors import DocumentError
from rondine.core.mapping.compile import compile_mapping
from rondine.core.mapping.document import MappingDocument, RecordTypeDocument
from rondine.core.mapping.rowwise import RowPlace, row_reader
from rondine.core.settings import load

TREE = {
    "key": ["number"],
    "fields": [
        {"name": name, "type": kind}
        for name, kind in {
            "number": "text",
            "girth": "decimal",
            "planted": "date",
            "street": "text",
            "care": "json",
            "source": "text",
            "position": "integer",
        }.items()
    ],
}
LOT = {
    "key": ["tree", "code"],
    "fields": [
        {"name": name, "type": kind} for name, kind in {"tree": "text", "code": "text", "seeds": "integer"}.items()
    ],
}
TREES = {
    "record_type": "tree",
    "rows": [{"level": "tree", "at": "value[*]"}],
    "fields": [
        {"name": "number", "from": "number"},
        {"name": "girth", "from": "measures.girth"},
        {"name": "planted", "from": "planted", "required": True},
        {"name": "street", "from": {"jsonpath": "$.place.names[0]"}, "default": "none"},
        {"name": "care", "from": "measures"},
        {"name": "position", "from": {"position": "tree"}},
    ],
}
LOTS = {
    "record_type": "lot",
    "rows": [{"level": "tree", "at": "value[*]"}, {"level": "lot", "at": "lots[*]"}],
    "fields": [
        {"name": "tree", "from": {"level": "tree", "jsonpath": "$.number"}},
        {"name": "code", "from": "code"},
        {"name": "seeds", "from": "count.seeds"},
    ],
}


def outputs_of(*outputs, also=()):
    mapping = load(MappingDocument, {"outputs": list(outputs)})
    made = compile_mapping(mapping, {"tree": load(RecordTypeDocument, TREE), "lot": load(RecordTypeDocument, LOT)})
    return made, row_reader(mapping, made, also)


def in_chunks(body, size):
    return lambda: (body[at : at + size] for at in range(0, len(body), size))


def told(mapped):
    return [(one.rows, one.filtered, one.records, one.rejects) for one in mapped]


def joined(parts, outputs):
    """All parts as one response mapped at once would be."""
    found = []
    for number in range(len(outputs)):
        ones = [part.mapped[number] for part in parts]
        found.append(
            (
                sum(one.rows for one in ones),
                sum(one.filtered for one in ones),
                [record for one in ones for record in one.records],
                [reject for one in ones for reject in one.rejects],
            )
        )
    return found


texts = st.sampled_from(
    ["", "OLM-1", 'a "quoted" one', "},{", '"number":', "[1]", "\\", "Largo Ł", "1.50", "2025-01-03", "12,5", "é\n"]
) | st.text(max_size=3)
scalars = (
    st.none()
    | st.booleans()
    | st.integers(-(2**70), 2**70)
    | st.decimals(allow_nan=False, allow_infinity=False, places=3)
    | texts
)
lots = st.dictionaries(
    st.sampled_from(["code", "count", "number"]), scalars | st.dictionaries(st.just("seeds"), scalars), max_size=3
)
tree = st.fixed_dictionaries(
    {},
    optional={
        "number": scalars,
        "measures": (
            st.dictionaries(st.sampled_from(["girth", "height"]), scalars | st.lists(scalars, max_size=2)) | scalars
        ),
        "planted": st.sampled_from(["2025-01-03", "x", None]),
        "place": st.dictionaries(st.just("names"), st.lists(texts, max_size=2)) | scalars,
        "lots": st.lists(lots | scalars, max_size=3) | scalars | lots,
    },
)
rows = st.lists(tree | scalars, max_size=6)
by_key = st.dictionaries(texts, tree | scalars, max_size=6)  # an object whose keys are data
layouts = st.sampled_from([(None, (",", ":")), (None, (", ", ": ")), (2, (",", ": "))])


def written(value, layout):
    indent, separators = layout
    return json.dumps(value, indent=indent, separators=separators, ensure_ascii=False, default=float).encode(
        "utf-8", "surrogatepass"
    )


@settings(max_examples=300, deadline=None)
@given(rows | by_key, layouts, st.integers(1, 60), st.booleans())
def test_row_by_row_equals_the_whole(value, layout, size, is_tail):
    document = {"count": 3, "value": value} | (
        {"deleted": [{"number": "x"}, {"number": "y"}], "next": None} if is_tail else {}
    )
    body = written(document, layout)
    outputs, reader = outputs_of(TREES, LOTS, also=["/count"])
    whole = told([output.run(read_json(body)) for output in outputs])
    page = reader.page(body, {})
    if page is not None:
        assert told(page[0].mapped) == whole and page[1]["count"] == 3
    around = []
    parts = list(reader.parts(in_chunks(body, size), {}, around))
    assert joined(parts, outputs) == whole
    assert around == [read_json(written(document | {"value": type(value)()}, layout))]
    assert not parts or parts[-1].upto == RowPlace(len(value), tuple(rows for rows, *_ in whole))


@settings(max_examples=100, deadline=None)
@given(rows | by_key, st.integers(20, 200), st.data())
def test_reading_goes_on_after_rows_that_are_done(value, size, data):
    body = written({"value": value}, (None, (",", ":")))
    outputs, reader = outputs_of(TREES, LOTS)
    parts = list(reader.parts(in_chunks(body, 8), {}, []))
    if not parts:
        return
    done = data.draw(st.integers(1, len(parts)))
    again = list(reader.parts(in_chunks(body, size), {}, [], start=parts[done - 1].upto))
    assert joined(parts[:done] + again, outputs) == joined(parts, outputs)


@settings(max_examples=100, deadline=None)
@given(rows, st.integers(1, 60), st.sampled_from(["\n", "\r\n", "\n\n", "\n\x1e"]))
def test_one_value_a_line_is_read_line_by_line(value, size, between):
    body = between.join(json.dumps(one, default=float) for one in value).encode()
    outputs, reader = outputs_of(TREES | {"rows": [{"level": "tree", "at": {"jsonpath": "$[*]"}}]})
    whole = told([outputs[0].run(read_json(json.dumps(value, default=float).encode()))])
    assert joined(list(reader.parts(in_chunks(body, size), {}, [], form=BodyForm("ndjson"))), outputs) == whole


@pytest.mark.parametrize("size", [5, 60, 10_000])
def test_keys_that_are_data_are_told_row_by_row(size):
    number = {"name": "number", "from": {"key": "tree"}}
    outputs, reader = outputs_of(TREES | {"fields": [number, *TREES["fields"][1:]]})
    held = {f"OLM-{n}": {"planted": "2025-01-03" if n % 2 else "x", "measures": {"girth": n}} for n in range(9)}
    body = json.dumps({"by": "register", "value": held}).encode()
    found = joined(list(reader.parts(in_chunks(body, size), {}, [])), outputs)
    assert found == told([outputs[0].run(read_json(body))])
    assert [record["number"] for _, record in found[0][2]] == ["OLM-1", "OLM-3", "OLM-5", "OLM-7"]
    assert found[0][3][0].path == "$['value']['OLM-0']"


def test_only_what_is_wanted_is_read():
    _, reader = outputs_of(TREES)
    body = (
        b'{"value": [{"number": "a", "planted": "2025-01-03", "bark": {"never": [1, 2, {"looked": "at"}]}}], "else":'
        b" [1, 2]}"
    )
    part, root = reader.page(body, {})
    assert part.mapped[0].records[0][1]["number"] == "a" and root == {"value": []}


def test_a_rejected_row_is_kept_with_all_that_is_in_it():
    _, reader = outputs_of(TREES)
    body = b'{"value": [{"number": "a", "planted": "x", "bark": {"depth": 1.50}}]}'
    for part in (reader.page(body, {})[0], *reader.parts(in_chunks(body, 7), {}, [])):
        (reject,) = part.mapped[0].rejects
        assert reject.row == {"number": "a", "planted": "x", "bark": {"depth": Decimal("1.50")}}
        assert reject.path == "$['value'][0]" and reject.problems[0].path == "$['value'][0]['planted']"


def test_rows_that_take_from_around_them_know_it_before_wherever_it_stands():
    source = {"name": "source", "from": {"level": "root", "jsonpath": "$.by"}}
    _, reader = outputs_of(TREES | {"fields": [*TREES["fields"], source]})
    body = b'{"value": [{"number": "a", "planted": "2025-01-03"}], "by": "register"}'
    assert reader.page(body, {})[0].mapped[0].records[0][1]["source"] == "register"
    (part,) = reader.parts(in_chunks(body, 5), {}, [])
    assert part.mapped[0].records[0][1]["source"] == "register"


def test_conditions_and_sources_of_sources_are_read_row_by_row_too():
    where = {"where": [{"from": "number", "is": "not_equal", "value": "b"}]}
    outputs, reader = outputs_of(TREES | where)
    body = b'{"value": [{"number": "a", "planted": "2025-01-03"}, {"number": "b"}, {"number": "c", "planted": "x"}]}'
    whole = told([outputs[0].run(read_json(body))])
    assert joined(list(reader.parts(in_chunks(body, 9), {}, [])), outputs) == whole
    assert told(reader.page(body, {})[0].mapped) == whole and whole[0][1] == 1


def test_what_goes_through_other_lists_is_read_as_a_whole():
    assert outputs_of(TREES, LOTS | {"rows": [{"level": "tree", "at": "lots[*]"}]})[1] is None
    assert outputs_of(TREES | {"rows": [{"level": "tree", "at": {"jsonpath": "$.value[0:2]"}}]})[1] is None


@pytest.mark.parametrize(
    ("body", "words"),
    [
        (b'{"value": [{"number": "a"}, {"number": ', "the text ends within the list"),
        (b'{"value": [{"number": "a"}, {"number": "b"]}', "ends with a }"),
        (b'{"value": [{"number": "a"}}', "ends with a }"),
        (b'{"value": [{"number": NaN}]}', "NaN is not a JSON number"),
        (b'{"value": 7}', "value is not a list"),
        (b'{"trees": []}', "value is not a list"),
        (b"<html></html>", "value is not a list"),
        (b'{"value": [1, 2], "next": }', "a value is expected"),
        (b'{"value": [' + b"[" * 3_000 + b"]" * 3_000 + b"]}", "nested more than"),
        (b'{"value": [{"number": "\xff"}]}', "not UTF-8"),
    ],
)
@pytest.mark.parametrize("size", [1, 7, 10_000])
def test_what_is_no_list_of_rows_ends_in_words(body, words, size):
    _, reader = outputs_of(TREES)
    with pytest.raises(DocumentError, match=words):
        list(reader.parts(in_chunks(body, size), {}, []))


def test_one_row_may_not_be_endless(monkeypatch):
    monkeypatch.setattr("rondine.core.documents.slices.MOST_OF_ONE", 2_000_000)
    _, reader = outputs_of(TREES)

    def endless():
        yield b'{"value": [{"number": "'
        while True:
            yield b"a" * 100_000

    with pytest.raises(DocumentError, match="more than 2,000,000 bytes"):
        list(reader.parts(endless, {}, []))


def test_other_charsets_and_byte_order_marks():
    _, reader = outputs_of(TREES)
    text = '{"value": [{"number": "Ł", "planted": "2025-01-03"}]}'
    for body, charset in (
        (text.encode("utf-16"), "utf-16"),
        (text.encode("utf-16"), ""),
        (text.encode("utf-32"), ""),
        (b"\xfe\xff" + text.encode("utf-16-be"), ""),
        (b"\xef\xbb\xbf" + text.encode(), ""),
        (text.encode("iso-8859-2"), "iso-8859-2"),
    ):
        (part,) = reader.parts(in_chunks(body, 3), {}, [], form=BodyForm("json", charset))
        assert part.mapped[0].records[0][1]["number"] == "Ł"


@settings(max_examples=200, deadline=None)
@given(st.binary(max_size=80), st.integers(1, 20))
def test_no_bytes_make_the_slices_fail_otherwise(body, size):
    try:
        for _ in list_slices(in_chunks(b'{"value": [' + body, size)(), ("value",), Around(), json.loads, json.loads):
            pass
    except (DocumentError, ValueError):
        pass
    assert (
        b"".join(line_slices(in_chunks(body, size)(), charset="utf-8")).strip()
        == body.removeprefix(b"\xef\xbb\xbf").replace(b"\x1e", b"").strip()
    )


ROW_BY_ROW = {**TREES, "fields": [rule for rule in TREES["fields"] if rule["name"] != "position"]}


@given(rows, layouts, st.data())
def test_rows_that_are_known_are_left_out_and_change_nothing_for_the_others(value, layout, data):
    _, reader = outputs_of(ROW_BY_ROW)
    assert reader.is_row_by_row
    body = written({"value": value}, layout)
    plain = reader.page(body, {})
    known = [data.draw(st.integers(0, 1)) * (number + 7) for number in range(len(value))]
    asked = []

    def ids_of(hashes):
        asked.extend(hashes)
        return known

    found = reader.page(body, {}, known=ids_of)
    assert (found is None) == (plain is None) or any(known)  # a row that is known is not looked at again
    if found is None or plain is None:
        return
    [whole], [partly] = plain[0].mapped, found[0].mapped
    left = {number for number, one in enumerate(known) if not one}
    assert partly.rows == whole.rows == len(asked) and found[1] == plain[1]
    assert partly.records == [one for one in whole.records if one[0] in left]
    assert partly.rejects == [one for one in whole.rejects if one.ordinal in left]
    assert found[0].known == [(one, asked[number]) for number, one in enumerate(known) if one]
    for number, one in enumerate(value):  # equal rows alone have equal hashes
        for other in range(number):
            assert (asked[number] == asked[other]) == (written(one, layout) == written(value[other], layout))


def test_what_depends_on_more_than_the_text_of_a_row_is_not_known_by_it():
    others = [
        TREES,  # a row's place
        {**ROW_BY_ROW, "fields": [*ROW_BY_ROW["fields"], {"name": "source", "from": {"input": "ward"}}]},
        {
            **ROW_BY_ROW,
            "fields": [*ROW_BY_ROW["fields"], {"name": "source", "from": {"level": "root", "jsonpath": "$.of"}}],
        },
        LOTS,
    ]
    for output in others:
        _, reader = outputs_of(output)
        assert not reader.is_row_by_row, output
    _, reader = outputs_of(ROW_BY_ROW, LOTS)
    assert not reader.is_row_by_row
