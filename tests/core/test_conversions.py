"""The mapping language beyond plain paths: conversions, sources, conditions, what a failure does; and that no text of a
mapping becomes code."""

from datetime import date, datetime
from decimal import Context, Decimal
from pathlib import Path

import pytest
import yaml
from hypothesis import given
from hypothesis import strategies as st

from rondine.core.conversions.steps import Conversion, ConversionError, chain
from rondine.core.documents.elements import read_elements
from rondine.core.errors import DraftError, InputError, MappingError
from rondine.core.forms import form_of
from rondine.core.mapping.compile import compile_mapping
from rondine.core.mapping.document import MappingDocument, RecordTypeDocument, problems_of
from rondine.core.mapping.taking import mapping_inputs
from rondine.core.settings import dump, load

CASES = yaml.safe_load((Path(__file__).parent / "data" / "conversions.yaml").read_text())


def plain(value):
    """Numbers as texts, so that 2.5 and 2.50 are told to be equal and nothing is lost in a float."""
    if isinstance(value, (int, float, Decimal)) and not isinstance(value, bool):
        return f"{Decimal(str(value)).normalize(Context(prec=100)):f}"
    if isinstance(value, list):
        return [plain(one) for one in value]
    return {name: plain(one) for name, one in value.items()} if isinstance(value, dict) else value


@pytest.mark.parametrize(
    "case", CASES, ids=[f"{one['convert'][-1]['type']}-{number}" for number, one in enumerate(CASES)]
)
def test_a_conversion_makes_what_its_cases_say(case):
    steps = load(list[Conversion], case["convert"])
    for step in steps:
        step.check()
    value = Decimal(str(case["value"])) if isinstance(case["value"], float) else case["value"]
    if "error" in case:
        with pytest.raises(ConversionError, match=case["error"].replace("(", r"\(")):
            chain(steps)(value)
    else:
        assert plain(chain(steps)(value)) == plain(case["result"])


def test_every_conversion_has_a_case():
    tagged = {one.__struct_config__.tag for one in Conversion.__args__}
    assert tagged == {step["type"] for case in CASES for step in case["convert"]}


@pytest.mark.parametrize(
    ("step", "where", "words"),
    [
        ({"type": "number", "decimal": ",", "grouping": ".,"}, "grouping", "cannot part"),
        ({"type": "arithmetic"}, "arithmetic", "does nothing"),
        ({"type": "arithmetic", "divide": "0"}, "divide", "divided by 0"),
        ({"type": "date", "patterns": ["DD.MM.YYYY"]}, "pattern", '"DD"'),
        ({"type": "date", "patterns": ["MM.yyyy"]}, "pattern", "no whole date"),
        ({"type": "date", "patterns": ["dd.MM.yyyy 'at"]}, "pattern", "not closed"),
        ({"type": "datetime", "patterns": ["dd.MM.yyyy HH:mm"]}, "zone", "no offset"),
        ({"type": "datetime", "patterns": ["dd.MM.yyyy HH:mm"], "zone": "Olmara/Centre"}, "zone", "no time zone"),
        ({"type": "replace", "text": "(", "expression": True}, "text", "not a regular expression"),
        ({"type": "extract", "expression": "a{2"}, "expression", "not a regular expression"),
    ],
)
def test_arguments_that_can_never_work_are_problems_of_the_mapping(step, where, words):
    made, types = mapping([{"name": "number", "from": "a", "convert": [step]}])
    problem = problems_of(made, types)[0]
    assert problem.where == f"/outputs/0/fields/0/convert/0/{where}" and words in problem.message


@pytest.mark.parametrize(
    "step", [{"type": "numbr"}, {"type": "substring", "length": 0}, {"type": "epoch", "unit": "days"}, {"type": "date"}]
)
def test_a_step_of_the_wrong_shape_is_refused(step):
    with pytest.raises(InputError):
        load(list[Conversion], [step])


def mapping(fields, types=None, key=None, **output):
    document = {
        "outputs": [{"record_type": "tree", "rows": [{"level": "tree", "at": "trees[*]"}], **output, "fields": fields}]
    }
    kinds = {field["name"]: (types or {}).get(field["name"], "text") for field in fields}
    record_type = {
        "fields": [{"name": name, "type": kind} for name, kind in kinds.items()],
        "key": key or [fields[0]["name"]],
    }
    return load(MappingDocument, document), {"tree": load(RecordTypeDocument, record_type)}


def run(document, made, types, given=None):
    return compile_mapping(made, types)[0].run(document, given)


TREES = {
    "survey": "2026",
    "trees": [
        {
            "number": "OLM-1",
            "girth": "250 cm",
            "planted": "03.11.1999",
            "care": [{"kind": "crown", "hours": 2}, {"kind": "roots", "hours": Decimal("1.5")}],
        },
        {"number": "OLM-2", "girth": "?", "planted": "1999", "care": []},
        {"number": "OLM-3", "felled": "yes"},
    ],
}


def test_a_value_goes_through_its_steps_before_its_type():
    made, types = mapping(
        [
            {"name": "number", "from": "number"},
            {
                "name": "girth_m",
                "from": "girth",
                "convert": [{"type": "substring", "length": 3}, {"type": "arithmetic", "divide": "100"}],
                "on_failure": "empty",
            },
            {
                "name": "planted",
                "from": "planted",
                "convert": [{"type": "date", "patterns": ["dd.MM.yyyy"]}],
                "on_failure": "empty",
            },
            {"name": "work", "from": {"jsonpath": "$.care[*].kind"}, "convert": [{"type": "join", "with": " and "}]},
            {
                "name": "hours",
                "from": {"jsonpath": "$.care[*].hours"},
                "convert": [{"type": "aggregate", "function": "sum"}],
            },
            {"name": "felled", "from": "felled", "convert": [{"type": "boolean"}], "default": False},
        ],
        types={"girth_m": "decimal", "planted": "date", "hours": "decimal", "felled": "boolean"},
    )
    assert problems_of(made, types) == [] and load(MappingDocument, dump(made)) == made
    records = [data for _, data in run(TREES, made, types).records]
    assert records[0] == {
        "number": "OLM-1", "girth_m": Decimal("2.5"), "planted": date(1999, 11, 3), "work": "crown and roots",
        "hours": Decimal("3.5"), "felled": False,
    }  # fmt: skip
    assert (records[1]["girth_m"], records[1]["planted"], records[1]["work"]) == (None, None, "")
    assert records[2]["felled"] is True and "girth_m" not in records[2]


def test_a_failure_rejects_the_row_leaves_the_field_empty_or_stops_the_run():
    field = {"name": "girth", "from": "girth", "convert": [{"type": "number"}]}
    outcomes = {}
    for how in ("reject", "empty", "stop"):
        made, types = mapping(
            [{"name": "number", "from": "number"}, {**field, "on_failure": how}], types={"girth": "decimal"}
        )
        try:
            found = run(TREES, made, types)
            outcomes[how] = (len(found.records), len(found.rejects))
        except MappingError as error:
            outcomes[how] = str(error)
    assert outcomes["reject"] == (1, 2) and outcomes["empty"] == (3, 0)
    assert "$['trees'][0]['girth']" in outcomes["stop"] and "250 cm" in outcomes["stop"]


def test_a_key_is_never_left_empty():
    made, types = mapping(
        [{"name": "girth", "from": "girth", "convert": [{"type": "number"}], "on_failure": "empty"}],
        types={"girth": "decimal"},
    )
    assert len(run(TREES, made, types).rejects) == 3


def test_values_come_from_keys_headers_standing_values_the_first_of_several_and_several():
    document = {"trees": {"OLM-1": {"old": "", "new": "oak"}, "OLM-2": {"old": "lime"}}, "office": "centre"}
    made, types = mapping(
        [
            {"name": "number", "from": {"key": "tree"}},
            {"name": "kind", "from": {"first_of": ["old", "new", {"value": "unknown"}]}},
            {"name": "office", "from": {"level": "root", "jsonpath": "$.office"}},
            {"name": "year", "from": {"standing": "survey-year"}},
            {"name": "version", "from": {"header": "ETag"}},
            {
                "name": "label",
                "from": {"several": [{"key": "tree"}, {"first_of": ["old", "new"]}]},
                "convert": [{"type": "join", "with": ": "}],
            },
            {"name": "asked", "from": {"input": "district"}},
        ],
        types={"year": "integer"},
    )
    assert problems_of(made, types) == []
    given = mapping_inputs({"district": "Orti"}, {"survey-year": 2026}, [("ETag", '"v1"'), ("Link", "x")])
    assert [data for _, data in run(document, made, types, given).records] == [
        {
            "number": "OLM-1",
            "kind": "oak",
            "office": "centre",
            "year": 2026,
            "version": '"v1"',
            "label": "OLM-1: oak",
            "asked": "Orti",
        },
        {
            "number": "OLM-2",
            "kind": "lime",
            "office": "centre",
            "year": 2026,
            "version": '"v1"',
            "label": "OLM-2: lime",
            "asked": "Orti",
        },
    ]


@pytest.mark.parametrize(
    ("condition", "numbers"),
    [
        ({"from": "felled", "is": "absent"}, ["OLM-1", "OLM-2"]),
        ({"from": "felled", "is": "present"}, ["OLM-3"]),
        ({"from": "number", "value": "OLM-2"}, ["OLM-2"]),
        ({"from": "number", "is": "not_equal", "value": "OLM-2"}, ["OLM-1", "OLM-3"]),
        ({"from": "number", "is": "one_of", "value": ["OLM-1", "OLM-9"]}, ["OLM-1"]),
        ({"from": "felled", "is": "none_of", "value": ["yes"]}, ["OLM-1", "OLM-2"]),
        ({"from": "number", "is": "matches", "value": "OLM-[12]"}, ["OLM-1", "OLM-2"]),
        ({"from": {"jsonpath": "$.care[0].hours"}, "is": "more", "value": 1.9}, ["OLM-1"]),
        ({"from": {"jsonpath": "$.care[0].hours"}, "is": "at_most", "value": 2}, ["OLM-1"]),
        (
            {"from": {"level": "root", "jsonpath": "$.survey"}, "is": "at_least", "value": 2026},
            ["OLM-1", "OLM-2", "OLM-3"],
        ),
    ],
)
def test_rows_that_do_not_pass_a_condition_are_counted_as_filtered(condition, numbers):
    made, types = mapping([{"name": "number", "from": "number"}], where=[condition])
    assert problems_of(made, types) == []
    found = run(TREES, made, types)
    assert [data["number"] for _, data in found.records] == numbers
    assert found.rows == 3 == len(found.records) + found.filtered


@pytest.mark.parametrize(
    ("output", "where", "words"),
    [
        ({"where": [{"from": "a", "is": "more"}]}, "/outputs/0/where/0/value", "nothing is given"),
        ({"where": [{"from": "a", "is": "present", "value": 1}]}, "/outputs/0/where/0/value", "compared with nothing"),
        ({"where": [{"from": "a", "is": "one_of", "value": "x"}]}, "/outputs/0/where/0/value", "list"),
        (
            {"where": [{"from": "a", "is": "matches", "value": "("}]},
            "/outputs/0/where/0/value",
            "not a regular expression",
        ),
        (
            {"where": [{"from": {"level": "tere", "pointer": "/a"}, "is": "present"}]},
            "/outputs/0/where/0/from",
            'no level "tere"',
        ),
        ({"fields": [{"name": "a", "from": {"first_of": []}}]}, "/outputs/0/fields/0/from/first_of", "names no source"),
        (
            {"fields": [{"name": "a", "from": {"first_of": ["b", {"key": "tere"}]}}]},
            "/outputs/0/fields/0/from/first_of/1",
            'no level "tere"',
        ),
    ],
)
def test_what_can_never_run_is_told_with_its_place(output, where, words):
    fields = output.pop("fields", [{"name": "number", "from": "number"}])
    made, types = mapping(fields, **output)
    assert any(one.where == where and words in one.message for one in problems_of(made, types)), problems_of(
        made, types
    )


def test_conversions_work_on_xml_too():
    soil = read_elements(
        b"<l:results xmlns:l='urn:soil'><l:result n='S-1'><l:ph> 6,8"
        b" </l:ph><l:taken>03.11.2026</l:taken><l:layer>a</l:layer><l:layer>b</l:layer></l:result></l:results>"
    )
    document = {
        "format": "xml",
        "namespaces": {"l": "urn:soil"},
        "outputs": [
            {
                "record_type": "result",
                "rows": [{"level": "result", "at": "/l:results/l:result"}],
                "where": [{"from": "@n", "is": "matches", "value": "S-.*"}],
                "fields": [
                    {"name": "number", "from": "@n"},
                    {"name": "ph", "from": "l:ph", "convert": [{"type": "number", "decimal": ","}]},
                    {"name": "taken", "from": "l:taken", "convert": [{"type": "date", "patterns": ["dd.MM.yyyy"]}]},
                    {
                        "name": "layers",
                        "from": {"xpath": "l:layer", "all": True},
                        "convert": [{"type": "join", "with": "/"}],
                    },
                ],
            }
        ],
    }
    kinds = {"number": "text", "ph": "decimal", "taken": "date", "layers": "text"}
    types = {
        "result": load(
            RecordTypeDocument, {"fields": [{"name": n, "type": k} for n, k in kinds.items()], "key": ["number"]}
        )
    }
    assert compile_mapping(load(MappingDocument, document), types)[0].run(soil.value).records == [
        (0, {"number": "S-1", "ph": Decimal("6.8"), "taken": date(2026, 11, 3), "layers": "a/b"})
    ]


def test_a_moment_with_its_zone_is_kept_in_utc():
    step = {"type": "datetime", "patterns": ["dd.MM.yyyy HH:mm"], "zone": "Europe/Rome"}
    made, types = mapping(
        [{"name": "number", "from": "number"}, {"name": "at", "from": "at", "convert": [step]}],
        types={"at": "datetime"},
    )
    found = run({"trees": [{"number": "a", "at": "03.07.2026 10:30"}]}, made, types).records[0][1]["at"]
    assert found == datetime.fromisoformat("2026-07-03T08:30:00+00:00")


EVIL = [
    "'",
    '"',
    "{",
    "}",
    "{0.__class__}",
    "__import__('os').system('true')",
    "\n    raise SystemExit",
    "\\",
    "%s",
    "f'{1}'",
    "\u2028",
    "#",
    ";",
]


@pytest.mark.parametrize("text", EVIL)
def test_no_text_of_a_mapping_becomes_code(text):
    """Quotes, braces, line breaks, dunder names and format strings are names and values like any other."""
    made, types = mapping(
        [
            {"name": "number", "from": {"jsonpath": f"$[{json_quoted(text)}]"}},
            {"name": "fixed", "from": {"value": text}},
            {
                "name": "affixed",
                "from": {"jsonpath": f"$[{json_quoted(text)}]"},
                "convert": [{"type": "affix", "prefix": text, "suffix": text}],
            },
            {"name": "given", "from": {"input": text}, "default": text},
            {
                "name": "swapped",
                "from": {"value": "a"},
                "convert": [{"type": "table", "values": {"a": text}}, {"type": "replace", "text": text, "with": text}],
            },
        ]
    )
    record = run({"trees": [{text: "x"}]}, made, types).records[0][1]
    assert record == {"number": "x", "fixed": text, "affixed": f"{text}x{text}", "given": text, "swapped": text}


def json_quoted(text: str) -> str:
    escaped = {"\\": "\\\\", '"': '\\"', "\n": "\\n"}
    return '"' + "".join(escaped.get(char, char) for char in text) + '"'


STEPS = st.lists(
    st.sampled_from([step for case in CASES for step in case["convert"]]), max_size=3
)  # every conversion, in any order
LEAVES = (
    st.none()
    | st.booleans()
    | st.integers(-(10**20), 10**20)
    | st.decimals(allow_nan=False, allow_infinity=False, places=2, min_value=-1e9, max_value=1e9)
    | st.sampled_from(["6,8", "03.11.2026", "", " x ", "1793700000", "yes", '{"a":1}'])
    | st.text(max_size=6)
)
VALUES = st.recursive(
    LEAVES,
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.sampled_from("ab"), inner, max_size=2),
    max_leaves=6,
)


@given(
    STEPS,
    st.sampled_from(["text", "integer", "decimal", "boolean", "date", "datetime", "json"]),
    st.lists(st.fixed_dictionaries({"number": st.integers()}, optional={"a": VALUES, "b": VALUES}), max_size=4),
    st.booleans(),
    st.sampled_from(["reject", "empty"]),
)
def test_the_fast_way_and_the_exact_way_are_equal_whatever_the_steps(steps, kind, trees, required, on_failure):
    rule = {"convert": steps, "required": required, "on_failure": on_failure}
    fields = [
        {"name": "number", "from": "number"},
        {"name": "a", "from": "a", **rule},
        {"name": "b", "from": {"jsonpath": "$.b.a"}, **rule},
    ]
    made, types = mapping(fields, types={"number": "integer", "a": kind, "b": kind})
    try:
        output = compile_mapping(made, types)[0]
    except DraftError:
        return
    document = {"trees": trees}
    fast, exact = output.run(document), list(output.explain(document))
    assert fast.rows == len(exact) == len(fast.records) + len(fast.rejects)
    assert fast.records == [(one.ordinal, one.data) for one in exact if one.data is not None]
    assert [reject.ordinal for reject in fast.rejects] == [one.ordinal for one in exact if one.data is None]


def test_every_argument_of_every_conversion_says_what_it_is():
    forms = [form_of(one) for one in Conversion.__args__]
    assert [(form.type, field.name) for form in forms for field in form.fields if not field.help] == []
    assert all(form.words for form in forms)


structures = st.recursive(
    st.none() | st.booleans() | st.integers(-(2**60), 2**60) | st.text(max_size=5),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=3), inner, max_size=3),
    max_leaves=8,
)


@given(structures.filter(lambda value: isinstance(value, (list, dict))))
def test_a_structure_written_as_a_text_and_read_again_is_the_same(value):
    steps = load(list[Conversion], [{"type": "write"}, {"type": "read", "format": "json"}])
    assert chain(steps)(value) == value
