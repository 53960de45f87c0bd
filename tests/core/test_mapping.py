from datetime import UTC, date, datetime
from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rondine.core.conversions.types import CONVERSIONS, ConversionError
from rondine.core.documents import ReadDocument, read_json
from rondine.core.errors import DraftError, InputError, MappingError
from rondine.core.mapping.compile import compile_mapping
from rondine.core.mapping.document import MappingDocument, RecordTypeDocument, link_problems, problems_of
from rondine.core.mapping.propose import propose, row_choices
from rondine.core.mapping.row_encoding import encode_rows
from rondine.core.settings import dump, load

TYPES = {
    "number": "text",
    "girth": "decimal",
    "height": "decimal",
    "position": "integer",
    "planted": "date",
    "surveyed": "datetime",
    "protected": "boolean",
    "care": "json",
}


def tree_type(**types):
    return load(
        RecordTypeDocument,
        {"fields": [{"name": name, "type": kind} for name, kind in (types or TYPES).items()], "key": ["number"]},
    )


def compiled(fields, rows=({"level": "tree", "at": "trees[*]"},), record_type=None):
    mapping = load(MappingDocument, {"outputs": [{"record_type": "tree", "rows": list(rows), "fields": fields}]})
    return compile_mapping(mapping, {"tree": record_type or tree_type()})[0]


def run(fields, text, **options):
    return compiled(fields, **options).run(read_json(text.encode()))


NUMBER = {"name": "number", "from": "number"}


def test_values_are_taken_converted_and_kept_exactly():
    mapped = run(
        [
            NUMBER,
            {"name": "girth", "from": "measures.girth"},
            {"name": "planted", "from": "planted"},
            {"name": "surveyed", "from": "surveyed"},
            {"name": "care", "from": "care"},
        ],
        '{"trees": [{"number": "OLM-1", "measures": {"girth": 2.50}, "planted": "1973-04-16", "surveyed":'
        ' "2025-01-16T07:36:00+01:00", "care": ["staked"]}]}',
    )
    assert mapped.records == [
        (
            0,
            {
                "number": "OLM-1",
                "girth": Decimal("2.5"),
                "planted": date(1973, 4, 16),
                "surveyed": datetime(2025, 1, 16, 6, 36, tzinfo=UTC),
                "care": ["staked"],
            },
        )
    ]


def test_an_optional_part_may_be_missing_or_null_and_leaves_the_others_filled():
    mapped = run(
        [NUMBER, {"name": "girth", "from": "measures.girth"}],
        '{"trees": [{"number": "a"}, {"number": "b", "measures": {"girth": null}}, {"number": "c", "measures": null}]}',
    )
    assert [data for _, data in mapped.records] == [{"number": "a"}, {"number": "b", "girth": None}, {"number": "c"}]


def test_a_default_stands_in_for_missing_and_null():
    mapped = run(
        [NUMBER, {"name": "girth", "from": "girth", "default": "1.0"}],
        '{"trees": [{"number": "a"}, {"number": "b", "girth": null}, {"number": "c", "girth": 3}]}',
    )
    assert [data["girth"] for _, data in mapped.records] == [1, 1, 3]


def test_a_bad_row_becomes_a_reject_with_every_problem_and_stops_no_other():
    mapped = run(
        [NUMBER, {"name": "girth", "from": "girth"}, {"name": "planted", "from": "planted", "required": True}],
        '{"trees": [{"number": "a", "girth": "1,25", "planted": "2025-02-31"}, {"number": "b", "girth": 1, "planted":'
        ' "2025-02-01"}, {"number": "c"}]}',
    )
    assert [data["number"] for _, data in mapped.records] == ["b"]
    assert mapped.rows == 3
    first, second = mapped.rejects
    assert first.path == "$['trees'][0]"
    assert [(problem.field, problem.path) for problem in first.problems] == [
        ("girth", "$['trees'][0]['girth']"),
        ("planted", "$['trees'][0]['planted']"),
    ]
    assert first.problems[0].reason == 'is the text "1,25", not a decimal number, a decimal comma?'
    assert second.problems[0].reason == "is missing"
    assert first.row["girth"] == "1,25"


def test_rows_at_several_levels_take_from_the_row_its_ancestors_and_the_root():
    mapped = run(
        [
            {"name": "number", "from": {"level": "tree", "jsonpath": "$.number"}},
            {"name": "care", "from": {"jsonpath": "$"}},
            {"name": "position", "from": {"position": "job"}},
            {"name": "girth", "from": {"level": "root", "pointer": "/version"}},
        ],
        '{"version": 2, "trees": [{"number": "a", "care": ["staked", "mulched"]}, {"number": "b", "care": []},'
        ' {"number": "c"}]}',
        rows=({"level": "tree", "at": "trees[*]"}, {"level": "job", "at": "care[*]"}),
    )
    assert [data for _, data in mapped.records] == [
        {"number": "a", "care": "staked", "position": 0, "girth": 2},
        {"number": "a", "care": "mulched", "position": 1, "girth": 2},
    ]


def test_a_list_of_plain_values_becomes_rows_with_a_named_field():
    mapped = run(
        [{"name": "number", "from": {"jsonpath": "$"}}],
        '["a", "b"]',
        rows=({"level": "row", "at": "[*]"},),
        record_type=tree_type(number="text"),
    )
    assert [data for _, data in mapped.records] == [{"number": "a"}, {"number": "b"}]


@pytest.mark.parametrize("text", ['{"trees": []}', '{"trees": null}'])
def test_an_empty_list_gives_no_rows_and_no_error(text):
    assert run([NUMBER], text).rows == 0


@pytest.mark.parametrize(
    ("text", "hint"),
    [('{"tree": []}', 'did you mean "tree"?'), ('{"plots": [1]}', "known here: plots"), ("[]", "array")],
)
def test_a_path_that_matches_nothing_is_an_error_with_the_nearest_name(text, hint):
    with pytest.raises(MappingError) as raised:
        run([NUMBER], text)
    assert hint in raised.value.hint


def test_inputs_and_fixed_values_fill_fields():
    output = compiled(
        [NUMBER, {"name": "care", "from": {"input": "district"}}, {"name": "girth", "from": {"value": 3}}]
    )
    assert output.run(read_json(b'{"trees": [{"number": "a"}]}'), {"district": "Orti"}).records[0][1] == {
        "number": "a",
        "care": "Orti",
        "girth": 3,
    }


def test_every_problem_of_a_draft_is_listed_with_its_place():
    mapping = load(
        MappingDocument,
        {
            "outputs": [
                {"record_type": "tre", "rows": []},
                {
                    "record_type": "tree",
                    "rows": [{"level": "tree", "at": "a b"}],
                    "fields": [
                        {"name": "girht", "from": "girth"},
                        {"name": "girth", "from": {"level": "tre", "jsonpath": "$.x"}, "type": "text"},
                        {"name": "girth", "from": "x"},
                    ],
                },
            ]
        },
    )
    found = {problem.where: problem for problem in problems_of(mapping, {"tree": tree_type()})}
    assert set(found) == {
        "/outputs/0/record_type",
        "/outputs/0/rows",
        "/outputs/1/rows/0/at",
        "/outputs/1/fields/0/name",
        "/outputs/1/fields/1/from",
        "/outputs/1/fields/1/type",
        "/outputs/1/fields/2/name",
        "/outputs/1/fields",
    }
    assert found["/outputs/1/fields/0/name"].hint == 'did you mean "girth"?'
    with pytest.raises(DraftError):
        compile_mapping(mapping, {"tree": tree_type()})


@pytest.mark.parametrize(
    ("document", "where", "words"),
    [
        ({"outputs": [{"record_typ": "tree", "rows": []}]}, "/outputs/0/record_typ", 'Did you mean "record_type"?'),
        (
            {"outputs": [{"record_type": "tree", "rows": [], "fields": [{"name": "x", "from": {}}]}]},
            "/outputs/0/fields/0/from",
            "exactly one",
        ),
        ({"outputs": 3}, "/outputs", "expected"),
        ({"version": 2}, "/version", "not allowed"),
    ],
)
def test_a_wrong_shape_is_refused_with_its_place(document, where, words):
    with pytest.raises(InputError) as raised:
        load(MappingDocument, document)
    assert raised.value.where == where
    assert words in str(raised.value)


@pytest.mark.parametrize(
    ("kind", "value", "made"),
    [
        ("integer", Decimal("2.0"), 2),
        ("integer", "9223372036854775808", 2**63),
        ("integer", 2**80, 2**80),
        ("decimal", "1E+3", Decimal(1000)),
        ("decimal", 7, Decimal(7)),
        ("boolean", "true", True),
        ("text", Decimal("1.10"), "1.10"),
        ("text", True, "true"),
        ("date", "2024-02-29", date(2024, 2, 29)),
        ("json", {"b": 1, "a": Decimal("2.0")}, {"a": 2, "b": 1}),
    ],
)
def test_conversions_keep_the_value(kind, value, made):
    assert CONVERSIONS[kind](value) == made


@pytest.mark.parametrize(
    ("kind", "value"),
    [
        ("integer", Decimal("2.5")),
        ("integer", "2 "),
        ("integer", True),
        ("decimal", "NaN"),
        ("decimal", Decimal("1E+5000")),
        ("decimal", "1,2"),
        ("boolean", 1),
        ("text", {}),
        ("text", []),
        ("date", "2025-02-30"),
        ("date", "3/4/2025"),
        ("datetime", "2025-01-01T10:00:00"),
        ("datetime", "yesterday at noon"),
        ("date", 20250101),
    ],
)
def test_what_does_not_fit_is_refused_with_a_reason(kind, value):
    with pytest.raises(ConversionError, match=r"^(is|has) "):
        CONVERSIONS[kind](value)


scalars = (
    st.none()
    | st.booleans()
    | st.integers(-(2**70), 2**70)
    | st.decimals(allow_nan=False, allow_infinity=False)
    | st.sampled_from(["", "12", "1.5", "2025-01-03", "2025-01-03T10:00:00Z", "true", "x"])
    | st.text(max_size=4)
)
trees = st.lists(
    st.dictionaries(
        st.sampled_from(["number", "girth", "position", "planted", "surveyed", "protected", "care", "m"]),
        scalars | st.dictionaries(st.just("height"), scalars) | st.lists(scalars, max_size=2),
    )
    | scalars,
    max_size=5,
)


@given(trees, st.sampled_from(list(TYPES)))
def test_the_fast_way_equals_the_exact_way(rows, required):
    fields = [{"name": name, "from": name} for name in TYPES if name != "height"] + [
        {"name": "height", "from": "m.height", "default": 1}
    ]
    for field in fields:
        if field["name"] == required:
            field["required"] = True
    output = compiled(fields)
    mapped = output.run({"trees": rows})
    exact = list(output.explain({"trees": rows}))
    assert mapped.records == [(row.ordinal, row.data) for row in exact if row.data is not None]
    assert [(reject.ordinal, reject.problems) for reject in mapped.rejects] == [
        (row.ordinal, row.problems) for row in exact if row.data is None
    ]
    assert mapped.rows == len(rows) == len(mapped.records) + len(mapped.rejects)
    encoded, rejects = encode_rows(output, mapped)
    assert len(encoded) + len(rejects) == mapped.rows


def test_equal_contents_have_equal_hashes_and_null_is_not_missing():
    def hash_of(text):
        output = compiled([NUMBER, {"name": "girth", "from": "girth"}, {"name": "care", "from": "care"}])
        return encode_rows(output, output.run(read_json(text.encode())))[0][0].hash

    same = '{"trees": [{"number": "a", "girth": %s, "care": {"b": 1.0, "a": 2}}]}'
    assert hash_of(same % "2") == hash_of(same % "2.00") == hash_of(same.replace("1.0", "1") % '"2"')
    assert hash_of('{"trees": [{"number": "a", "girth": null}]}') != hash_of('{"trees": [{"number": "a"}]}')


def test_what_postgresql_cannot_hold_becomes_a_reject():
    output = compiled([NUMBER, {"name": "care", "from": "care"}])
    encoded, rejects = encode_rows(
        output,
        output.run(
            read_json(
                b'{"trees": [{"number": "a", "care": "x\\u0000"}, {"number": "b", "care": "\\ud800"}, {"number": "c",'
                b' "care": "\\\\u0000"}]}'
            )
        ),
    )
    assert [row.key for row in encoded] == ['["c"]']
    assert [
        "U+0000" in reject.problems[0].reason or "surrogate" in reject.problems[0].reason for reject in rejects
    ] == [
        True,
        True,
    ]


TREES = read_json(
    b"""{"trees": [{"number": "OLM-1", "measures": {"girth": 2}, "place": {"number": 4}, "care": ["a"]}, {"number": "OLM-2", "measures": {"girth": 2.5}, "place": {"number": 4}, "care": []}], "total": 2, "districts": ["Orti"]}"""
)


def test_the_places_that_could_become_rows_are_named_lists_of_objects_first():
    assert [(choice.path, choice.count, choice.holds) for choice in row_choices(ReadDocument(TREES))] == [
        ("$.trees[*]", 2, "object"),
        ("$.districts[*]", 1, "value"),
        ("$", 1, "object"),
    ]


def test_a_proposal_names_types_and_the_key_and_what_it_leaves_out():
    found = propose(
        [ReadDocument(TREES)], rows=["$.trees[*]"], name="tree", take=["$.number", "$.measures.girth", "$.place.number"]
    )
    assert {field.name: field.type for field in found.record_type.fields} == {
        "number": "text",
        "girth": "decimal",
        "place_number": "integer",
    }
    assert found.record_type.key == ["number"]
    assert found.left_out == ["$.care"]
    assert "whole in 50% of rows" in found.notes[0]
    output = compile_mapping(found.mapping, {"tree": found.record_type})[0]
    assert output.run(TREES).records[1][1] == {"number": "OLM-2", "girth": Decimal("2.5"), "place_number": 4}


def test_a_proposal_is_a_document_that_loads_again():
    found = propose([ReadDocument(TREES)], rows=["$.trees[*]", "$.care[*]"], name="care")
    assert load(MappingDocument, dump(found.mapping)) == found.mapping
    assert [level.level for level in found.mapping.outputs[0].rows] == ["trees", "care"]


def test_taking_what_is_not_there_is_an_error():
    with pytest.raises(MappingError, match=r"\$\.girht"):
        propose([ReadDocument(TREES)], rows=["$.trees[*]"], name="tree", take=["$.girht"])


COLLECTIONS = b"""{"trees": [
    {"number": "OLM-1", "lots": [{"code": "A", "seeds": 3, "tests": [{"day": "2025-01-03"}]}, {"code": "B",
    "seeds": 4}], "tags": ["x"]},
    {"number": "OLM-2", "lots": [{"code": "A", "seeds": 5}]}
]}"""


def test_lists_of_objects_in_a_row_are_proposed_as_records_that_belong_to_it():
    found = propose([ReadDocument(read_json(COLLECTIONS))], rows=["$.trees[*]"], name="tree")
    (part,) = found.parts
    assert (part.name, part.path) == ("tree-lot", "$.lots[*]")
    assert dump(part.record_type)["links"] == [{"record_type": "tree", "fields": ["tree_number"]}]
    assert part.record_type.key == ["tree_number", "position"]  # "A" is there twice
    mapping = load(MappingDocument, {"outputs": [dump(found.mapping.outputs[0]), dump(part.output)]})
    types = {"tree": found.record_type, "tree-lot": part.record_type}
    assert link_problems(part.record_type, types) == [] and problems_of(mapping, types) == []
    trees, lots = compile_mapping(mapping, types)
    assert len(trees.run(read_json(COLLECTIONS)).records) == 2
    assert [list(data.values()) for _, data in lots.run(read_json(COLLECTIONS)).records] == [
        ["OLM-1", 0, "A", 3],
        ["OLM-1", 1, "B", 4],
        ["OLM-2", 0, "A", 5],
    ]


@pytest.mark.parametrize(
    "rows",
    [
        [{"name": "a", "number": 3}, {"name": "b"}, {"name": "c", "number": 4}],
        [{"at": {"number": 1}, "name": "a"}, {"name": "b"}],
    ],
)
def test_what_some_rows_do_not_have_is_no_key(rows):
    found = propose([ReadDocument({"trees": rows})], rows=["$.trees[*]"], name="tree")
    assert found.record_type.key == ["name"]
    alone = [{key: one for key, one in row.items() if key != "name"} for row in rows]
    found = propose([ReadDocument({"trees": alone})], rows=["$.trees[*]"], name="tree")
    assert found.record_type.key == [] and not any(field.required for field in found.mapping.outputs[0].fields)


def test_a_part_with_a_key_of_its_own_keeps_it():
    found = propose([ReadDocument(read_json(COLLECTIONS.replace(b'"A", "seeds": 5', b'"C", "seeds": 5')))],
    rows=["$.trees[*]"], name="tree")  # fmt: skip
    assert found.parts[0].record_type.key == ["code"]
    assert [field.name for field in found.parts[0].record_type.fields] == ["tree_number", "code", "seeds"]


def test_links_that_lead_nowhere_are_told():
    lot = load(
        RecordTypeDocument,
        {
            "key": ["code"],
            "fields": [{"name": "code", "type": "integer"}],
            "links": [
                {"record_type": "tre", "fields": []},
                {"record_type": "tree", "fields": ["cod"]},
                {"record_type": "tree", "fields": ["code"]},
            ],
        },
    )
    found = link_problems(lot, {"tree": tree_type()})
    assert [(one.where, one.message) for one in found] == [
        ("/links/0/record_type", 'there is no record type "tre"'),
        ("/links/1/fields/0", 'there is no field "cod"'),
        ("/links/2/fields", "the key of tree is number"),
    ]
    assert found[0].hint == 'did you mean "tree"?'


@pytest.mark.parametrize(
    ("row", "names"),
    [
        ({"f": {"m": {"root": 1}}}, ["f_m_root"]),
        ({"measures": {"m": 1, "girth": 2}}, ["measures_m", "girth"]),
        ({"trunk": {"value": 1}, "crown": {"value": 2}}, ["trunk_value", "crown_value"]),
        ({"m": 1}, ["m"]),
    ],
)
def test_a_name_that_says_nothing_carries_what_is_around_it(row, names):
    read = ReadDocument({"trees": [row, row]})
    found = propose([read], rows=["$.trees[*]"], name="tree")
    assert [field.name for field in found.record_type.fields] == names


@pytest.mark.parametrize(
    ("at", "hint"),
    [("$.trees[*]", 'write "trees[*]"'), ("$['odd name'][*]", """write {"jsonpath": "$['odd name'][*]"}""")],
)
def test_a_path_in_the_wrong_form_says_how_to_write_it(at, hint):
    document = {"outputs": [{"record_type": "tree", "rows": [{"level": "tree", "at": at}], "fields": []}]}
    problems = problems_of(load(MappingDocument, document), {})
    assert hint in [problem.hint for problem in problems]
