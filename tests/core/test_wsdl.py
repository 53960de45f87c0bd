"""WSDL with its schemas, read into operations; and the envelopes that are built from them."""

import time

import pytest
from hypothesis import given
from hypothesis import strategies as st
from lxml import etree

from rondine.core.definitions import Files, read_definition
from rondine.core.definitions.record_types import proposed_types
from rondine.core.documents import ReadDocument
from rondine.core.documents.elements import read_elements
from rondine.core.errors import DocumentError, InputError, RondineError
from rondine.core.operations.document import OperationDocument, is_reading
from rondine.core.operations.inputs import checked_inputs
from rondine.core.protocols.classifying import USUAL_RULES, classify_response
from rondine.core.protocols.problems import operation_problems
from rondine.core.protocols.rest import build_request
from rondine.core.protocols.soap import fault_of
from rondine.core.settings import load
from rondine.standins.permit_counter import DOCUMENTS

WSDL, XSD = ((DOCUMENTS / name).read_text() for name in ("permits.wsdl", "permits.xsd"))
P = "{urn:olmara:permits}"


def read(wsdl=WSDL, xsd=XSD):
    files = {"permits.wsdl": wsdl.encode()} | ({"permits.xsd": xsd.encode()} if xsd else {})
    return read_definition(Files("permits.wsdl", files))


def sent(document, **values):
    request = build_request(document, "http://p.example/services", checked_inputs(document.inputs, values)).request
    return request, etree.fromstring(request.body)


def test_operations_have_typed_inputs_and_envelopes_in_their_version():
    found = read()
    documents = {operation.key: operation.document for operation in found.operations}
    assert (list(documents), found.warnings, found.left_out) == (
        ["FindPermit", "ListPermits", "AskPermit", "CountPermits"],
        (),
        (),
    )
    assert found.servers[0].address == "http://permits.example/services" and documents["FindPermit"].path == "/counter"
    assert [is_reading(document) for document in documents.values()] == [True, True, False, False]
    assert all(operation_problems(document) == [] for document in documents.values())
    ask = documents["AskPermit"]
    assert {one.name: (one.type, one.required) for one in ask.inputs} == {
        "tree": ("text", True), "reason": ("text", True), "span_from": ("date", True), "span_until": ("date", False),
        "condition": ("json", False), "urgent": ("boolean", False),
    }  # fmt: skip
    request, root = sent(
        ask,
        tree="OLM-7",
        reason="a < b & 'c'",
        span_from="2026-11-03",
        condition=["by hand", "at night"],
        urgent="true",
    )
    assert (request.header("SOAPAction"), request.header("Content-Type")) == ('"urn:ask"', "text/xml; charset=utf-8")
    body = root[1][0]
    assert body.tag == f"{P}AskPermit" and body.get("urgent") == "true" and body.findtext(f"{P}reason") == "a < b & 'c'"
    assert [one.tag.partition("}")[2] for one in body] == ["tree", "reason", "span", "condition", "condition"]
    assert body.findtext(f"{P}span/{P}from") == "2026-11-03" and body.find(f"{P}span/{P}until") is None
    request, root = sent(documents["CountPermits"], status="granted")
    assert (
        request.header("SOAPAction") is None
        and request.header("Content-Type") == 'application/soap+xml; charset=utf-8; action="urn:count"'
    )
    assert root[1][0].tag == f"{P}CountPermits" and root[1][0][0].tag == "status"
    assert documents["FindPermit"].inputs[0].description == "As on the notice at the tree." and documents[
        "ListPermits"
    ].inputs[0].allowed == ["asked", "granted", "refused"]
    types = {one.name: one.document.key for one in proposed_types([documents["ListPermits"]], found.schemas)}
    assert types["permit"] == ["number"]


def test_objects_and_lists_become_elements_of_the_same_prefix():
    body = {"type": "soap", "version": "1.2", "namespaces": {"p": "urn:x"}, "root": "p:R", "elements": [{"at": "p:a",
    "value": {"input": "v"}}, {"at": "p:b/p:c/.", "value": "t"}, {"at": "p:b/p:c/@u", "value": "m"}],
    "headers": [{"at": "p:H", "value": "h"}]}  # fmt: skip
    document = load(
        OperationDocument, {"method": "POST", "path": "/", "inputs": [{"name": "v", "type": "json"}], "body": body}
    )
    _, root = sent(document, v=[{"x": 1, "@id": "7"}, {"x": [1, 2]}])
    assert [etree.tostring(one, with_tail=False).decode().partition(" xmlns")[0] for one in root[1][0]] == [
        "<p:a",
        "<p:a",
        "<p:b",
    ]
    assert root[1][0][0].get("id") == "7" and len(root[1][0][1]) == 2 and root[0][0].text == "h"
    assert root[1][0][2][0].text == "t" and root[1][0][2][0].get("u") == "m"
    wrong = load(
        OperationDocument,
        {
            "method": "POST",
            "path": "/",
            "body": {**body, "elements": [{"at": "q:a", "value": "x"}, {"at": "a b", "value": "x"}]},
        },
    )
    assert [problem.where for problem in operation_problems(wrong) if "elements" in problem.where] == [
        "/body/elements/0/at",
        "/body/elements/1/at",
    ]


@given(st.text(max_size=40))
def test_any_text_arrives_as_it_was_given_or_without_what_xml_cannot_hold(text):
    document = load(
        OperationDocument,
        {
            "method": "POST",
            "path": "/",
            "inputs": [{"name": "v"}],
            "body": {"type": "soap", "elements": [{"at": "a", "value": {"input": "v"}}]},
        },
    )
    if any(0xD800 <= ord(char) <= 0xDFFF or ord(char) in (0xFFFE, 0xFFFF) for char in text):
        return
    _, root = sent(document, v=text)
    wanted = "".join(char for char in text if char in "\t\n\r" or char >= " ").replace("\r\n", "\n").replace("\r", "\n")
    assert (root[1][0][0].text or "") == wanted if text else len(root[1][0]) <= 1


@pytest.mark.parametrize(
    ("wsdl", "xsd", "where", "words"),
    [
        (WSDL, "", "permits.wsdl, line 3", '"permits.xsd" is not here'),
        (WSDL, XSD[:500], "permits.wsdl, line 3", "cannot be read"),
        (
            WSDL.replace('element="p:FindPermit"', 'element="p:FindPermitt"'),
            XSD,
            "permits.wsdl, line 4",
            '"p:FindPermitt" is not defined',
        ),
        (
            WSDL.replace('message="t:AskPermitIn"', 'message="t:AskPermitInn"'),
            XSD,
            "permits.wsdl, line 16",
            '"AskPermitInn" is not defined',
        ),
        (
            WSDL,
            XSD.replace('type="p:Span"', 'type="p:Spann"'),
            "permits.wsdl",
            '"Spann" of urn:olmara:permits is not defined',
        ),
        (WSDL.replace('type="t:Counter"', 'type="t:Countr"'), XSD, "line ", '"t:Countr" is not defined'),
    ],
)
def test_a_broken_part_is_said_with_its_place_and_the_rest_is_offered(wsdl, xsd, where, words):
    found = read(wsdl, xsd)
    problems = [*found.warnings, *found.left_out]
    assert any(where in problem.where and words in problem.message for problem in problems), problems
    assert any(operation.key == "CountPermits" for operation in found.operations)


def test_faults_are_failures_with_their_own_words_whatever_the_status():
    old = (
        b"<e:Envelope"
        b" xmlns:e='http://schemas.xmlsoap.org/soap/envelope/'><e:Body><e:Fault><faultcode>e:Client</faultcode><faultstring>there"
        b" is none</faultstring><detail>P-9</detail></e:Fault></e:Body></e:Envelope>"
    )
    new = (
        b"<e:Envelope"
        b" xmlns:e='http://www.w3.org/2003/05/soap-envelope'><e:Body><e:Fault><e:Code><e:Value>e:Sender</e:Value></e:Code><e:Reason><e:Text>no</e:Text></e:Reason></e:Fault></e:Body></e:Envelope>"
    )
    old, new = (read_elements(one).value for one in (old, new))
    assert (fault_of(old), fault_of(new)) == ("there is none (Client; P-9)", "no (Sender)")
    assert fault_of(read_elements(b"<a><Fault/></a>").value) == fault_of("Fault") == fault_of(None) == ""
    assert not classify_response(USUAL_RULES, 200, ReadDocument(old, "xml")).is_good


@given(st.booleans(), st.floats(0, 1), st.integers(0, 60), st.text(max_size=12))
def test_however_a_wsdl_is_broken_it_ends_with_operations_or_words(is_wsdl, share, length, new):
    text = WSDL if is_wsdl else XSD
    at = int(share * len(text))
    broken = text[:at] + new + text[at + length :]
    try:
        found = read(broken, XSD) if is_wsdl else read(WSDL, broken)
    except RondineError as error:
        assert error.where
        return
    assert all(operation_problems(operation.document) == [] for operation in found.operations)


def test_what_is_no_wsdl_is_said():
    with pytest.raises(DocumentError, match="no service"):
        read('<definitions xmlns="http://schemas.xmlsoap.org/wsdl/"/>')


def test_groups_and_types_that_hold_each_other_end():
    groups = '<xs:group name="G"><xs:sequence><xs:group ref="p:G"/><xs:group ref="p:G"/></xs:sequence></xs:group>'
    types = "".join(
        f'<xs:complexType name="T{n}"><xs:sequence>'
        + "".join(f'<xs:element name="e{k}" type="p:T{(n + 1) % 40}"/>' for k in range(9))
        + '<xs:group ref="p:G"/></xs:sequence></xs:complexType>'
        for n in range(40)
    )
    circles = (
        XSD.replace("</xs:schema>", f"{groups}{types}</xs:schema>")
        .replace('name="permit" type="p:Permit"', 'name="permit" type="p:T0"')
        .replace('name="tree" type="xs:string"', 'name="tree" type="p:T0"')
    )
    began = time.monotonic()
    found = read(WSDL, circles)
    assert len(found.operations) == 4 and time.monotonic() - began < 60


COUNTERS = """<definitions xmlns="http://schemas.xmlsoap.org/wsdl/" xmlns:s="http://schemas.xmlsoap.org/wsdl/soap/" xmlns:t="urn:counter"
  xmlns:x="http://www.w3.org/2001/XMLSchema" targetNamespace="urn:counter" name="counters">
  <types><x:schema targetNamespace="urn:counter" elementFormDefault="qualified" xmlns:p="urn:place">
    <x:import namespace="urn:place"/>
    <x:element name="File"><x:complexType><x:sequence>
      <x:element name="permit" maxOccurs="unbounded"><x:complexType><x:sequence>
        <x:element name="number" type="x:string"/>
        <x:element ref="p:place"/>
        <x:element name="work" type="t:Work" maxOccurs="unbounded"/>
      </x:sequence><x:attribute name="year" type="x:int"/></x:complexType></x:element>
    </x:sequence></x:complexType></x:element>
    <x:complexType name="Work"><x:sequence><x:element name="kind" type="x:string"/><x:element name="part" type="t:Work" minOccurs="0"/></x:sequence></x:complexType>
    <x:element name="Note" type="x:string"/>
  </x:schema>
  <x:schema targetNamespace="urn:place"><x:element name="place"><x:complexType><x:sequence>
    <x:element name="street" type="x:string"/><x:element name="house" type="x:int"/></x:sequence></x:complexType></x:element></x:schema></types>
  <message name="FileIn"><part name="body" element="t:File"/><part name="note" element="t:Note"/></message>
  <portType name="Desk"><operation name="file"><input message="t:FileIn"/></operation></portType>
  <portType name="Archive"><operation name="file"><input message="t:FileIn"/></operation></portType>
  <binding name="DeskB" type="t:Desk"><s:binding transport="http://schemas.xmlsoap.org/soap/http"/>
    <operation name="file"><s:operation soapAction="desk"/><input><s:body use="literal" parts="body"/></input></operation></binding>
  <binding name="ArchiveB" type="t:Archive"><s:binding transport="http://schemas.xmlsoap.org/soap/http"/>
    <operation name="file"><s:operation soapAction="archive"/><input><s:body use="literal" parts="note"/></input></operation></binding>
  SERVICE
</definitions>"""
PORT = '<port name="{0}P" binding="t:{0}B"><s:address location="{1}"/></port>'


def counters(*addresses):
    ports = "".join(PORT.format(name, address) for name, address in zip(("Desk", "Archive"), addresses, strict=False))
    service = f"<service name='Counters'>{ports}</service>" if addresses else ""
    return read_definition(Files("c.wsdl", {"c.wsdl": COUNTERS.replace("SERVICE", service).encode()}))


def test_ports_at_several_addresses_keep_their_own_and_same_named_operations_are_all_there():
    found = counters("https://counter.example/ws/desk", "https://counter.example/ws/archive?v=2")
    assert [server.address for server in found.servers] == ["https://counter.example"]
    assert {
        operation.key: (operation.document.path, operation.document.body.action) for operation in found.operations
    } == {
        "file": ("/ws/desk", "desk"),
        "Archive/file": ("/ws/archive?v=2", "archive"),
    }
    apart = counters("https://counter.example/desk", "https://archive.example/desk")
    assert [operation.document.path for operation in apart.operations] == ["/desk"]
    assert "is at another address: https://archive.example/desk" in apart.left_out[0].message


def test_bindings_without_a_port_are_told_and_can_be_used_with_an_address_of_ones_own():
    found = counters()
    assert found.servers == () and len(found.operations) == 2
    assert any("it names no address" in warning.message for warning in found.warnings)


def test_a_body_has_the_parts_that_its_binding_names():
    desk, archive = counters("https://counter.example/a", "https://counter.example/b").operations
    assert desk.document.body.root.endswith(":File") and archive.document.body.root.endswith(":Note")


def test_elements_in_lists_are_written_in_the_order_and_namespaces_of_their_schema_at_any_depth():
    operation = counters("https://counter.example/desk").operations[0].document
    permit = {
        "work": [{"part": {"kind": "roots", "part": {"kind": "bark"}}, "kind": "pruning"}],
        "place": {"house": 7, "street": "Via Orti"},
        "year": 2026,
        "number": "P-1",
    }
    sent = build_request(operation, "https://counter.example", {"permit": [permit]}).request.body.decode()
    n1, n2 = (
        next(p for p, uri in operation.body.namespaces.items() if uri == name) for name in ("urn:counter", "urn:place")
    )
    assert (
        f'<{n1}:permit year="2026"><{n1}:number>P-1</{n1}:number><{n2}:place><street>Via'
        f" Orti</street><house>7</house></{n2}:place>"
        f"<{n1}:work><{n1}:kind>pruning</{n1}:kind><{n1}:part><{n1}:kind>roots</{n1}:kind><{n1}:part><{n1}:kind>bark</{n1}:kind>"
        in sent
    )
    with pytest.raises(InputError, match='"permit" has no member "nummer"'):
        build_request(operation, "https://counter.example", {"permit": [{"nummer": "P-1"}]})


RULES = """<x:schema xmlns:x="http://www.w3.org/2001/XMLSchema" xmlns:r="urn:rules" targetNamespace="urn:rules" attributeFormDefault="qualified">
  <x:include schemaLocation="{other}"/>
  <x:element name="File"><x:complexType><x:sequence>
    <x:element name="number" type="r:Number"/>
    <x:element name="girth"><x:simpleType><x:restriction base="x:decimal"><x:minInclusive value="0"/><x:maxExclusive value="20.5"/></x:restriction></x:simpleType></x:element>
    <x:element name="office" type="x:string" fixed="Olmara"/>
    <x:element name="copies" type="x:int" default="1"/>
    <x:element name="print" type="x:boolean" default="false" minOccurs="0"/>
    <x:element name="work" type="r:Work" minOccurs="0"/>
    <x:element name="place" minOccurs="0"><x:complexType><x:sequence><x:element name="street" type="x:string"/><x:element name="house" type="x:int" minOccurs="0"/></x:sequence></x:complexType></x:element>
    <x:any minOccurs="0"/>
  </x:sequence><x:attribute name="year" type="x:int"/><x:attribute ref="xml:lang"/><x:anyAttribute/></x:complexType></x:element>
  <x:complexType name="Work" abstract="true"><x:sequence><x:element name="kind" type="x:string"/></x:sequence></x:complexType>
  <x:complexType name="Felling"><x:complexContent><x:extension base="r:Work"><x:sequence><x:element name="stump" type="x:boolean"/><x:element name="then" type="r:Note" minOccurs="0"/></x:sequence></x:extension></x:complexContent></x:complexType>
  <x:complexType name="Cut" abstract="true"><x:complexContent><x:extension base="r:Work"/></x:complexContent></x:complexType>
  <x:complexType name="Pruning"><x:complexContent><x:extension base="r:Cut"><x:sequence><x:element name="height" type="x:int"/></x:sequence></x:extension></x:complexContent></x:complexType>
  <x:complexType name="Note"><x:sequence><x:element name="text" type="x:string"/></x:sequence></x:complexType>
  <x:complexType name="Signed"><x:complexContent><x:extension base="r:Note"><x:sequence><x:element name="by" type="x:string"/></x:sequence></x:extension></x:complexContent></x:complexType>
  <x:complexType name="Lone" abstract="true"/>
  <x:element name="Other" type="r:Lone"/>
</x:schema>"""
NUMBER = """<x:schema xmlns:x="http://www.w3.org/2001/XMLSchema" targetNamespace="urn:rules"><x:include schemaLocation="../wrong/rules.xsd"/>
  <x:simpleType name="Short"><x:restriction base="x:string"><x:maxLength value="9"/></x:restriction></x:simpleType>
  <x:simpleType name="Number"><x:restriction xmlns:r="urn:rules" base="r:Short"><x:pattern value="OLM-[0-9]+"/><x:pattern value="NEW"/></x:restriction></x:simpleType>
</x:schema>"""
FILING = """<definitions xmlns="http://schemas.xmlsoap.org/wsdl/" xmlns:s="http://schemas.xmlsoap.org/wsdl/soap/" xmlns:r="urn:rules" targetNamespace="urn:filing">
  <types><x:schema xmlns:x="http://www.w3.org/2001/XMLSchema"><x:import namespace="urn:rules" schemaLocation="rules.xsd"/></x:schema></types>
  <message name="In"><part name="body" element="r:File"/></message>
  <portType name="Desk"><operation name="file"><input message="t:In" xmlns:t="urn:filing"/></operation></portType>
  <binding name="B" type="t:Desk" xmlns:t="urn:filing"><s:binding transport="http://schemas.xmlsoap.org/soap/http"/>
    <operation name="file"><s:operation soapAction="file"/><input><s:body use="literal"/></input></operation></binding>
  <service name="S"><port name="P" binding="t:B" xmlns:t="urn:filing"><s:address location="https://filing.example/desk"/></port></service>
</definitions>"""


def filing():
    """Two schemas that include each other by paths that lead nowhere."""
    schemas = {"rules.xsd": RULES.format(other="elsewhere/number.xsd").encode(), "number.xsd": NUMBER.encode()}
    return read_definition(Files("filing.wsdl", {"filing.wsdl": FILING.encode(), **schemas}))


def test_facets_defaults_and_fixed_values_of_a_schema_are_kept():
    document = filing().operations[0].document
    inputs = {one.name: one for one in document.inputs}
    assert (inputs["number"].bounds.max_length, inputs["number"].bounds.pattern) == (9, "^(?:OLM-[0-9]+|NEW)$")
    assert (inputs["girth"].bounds.minimum, inputs["girth"].bounds.exclusive_maximum) == (0, 20.5)
    assert "office" not in inputs  # it has one value only
    assert (inputs["copies"].default, inputs["copies"].required, inputs["print"].try_value) == ("1", True, "false")
    with pytest.raises(InputError):
        checked_inputs(document.inputs, {"number": "OLM-X", "girth": "3"})


def test_attributes_stand_in_the_namespace_that_their_schema_says():
    document = filing().operations[0].document
    values = checked_inputs(document.inputs, {"number": "OLM-7", "girth": "3.5", "year": "2026", "lang": "it"})
    root = etree.fromstring(build_request(document, "https://filing.example", values).request.sent_body)
    file = root.find(".//{urn:rules}File")
    assert dict(file.attrib) == {"{urn:rules}year": "2026", "{http://www.w3.org/XML/1998/namespace}lang": "it"}
    assert [(one.tag, one.text) for one in file] == [
        ("number", "OLM-7"),
        ("girth", "3.5"),
        ("office", "Olmara"),
        ("copies", "1"),
    ]


def filed(**values):
    document = filing().operations[0].document
    given = checked_inputs(document.inputs, {"number": "OLM-7", "girth": "3.5", **values})
    sent = build_request(document, "https://filing.example", given).request.sent_body
    return etree.fromstring(sent).find(".//{urn:rules}File")


def test_a_value_of_an_abstract_type_says_of_which_one_it_is():
    work = next(one for one in filing().operations[0].document.inputs if one.name == "work")
    assert work.type == "json" and "@xsi:type: one of n1:Felling, n1:Pruning" in work.description
    kind = "{http://www.w3.org/2001/XMLSchema-instance}type"
    root = filed(work={"stump": True, "kind": "dead", "@xsi:type": "Felling", "then": {"by": "Mira", "text": "burnt",
    "@xsi:type": "Signed"}})  # fmt: skip
    made = root.find("work")
    prefix = next(name for name, uri in made.nsmap.items() if uri == "urn:rules")
    assert made.get(kind) == f"{prefix}:Felling"
    assert [(one.tag, one.text) for one in made][:2] == [("kind", "dead"), ("stump", "true")]
    assert made.find("then").get(kind) == f"{prefix}:Signed" and [one.tag for one in made.find("then")] == [
        "text",
        "by",
    ]
    plain = filed(work={"kind": "dead", "xsi:type": "x:Felling", "then": {"text": "burnt"}}).find("work/then")
    assert plain.get(kind) is None  # it is of its declared type, which is none of the abstract ones
    with pytest.raises(InputError, match='"work" does not say its type') as caught:
        filed(work={"kind": "dead"})
    assert "Felling, Pruning" in caught.value.hint
    with pytest.raises(InputError, match='"work" is of no type "Cut"'):
        filed(work={"kind": "dead", "@xsi:type": "Cut"})
    with pytest.raises(InputError, match='"work" has no member "height"'):
        filed(work={"kind": "dead", "height": 3, "@xsi:type": "Felling"})


def test_what_an_element_that_may_be_left_out_requires_goes_with_it():
    assert filed().find("place") is None
    assert [(one.tag, one.text) for one in filed(place_street="Weir Path").find("place")] == [("street", "Weir Path")]
    with pytest.raises(InputError, match='"place_street" is required: "place" is sent with "place_house"'):
        filed(place_house="4")


def test_a_response_has_the_members_that_derived_types_add():
    files = Files("rules.xsd", {"rules.xsd": RULES.format(other="number.xsd").encode(), "number.xsd": NUMBER.encode()})
    found = read_definition(files)
    assert sorted(found.schemas["Work"]["properties"]) == ["height", "kind", "stump", "then"]
    assert found.schemas["Work"]["required"] == ["kind"]
    told = [warning.message for warning in found.warnings]
    assert 'the type "Lone" is abstract, and no type that is here derives from it' in told


def test_what_a_schema_leaves_open_is_told():
    words = " | ".join(warning.message for warning in filing().warnings)
    assert "one type may hold any elements or attributes besides what is described: File" in words
