"""Forms come from the settings' own classes: every scheme can be drawn, and every field says what it is."""

from typing import get_args

import pytest

from rondine.core.connection import ConnectionDocument, TimeOutSettings
from rondine.core.forms import form_of
from rondine.core.settings import load
from rondine.core.signin import AuthorizationCode, SignIn, SignInOperation


@pytest.mark.parametrize("kind", get_args(SignIn))
def test_every_scheme_has_a_form_that_its_defaults_fill(kind):
    form = form_of(kind)
    assert form.type == kind.__struct_config__.tag and form.words
    assert {one.name for one in form.fields} == set(kind.__struct_encode_fields__)
    values = {one.name: one.default for one in form.fields if one.default is not None}
    required = {one.name: "x" for one in form.fields if one.is_required}
    assert load(SignIn, {"type": form.type, **values, **required})


def test_fields_have_kinds_choices_help_and_an_order():
    fields = {one.name: one for one in form_of(SignInOperation).fields}
    assert (fields["inputs"].kind, fields["secret_inputs"].kind, fields["token_in"].choices) == (
        "map",
        "list",
        ["body", "header", "cookie"],
    )
    assert fields["lifetime_seconds"].kind == "integer" and fields["lifetime_seconds"].is_rare
    assert fields["lifetime_at"].help == "JSON Pointers, if the response says so"
    names = [one.name for one in form_of(AuthorizationCode).fields]
    assert names[:3] == ["authorization_address", "token_address", "client_id"] and names[-1] == "resource"
    assert form_of(TimeOutSettings).words == "Seconds." and form_of(ConnectionDocument).fields
