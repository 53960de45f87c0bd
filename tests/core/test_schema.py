from decimal import Decimal

import jsonschema
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.core.test_documents import values

from rondine.core.documents import ReadDocument, read_json
from rondine.core.mapping.propose import propose
from rondine.core.schema import Correction, infer, outline, to_json_schema
from rondine.core.settings import dump

TREES = read_json(b"""{"trees": [
  {"number": "OLM-1", "girth": 2, "height": 14.5, "planted": "1973-04-16", "care": ["staked"],
  "place": {"street": "Long Steps 4"}},
  {"number": "OLM-2", "girth": 2.25, "height": null, "planted": null, "care": [], "place": {}},
  {"number": "OLM-3", "girth": 3, "planted": "1980-01-02", "care": [], "place": {"street": "Mill Lane 1"}}]}""")


def line(path, samples=(TREES,), corrections=()):
    return next(row for row in outline(infer(samples), corrections) if row.path == path)


def test_whole_numbers_widen_to_numbers():
    girth = line("$.trees[*].girth")
    assert (girth.types, girth.type, girth.fractional, girth.seen) == (["number"], "decimal", 1, 3)


def test_null_and_missing_are_told_apart():
    height = line("$.trees[*].height")
    assert (height.presence, height.nulls, height.types) == (0.6667, 1, ["number", "null"])
    schema = to_json_schema(infer([TREES]))["properties"]["trees"]["items"]
    assert "height" not in schema["required"] and "planted" in schema["required"]
    assert schema["properties"]["planted"] == {"type": ["string", "null"], "format": "date"}


def test_lists_say_their_lengths_and_what_they_hold():
    care = line("$.trees[*].care")
    assert (care.lengths, care.type) == ((0, 1), "json")
    assert line("$.trees[*].care[*]").type == "text"


def test_more_samples_refine_in_any_order():
    one, other = read_json(b'{"a": 1}'), read_json(b'{"a": "x", "b": true}')
    first, second = (
        [row.to_json() | {"examples": 0} for row in outline(infer(order))] for order in ([one, other], [other, one])
    )
    assert first == second
    assert line("$.a", [one, other]).type == "text"
    assert line("$.b", [one, other]).presence == 0.5


def test_a_correction_changes_type_and_name_and_an_unknown_one_nothing():
    girth = line(
        "$.trees[*].girth",
        corrections=[
            Correction(path="$.trees[*].girth", type="text", name="girth_m"),
            Correction(path="$.nowhere", type="text"),
        ],
    )
    assert (girth.type, girth.name, girth.is_corrected) == ("text", "girth_m", True)


def test_formats_are_those_that_every_text_has():
    assert line("$.a", [read_json(b'{"a": "2025-01-03T10:00:00+01:00"}')]).type == "datetime"
    assert line("$.a", [read_json(b'{"a": "2025-01-03"}'), read_json(b'{"a": "2025-31-01"}')]).type == "text"


@given(st.lists(values, min_size=1, max_size=4))
def test_every_sample_is_valid_under_its_schema(samples):
    schema = to_json_schema(infer(samples))
    for sample in samples:
        jsonschema.validate(plain(sample), schema)


def plain(value):
    """Decimals as the validator understands them."""
    if isinstance(value, Decimal):
        return float(value) + (0.5 if value == value.to_integral_value() else 0)
    if isinstance(value, dict):
        return {name: plain(one) for name, one in value.items()}
    return [plain(one) for one in value] if isinstance(value, list) else value


@pytest.mark.parametrize(
    ("texts", "patterns"),
    [
        (["2026-04-03", "2026-04-13"], None),  # needs no conversion
        (["03.04.2026", "3.4.2026"], ["dd.MM.yyyy", "d.M.yyyy"]),
        (["03/04/2026", "13/04/2026"], ["dd/MM/yyyy"]),
        (["03/04/2026", "04/13/2026", "01/02/2026"], ["MM/dd/yyyy"]),
        (["3/4/2026", "13/04/2026", "5/6/2026"], ["d/M/yyyy", "dd/MM/yyyy"]),
        (["13/04/2026", "2026-04-13", "01/02/2026"], ["dd/MM/yyyy", "yyyy-MM-dd"]),
        (["3-Apr-2026", "13-may-2026"], ["d-MMM-yyyy"]),
        (["3 April 2026", "3 May 2026"], ["d MMMM yyyy", "d MMM yyyy"]),
        (["03/04/2026", "05/06/2026"], []),  # nothing says whether the day or the month is first
        (["13/04/2026", "04/13/2026"], []),  # they contradict each other
        (["31/02/2026"], []),
        (["13/04/2026", "soon"], []),
        (["3-Avr-2026"], []),
    ],
)
def test_dates_in_foreign_forms_are_told_by_all_samples_in_any_order(texts, patterns):
    for order in (texts, texts[::-1]):
        for samples in ([[{"d": one} for one in order]], [[{"d": one}] for one in order]):
            found = line("$[*].d", samples)
            steps = dump(list(found.convert))
            assert found.type == ("text" if patterns == [] else "date")
            assert steps == ([] if not patterns else [{"type": "date", "patterns": steps[0]["patterns"]}])
            assert not patterns or sorted(steps[0]["patterns"]) == sorted(patterns)


@pytest.mark.parametrize(
    ("texts", "words"),
    [
        (["03/04/2026", "05/06/2026"], "d is a date with the day first or the month first, nothing says which"),
        (["2026-04-03 10:00:00", "2026-04-13T10:00"], "d is a date and time that does not say where"),
        (["3.4.2026 10:00", "13.4.2026 9:30:15"], "d is a date and time that does not say where"),
        (["04/03/2026, 10:00 PM"], "d is a date and time that does not say where"),
        (["03/04/2026", "soon"], None),
        (["2026-04-03T10:00:00Z"], None),
    ],
)
def test_what_keeps_a_date_from_being_read_as_one_is_noted(texts, words):
    document = ReadDocument([{"number": number, "d": one} for number, one in enumerate(texts)])
    notes = [note for note in propose([document], rows=["$[*]"], name="tree").notes if note.startswith("d ")]
    assert [note.partition(":")[0] for note in notes] == ([words] if words else [])
