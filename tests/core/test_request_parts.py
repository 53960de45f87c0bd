"""What a request is put together from: path templates, query styles, and bodies of every kind."""

import contextlib
import json
from decimal import Decimal
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rondine.core.errors import InputError, RondineError
from rondine.core.http.messages import http_text
from rondine.core.operations.document import OperationDocument
from rondine.core.operations.inputs import checked_inputs
from rondine.core.protocols.problems import operation_problems
from rondine.core.protocols.rest import build_request
from rondine.core.protocols.styles import expand, query_pairs
from rondine.core.settings import load

BASE = "https://register.example/v1"


def operation(**document):
    return load(OperationDocument, document)


def built(document, **values):
    return build_request(document, BASE, checked_inputs(document.inputs, values)).request


def body_of(document, **values):
    return built(document, **values).body.decode()


# --- path templates: the published conformance data (tests/data/uri-template, with its licence)


def _cases(*files):
    return list(_read(*files))


def _read(*files):
    for file in files:
        found = json.loads(
            (Path(__file__).parents[1] / "data" / "uri-template" / file).read_text(), parse_float=Decimal
        )
        for title, section in found.items():
            for number, (template, expected) in enumerate(section["testcases"]):
                yield pytest.param(section["variables"], template, expected, id=f"{title} {number}")


@pytest.mark.parametrize(
    ("variables", "template", "expected"),
    _cases("spec-examples.json", "spec-examples-by-section.json", "extended-tests.json", "corners.json"),
)
def test_templates_are_filled_in_as_rfc_6570_says(variables, template, expected):
    if expected is None:
        with pytest.raises(InputError):
            expand(template, variables)
        return
    assert expand(template, variables) in ([expected] if isinstance(expected, str) else expected)


@pytest.mark.parametrize(("variables", "template", "expected"), _cases("negative-tests.json"))
def test_what_is_no_template_is_refused_or_filled_in(variables, template, expected):
    if expected is False:
        with pytest.raises(InputError):
            expand(template, variables)
    else:
        assert expand(template, variables) == expected


@given(st.text(max_size=40))
def test_no_path_makes_the_builder_fail_without_words(path):
    with contextlib.suppress(RondineError):
        build_request(operation(path=path), BASE, {})
    assert isinstance(operation_problems(operation(path=path)), list)


# --- query styles (OpenAPI 3.1, "Style Examples")

LIST, MEMBERS = ["blue", "black", "brown"], {"R": 100, "G": 200, "B": 150}


@pytest.mark.parametrize(
    ("style", "explode", "value", "expected"),
    [
        ("form", False, "blue", "color=blue"),
        ("form", False, LIST, "color=blue,black,brown"),
        ("form", False, MEMBERS, "color=R,100,G,200,B,150"),
        ("form", True, LIST, "color=blue&color=black&color=brown"),
        ("form", True, MEMBERS, "R=100&G=200&B=150"),
        ("spaceDelimited", False, LIST, "color=blue%20black%20brown"),
        ("spaceDelimited", False, MEMBERS, "color=R%20100%20G%20200%20B%20150"),
        ("pipeDelimited", False, LIST, "color=blue%7Cblack%7Cbrown"),
        ("pipeDelimited", False, MEMBERS, "color=R%7C100%7CG%7C200%7CB%7C150"),
        ("deepObject", True, MEMBERS, "color%5BR%5D=100&color%5BG%5D=200&color%5BB%5D=150"),
        ("json", True, LIST, "color=%5B%22blue%22,%22black%22,%22brown%22%5D"),
        ("form", False, ["a,b", "c d"], "color=a%2Cb,c%20d"),
        ("form", True, [], ""),
    ],
)
def test_lists_and_objects_are_written_in_their_style(style, explode, value, expected):
    assert "&".join(query_pairs("color", value, style, explode=explode)) == expected


def test_headers_and_cookies_take_lists_too():
    document = operation(
        inputs=[{"name": "care", "type": "json"}, {"name": "office"}],
        headers=[{"name": "X-Care", "value": {"input": "care"}}],
        cookies=[{"name": "office", "value": {"input": "office"}}, {"name": "lang", "value": "de"}],
    )
    request = built(document, care='["prune", "water"]', office="a b;c")
    assert request.header("X-Care") == "prune,water" and request.header("Cookie") == "office=a%20b;c; lang=de"


# --- bodies


def planned(*members, **more):
    return operation(
        method="POST",
        path="/trees",
        inputs=[
            {"name": "number", "type": "integer"},
            {"name": "girth", "type": "decimal"},
            {"name": "street"},
            {"name": "planted", "type": "date"},
            {"name": "care", "type": "json"},
        ],
        body={"type": "json", "members": list(members), **more},
    )


WHOLE = (
    {"at": "/number", "value": {"input": "number"}},
    {"at": "/measures/girth", "value": {"input": "girth"}},
    {"at": "/place/street", "value": {"input": "street"}},
    {"at": "/planted", "value": {"input": "planted"}},
    {"at": "/care", "value": {"input": "care"}},
    {"at": "/kind", "value": "tree"},
    {"at": "/checked", "value": "true", "type": "boolean"},
    {"at": "/lots/0/number", "value": "7", "type": "integer"},
    {"at": "/lots/1/number", "value": "8", "type": "integer"},
)


def test_a_json_body_has_numbers_unquoted_and_leaves_out_what_has_no_value():
    sent = body_of(planned(*WHOLE), number=7, girth="1.250", planted="2026-11-03", care=["prune"])
    assert json.loads(sent, parse_float=str) == {
        "number": 7, "measures": {"girth": "1.25"}, "planted": "2026-11-03", "care": ["prune"],
        "kind": "tree", "checked": True, "lots": [{"number": 7}, {"number": 8}],
    }  # fmt: skip


def test_a_body_within_a_body_becomes_escaped_text():
    document = planned(
        {"at": "/payload", "value": {"input": "care"}, "type": "json_text"},
        {"at": "/of", "value": ["tree ", {"input": "number"}]},
    )
    assert json.loads(body_of(document, care='{"do": ["\\"cut\\""]}', number=7)) == {
        "payload": '{"do":["\\"cut\\""]}',
        "of": "tree 7",
    }


def test_a_whole_body_can_be_one_value_and_nothing_is_sent_without_it():
    document = planned({"at": "", "value": {"input": "care"}})
    assert body_of(document, care=[1, 2]) == "[1,2]"
    assert built(document).body is None and built(document).header("Content-Type") is None


def test_members_that_contradict_each_other_are_problems():
    document = planned(
        {"at": "/place", "value": "x"}, {"at": "/place/street", "value": "y"}, {"at": "/place", "value": "z"}
    )
    assert [problem.where for problem in operation_problems(document) if "members" in problem.where] == [
        "/body/members/1/at",
        "/body/members/2/at",
    ]


def test_a_fixed_value_that_is_not_of_its_type_is_refused_with_its_place():
    with pytest.raises(InputError, match="not a whole number") as caught:
        built(planned({"at": "/number", "value": "seven", "type": "integer"}))
    assert caught.value.where == "body/number"


@given(
    st.recursive(
        st.none() | st.booleans() | st.integers() | st.text(),
        lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=3), inner, max_size=3),
        max_leaves=8,
    )
)
def test_any_json_value_arrives_as_it_was_given(value):
    if value is not None:
        sent = body_of(planned({"at": "/a~1b/c~0d", "value": {"input": "care"}}), care=json.dumps(value))
        assert json.loads(sent) == {"a/b": {"c~d": value}}


def test_a_multipart_body_has_texts_files_and_bytes():
    parts = [
        {"name": "number", "value": {"input": "number"}},
        {"name": 'sur"vey', "value": "<svg/>", "file_name": "survey.svg", "media_type": "image/svg+xml"},
        {"name": "photo", "value": "AAEC", "encoding": "base64", "file_name": "a.bin"},
        {"name": "street", "value": {"input": "street"}},
    ]
    document = operation(
        method="POST", inputs=[{"name": "number"}, {"name": "street"}], body={"type": "multipart", "parts": parts}
    )
    request = built(document, number="7")
    boundary = request.header("Content-Type").partition("boundary=")[2]
    sections = request.body.split(f"--{boundary}".encode())
    assert len(sections) == 5 and sections[-1] == b"--\r\n"
    assert sections[1] == b'\r\nContent-Disposition: form-data; name="number"\r\n\r\n7\r\n'
    assert b'name="sur%22vey"; filename="survey.svg"\r\nContent-Type: image/svg+xml\r\n\r\n<svg/>' in sections[2]
    assert sections[3].endswith(b"\r\n\r\n\x00\x01\x02\r\n")


def test_a_value_in_xml_is_written_with_references_and_the_text_around_it_stays():
    document = operation(
        method="POST", inputs=[{"name": "street"}],
        body={"type": "text", "media_type": "application/xml", "content": ["<tree street='", {"input": "street"},
        "'/>"]},
    )  # fmt: skip
    request = built(document, street="<Am 'Tor' & Co>")
    assert request.body.decode() == "<tree street='&lt;Am &apos;Tor&apos; &amp; Co&gt;'/>"
    assert request.header("Content-Type") == "application/xml" and "Content-Type: application/xml" in http_text(request)


def test_bytes_are_given_as_base64():
    document = operation(
        method="PUT",
        inputs=[{"name": "sheet"}],
        body={"type": "bytes", "media_type": "application/pdf", "content": {"input": "sheet"}},
    )
    assert built(document, sheet="JVBE").body == b"%PD"
    with pytest.raises(InputError, match="not base64"):
        built(document, sheet="no!")


def test_a_json_input_that_is_no_json_says_how_it_is_written():
    with pytest.raises(InputError, match=r"is not JSON.*a list \[\"so\"\]"):
        checked_inputs(planned(*WHOLE).inputs, {"care": "prune, water"})
