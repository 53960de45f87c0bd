"""Objects whose keys are data, and objects of several kinds: recognised in samples, corrected by people, made records
of."""

import json
from copy import deepcopy

import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec import structs

from rondine.core.documents.reading import read_document
from rondine.core.mapping.compile import compile_mapping
from rondine.core.mapping.propose import propose, row_choices
from rondine.core.schema import Correction, decided_keys, infer, outline, to_json_schema
from rondine.core.schema.shape import Shape
from rondine.standins.trees import diary, moisture


def lines_of(*samples, corrections=()):
    return {line.path: line for line in outline(infer(samples, keys=decided_keys(corrections)), corrections)}


def test_ten_samples_of_a_hundred_rows_give_optional_nullable_and_map_like_parts_as_they_are():
    def row(n):
        made = {"number": f"OLM-{n:05}", "girth": n / 4 if n % 2 else n, "felled_on": None if n % 3 else "2026-01-02"}
        made["readings"] = {f"2026-{1 + n % 12:02}-{day:02}": day / 2 for day in range(1, 1 + n % 3)}
        return made | ({"note": "leans"} if n % 10 == 0 else {})

    samples = [{"rows": [row(n) for n in range(at, at + 100)]} for at in range(0, 1000, 100)]
    lines = lines_of(*samples)
    assert [(line.path, line.types, line.presence, line.nulls) for line in lines.values()] == [
        ("$", ["object"], 1, 0),
        ("$.rows", ["array"], 1, 0),
        ("$.rows[*]", ["object"], 1, 0),
        ("$.rows[*].number", ["string"], 1, 0),
        ("$.rows[*].girth", ["number"], 1, 0),
        ("$.rows[*].felled_on", ["string", "null"], 1, 666),
        ("$.rows[*].readings", ["object"], 1, 0),
        ("$.rows[*].readings[*]", ["number"], 1, 0),
        ("$.rows[*].note", ["string"], 0.1, 0),
    ]
    assert lines["$.rows[*].girth"].range == ("0", "998")
    assert lines["$.rows[*].felled_on"].format == "date" and lines["$.rows[*].readings"].key_count == 12
    schema = to_json_schema(infer(samples))["properties"]["rows"]["items"]
    assert schema["required"] == ["number", "girth", "felled_on", "readings"]
    assert schema["properties"]["readings"] == {"type": "object", "additionalProperties": {"type": "number"}}


@pytest.mark.parametrize(
    ("held", "is_data"),
    [
        ({"2026-11-01": 1, "2026-11-02": 2}, True),
        ({"OLM-00412": {"girth": 1}, "OLM-00413": {"girth": 2, "note": "x"}}, True),
        ({"1": "oak", "2": "lime"}, True),
        ({"0b8f1c1e-0000-4000-8000-000000000001": {}, "0b8f1c1e-0000-4000-8000-000000000002": {}}, True),
        ({"2026-11-01": 1, "total": 2}, False),  # one of them is a name
        ({"2025": 1, "2026": {"girth": 1}}, False),  # nothing alike
        ({"line1": "Mill Lane", "line2": "Olmara"}, False),
        ({"girth in m": 1.5, "height in m": 12}, False),
        ({"OLM-00412": {"girth": 1}}, False),  # one alone says nothing
        ({"girth": {"value": 1, "unit": "m"}, "height": {"value": 2, "unit": "m"}}, False),
    ],
)  # fmt: skip
def test_keys_are_data_where_no_program_would_call_its_members_so(held, is_data):
    assert bool(lines_of({"of": held})["$.of"].keys) == is_data


def test_names_are_data_too_where_they_hardly_come_twice():
    streets = [f"{first} {last}" for first in ("Mill", "Larch", "Bell", "Weir") for last in ("Lane", "Court", "Hill")]
    samples = [{"streets": {streets[n]: {"trees": n}, streets[n - 1]: {"trees": 2}}} for n in range(12)]
    assert lines_of(*samples)["$.streets"].key_count == 12
    assert lines_of(*samples[:3])["$.streets"].key_count == 0  # too few to say


def test_a_person_has_the_last_word():
    days = {"days": {"2026-11-01": {"ph": 6.5}, "2026-11-02": {"ph": 7}}, "kinds": {"oak": 3, "lime": 5}}
    lines = lines_of(
        days, corrections=[Correction(path="$.days", keys="names"), Correction(path="$.kinds", keys="data")]
    )
    assert "$.days['2026-11-01'].ph" in lines and lines["$.kinds"].keys == ("oak", "lime")
    inner = {"trees": {"OLM-001": deepcopy(days), "OLM-002": deepcopy(days)}}
    lines = lines_of(inner, corrections=[Correction(path="$.trees[*].days", keys="names")])
    assert "$.trees[*].days['2026-11-01'].ph" in lines


def test_two_samples_with_different_keys_give_one_structure_with_both_parts_optional():
    lines = lines_of({"oak": {"girth": 1}}, {"lime": {"girth": 2}})
    assert lines["$.oak"].presence == lines["$.lime"].presence == 0.5
    assert to_json_schema(infer([{"oak": {"girth": 1}}, {"lime": {"girth": 2}}]))["required"] == []


def test_rows_of_an_object_have_their_keys_as_a_field():
    read = read_document(json.dumps(moisture(3)).encode())
    assert row_choices(read)[0].path == "$.trees[*]" and row_choices(read)[0].count == 24
    made = propose([read], rows=["$.trees[*]"], name="probe")
    assert made.record_type.key == ["key"]
    assert [field.name for field in made.record_type.fields] == ["key", "probe", "depth_cm", "readings"]
    (output,) = compile_mapping(made.mapping, {"probe": made.record_type})
    first = output.run(read.value, {}).records[0][1]
    assert first["key"] == next(iter(read.value["trees"])) and list(first["readings"]) == [
        f"2026-11-0{n}" for n in (1, 2, 3)
    ]


def test_a_key_that_each_row_holds_too_is_taken_once():
    held = {"trees": {f"OLM-{n:03}": {"number": f"OLM-{n:03}", "girth": n} for n in range(3)}}
    made = propose([read_document(json.dumps(held).encode())], rows=["$.trees[*]"], name="tree")
    assert [field.name for field in made.record_type.fields] == ["number", "girth"]


def test_objects_within_rows_become_linked_records_with_both_keys():
    held = {
        "trees": {f"OLM-{n:03}": {"girth": n, "days": {f"2026-11-{d:02}": {"ph": d} for d in (1, 2)}} for n in range(3)}
    }
    read = read_document(json.dumps(held).encode())
    made = propose([read], rows=["$.trees[*]"], name="tree")
    (part,) = made.parts
    assert part.path == "$.days[*]" and part.record_type.key == ["tree_key", "key"]
    mapping = structs.replace(made.mapping, outputs=[*made.mapping.outputs, part.output])
    _, days = compile_mapping(mapping, {"tree": made.record_type, part.name: part.record_type})
    assert [(one["tree_key"], one["key"], int(one["ph"])) for _, one in days.run(read.value, {}).records] == [
        (f"OLM-{n:03}", f"2026-11-{d:02}", d) for n in range(3) for d in (1, 2)
    ]


def test_objects_of_several_kinds_are_told_by_a_field():
    found = lines_of({"entries": diary(60)})["$.entries[*]"].alternatives
    assert found.field == "kind" and {kind: set(has) for kind, has in found.by_text.items()} == {
        "inspection": {"finding", "next_in_months"},
        "planting": {"nursery_lot", "girth_cm"},
        "felling": {"reason", "permit"},
    }
    schema = to_json_schema(infer([{"entries": diary(60)}]))["properties"]["entries"]["items"]
    assert {one["if"]["properties"]["kind"]["const"]: set(one["then"]["required"]) for one in schema["allOf"]}[
        "felling"
    ] == {"reason", "permit"}


@pytest.mark.parametrize(
    "rows",
    [
        [{"kind": "a", "x": 1}, {"kind": "b", "y": 1}],  # each text once
        [{"kind": "a", "x": 1}, {"kind": "a"}, {"kind": "b"}, {"kind": "b", "x": 1}],  # tells nothing
        [{"kind": "a", "x": 1}, {"x": 1}, {"kind": "b"}, {"kind": "b"}],  # not always there
        [{"kind": str(n), f"x{n}": 1} for n in range(30) for _ in (1, 2)],  # too many kinds
        [{"kind": "a", "x": 1}] * 4,
    ],
)
def test_chance_is_no_kind(rows):
    assert lines_of({"rows": rows})["$.rows[*]"].alternatives is None


values = st.recursive(
    st.none() | st.booleans() | st.integers(-99, 99) | st.decimals(0, 9, places=1) | st.sampled_from(["", "a",
    "2026-11-01", "1.5", "mira@olmara.example"]),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.sampled_from(["a", "b", "kind", "2026"]), inner,
    max_size=4),
    max_leaves=12,
)  # fmt: skip


@given(st.lists(values, max_size=6), st.integers(0, 6), st.randoms(use_true_random=False))
def test_samples_may_come_in_any_order_and_in_parts(samples, cut, random):
    """What two shapes saw is the same together as if one had seen all, whichever came first; only examples keep their
    order."""
    whole = infer(samples)
    mixed = list(samples)
    random.shuffle(mixed)
    assert seen(infer(mixed)) == seen(whole)
    parts = [Shape(), Shape()]
    for number, sample in enumerate(samples):
        parts[number >= cut].add(sample)
    parts[0].absorb(parts[1])
    all_at_once = Shape()
    for sample in samples:
        all_at_once.add(sample)
    assert seen(parts[0]) == seen(all_at_once)


def seen(shape):
    """All that a shape says, without examples and without order."""
    told = {
        name: getattr(shape, name)
        for name in (
            "seen",
            "nulls",
            "kinds",
            "fractions",
            "formats",
            "lengths",
            "longest",
            "date_patterns",
            "range",
            "distinct",
        )
    }
    told["members"] = {name: seen(one) for name, one in shape.members.items()}
    told["within"] = [seen(one) for one in (shape.element, shape.values) if one is not None]
    return {**told, "keys": set(shape.keys), "kinds_told": shape.variants.alternatives(), "types": shape.types}
