"""Forms come from the settings' own classes: every scheme can be drawn, and every field says what it is."""

from typing import get_args

import pytest
from jsonschema import Draft202012Validator

from rondine.core.errors import InputError
from rondine.core.forms import document_schema, form_of, forms_of_parts
from rondine.core.http.time_outs import TimeOuts
from rondine.core.items.connection import ConnectionDocument
from rondine.core.mapping.document import MappingDocument
from rondine.core.settings import load
from rondine.core.signin import AuthorizationCode, SignIn, SignInOperation


@pytest.mark.parametrize("kind", get_args(SignIn))
def test_every_scheme_has_a_form_that_its_defaults_fill(kind):
    form = form_of(kind)
    assert form.type == kind.__struct_config__.tag and form.words
    assert {field.name for field in form.fields} == set(kind.__struct_encode_fields__)
    values = {field.name: field.default for field in form.fields if field.default is not None}
    required = {field.name: "x" for field in form.fields if field.is_required}
    assert load(SignIn, {"type": form.type, **values, **required})


def test_fields_have_kinds_choices_help_and_an_order():
    fields = {field.name: field for field in form_of(SignInOperation).fields}
    assert (fields["inputs"].kind, fields["secret_inputs"].kind, fields["token_in"].choices) == (
        "map",
        "list",
        ["body", "header", "cookie"],
    )
    assert fields["lifetime_seconds"].kind == "integer" and fields["lifetime_seconds"].is_rare
    assert fields["lifetime_at"].help == "JSON Pointers, if the response says so"
    names = [field.name for field in form_of(AuthorizationCode).fields]
    assert names[:3] == ["authorization_address", "token_address", "client_id"] and names[-1] == "resource"
    assert form_of(TimeOuts).words.endswith("in seconds.") and form_of(ConnectionDocument).fields


def test_a_documents_schema_says_what_each_field_is():
    schema = document_schema(MappingDocument)
    Draft202012Validator.check_schema(schema)
    rule = schema["$defs"]["FieldRule"]
    assert rule["description"] == "How one field gets its value."
    assert rule["properties"]["from"]["description"] == "a path in its short form, or written out"
    silent = {
        (name, field)
        for name, part in schema["$defs"].items()
        for field, one in part["properties"].items()
        if field != "type" and not one.get("description")
    }
    assert silent == set()


@pytest.mark.parametrize(
    ("change", "is_good"),
    [
        ({}, True),
        ({"form": "json"}, False),
        ({"outputs": [{"record_type": "tree", "fields": [{"name": "girth", "from": "girth",
        "convert": [{"type": "trim"}]}]}]}, True),
        ({"outputs": [{"record_type": "tree", "fields": [{"name": "girth", "from": "girth",
        "convert": [{"type": "trimmed"}]}]}]}, False),
        ({"outputs": [{"record_type": "tree", "fields": [{"name": "girth", "from": {"value": None}}]}]}, True),
        ({"outputs": [{"record_type": "tree", "rows": [{"level": "tree"}]}]}, False),
    ],
)  # fmt: skip
def test_a_documents_schema_and_its_class_refuse_the_same(change, is_good):
    document = {"version": 1, **change}
    assert Draft202012Validator(document_schema(MappingDocument)).is_valid(document) is is_good
    if is_good:
        load(MappingDocument, document)
    else:
        with pytest.raises(InputError):
            load(MappingDocument, document)


def test_the_parts_of_a_document_have_a_form_each_under_the_title_of_their_field():
    forms = forms_of_parts(ConnectionDocument)
    assert {name for name, form in forms.items() if form.may_be_none} == {"breaker", "caller"} and "limits" not in forms
    titles = {name: form.title for name, form in forms.items()}
    assert titles == {
        "tls": "TLS",
        "proxy": "Proxy",
        "time_outs": "Time-outs",
        "retrying": "Retrying",
        "breaker": "Left alone",
        "caller": "User of an application",
    }
    assert [(field.name, field.kind, field.default) for field in forms["retrying"].fields] == [
        ("max_waits", "integer", 3),
        ("max_retries", "integer", 4),
        ("statuses", "integers", [408, 425, 429, 500, 502, 503, 504]),
        ("first_pause", "number", 1.0),
        ("max_pause", "number", 60.0),
        ("max_retries_of_run", "integer", 100),
        ("repeats", "choice", "idempotent"),
        ("max_redirects", "integer", 5),
    ]
    assert {field.name: field.kind for field in forms["tls"].fields} == dict.fromkeys(
        ("authority", "certificate"), "long_text"
    )
