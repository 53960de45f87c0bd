"""Every format the whole road through the API: look, import all, import again, compare, update, export, import the
export.

The documents are made here and have every keyword of their format: each must survive, and the same document must be the
same.
"""

import json
import re

import httpx
import pytest

from rondine.standins.permit_counter import DOCUMENTS

NUMBERS = {"multipleOf": 0.01, "minimum": 0.1, "maximum": 99.99, "example": 4.5, "default": 0.30}
EXACT = "0.12345678901234567890123"


def schema(version):
    """A schema with every keyword of JSON Schema as the version of OpenAPI has it."""
    number = {"type": "number", "format": "double", **NUMBERS, "exclusiveMinimum": 0.05 if version == "3.1" else True}
    found = {
        "type": "object",
        "title": "Tree",
        "description": "a tree of the office",
        "required": ["number", "girth"],
        "minProperties": 1,
        "maxProperties": 40,
        "properties": {
            "number": {"type": "string", "pattern": "^OLM-[0-9]+$", "minLength": 5, "maxLength": 12, "readOnly": True},
            "girth": number,
            "state": {"type": "string", "enum": ["sound", "leaning"], "default": "sound"},
            "care": {"type": "array", "items": {"type": "string"}, "minItems": 0, "maxItems": 9, "uniqueItems": True},
            "planted": {"type": "string", "format": "date"},
            "seen": {"type": "string", "format": "date-time"},
            "owner": {"$ref": "#/REF/Owner"},
            "self": {"$ref": "#/REF/Tree"},
            "all": {
                "allOf": [{"$ref": "#/REF/Owner"}, {"type": "object", "properties": {"since": {"type": "integer"}}}]
            },
            "extra": {"type": "object", "additionalProperties": {"type": "number", "multipleOf": 0.5}},
            "sheet": {"type": "string", "format": "byte"},
        },
    }
    if version != "2.0":
        found["properties"] |= {
            "kind": {"oneOf": [{"$ref": "#/REF/Owner"}, {"type": "string"}]},
            "any": {"anyOf": [{"type": "integer"}, {"type": "number", "multipleOf": 0.25}]},
            "not": {"not": {"type": "boolean"}},
            "old": {"type": "string", "deprecated": True, "writeOnly": True},
        }
        found["discriminator"] = {"propertyName": "state"}
    if version == "3.0":
        found["properties"]["maybe"] = {"type": "number", "nullable": True, "example": 1.5}
    if version == "3.1":
        found["properties"] |= {
            "maybe": {"type": ["number", "null"], "examples": [1.5, None]},
            "fixed": {"const": 2.5},
            "pair": {"type": "array", "prefixItems": [{"type": "number"}, {"type": "string"}], "items": False},
            "some": {"type": "array", "contains": {"const": 0.5}, "minContains": 1, "maxContains": 2},
            "map": {
                "type": "object",
                "patternProperties": {"^x-": {"type": "number"}},
                "propertyNames": {"maxLength": 9},
            },
            "if": {"if": {"minimum": 0.5}, "then": {"multipleOf": 0.5}, "else": True},
            "exact": {"type": "number", "default": "EXACT"},
        }
        found["dependentRequired"] = {"girth": ["number"]}
        found["unevaluatedProperties"] = False
    return found


OWNER = {"type": "object", "properties": {"name": {"type": "string"}, "share": {"type": "number", "example": 0.25}}}


#: Objects that may be left out, with members that go with them.
PLACED = {
    "type": "object",
    "required": ["tree", "kind"],
    "properties": {
        "tree": {"type": "string"},
        "kind": {"type": "string", "enum": ["tree"]},
        "place": {"type": "object", "required": ["street"], "properties": {"street": {"type": "string"},
        "house": {"type": "integer"}}},
    },
}  # fmt: skip


def openapi(version):
    where = "definitions" if version == "2.0" else "components/schemas"
    schemas = {"Tree": schema(version), "Owner": OWNER}

    def parameter(name, kind, held, **more):
        return {"name": name, "in": kind, **(held if version == "2.0" else {"schema": held}), **more}

    ref = {"$ref": "#/REF/Tree"}
    listed = {
        "type": "object",
        "properties": {
            "trees": {"type": "array", "items": ref},
            "total": {"type": "integer"},
            "next": {"type": "string", "format": "uri"},
        },
    }
    parameters = [
        parameter("number", "path", {"type": "string"}, required=True),
        parameter("girth", "query", {"type": "number", **NUMBERS}),
        parameter("state", "query", {"type": "array", "items": {"type": "string", "enum": ["a", "b"]}}),
        parameter("X-Note", "header", {"type": "string", "maxLength": 9, "pattern": "^a"}),
    ]

    def answer(held):
        body = {"schema": held} if version == "2.0" else {"content": {"application/json": {"schema": held}}}
        left = {"description": "calls that are left", **parameter("", "", {"type": "integer", "minimum": 0})}
        headers = {"X-Left": {name: one for name, one in left.items() if name not in ("name", "in")}}
        return {"200": {"description": "it", "headers": headers, **body}, "default": {"description": "refused"}}

    one = {
        "operationId": "findTree",
        "summary": "Find a tree",
        "parameters": parameters,
        "responses": answer(ref),
        "deprecated": True,
        "externalDocs": {"url": "https://register.example/docs"},
        "security": [],
    }
    many = {"operationId": "listTrees", "tags": ["trees"], "parameters": parameters[1:], "responses": answer(listed)}
    more = {}
    change = {"operationId": "changeTree", "parameters": parameters[:1], "responses": answer(ref)}
    if version == "2.0":
        change["parameters"] = [*parameters[:1], {"name": "tree", "in": "body", "required": True, "schema": ref}]
        head = {
            "swagger": "2.0",
            "host": "register.example",
            "basePath": "/v1",
            "schemes": ["https"],
            "consumes": ["application/json"],
            "produces": ["application/json"],
        }
        rest = {
            "definitions": schemas,
            "securityDefinitions": {"key": {"type": "apiKey", "in": "header", "name": "X-Key"}},
            "security": [{"key": []}],
        }
    else:
        change["requestBody"] = {
            "required": True,
            "content": {
                "application/json": {"schema": ref, "example": {"number": "OLM-1", "girth": 2.5}},
                "multipart/form-data": {
                    "schema": ref,
                    "encoding": {
                        "sheet": {"contentType": "image/png", "headers": {"X-Sheet": {"schema": {"type": "string"}}}},
                        "owner": {"contentType": "application/json"},
                    },
                },
                "application/x-www-form-urlencoded": {
                    "schema": {"type": "object", "properties": {"care": schema(version)["properties"]["care"]}},
                    "encoding": {"care": {"style": "pipeDelimited", "explode": False}},
                },
                "text/csv": {"schema": {"type": "string"}},
            },
        }
        optional = {"content": {"application/json": {"schema": PLACED}}}
        more = {"post": {"operationId": "noteTree", "responses": answer(ref), "requestBody": optional}}
        one["callbacks"] = {
            "changed": {"{$request.body#/url}": {"post": {"responses": {"200": {"description": "it"}}}}}
        }
        head = {
            "openapi": {"3.0": "3.0.3", "3.1": "3.1.1"}[version],
            "servers": [
                {
                    "url": "https://{where}.register.example/v1",
                    "variables": {"where": {"default": "a", "enum": ["a", "b"]}},
                }
            ],
        }
        rest = {
            "components": {
                "schemas": schemas,
                "securitySchemes": {
                    "key": {"type": "apiKey", "in": "header", "name": "X-Key"},
                    "other": {"type": "http", "scheme": "bearer"},
                },
            },
            "security": [{"key": []}, {"other": []}, {"key": [], "other": []}],
        }
    document = {
        **head,
        "info": {"title": f"Register {version}", "version": "1.5"},
        "paths": {"/trees": {"get": many, **more}, "/trees/{number}": {"get": one, "put": change}},
        **rest,
    }
    return json.dumps(document).replace("#/REF/", f"#/{where}/").replace('"EXACT"', EXACT)


CSDL = """<edmx:Edmx xmlns:edmx="http://docs.oasis-open.org/odata/ns/edmx" Version="4.0"><edmx:DataServices>
<Schema xmlns="http://docs.oasis-open.org/odata/ns/edm" Namespace="Office">
<EnumType Name="Care" IsFlags="true"><Member Name="Pruned" Value="1"/><Member Name="Watered" Value="2"/></EnumType>
<TypeDefinition Name="Girth" UnderlyingType="Edm.Decimal" Precision="5" Scale="2"/>
<ComplexType Name="Place"><Property Name="Street" Type="Edm.String" Nullable="false" MaxLength="80"/></ComplexType>
<EntityType Name="Base" Abstract="true"><Key><PropertyRef Name="District"/><PropertyRef Name="Number"/></Key>
 <Property Name="District" Type="Edm.String" Nullable="false"/><Property Name="Number" Type="Edm.Int32" Nullable="false"/></EntityType>
<EntityType Name="Tree" BaseType="Office.Base" HasStream="true"><Property Name="Girth" Type="Office.Girth" DefaultValue="0.5"/>
 <Property Name="Care" Type="Collection(Office.Care)"/><Property Name="Place" Type="Office.Place"/><Property Name="Sheet" Type="Edm.Stream"/>
 <Property Name="Id" Type="Edm.Guid"/><NavigationProperty Name="Visits" Type="Collection(Office.Visit)" Partner="Tree"/></EntityType>
<EntityType Name="Visit"><Key><PropertyRef Name="Code"/></Key><Property Name="Code" Type="Edm.String" Nullable="false"/>
 <Property Name="On" Type="Edm.DateTimeOffset"/><NavigationProperty Name="Tree" Type="Office.Tree"/></EntityType>
<Function Name="Oldest" IsBound="true"><Parameter Name="it" Type="Collection(Office.Tree)"/><Parameter Name="most" Type="Edm.Int32"/><ReturnType Type="Office.Tree"/></Function>
<Function Name="Near"><Parameter Name="place" Type="Office.Place"/><Parameter Name="cares" Type="Collection(Office.Care)"/><ReturnType Type="Collection(Office.Tree)"/></Function>
<Action Name="Water" IsBound="true"><Parameter Name="it" Type="Office.Tree"/><Parameter Name="litres" Type="Edm.Decimal"/></Action>
<EntityContainer Name="All"><EntitySet Name="Trees" EntityType="Office.Tree"/><EntitySet Name="Visits" EntityType="Office.Visit"/><Singleton Name="Eldest" Type="Office.Tree"/><FunctionImport Name="Near" Function="Office.Near" EntitySet="Trees"/></EntityContainer>
</Schema></edmx:DataServices></edmx:Edmx>"""
OLD_CSDL = """<edmx:Edmx xmlns:edmx="http://schemas.microsoft.com/ado/2007/06/edmx" Version="1.0"><edmx:DataServices xmlns:m="http://schemas.microsoft.com/ado/2007/08/dataservices/metadata" m:DataServiceVersion="2.0">
<Schema xmlns="http://schemas.microsoft.com/ado/2008/09/edm" Namespace="Office">
<EntityType Name="Tree"><Key><PropertyRef Name="District"/><PropertyRef Name="Number"/></Key><Property Name="District" Type="Edm.String" Nullable="false"/>
<Property Name="Number" Type="Edm.Int64" Nullable="false"/><Property Name="Girth" Type="Edm.Decimal" Precision="5" Scale="2"/><Property Name="Seen" Type="Edm.DateTime"/></EntityType>
<EntityContainer Name="All" m:IsDefaultEntityContainer="true"><EntitySet Name="Trees" EntityType="Office.Tree"/></EntityContainer></Schema></edmx:DataServices></edmx:Edmx>"""
GRAPHQL = """scalar Decimal
directive @of(x: Float = 0.5) on FIELD_DEFINITION
enum State { SOUND LEANING @deprecated }
interface Named { name: String! }
union Found = Tree | Visit
input Where { girth: Float = 4.5, state: [State!] = [SOUND] }
type Tree implements Named { id: ID!, name: String!, girth: Decimal, state: State, visits(first: Int = 10,
after: String): Visits!, old: String @deprecated }
type Visit { id: ID!, on: String }
type Visits { nodes: [Visit!]!, pageInfo: Page! }
type Page { hasNextPage: Boolean!, endCursor: String }
type Changed { tree: Tree, errors: [Problem!] }
type Problem { message: String!, field: String }
type Query { tree(id: ID!): Tree, trees(where: Where, first: Int): [Tree!]!, found: [Found!] }
type Mutation { change(id: ID!, girth: Float = 0.25): Changed }
"""
JSON_SCHEMA = json.dumps({"$schema": "https://json-schema.org/draft/2020-12/schema", "title": "tree", **schema("3.1"),
"$defs": {"Owner": OWNER}}).replace(
    "#/REF/Tree", "#"
).replace("#/REF/", "#/$defs/").replace('"EXACT"', EXACT)  # fmt: skip
XSD = """<xs:schema xmlns:xs="http://www.w3.org/2001/XMLSchema" targetNamespace="urn:tree" xmlns:t="urn:tree" elementFormDefault="qualified">
<xs:simpleType name="Girth"><xs:restriction base="xs:decimal"><xs:minInclusive value="0.1"/><xs:fractionDigits value="2"/></xs:restriction></xs:simpleType>
<xs:element name="trees"><xs:complexType><xs:sequence><xs:element name="tree" type="t:Tree" maxOccurs="unbounded"/></xs:sequence></xs:complexType>
<xs:key name="k"><xs:selector xpath="t:tree"/><xs:field xpath="@code"/></xs:key></xs:element>
<xs:complexType name="Care" abstract="true"><xs:sequence><xs:element name="on" type="xs:date"/></xs:sequence></xs:complexType>
<xs:complexType name="Pruning"><xs:complexContent><xs:extension base="t:Care"><xs:sequence><xs:element name="height" type="xs:int"/></xs:sequence></xs:extension></xs:complexContent></xs:complexType>
<xs:complexType name="Tree"><xs:sequence><xs:element name="care" type="t:Care" minOccurs="0"/><xs:element name="girth" type="t:Girth" default="0.5"/><xs:choice><xs:element name="a" type="xs:string"/><xs:element name="b" type="xs:date"/></xs:choice>
<xs:any minOccurs="0"/></xs:sequence><xs:attribute name="code" type="xs:string" use="required"/><xs:attribute ref="xml:lang" xmlns:xml="http://www.w3.org/XML/1998/namespace"/></xs:complexType></xs:schema>"""
HAR = json.dumps({"log": {"version": "1.2", "creator": {"name": "a", "version": "1"}, "entries": [
    {"startedDateTime": "2026-01-01T00:00:00Z", "time": 1.5, "request": {"method": "GET",
    "url": f"https://register.example/v1/trees?page={page}", "httpVersion": "HTTP/1.1", "cookies": [], "headers": [],
    "queryString": []},
     "response": {"status": 200, "statusText": "OK", "httpVersion": "HTTP/1.1", "cookies": [],
     "headers": [{"name": "Content-Type", "value": "application/json"}],
                  "content": {"mimeType": "application/json", "text": json.dumps({"trees": [{"number": "OLM-1",
                  "girth": 2.5}], "total": 2, "page": page})}}, "timings": {"wait": 0.5}}
    for page in (1, 2)] + [
    {"request": {"method": "POST", "url": "https://register.example/v1/tokens/summer-7x/care", "headers": [],
    "postData": {"mimeType": media, "text": text}},
     "response": {"status": 201, "content": {"mimeType": "application/json", "text": '{"id": 7}'}}}
    for media, text in (("application/json", '{"work": "pruned"}'), ("application/x-www-form-urlencoded",
    "work=felled&sign=a&sign=b"))]}})  # fmt: skip
WSDL = {name: (DOCUMENTS / name).read_text() for name in ("permits.wsdl", "permits.xsd")}

#: name -> (files, operations, whether its export holds as many: OpenAPI tells operations apart by method and path).
FORMATS = {
    "openapi-2": ({"r.json": openapi("2.0")}, 3, True),
    "openapi-30": ({"r.json": openapi("3.0")}, 4, True),
    "openapi-31": ({"r.json": openapi("3.1")}, 4, True),
    "csdl-4": ({"m.xml": CSDL}, None, False),
    "csdl-2": ({"m.xml": OLD_CSDL}, None, True),
    "graphql": ({"s.graphql": GRAPHQL}, 4, False),
    "wsdl": (WSDL, 4, False),
    "har": ({"h.har": HAR}, 2, True),
    "json-schema": ({"t.json": JSON_SCHEMA}, 0, True),
    "xsd": ({"t.xsd": XSD}, 0, True),
}


def requests_of(office, names):
    """What is sent and what answers, by title, of operations that may have other names."""
    documents = {one["title"]: one["document"] for one in map(office.operations.get, names)}
    parts = ("method", "path", "inputs", "query", "headers", "body", "other_bodies", "responses")
    return {title: {part: document.get(part) for part in parts} for title, document in documents.items()}


@pytest.mark.parametrize("name", FORMATS)
def test_every_format_goes_the_whole_road_and_the_same_document_is_the_same(rondine, name):
    files, count, exports_all = FORMATS[name]
    office, service = rondine.office(), f"road-{name}"
    look = office.definitions.look_at(files=files)
    assert look["left_out"] == []
    made = office.definitions.import_into(service, files=files)
    assert len(made["operations"]) == len(look["operations"]) and count in (None, len(made["operations"]))
    broken = [
        (operation["name"], operation["problems"])
        for operation in office.operations
        if operation["service"] == service and operation["problems"]
    ]
    assert broken == []
    assert office.definitions.import_into(service, files=files)["operations"] == []
    for _ in range(2):
        same = office.definitions.compare(made["definition"], files=files)
        assert (same["changes"], same["unchanged"]) == ([], max(len(made["operations"]), len(look["roots"])))
        office.definitions.update(made["definition"], files=files)
    out = office.services.export(service)["document"]
    if made["operations"]:
        back = office.definitions.import_into(f"{service}-b", files={"e.json": json.dumps(out)}, record_types=[])
        assert not exports_all or len(back["operations"]) == len(made["operations"])
        if name in ("openapi-30", "openapi-31"):
            assert requests_of(office, back["operations"]) == requests_of(office, made["operations"])


def test_every_digit_of_a_definition_survives_the_database(rondine):
    office = rondine.office()
    made = office.definitions.import_into("road-exact", files={"r.json": openapi("3.1")}, record_types=[])
    text = rondine.sql("SELECT schemas::text FROM operations_definition WHERE name = %s", made["definition"])[0][0]
    assert EXACT in text and '"multipleOf": 0.01' in text and '"const": 2.5' in text
    url = f"{rondine.url}/api/v1/projects/olmara/definitions/{made['definition']}/schemas"
    answer = httpx.get(url, headers={"Authorization": f"Bearer {rondine.token()}"}).text
    assert EXACT in answer.replace(" ", "")


def test_a_changed_limit_value_or_text_is_told_with_both_values(rondine):
    office = rondine.office()
    made = office.definitions.import_into("road-changed", files={"r.json": openapi("3.1")}, record_types=[])
    changed = openapi("3.1").replace('"leaning"', '"leaning", "felled"').replace("Find a tree", "Find one tree")
    changed = re.sub(r'("name": "X-Note".*?"maxLength": )9', r"\g<1>12", changed)
    found = office.definitions.compare(made["definition"], files={"r.json": changed})
    told = [
        (difference["unit"], difference["before"], difference["now"])
        for change in found["changes"]
        for difference in change["differences"]
    ]
    assert any(before == "string, one of sound, leaning" and "felled" in now for _, before, now in told), told


def test_record_types_take_the_declared_keys(rondine):
    office = rondine.office()
    keys = {}
    for name, files in (("csdl-4", CSDL), ("csdl-2", OLD_CSDL)):
        look = office.definitions.look_at(files={"m.xml": files})
        keys[name] = {one["wanted"] or one["name"]: one["key"] for one in look["record_types"]}
    assert keys["csdl-4"]["tree"] == ["district", "number"] and keys["csdl-4"]["visit"] == ["code"]
    assert keys["csdl-2"]["tree"] == ["district", "number"]
    look = office.definitions.look_at(files={"s.graphql": GRAPHQL})
    assert ["id"] in [one["key"] for one in look["record_types"]]
    look = office.definitions.look_at(files={"t.xsd": XSD})
    assert ["code"] in [one["key"] for one in look["record_types"]]
