"""OData: metadata of every version read into operations, and requests whose values stay literals."""

from datetime import UTC, date, datetime
from decimal import Decimal
from urllib.parse import unquote

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rondine.core.definitions import Files, read_definition
from rondine.core.definitions.csdl import is_service_document
from rondine.core.definitions.export import ExportedOperation, to_openapi
from rondine.core.definitions.record_types import proposed_types
from rondine.core.errors import DocumentError, InputError, RondineError
from rondine.core.operations.document import OperationDocument
from rondine.core.operations.inputs import checked_inputs
from rondine.core.protocols.odata import literal
from rondine.core.protocols.problems import operation_problems
from rondine.core.protocols.rest import build_request
from rondine.core.settings import load
from rondine.standins.seed_store import METADATA
from rondine.standins.seed_store import literal as read_literal

TEXT = METADATA.read_text()
OLD = """<edmx:Edmx Version="1.0" xmlns:edmx="http://schemas.microsoft.com/ado/2007/06/edmx">
<edmx:DataServices m:DataServiceVersion="2.0" xmlns:m="http://schemas.microsoft.com/ado/2007/08/dataservices/metadata">
<Schema Namespace="Olmara.Seeds" xmlns="http://schemas.microsoft.com/ado/2008/09/edm">
<EntityType Name="Lot"><Key><PropertyRef Name="Number"/></Key><Property Name="Number" Type="Edm.Int64" Nullable="false"/>
<Property Name="Stored" Type="Edm.DateTime"/><NavigationProperty Name="Tests" Relationship="Olmara.Seeds.LotTests" FromRole="lot" ToRole="test"/></EntityType>
<EntityType Name="Test"><Key><PropertyRef Name="Id"/></Key><Property Name="Id" Type="Edm.Guid" Nullable="false"/></EntityType>
<Association Name="LotTests"><End Role="lot" Type="Olmara.Seeds.Lot" Multiplicity="1"/><End Role="test" Type="Olmara.Seeds.Test" Multiplicity="*"/></Association>
<EntityContainer Name="Store"><EntitySet Name="Lots" EntityType="Olmara.Seeds.Lot"/><EntitySet Name="Tests" EntityType="Olmara.Seeds.Test"/>
<FunctionImport Name="ScarceLots" ReturnType="Collection(Olmara.Seeds.Lot)" m:HttpMethod="GET"><Parameter Name="below" Type="Edm.Decimal"/></FunctionImport>
</EntityContainer></Schema></edmx:DataServices></edmx:Edmx>"""
JSON = """{"$Version": "4.01", "$EntityContainer": "Olmara.Seeds.Store", "Olmara.Seeds": {
"Lot": {"$Kind": "EntityType", "$Key": ["Number"], "Number": {"$Type": "Edm.Int32"}, "Species": {"$Nullable": true},
  "Tests": {"$Kind": "NavigationProperty", "$Collection": true, "$Type": "Olmara.Seeds.Test"}},
"Test": {"$Kind": "EntityType", "$Key": ["Id"], "Id": {"$Type": "Edm.Guid"}},
"Withdraw": [{"$Kind": "Action", "$IsBound": true, "$Parameter": [{"$Name": "lot", "$Type": "Olmara.Seeds.Lot"}, {"$Name": "Grams", "$Type": "Edm.Decimal"}]}],
"Store": {"$Kind": "EntityContainer", "Lots": {"$Collection": true, "$Type": "Olmara.Seeds.Lot", "@Org.OData.Capabilities.V1.DeleteRestrictions": {"Deletable": false}}}}}"""


def read(text, name="metadata.xml", address="https://seeds.example/odata/$metadata"):
    return read_definition(Files(name, {name: text.encode()}), address)


def operations_of(text, name="metadata.xml"):
    return {operation.key: operation.document for operation in read(text, name).operations}


def url_of(document, **values):
    built = build_request(document, "https://s.example/odata", checked_inputs(document.inputs, values))
    return unquote(built.request.url).removeprefix("https://s.example/odata")


def test_metadata_in_xml_gives_sets_keys_navigation_actions_and_what_is_allowed():
    found = read(TEXT)
    keys = [operation.key for operation in found.operations]
    assert (found.format, found.servers[0].address) == ("OData 4.0 (CSDL)", "https://seeds.example/odata")
    assert (found.warnings, found.left_out) == ((), ())
    assert (
        "GET /Lots(Number)/Tests" in keys
        and "POST /Lots(Number)/Olmara.Seeds.Withdraw" in keys
        and "GET /ScarceLots(below)" in keys
    )
    assert [key for key in keys if "Collections" in key] == [
        "GET /Collections",
        "GET /Collections(Code)",
        "GET /Collections(Code)/Lots",
    ]
    assert all(operation_problems(operation.document) == [] for operation in found.operations)
    documents = {operation.key: operation.document for operation in found.operations}
    assert url_of(documents["GET /Collections(Code)"], Code="L'ORTO") == "/Collections('L''ORTO')"
    assert (
        url_of(documents["GET /Tests(LotNumber,On)"], LotNumber=7, On="2025-03-01")
        == "/Tests(LotNumber=7,On=2025-03-01)"
    )
    assert url_of(documents["GET /ScarceLots(below)"], below="260.5") == "/ScarceLots(below=260.5)"
    created = [one.name for one in documents["CREATE /Lots"].inputs]
    assert (
        "Changed" not in created and "Shelf_Room" in created and documents["GET /Lots"].paging.at == "/@odata.nextLink"
    )
    types = {one.name: one for one in proposed_types([documents["GET /Lots"]], found.schemas)}
    assert set(types) == {"lot", "shelf"} and types["lot"].document.key == ["number"]
    assert {field.name: field.type for field in types["lot"].document.fields}["stored"] == "date"


def test_the_same_in_json_and_in_the_old_versions():
    assert set(operations_of(JSON, "metadata.json")) == {
        "GET /Lots", "GET /Lots(Number)", "CREATE /Lots", "CHANGE /Lots(Number)", "REPLACE /Lots(Number)", "GET /Lots(Number)/Tests",
        "POST /Lots(Number)/Olmara.Seeds.Withdraw",
    }  # fmt: skip
    old = operations_of(OLD)
    assert url_of(old["GET /Lots(Number)"], Number=7) == "/Lots(7L)"
    assert url_of(old["GET /ScarceLots(below)"], below="2.5") == "/ScarceLots?below=2.5M"
    guid = "00000000-0000-0000-0000-000000000007"
    assert url_of(old["GET /Tests(Id)"], Id=guid) == f"/Tests(guid'{guid}')"
    assert old["GET /Lots"].paging.at == "/d/__next"
    assert read(OLD).schemas["Olmara.Seeds.Lot"]["properties"]["Tests"]["type"] == "array"
    document = old["CHANGE /Lots(Number)"]
    change = build_request(document, "https://s.example", checked_inputs(document.inputs, {"Number": 7})).request
    assert (change.method, change.header("X-HTTP-Method"), change.header("MaxDataServiceVersion")) == (
        "POST",
        "MERGE",
        "2.0",
    )


def query(version="4.0", **parts):
    inputs = [{"name": "species"}, {"name": "year", "type": "integer"}, {"name": "grams", "type": "decimal"}]
    return load(OperationDocument, {"path": "/Lots", "inputs": inputs, "odata": {"version": version, **parts}})


CHOSEN = {
    "select": ["Number", "Species"],
    "filter": [
        {"property": "Species", "operator": "contains", "value": {"input": "species"}},
        {"property": "Year", "operator": "ge", "type": "Edm.Int16", "value": {"input": "year"}},
        {"property": "Grams", "operator": "lt", "type": "Edm.Decimal", "value": {"input": "grams"}},
    ],
    "order": [{"property": "Year", "is_descending": True}, {"property": "Number"}],
    "count": True,
    "top": "5",
}


def test_options_are_chosen_and_conditions_without_a_value_are_left_out():
    sown = {"property": "Sown", "operator": "gt", "type": "Edm.Int32", "value": "50"}
    tests = {
        "property": "Tests",
        "select": ["On"],
        "filter": [sown],
        "order": [{"property": "On"}],
        "top": 2,
        "expand": [{"property": "Lot"}],
    }
    assert (
        url_of(query(**CHOSEN, expand=[tests]), species="O'Hara & Co", year=2024)
        == "/Lots?$select=Number,Species&$filter=contains(Species,'O''Hara & Co') and Year ge 2024&$orderby=Year"
        " desc,Number&$expand=Tests($select=On;$filter=Sown gt 50;$orderby=On;$top=2;$expand=Lot)&$count=true&$top=5"
    )
    old = query("2.0", **CHOSEN, expand=[{"property": "Tests", "select": ["On"]}])
    assert (
        url_of(old, species="oak", grams="1.5")
        == "/Lots?$select=Number,Species,Tests/On&$filter=substringof('oak',Species) and Grams lt 1.5M&$orderby=Year"
        " desc,Number&$expand=Tests&$inlinecount=allpages&$top=5"
    )
    many = [{"property": "Species", "operator": "in", "value": {"input": "species"}}]
    document = load(
        OperationDocument, {"path": "/Lots", "inputs": [{"name": "species", "type": "json"}], "odata": {"filter": many}}
    )
    assert url_of(document, species=["a", "b'"]) == "/Lots?$filter=(Species eq 'a' or Species eq 'b''')"
    assert url_of(query(search={"input": "species"}), species='oak OR "elm') == '/Lots?$search="oak OR \\"elm"'


@given(st.text(max_size=30))
def test_no_text_gets_out_of_its_literal(text):
    written = literal(text, "Edm.String", "4.0")
    assert written[0] == written[-1] == "'" and "'" not in written[1:-1].replace("''", "")
    if "\n" not in text:
        assert read_literal(written) == text


@pytest.mark.parametrize(
    ("value", "kind", "version", "expected"),
    [
        (True, "Edm.Boolean", "4.0", "true"),
        (7, "Edm.Int64", "3.0", "7L"),
        (Decimal("1.50"), "Edm.Decimal", "2.0", "1.50M"),
        (Decimal("1.5"), "Edm.Double", "2.0", "1.5d"),
        (date(2025, 3, 1), "Edm.DateTime", "2.0", "datetime'2025-03-01T00:00:00'"),
        (datetime(2025, 3, 1, 9, tzinfo=UTC), "Edm.DateTimeOffset", "4.0", "2025-03-01T09:00:00Z"),
        (date(2025, 3, 1), "Edm.DateTimeOffset", "3.0", "datetimeoffset'2025-03-01T00:00:00Z'"),
        ("PT1H", "Edm.Duration", "4.0", "duration'PT1H'"),
        ("PT1H", "Edm.Time", "2.0", "time'PT1H'"),
        ("AAEC", "Edm.Binary", "4.0", "binary'AAEC'"),
        ("Planting", "Olmara.Seeds.Purpose", "4.0", "Olmara.Seeds.Purpose'Planting'"),
        ("09:30", "Edm.TimeOfDay", "4.0", "09:30"),
    ],
)
def test_literals_are_written_by_type_and_version(value, kind, version, expected):
    assert literal(value, kind, version) == expected


@pytest.mark.parametrize(
    "kind", ["Int32", "Boolean", "Guid", "Date", "DateTimeOffset", "Duration", "Binary", "Decimal"]
)
def test_a_value_that_is_none_of_its_type_is_refused(kind):
    with pytest.raises(InputError, match=kind):
        literal("1 or 1 eq 1", f"Edm.{kind}", "4.0")


@pytest.mark.parametrize(
    ("text", "where", "words"),
    [
        (TEXT[:900], "line ", "not XML"),
        ("<Edmx xmlns='http://docs.oasis-open.org/odata/ns/edmx'/>", "line 1", "no schema"),
        (TEXT.replace('Edmx Version="4.0"', 'Edmx Version="9.0"'), "line 1", "not read"),
        ("<!DOCTYPE x [<!ENTITY a 'b'>]><Edmx>&a;</Edmx>", "metadata.xml", "document type"),
        ("<results/>", "line 1", "<results>"),
    ],
)
def test_what_is_no_metadata_is_said_with_its_line(text, where, words):
    with pytest.raises(DocumentError) as caught:
        read(text)
    assert where in caught.value.where and words in caught.value.message


def test_a_set_of_an_unknown_type_is_listed_and_the_rest_is_offered():
    found = read(TEXT.replace('EntityType="Olmara.Seeds.Test"', 'EntityType="Olmara.Seeds.Tests"'))
    assert [one.message for one in found.left_out] == [
        '"Tests" is of the type "Olmara.Seeds.Tests", which is not defined'
    ]
    assert "line 59" in found.left_out[0].where and "Olmara.Seeds.Test" in found.left_out[0].hint
    assert "GET /Lots" in [operation.key for operation in found.operations]


@given(st.integers(0, len(TEXT)), st.integers(0, 60), st.text(max_size=12))
def test_however_metadata_is_broken_it_ends_with_operations_or_words(at, length, new):
    try:
        found = read(TEXT[:at] + new + TEXT[at + length :])
    except RondineError as error:
        assert error.where
        return
    assert all(operation_problems(operation.document) == [] for operation in found.operations)


CSDL = '<edmx:Edmx xmlns:edmx="http://docs.oasis-open.org/odata/ns/edmx" Version="4.0"><edmx:DataServices><Schema xmlns="http://docs.oasis-open.org/odata/ns/edm" Namespace="Office">{types}<EntityContainer Name="Default">{sets}</EntityContainer></Schema></edmx:DataServices></edmx:Edmx>'  # fmt: skip
TREE = """
<EnumType Name="Damage" IsFlags="true"><Member Name="Dry" Value="1"/><Member Name="Split" Value="2"/></EnumType>
<EnumType Name="State"><Member Name="Stands"/><Member Name="Felled"/></EnumType>
<TypeDefinition Name="Code" UnderlyingType="Edm.String" MaxLength="8"/>
<ComplexType Name="Place"><Property Name="Park" Type="Edm.String" Nullable="false"/></ComplexType>
<EntityType Name="Thing"><Key><PropertyRef Name="Number"/></Key><Property Name="Number" Type="Edm.String" Nullable="false" MaxLength="12"/></EntityType>
<EntityType Name="Tree" BaseType="Office.Thing">
<Property Name="Girth" Type="Edm.Decimal" Precision="5" Scale="2"/><Property Name="Damage" Type="Office.Damage"/>
<Property Name="State" Type="Office.State"/><Property Name="Code" Type="Office.Code"/><Property Name="Place" Type="Office.Place"/>
<Property Name="Kind" Type="Edm.String" Nullable="false" DefaultValue="tree"/><Property Name="Photo" Type="Edm.Stream"/></EntityType>
<Action Name="Fell" IsBound="true"><Parameter Name="it" Type="Office.Thing"/></Action>
<Function Name="Find"><Parameter Name="numbers" Type="Collection(Edm.String)"/><ReturnType Type="Edm.Int32"/></Function>
"""
SETS = '<EntitySet Name="Trees" EntityType="Office.Tree"/><Singleton Name="Oldest" Type="Office.Tree"/><FunctionImport Name="Find" Function="Office.Find"/>'  # fmt: skip


def test_facets_flags_streams_and_what_may_be_null():
    found = read(CSDL.format(types=TREE, sets=SETS))
    by_title = {operation.title: operation.document for operation in found.operations}
    inputs = {one.name: one for one in by_title["Create Trees"].inputs}
    assert (inputs["Number"].bounds.max_length, inputs["Code"].bounds.max_length) == (12, 8)
    assert (inputs["Girth"].bounds.exclusive_minimum, inputs["Girth"].bounds.exclusive_maximum) == (-1000, 1000)
    assert (inputs["Damage"].allowed, inputs["State"].allowed) == ([], ["Stands", "Felled"])
    assert inputs["Damage"].description == "one or more of Dry, Split, separated by commas"
    assert (inputs["Number"].required, inputs["Kind"].required) == (True, False)  # a default may be left out
    assert "Photo" not in inputs and any("Photo of Tree: streams" in warning.message for warning in found.warnings)
    members = found.schemas["Office.Tree"]["properties"]
    assert members["State"] == {"anyOf": [{"$ref": "#/$defs/Office.State"}, {"type": "null"}]}
    assert members["Place"]["anyOf"][1] == {"type": "null"} and "Photo" not in members
    assert "enum" not in found.schemas["Office.Damage"]


def test_what_is_bound_to_a_base_type_is_bound_to_sets_and_singletons_of_it():
    found = read(CSDL.format(types=TREE, sets=SETS))
    by_title = {operation.title: operation.document for operation in found.operations}
    assert url_of(by_title["Fell of Trees"], Number="OLM-7").endswith("/Trees('OLM-7')/Office.Fell")
    assert url_of(by_title["Fell of Oldest"]).endswith("/Oldest/Office.Fell")


def test_lists_and_objects_are_given_to_functions_behind_parameter_aliases():
    function = """<Function Name="Near"><Parameter Name="place" Type="Office.Place"/><Parameter Name="most" Type="Edm.Int32"/></Function>"""
    imports = SETS + '<FunctionImport Name="Near" Function="Office.Near"/>'
    found = read(CSDL.format(types=TREE + function, sets=imports))
    documents = {operation.title: operation.document for operation in found.operations}
    find, near = documents["Find"], documents["Near"]
    assert found.left_out == () and [(one.name, one.type) for one in near.inputs] == [
        ("place", "json"),
        ("most", "integer"),
    ]
    assert near.inputs[0].description == "an object of Park"
    assert url_of(find, numbers=["OLM-1", 'a"b&c']).endswith(r'/Find(numbers=@numbers)?@numbers=["OLM-1","a\"b&c"]')
    place = url_of(near, place={"Park": "Lindenhof"}, most=3)
    assert place.endswith('/Near(place=@place,most=3)?@place={"Park":"Lindenhof"}')
    again = to_openapi(title="Office", operations=[ExportedOperation("near", "Near", near)], schemas={}).document
    (path,) = again["paths"]
    assert path == "/Near(place=@place,most={most})"
    assert [(parameter["name"], parameter["in"]) for parameter in again["paths"][path]["get"]["parameters"]] == [
        ("most", "path"),
        ("@place", "query"),
    ]
    old = """<edmx:Edmx xmlns:edmx="http://schemas.microsoft.com/ado/2007/06/edmx" xmlns:m="http://schemas.microsoft.com/ado/2007/08/dataservices/metadata" Version="1.0"><edmx:DataServices m:DataServiceVersion="2.0"><Schema xmlns="http://schemas.microsoft.com/ado/2008/09/edm" Namespace="O"><EntityContainer Name="C"><FunctionImport Name="Find" m:HttpMethod="GET"><Parameter Name="numbers" Type="Collection(Edm.String)"/></FunctionImport></EntityContainer></Schema></edmx:DataServices></edmx:Edmx>"""
    assert "which is not written into an address" in read(old).left_out[0].message


def test_a_key_may_lead_through_a_complex_property():
    types = """<ComplexType Name="Place"><Property Name="Row" Type="Edm.Int32" Nullable="false"/></ComplexType>
    <EntityType Name="Tree"><Key><PropertyRef Name="At/Row" Alias="row"/></Key><Property Name="At" Type="Office.Place" Nullable="false"/></EntityType>"""  # fmt: skip
    found = read(CSDL.format(types=types, sets='<EntitySet Name="Trees" EntityType="Office.Tree"/>'))
    document = next(operation.document for operation in found.operations if operation.title == "Find Trees")
    assert url_of(document, row=7).endswith("/Trees(7)") and not found.warnings


def test_navigation_that_is_left_out_and_a_designers_file_are_told():
    sets = "".join(f'<EntitySet Name="Trees{number}" EntityType="Office.Thing"/>' for number in range(101))
    found = read(CSDL.format(types=TREE, sets=sets))
    assert any("101 entity sets" in warning.message for warning in found.warnings)
    with pytest.raises(DocumentError) as caught:
        read('<Edmx xmlns="http://schemas.example/edmx" Version="3.0"><Runtime><StorageModels/></Runtime></Edmx>')
    assert "designer's file" in caught.value.message and "/$metadata" in caught.value.hint


@pytest.mark.parametrize(
    ("content", "expected"),
    [
        (b'{"@odata.context": "https://seeds.example/odata/$metadata", "value": []}', True),
        (b'{"@odata.context": "$metadata#Lots", "value": []}', False),
        (b'{"d": {"EntitySets": ["Lots"]}}', True),
        (b'<service xmlns="http://www.w3.org/2007/app"><workspace/></service>', True),
        (b"<service/>", False),
        (b"[]", False),
        (b"{", False),
    ],
)
def test_a_service_document_is_told_from_rows(content, expected):
    assert is_service_document(content) is expected
