"""Live records in the core: questions put to operations, values written back, conversions undone, roles proposed."""

from datetime import UTC, date, datetime
from decimal import Decimal
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rondine.core.conversions.date_patterns import parse_pattern, read_date, read_moment, written_date
from rondine.core.conversions.steps import (
    Affix,
    Arithmetic,
    Case,
    DateOf,
    Epoch,
    Extract,
    MomentOf,
    Number,
    Split,
    Table,
    Trim,
    YesNo,
    chain,
)
from rondine.core.conversions.types import CONVERSIONS, ConversionError
from rondine.core.errors import InputError
from rondine.core.live.asking import Fields, abilities, asked, in_order, passes, read_question
from rondine.core.live.document import BindingDocument, InputSource, ListBinding, RoleBinding
from rondine.core.live.proposing import Known, propose_binding
from rondine.core.live.undoing import can_undo, undone
from rondine.core.live.writing import fields_needed, role_inputs, typed_key, typed_values
from rondine.core.mapping.document import FieldRule, Level, Output, RecordField, RecordTypeDocument, Source
from rondine.core.operations.document import JsonBody, Member, OperationDocument, Parameter, ResponseDescription
from rondine.core.operations.inputs import Input
from rondine.core.operations.odata import Condition, ODataQuery, Order
from rondine.core.operations.values import ValueOf
from rondine.core.protocols.odata import filter_text
from rondine.core.schema import infer, to_json_schema
from rondine.core.settings import load

TREE = RecordTypeDocument(
    fields=[
        RecordField("number", "text"),
        RecordField("girth", "decimal"),
        RecordField("planted", "date"),
        RecordField("street", "text"),
        RecordField("alive", "boolean"),
    ],
    key=["number"],
)
RULES = [
    FieldRule("number", "number"),
    FieldRule("girth", "measures.girth", convert=[Arithmetic(divide="100")]),
    FieldRule("planted", "planted", convert=[DateOf(["dd.MM.yyyy"])]),
    FieldRule("street", "place.street"),
    FieldRule("alive", "alive"),
]
FIELDS = Fields(TREE, Output("tree", [Level("tree", "trees[*]")], fields=RULES))


# --- conversions undone


@pytest.mark.parametrize(
    ("value", "kind", "steps", "sent"),
    [
        (Decimal("1.25"), "decimal", [Arithmetic(divide="100")], Decimal(125)),
        (Decimal("1.3"), "decimal", [Arithmetic(divide="100", digits=1)], Decimal(130)),
        (Decimal("1234.5"), "decimal", [Number(decimal=",", grouping=["."])], "1234,5"),
        (Decimal("0.25"), "decimal", [Number(percent=True)], "25.00%"),
        (date(2026, 3, 9), "date", [DateOf(["dd.MM.yyyy"])], "09.03.2026"),
        (datetime(2026, 3, 9, 7, 5, tzinfo=UTC), "datetime", [MomentOf(["yyyy-MM-dd HH:mm"], "Europe/Rome")], "2026-03-09 08:05"),
        (datetime(2026, 1, 1, tzinfo=UTC), "datetime", [Epoch()], 1767225600),
        (True, "boolean", [YesNo(("ja",), ("nein",))], "ja"),
        ("felled", "text", [Table({"1": "planned", "2": "felled"})], "2"),
        ("oak", "text", [Trim(), Case("lower")], "oak"),
        ("OLM-7", "text", [Affix(prefix="OLM-")], "7"),
        (["a", "b"], "json", [Split(at=";")], "a;b"),
    ],
)  # fmt: skip
def test_what_is_sent_is_read_again_as_the_value(value, kind, steps, sent):
    assert undone(value, kind, steps) == sent
    assert CONVERSIONS[kind](chain(steps)(sent)) == value


@pytest.mark.parametrize(
    ("value", "kind", "steps", "why"),
    [
        ("Oak", "text", [Case("lower")], "it would be read as oak"),
        ("x", "text", [Table({"1": "x", "2": "x"})], "stands for 1 and 2"),
        ("y", "text", [Table({"1": "x"})], "not among the values"),
        ("oak", "text", [Extract("[a-z]+")], "cannot be undone"),
        (date(2026, 3, 9), "date", [DateOf(["dd.MM.yyyy", "MM/dd/yyyy"])], "several forms"),
        ("7", "text", [Affix(prefix="OLM-")], "does not begin"),
        (Decimal("1.25"), "decimal", [Arithmetic(divide="100", digits=1)], "it would be read as 1.2"),
    ],
)
def test_what_would_be_read_as_something_else_is_not_sent(value, kind, steps, why):
    with pytest.raises(ConversionError, match=why):
        undone(value, kind, steps)


@given(
    st.decimals(-10_000, 10_000, places=3),
    st.sampled_from([Arithmetic(multiply="2.54"), Arithmetic(divide="3"), Arithmetic(add="-7", multiply="0.1"), Number(decimal=",")]),
)  # fmt: skip
def test_a_number_is_never_sent_as_another_one(value, step):
    value = CONVERSIONS["decimal"](value)
    try:
        sent = undone(value, "decimal", [step])
    except ConversionError:
        return
    assert CONVERSIONS["decimal"](chain([step])(sent)) == value


@given(
    st.datetimes(datetime.fromisoformat("1975-01-01"), datetime.fromisoformat("2065-01-01")),
    st.sampled_from(
        [
            "dd.MM.yyyy HH:mm:ss",
            "d MMMM yyyy h:mm:ss a",
            "EEE, dd MMM yyyy HH:mm:ss",
            "yyyyMMddHHmmssSSSSSS",
            "yy-M-d H:m:s",
        ]
    ),
)
def test_a_moment_written_in_a_form_is_read_as_itself(moment, pattern):
    moment = moment.replace(microsecond=moment.microsecond if "S" in pattern else 0, tzinfo=UTC)
    assert read_moment(written_date(moment, pattern), parse_pattern(pattern), ZoneInfo("UTC")) == moment
    with_offset = f"{pattern} XXX"
    assert read_moment(written_date(moment, with_offset), parse_pattern(with_offset), None) == moment


@given(st.dates(date(1000, 1, 1), date(9999, 12, 31)), st.sampled_from(["dd.MM.yyyy", "EEEE, MMMM d, yyyy", "yyyy'y'MM''dd"]))  # fmt: skip
def test_a_date_written_in_a_form_is_read_as_itself(day, pattern):
    assert read_date(written_date(day, pattern), parse_pattern(pattern)) == day


def test_it_is_known_which_steps_can_be_undone():
    assert can_undo([Trim(), Arithmetic(add="1")]) and not can_undo([Trim(), Extract("x")])


# --- questions

LISTING = OperationDocument(path="/trees", inputs=[Input("street"), Input("planted_from"), Input("order")])


def question(**query):
    return read_question(TREE, {name.replace("__", "."): value for name, value in query.items()})


def bound(**more):
    document = {
        "operation": "list",
        "filters": [
            {"input": "street", "field": "street"},
            {"input": "planted_from", "field": "planted", "compare": "from"},
        ],
        "sort": {"input": "order", "values": {"girth": "thickness", "-girth": "thickness desc"}},
        **more,
    }
    return load(ListBinding, document)


def test_a_question_goes_into_declared_inputs_and_the_rest_is_told():
    put = asked(
        bound(), LISTING, FIELDS, question(street="Mill Lane", planted__from="2026-03-09", girth__to="2", sort="-girth")
    )
    assert put.inputs == {"street": "Mill Lane", "planted_from": "09.03.2026", "order": "thickness desc"}
    assert [one.name for one in put.left] == ["girth.to"] and put.order is None
    assert [(one.where, one.message) for one in put.why] == [
        ("?girth.to", "the service cannot filter by girth.to: no input of its operation does that")
    ]
    other = asked(bound(), LISTING, FIELDS, question(sort="street"))
    assert other.order is not None and "cannot put them in order of street" in other.why[0].message


def test_an_odata_question_is_a_filter_of_literals():
    operation = OperationDocument(
        path="/Trees",
        odata=ODataQuery(filter=[Condition(property="Office", value="Olmara")], order=[Order(property="number")]),
    )
    fields = Fields(TREE, FIELDS.output, "json", {"place/street": "Edm.String", "measures/girth": "Edm.Int32"})
    put = asked(
        ListBinding(operation="x"),
        operation,
        fields,
        question(street="O'Neill", girth__from="1.5", alive="true", sort="-street"),
    )
    assert put.left == [] and put.why == []
    query = put.document.odata
    text = filter_text(
        query.filter, "4.0", lambda value: put.inputs[value.input] if isinstance(value, ValueOf) else value
    )
    assert text == "Office eq 'Olmara' and place/street eq 'O''Neill' and measures/girth ge 150 and alive eq true"
    assert query.order == [Order(property="place/street", is_descending=True)]
    # what the mapping makes cannot be put in order there: 150 comes before 9, and 1.5 does not
    assert (
        "cannot put them in order of girth"
        in asked(ListBinding(operation="x"), operation, fields, question(sort="girth")).why[0].message
    )
    able = {
        one.field: one
        for one in abilities(
            BindingDocument(record_type="tree", mapping="m", list=ListBinding(operation="x")), operation, fields
        )
    }
    assert able["street"].compare == ("equal", "from", "to", "begins") and able["street"].is_sorted
    assert able["girth"].compare == ("equal", "from", "to") and not able["girth"].is_sorted


def test_wrong_questions_are_told_each():
    with pytest.raises(InputError) as raised:
        question(girt="1", girth__begins="1", girth__from="x", sort="colour")
    assert [one.where for one in raised.value.problems] == ["?girt", "?girth.begins", "?girth.from", "?sort"]


def test_what_is_done_here_is_as_of_kept_records():
    rows = [{"girth": Decimal(2), "street": "b"}, {"girth": None, "street": "a"}, {"girth": Decimal(1)}]
    found = question(girth__from="1", street__begins="b", sort="-girth")
    assert [row for row in rows if passes(found.filters, row)] == rows[:1]
    assert in_order(rows, found.order, lambda row: row) == [rows[0], rows[2], rows[1]]


# --- writing

CHANGE = OperationDocument(
    method="PATCH",
    path="/trees/{number}",
    inputs=[
        Input("number", required=True),
        Input("etag"),
        Input("girth"),
        Input("street"),
        Input("paved"),
        Input("input", "json"),
    ],
    headers=[Parameter("If-Match", ValueOf(input="etag"))],
    body=JsonBody(
        members=[
            Member(at="/measures/girth", value=ValueOf(input="girth")),
            Member(at="/place/street", value=ValueOf(input="street")),
            Member(at="/place/paved", value=ValueOf(input="paved")),
        ]
    ),
)
ROLE = RoleBinding(
    operation="change",
    inputs={
        "number": InputSource(field="number"),
        "etag": InputSource(version=True),
        "girth": InputSource(field="girth"),
        "street": InputSource(field="street"),
        "paved": InputSource(field="alive"),
    },
)


def written(data, key="7", version='"1"', role=ROLE):
    values = typed_values(TREE, data)
    return role_inputs(role, CHANGE, FIELDS, key=typed_key(TREE, [key]), data=values, version=version)


def test_every_value_that_is_given_is_sent_or_refused():
    assert written({"girth": "1.25"}) == {"number": "7", "etag": '"1"', "girth": Decimal(125)}
    assert written({"number": "7", "street": "x"}, version="") == {"number": "7", "street": "x"}
    for data, words in (
        ({"number": "8"}, "part of the key"),
        ({"planted": "2026-01-01"}, 'takes no value for "planted"'),
        ({"street": None}, "cannot be emptied"),
    ):
        with pytest.raises(InputError, match=words):
            written(data)
    for wrong in ({"colour": "red"}, {"girth": "thick"}):
        with pytest.raises(InputError):
            typed_values(TREE, wrong)


def test_an_object_is_put_together_of_the_values_that_are_given():
    members = {
        "girthInCm": InputSource(field="girth"),
        "street": InputSource(field="street"),
        "unit": InputSource(value="cm"),
    }
    role = RoleBinding(
        operation="change", inputs={"number": InputSource(field="number"), "input": InputSource(members=members)}
    )
    assert written({"girth": "2"}, role=role)["input"] == {"girthInCm": Decimal(200), "unit": "cm"}


def test_what_stands_in_one_object_with_a_change_is_sent_with_it():
    assert fields_needed(ROLE, CHANGE, {"number", "street"}) == ["alive"]
    assert fields_needed(ROLE, CHANGE, {"number", "girth"}) == []


# --- proposals


def test_a_source_is_given_in_exactly_one_way():
    for options in ({}, {"field": "x", "version": True}, {"field": "x", "value": 1}):
        with pytest.raises(ValueError, match="exactly one"):
            InputSource(**options)


def test_roles_are_found_by_paths_and_by_what_responses_hold():
    text = {"type": "string"}
    tree = {
        "type": "object",
        "properties": {
            "number": text, "planted": text, "alive": {"type": "boolean"},
            "measures": {"type": "object", "properties": {"girth": {"type": "number"}}},
            "place": {"type": "object", "properties": {"street": text}},
        },
    }  # fmt: skip
    many = {"type": "object", "properties": {"trees": {"type": "array", "items": tree}}}

    def known(name, method, path, schema=None, inputs=(), **more):
        responses = [ResponseDescription("200", "application/json", schema)] if schema else []
        document = OperationDocument(method=method, path=path, inputs=[*inputs], responses=responses, **more)
        return Known(name, document, {})

    key = Input("treeNumber", required=True)
    operations = [
        known("list-crews", "GET", "/crews", {"type": "array", "items": {"type": "object", "properties": {"name": text}}}),
        known("trees-of-a-crew", "GET", "/crews/{crew}/trees", many, [Input("crew", required=True)]),
        known("list-trees", "GET", "/trees", many, [Input("street"), Input("min_girth"), Input("limit")]),
        known("get-tree", "GET", "/trees/{treeNumber}", tree, [key]),
        known("fell-tree", "POST", "/trees/{treeNumber}/fell", tree, [key]),
        known("plant-tree", "POST", "/trees", tree, [Input("girth"), Input("street", required=True), Input("reason", required=True)],
              body=JsonBody(members=[Member(at="/measures/girth", value=ValueOf(input="girth")), Member(at="/place/street", value=ValueOf(input="street"))])),
        known("change-tree", "PATCH", "/trees/{treeNumber}", None, [key]),
        known("forget-tree", "DELETE", "/trees/{treeNumber}", None, [key]),
    ]  # fmt: skip
    found = propose_binding("tree", "m", FIELDS, operations, chosen={})
    binding = found.binding
    assert [(role, one.operation) for role, one in binding.roles()] == [
        ("list", "list-trees"), ("find", "get-tree"), ("create", "plant-tree"), ("change", "change-tree"), ("remove", "forget-tree"),
    ]  # fmt: skip
    assert [(one.input, one.field, one.compare) for one in binding.list.filters] == [
        ("street", "street", "equal"),
        ("min_girth", "girth", "from"),
    ]
    assert binding.find.inputs == {"treeNumber": InputSource(field="number")} and binding.find.rows == ["$"]
    assert binding.create.inputs == {"girth": InputSource(field="girth"), "street": InputSource(field="street")}
    assert (binding.change.brings, binding.create.brings) == ("nothing", "record")
    assert [problem.where for problem in found.problems] == ["/create/inputs/reason", "/change/inputs"]
    other = propose_binding("tree", "m", FIELDS, operations, chosen={"list": "trees-of-a-crew", "change": "fell-tree"})
    assert other.binding.list.operation == "trees-of-a-crew" and other.binding.change.operation == "fell-tree"
    assert "/list/inputs/crew" in [problem.where for problem in other.problems]


def test_a_collection_within_another_is_bound_by_what_its_list_was_given_and_answered():
    def known(name, method, path, *inputs, described=None, answered=None, given=None):
        responses = [ResponseDescription("200", "application/json", described)] if described else []
        taken = [Input(one.strip("{}"), required=True) for one in path.split("/") if one.startswith("{")]
        document = OperationDocument(method=method, path=path, inputs=[*taken, *inputs], responses=responses)
        return Known(name, document, {}, answered, given or {})

    tree = {
        "number": "OLM-1",
        "planted": "2026-03-01",
        "alive": True,
        "measures": {"girth": 1.5},
        "place": {"street": "Quay"},
    }
    answered = to_json_schema(infer([{"data": [tree]}]))
    envelope = {"type": "object", "properties": {"data": {"type": "object"}}}
    path, one = "/crews/{crew}/trees", "/crews/{crew}/trees/{number}"
    operations = [
        known("list-trees", "GET", path, Input("limit"), answered=answered, given={"crew": "north", "limit": 5}),
        known("get-tree", "GET", one, described=envelope),
        known("plant-tree", "POST", path),
        known("change-tree", "PATCH", one, described=envelope),
        known("fell-tree", "DELETE", one),
        known("get-crew", "GET", "/crews/{crew}"),
    ]
    found = propose_binding("tree", "m", FIELDS, operations, chosen={})
    north, number = InputSource(value="north"), InputSource(field="number")
    assert {role: bound.inputs for role, bound in found.binding.roles()} == {
        "list": {"crew": north}, "create": {"crew": north},
        **{role: {"crew": north, "number": number} for role in ("find", "change", "remove")},
    }  # fmt: skip
    assert found.candidates["find"] == ["get-tree"] and found.binding.find.rows == ["$.data"]
    assert [problem.where for problem in found.problems] == ["/create/inputs", "/change/inputs"]
    never = [Known(each.name, each.document, {}) for each in operations]
    assert propose_binding("tree", "m", FIELDS, never, chosen={}).binding.list is None


def test_an_input_where_responses_have_the_record_is_given_all_its_fields():
    body = JsonBody(members=[Member(at="/data", value=ValueOf(input="data"))])
    key = Input("number", required=True)
    change = OperationDocument(
        method="PATCH", path="/trees/{number}", inputs=[key, Input("data", type="json")], body=body
    )
    answered = to_json_schema(infer([{"data": {"number": "OLM-1", "planted": "2026-03-01", "alive": True}}]))
    listed = to_json_schema(infer([{"data": [{"number": "OLM-1", "planted": "2026-03-01", "alive": True}]}]))
    operations = [
        Known("list-trees", OperationDocument(path="/trees"), {}, listed),
        Known("change-tree", change, {}, answered),
    ]
    found = propose_binding("tree", "m", FIELDS, operations, chosen={})
    members = found.binding.change.inputs["data"].members
    assert members["planted"] == InputSource(field="planted") and members["alive"] == InputSource(field="alive")
    assert found.binding.change.rows == ["$.data"] and found.binding.change.brings == "record"
    assert found.problems == []


def test_a_source_of_another_level_is_not_one_property():
    output = Output(
        "tree", [Level("tree", "trees[*]")], fields=[FieldRule("number", Source(level="root", jsonpath="$.office"))]
    )
    assert Fields(TREE, output).path("number") is None
