"""What commands print: tables for people, one JSON value a line for programs, and nothing else on standard output."""

import io
import json

import pytest

from rondine_cli.output import Output, counted

ROWS = [
    {"name": "tree", "document": {"key": ["number"], "searchable": True}, "last_run": {"state": "done"}},
    {"name": "care", "document": {"key": [], "searchable": False}, "last_run": None},
]
COLUMNS = ["name", "document.key", "document.searchable", "last_run.state"]


def printed(write):
    file = io.StringIO()
    write(Output.into(file))
    return [line.rstrip() for line in file.getvalue().splitlines()]


def test_a_table_has_a_column_for_each_part_and_says_what_is_not_there():
    head, first, second = printed(lambda out: out.rows(ROWS, COLUMNS, empty="none"))
    assert head.split() == ["name", "key", "searchable", "state"]
    assert first.split() == ["tree", "number", "yes", "done"]
    assert second.split() == ["care", "none", "no", "–"]


def test_a_table_without_rows_says_so_and_a_count_comes_back():
    counts = []
    assert printed(lambda out: counts.append(out.rows([], COLUMNS, empty="there is none"))) == ["there is none"]
    printed(lambda out: counts.append(out.rows(iter(ROWS), COLUMNS, empty="there is none")))
    assert counts == [0, 2]


@pytest.mark.parametrize("text", ["[red]not a style[/red]", "a [link=x]", ":tree:", "C:\\[x]"])
def test_what_a_service_says_is_printed_as_it_is(text):
    assert printed(lambda out: out.value({}, text)) == [text]
    assert printed(lambda out: out.rows([{"name": text}], ["name"], empty=""))[1] == text
    for say in (lambda out: out.say(text), lambda out: out.good(text), lambda out: out.bad(text)):
        assert printed(say) == [text]


def test_objects_in_a_cell_are_json_and_lists_of_them_too():
    rows = [{"name": {"a": "ä"}}, {"name": [{"kind": "mapping"}, "x", 1]}]
    assert printed(lambda out: out.rows(rows, ["name"], empty=""))[1:] == ['{"a": "ä"}', '{"kind": "mapping"}, x, 1']


def test_programs_get_one_value_a_line_and_words_on_the_other_stream(capsys):
    out = Output(as_json=True)
    out.value({"name": "ä"}, "for people")
    assert out.rows(iter(ROWS), COLUMNS, empty="there is none") == 2
    assert out.rows([], COLUMNS, empty="there is none") == 0
    out.good("made")
    said = capsys.readouterr()
    assert [json.loads(line) for line in said.out.splitlines()] == [{"name": "ä"}, *ROWS]
    assert said.out.splitlines()[0] == '{"name": "ä"}'
    assert said.err.splitlines() == ["there is none", "made"]


def test_what_goes_into_a_pipe_is_json_without_being_asked_for(capsys):
    Output(as_json=False).value({"count": 1}, "one")
    assert json.loads(capsys.readouterr().out) == {"count": 1}


def test_progress_is_silent_where_nobody_looks(capsys):
    out = Output(as_json=True)
    with out.counting("reading") as bar:
        for done in range(0, 1000, 100):
            bar.told({"what": "operations", "done": done, "of": 1000})
        bar.told({"what": "operations", "done": 0, "of": 0})
    with out.working("asking"):
        pass
    said = capsys.readouterr()
    assert (said.out, said.err) == ("", "")


@pytest.mark.parametrize(("number", "words"), [(0, "0 rows"), (1, "1 row"), (2, "2 rows"), (12345, "12,345 rows")])
def test_numbers_go_with_their_word(number, words):
    assert counted(number, "row") == words
