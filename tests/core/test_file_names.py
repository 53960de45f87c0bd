"""The name that a response proposes for saving it: the extended one first, and never a path."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rondine.core.http.file_names import LONGEST, proposed_file_name


@pytest.mark.parametrize(
    ("said", "name"),
    [
        ("", ""),
        ("attachment", ""),
        ('attachment; filename="trees.csv"', "trees.csv"),
        ("inline; FILENAME=trees.csv", "trees.csv"),
        ("attachment; filename=\"trees.csv\"; filename*=UTF-8''B%C3%A4ume%20im%20Park.csv", "Bäume im Park.csv"),
        ("attachment; filename*=UTF-8'de'%e2%82%ac.csv; filename=x.csv", "€.csv"),
        ("attachment; filename*=iso-8859-1'en'%A3.csv", "£.csv"),
        ('attachment; filename="../../etc/trees.csv"', "trees.csv"),
        ('attachment; filename="C:\\\\trees.csv"', "trees.csv"),
        ('attachment; filename=".."', ""),
        ("attachment; filename*=no-charset''%E4.csv", "ä.csv"),
        ("attachment; filename*=UTF-8''%2e%2e%2ftrees.csv", "trees.csv"),
    ],
)
def test_the_name_is_the_last_step_of_what_is_proposed(said, name):
    assert proposed_file_name(said) == name


@given(st.text(max_size=80), st.sampled_from(["filename=", "filename*=", "filename*=UTF-8''", "filename*0="]))
def test_whatever_is_proposed_is_a_name_or_nothing(text, before):
    name = proposed_file_name(f"attachment; {before}{text}")
    assert len(name) <= LONGEST and name not in (".", "..") and not set(name) & set("/\\\0\r\n:")
