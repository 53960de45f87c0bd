"""What `--set` changes in a document."""

from argparse import ArgumentTypeError

import pytest

from rondine_cli.items import with_changes

DOCUMENT = {"retrying": {"max_waits": 3}, "fields": [{"name": "number"}, {"name": "picture"}]}


@pytest.mark.parametrize(
    ("change", "found"),
    [
        ("retrying.max_waits=5", {"retrying": {"max_waits": 5}}),
        ("retrying.max_waits=", {"retrying": {}}),
        ("title=a text", {"title": "a text"}),
        ("fields.1.is_picture=true", {"fields": [{"name": "number"}, {"name": "picture", "is_picture": True}]}),
    ],
)
def test_a_value_is_set_at_its_place(change, found):
    assert with_changes(DOCUMENT, [change]) == {**DOCUMENT, **found}


@pytest.mark.parametrize(
    "change", ["=1", "title", "retrying.max_waits.x=1", "fields.2.name=x", "fields.x.name=1", "fields.0=1"]
)
def test_a_place_that_is_none_is_told(change):
    with pytest.raises(ArgumentTypeError, match="--set"):
        with_changes(DOCUMENT, [change])
