"""CSV (RFC 4180) read as rows."""

import csv
import io

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rondine.core.documents import read_document
from rondine.core.documents.csv import csv_rows, read_csv
from rondine.core.errors import DocumentError, RondineError

TEXTS = st.text(st.characters(exclude_categories=["Cs"], exclude_characters="\0"), max_size=12)


def written(rows, **options):
    out = io.StringIO(newline="")
    csv.writer(out, **options).writerows(rows)
    return out.getvalue().encode()


@given(
    st.integers(1, 5).flatmap(lambda n: st.lists(st.lists(TEXTS, min_size=n, max_size=n), min_size=1, max_size=8)),
    st.sampled_from([("comma", ","), ("semicolon", ";"), ("tab", "\t"), ("pipe", "|")]),
    st.sampled_from(["\r\n", "\n"]),
    st.integers(1, 40),
)
def test_what_another_writer_wrote_is_read_back_whatever_the_chunks(rows, delimiter, ending, size):
    name, sign = delimiter
    names = [f"c{number}" for number in range(len(rows[0]))]
    body = written([names, *rows], delimiter=sign, lineterminator=ending, quoting=csv.QUOTE_ALL)
    media_type = f"text/csv; delimiter={name}; empty=text"
    chunks = [body[at : at + size] for at in range(0, len(body), size)]
    read = [row for part in csv_rows(chunks, media_type=media_type) for row in part]
    assert read == [dict(zip(names, row, strict=True)) for row in rows]


@given(st.binary(max_size=200), st.sampled_from(["text/csv", "text/csv; header=absent", "text/csv; charset=utf-16"]))
def test_whatever_comes_is_read_or_refused_with_its_place(body, media_type):
    try:
        for row in read_csv(body, media_type=media_type):
            assert all(isinstance(name, str) for name in row)
    except RondineError as error:
        assert error.where


@pytest.mark.parametrize(
    ("media_type", "body", "rows"),
    [
        ("text/csv", "number;girth\nOLM-1;1,5\n", [{"number": "OLM-1", "girth": "1,5"}]),
        ("text/csv", "number\nOLM-1\n\nOLM-2\n", [{"number": "OLM-1"}, {"number": "OLM-2"}]),
        ("text/csv", "\ufeffa,b\n,x\n", [{"a": None, "b": "x"}]),
        ("text/csv; empty=absent", "a,b\n,x\n", [{"b": "x"}]),
        ("text/csv; empty=text", "a,b\n,x\n", [{"a": "", "b": "x"}]),
        ("text/csv; header=absent", "1,2\n", [{"column_1": "1", "column_2": "2"}]),
        ("text/tab-separated-values", "a\tb,c\n1\t2\n", [{"a": "1", "b,c": "2"}]),
        ('text/csv; delimiter="|"; quote="\'"', "a|b\n'x|y'|2\n", [{"a": "x|y", "b": "2"}]),
        ("text/csv", 'a,a,\n1,2,"line\nbreak"\n', [{"a": "1", "a_2": "2", "column_3": "line\nbreak"}]),
        ("text/csv", "", []),
        ("text/csv", "a,b\n", []),
    ],
)
def test_how_it_is_written_is_said_by_the_media_type_or_found(media_type, body, rows):
    read = read_document(body.encode(), media_type=media_type)
    assert (read.format, read.value) == ("csv", rows)


@pytest.mark.parametrize(
    ("body", "where", "words"),
    [
        ("a,b\n1,2\n1,2,3\n", "the response, line 3", "has 3 fields, and the header line 2"),
        ("a,b\n1\n", "the response, line 2", "has 1 fields"),
        ('a,b\n1,"2\n', "the response, line 2", "cannot be read as CSV"),
        ('a,b\n1,"2"x\n', "the response, line 2", "cannot be read as CSV"),
        ("<!DOCTYPE html>\n<p>closed</p>", "the response", "looks like a page of HTML"),
    ],
)
def test_what_is_wrong_is_told_with_its_line_and_nothing_is_dropped(body, where, words):
    with pytest.raises(DocumentError, match=words) as told:
        read_csv(body.encode())
    assert told.value.where == where


def test_a_charset_is_taken_from_the_media_type_and_an_unknown_parameter_value_is_told():
    assert read_document("a\nÄste\n".encode("cp1252"), media_type="text/csv", charset="windows-1252").value == [
        {"a": "Äste"}
    ]
    with pytest.raises(DocumentError, match="not UTF-8"):
        read_csv("a\nÄste\n".encode("cp1252"))
    with pytest.raises(DocumentError, match='"perhaps" is no header of CSV'):
        read_csv(b"a\n1\n", media_type="text/csv; header=perhaps")


@pytest.mark.parametrize("media_type", ["text/plain", "application/octet-stream", ""])
def test_csv_under_another_name_is_not_guessed_but_said(media_type):
    with pytest.raises(DocumentError) as told:
        read_document(b'number;girth\nOLM-1;"1,5"\n', media_type=media_type)
    assert "it looks like CSV" in told.value.hint
    with pytest.raises(DocumentError) as told:
        read_document(b"All trees are out, come back later.\nThe office", media_type=media_type)
    assert "CSV" not in told.value.hint
