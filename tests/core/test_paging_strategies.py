"""Each strategy against a small service made of a list, without a network: all rows come once, in any size of page;
what breaks off goes on from where it was; what a service does wrong is found."""

from dataclasses import dataclass, field, replace
from datetime import UTC, date, datetime
from urllib.parse import parse_qsl, urlsplit

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from rondine.core.errors import PaginationError
from rondine.core.http.messages import Request, Response
from rondine.core.operations.document import OperationDocument
from rondine.core.operations.inputs import Input
from rondine.core.pagination import (
    Ahead,
    Cursor,
    GraphqlConnection,
    Keyset,
    NextAddress,
    Offset,
    PagedOperation,
    PageNumber,
    Windows,
)
from rondine.core.pagination.recognise import recognise
from rondine.core.protocols.paged import inputs_by_carrier, paged_operation, paging_problems
from rondine.core.settings import load

URL = "https://register.example/trees"


@dataclass
class Trees:
    """A service with so many trees, numbered from 1, that gives `size` at a time. wrong: how many more it announces."""

    rows: int
    size: int
    wrong: int = 0
    given: list[int] = field(default_factory=list)

    def answer(self, request):
        asked = dict(parse_qsl(urlsplit(request.url).query))
        numbers = range(1, self.rows + 1)
        if "page" in asked:
            start = (int(asked["page"]) - 1) * self.size
        elif "after" in asked:
            start = int(asked["after"])
        else:
            start = int(asked.get("offset", 0)) or int(asked.get("cursor", "c0")[1:])
        shown = list(numbers[start : start + self.size])
        self.given += shown
        is_more = start + self.size < self.rows
        total = self.rows + self.wrong
        values = {
            "total": total,
            "pages": -(-total // self.size),
            "key": shown[-1] if shown else None,
            "cursor": f"c{start + self.size}" if is_more else None,
            "more": is_more,
            "next": f"?cursor=c{start + self.size}" if is_more else None,
        }
        headers = (
            (("X-Total", str(total)), ("X-Next", f"c{start + self.size}")) if is_more else (("X-Total", str(total)),)
        )
        return Response(
            200,
            headers,
            request.url,
            {k: v for k, v in values.items() if v is not None},
            len(shown),
            fingerprint=repr(shown).encode(),
        )


def drive(paging, service, position=None, *, paged=None, most=400):
    """(what was asked for, with its position; what it came to). What is announced is what is asked for."""
    exchange = paging.exchange(paged or PagedOperation(Request("GET", URL)), position)
    asked, announced = [], []
    try:
        ask = next(exchange)
        while True:
            if isinstance(ask, Ahead):
                announced = [(one.request.url, one.position) for one in ask.asks]
                ask = exchange.send(None)
                continue
            asked.append((ask.request.url, ask.position))
            assert len(asked) < most
            response = service.answer(ask.request)
            wanted = {name: value for name, value in response.values.items() if name in ask.wanted}
            ask = exchange.send(replace(response, values=wanted))
    except StopIteration as end:
        assert announced in ([], asked[-len(announced) :] if announced else [])
        return asked, end.value


STRATEGIES = [
    PageNumber(),
    PageNumber(total="/total"),
    PageNumber(pages="/pages"),
    Offset(),
    Offset(total="/total"),
    Offset(total_header="X-Total"),
    Cursor(at="/cursor"),
    Cursor(at="/cursor", more="/more"),
    Cursor(header="X-Next"),
    GraphqlConnection(at="/data/trees", input="cursor"),
    Keyset(key="$.trees[-1].number"),
    NextAddress(at="/next"),
]


@pytest.mark.parametrize("paging", STRATEGIES, ids=lambda one: repr(one)[:40])
@given(rows=st.integers(0, 40), size=st.integers(1, 12), data=st.data())
def test_all_rows_come_once_and_in_order_and_a_break_is_gone_on_from(paging, rows, size, data):
    service = Trees(rows, size)
    asked, ending = drive(paging, service)
    assert service.given == list(range(1, rows + 1))
    assert ending.is_proven or (len(asked) == 1 and isinstance(paging, Cursor | NextAddress)), ending
    at = data.draw(st.integers(0, len(asked) - 1))
    again, ending = drive(paging, Trees(rows, size), asked[at][1])
    assert again == asked[at:] or (at == 0 and [url for url, _ in again] == [url for url, _ in asked])
    assert ending.is_proven or len(asked) == 1


def test_a_short_page_ends_where_somebody_says_so_and_proves_nothing():
    for paging in (PageNumber(until="short_page"), Offset(until="short_page"), Keyset(key="$[-1]", until="short_page")):
        asked, ending = drive(paging, Trees(25, 10))
        assert (len(asked), ending.is_proven) == (3, False) and "5 rows, fewer than 10" in ending.reason
        assert len(drive(paging, Trees(20, 10))[0]) == 3  # two full pages say nothing


def test_a_page_size_that_the_operation_asks_with_is_known_before_the_first_page():
    paged = PagedOperation(Request("GET", f"{URL}?limit=10"))
    paging = Offset(size_input="limit", until="short_page")
    asked, _ = drive(paging, Trees(25, 10), [20, 10], paged=paged)
    assert len(asked) == 1
    # a run that goes on at its last page does not take that for a full one
    paging = PageNumber(total="/total", size_input="limit")
    asked, ending = drive(paging, Trees(25, 10), [3, 10], paged=paged)
    assert len(asked) == 1 and ending.reason == "page 3 is the last one announced"


class Stuck:
    """A service that gives the same answer to everything."""

    def __init__(self, **values):
        self.values = values

    def answer(self, request):
        return Response(200, (), request.url, self.values, 3, fingerprint=self.values.get("print", b""))


@pytest.mark.parametrize(
    ("paging", "values", "words"),
    [
        (Cursor(at="/cursor"), {"cursor": "c1"}, "leads in a circle"),
        (Cursor(at="/cursor"), {"cursor": ["c1"]}, "is a list or an object"),
        (Cursor(at="/cursor", more="/more"), {"more": True}, "though it says that there are more"),
        (GraphqlConnection(at="/data/trees"), {}, "no pageInfo"),
        (GraphqlConnection(at="/data/trees"), {"more": True}, "the query has to ask for it"),
        (Keyset(key="$[-1]"), {"key": "9"}, "gives the same row again"),
        (Keyset(key="$[-1]"), {}, "has no key at"),
        (Keyset(key="$[-1]"), {"key": {"a": 1}}, "has no key at"),
        (Offset(max_pages=5), {}, "more than 5 pages"),
        (Offset(), {"print": b"same"}, 'takes no notice of "offset"'),
        (Cursor(at="/cursor"), {"cursor": "c1", "print": b"same"}, 'takes no notice of "cursor"|circle'),
        (Offset(total="/total", max_pages=10), {"total": 10**9}, "announces 1,000,000,000 rows, more than 10 pages"),
        (PageNumber(pages="/pages", max_pages=10), {"pages": "11"}, "more than 10 pages"),
    ],
)
def test_what_never_ends_or_contradicts_itself_is_told(paging, values, words):
    with pytest.raises(PaginationError, match=words):
        drive(paging, Stuck(**values))


@pytest.mark.parametrize("value", ["false", "0", "no", "", 0, None])
def test_no_more_is_said_in_many_ways(value):
    _, ending = drive(Cursor(at="/cursor", more="/more"), Stuck(more=value, cursor="c9"))
    assert ending.is_proven and ending.pages == 1


# --- windows


def windows(start, end, size, *, included=False):
    paging = Windows(start_input="from", end_input="to", size=size, is_end_included=included)
    return list(paging.windows(PagedOperation(Request("GET", URL), {"from": start, "to": end})))


@pytest.mark.parametrize(
    ("found", "wanted"),
    [
        (windows("2026-01-30", "2026-03-05", "P1M"), [("2026-01-30", "2026-02-28"), ("2026-02-28", "2026-03-05")]),
        (windows(date(2026, 1, 1), date(2026, 1, 4), "P2D"), [("2026-01-01", "2026-01-03"), ("2026-01-03", "2026-01-04")]),
        (windows("2026-01-01", "2026-01-04", "P2D", included=True), [("2026-01-01", "2026-01-02"), ("2026-01-03", "2026-01-04")]),
        (windows("2026-01-01", "2026-01-01", "P1D"), [("2026-01-01", "2026-01-01")]),
        (windows("2026-02-01", "2026-01-01", "P1D"), []),
        (windows(1, 25, "10"), [(1, 11), (11, 21), (21, 25)]),
        (windows("1", "25", "10", included=True), [(1, 10), (11, 20), (21, 25)]),
        (
            windows(datetime(2026, 1, 1, tzinfo=UTC), datetime(2026, 1, 1, 7, tzinfo=UTC), "PT6H"),
            [("2026-01-01T00:00:00Z", "2026-01-01T06:00:00Z"), ("2026-01-01T06:00:00Z", "2026-01-01T07:00:00Z")],
        ),
    ],
)  # fmt: skip
def test_a_range_is_parted_into_windows_without_gaps(found, wanted):
    assert found == wanted


@given(start=st.integers(-50, 50), length=st.integers(0, 200), size=st.integers(1, 30), included=st.booleans())
@example(start=1, length=20, size=10, included=True)
def test_every_number_of_a_range_is_in_one_window(start, length, size, included):
    parts = windows(start, start + length, str(size), included=included)
    covered = [number for a, b in parts for number in range(a, b + included)]
    assert covered == list(range(start, start + length + included))


@pytest.mark.parametrize(
    ("inputs", "size", "words"),
    [
        ({"from": "2026-01-01"}, "P1D", "to has no value"),
        ({"from": "soon", "to": "late"}, "P1D", "neither a time nor a number"),
        ({"from": "1", "to": "9"}, "P1D", "the windows are a duration long"),
        ({"from": "2026-01-01", "to": "2026-02-01"}, "7", "the windows are a number wide"),
        ({"from": "2026-01-01", "to": "2026-01-02"}, "PT6H", "the windows are parts of one"),
        ({"from": "2026-01-01", "to": "9"}, "P1D", "of different types"),
    ],
)
def test_a_range_that_cannot_be_parted_is_told(inputs, size, words):
    paging = Windows(start_input="from", end_input="to", size=size)
    with pytest.raises(PaginationError, match=words):
        next(paging.exchange(PagedOperation(Request("GET", URL), inputs)))


@pytest.mark.parametrize("size", ["P", "PT", "P0D", "0", "-3", "1 day", "P1.5D", ""])
def test_a_size_that_is_none_is_refused_when_it_is_set(size):
    with pytest.raises(Exception, match="neither a duration"):
        load(Windows, {"type": "windows", "start_input": "a", "end_input": "b", "size": size})


def test_windows_are_announced_at_once_and_one_with_more_is_named():
    paging = Windows(start_input="from", end_input="to", size="P1D")
    paged = PagedOperation(Request("GET", URL), {"from": "2026-01-01", "to": "2026-01-04"})

    class Full:
        def answer(self, request):
            return Response(
                200, (), request.url, {}, 3, more="/truncated is true" if "from=2026-01-02" in request.url else ""
            )

    asked, ending = drive(paging, Full(), paged=paged)
    assert len(asked) == 3 and not ending.is_proven
    assert ending.missing == "the window from 2026-01-02 to 2026-01-03 is not whole: /truncated is true"
    ending = drive(paging, Full(), 2, paged=paged)[1]
    assert not ending.missing and "1 of the responses do not say whether they are whole" in ending.reason


# --- where inputs go


def test_what_a_strategy_sets_goes_where_the_operation_puts_it():
    operation = load(
        OperationDocument,
        {
            "method": "POST",
            "path": "/v1/{part}/trees",
            "inputs": [
                {"name": "part", "default": "north"},
                {"name": "page", "type": "integer", "default": 1},
                {"name": "token"},
            ],
            "headers": [{"name": "X-Token", "value": {"input": "token"}}],
            "body": {"type": "json", "members": [{"at": "/page/number", "value": {"input": "page"}}]},
        },
    )
    paged = paged_operation(operation, "https://register.example", {}, {}, headers=(("X-Key", "k"),))
    assert paged.first.body == b'{"page":{"number":1}}' and paged.number("page") == 1
    request = paged.page({"page": 7, "token": "t"})
    assert request.body == b'{"page":{"number":7}}' and request.header("X-Token") == "t"
    assert (request.url, request.header("X-Key")) == ("https://register.example/v1/north/trees", "k")
    with pytest.raises(PaginationError, match="cannot be asked for"):
        paged.page({"page": "c7"})
    assert inputs_by_carrier(operation)["page_number"] == "page" and inputs_by_carrier(operation)["X-Token"] == "token"
    assert paged.page({"other": "x y"}).url.endswith("?other=x%20y")


def test_problems_name_an_input_that_is_not_there():
    body = {"type": "json", "members": [{"at": "/page", "value": {"input": "page"}}]}
    document = {
        "method": "POST",
        "inputs": [{"name": "page"}],
        "body": body,
        "paging": {"type": "offset", "input": "pag"},
    }
    (problem,) = paging_problems(load(OperationDocument, document))
    assert (problem.where, problem.hint) == ("/paging/input", 'did you mean "page"?')
    document = {"paging": {"type": "windows", "start_input": "a", "end_input": "b", "size": "P1D"}}
    assert [one.where for one in paging_problems(load(OperationDocument, document))] == [
        "/paging/start_input",
        "/paging/end_input",
    ]
    assert paging_problems(load(OperationDocument, {"paging": {"type": "offset"}})) == []
    assert paging_problems(OperationDocument(inputs=[Input(name="a")])) == []


# --- recognising


@pytest.mark.parametrize(
    ("query", "headers", "document", "paging"),
    [
        ("?cursor=a", (), {"trees": [], "next_cursor": "b"}, Cursor(at="/next_cursor")),
        ("", (), {"trees": [], "paging": {"nextPageToken": "b"}}, Cursor(input="pageToken", at="/paging/nextPageToken")),
        ("?after=", (), {"next": "b", "has_more": True}, Cursor(input="after", at="/next", more="/has_more")),
        ("", (("X-Next-Cursor", "b"),), [], Cursor(header="X-Next-Cursor")),
        ("?page=1", (), {"trees": [], "next_page": 2, "total": 9}, Cursor(input="page", at="/next_page")),
        ("", (), {"trees": [], "next_page": "WyJ4Il0"}, Cursor(input="page", at="/next_page")),
        ("?offset=0&limit=5", (), {"total": 9}, Offset(total="/total", size_input="limit")),
        ("?$skip=0&$top=5", (), {"value": []}, Offset(input="$skip", size_input="$top")),
        ("?startIndex=1&count=5", (), {"totalResults": 9}, Offset(input="startIndex", first=1, total="/totalResults", size_input="count")),
        ("", (("X-Total-Count", "9"),), {"offset": 0}, Offset(total_header="X-Total-Count")),
        ("?page=0&size=5", (), {"page": {"number": 0, "totalPages": 3}}, PageNumber(pages="/page/totalPages", size_input="size")),
        ("?page=1", (("X-Total", "9"),), [], PageNumber(total_header="X-Total")),
        ("", (), {"data": {"trees": {"nodes": [], "pageInfo": {"hasNextPage": True, "endCursor": "x"}}}}, GraphqlConnection(at="/data/trees")),
    ],
)  # fmt: skip
def test_a_way_is_recognised_from_a_response_and_how_it_was_asked_for(query, headers, document, paging):
    guess = recognise(URL + query, headers, document)[0]
    assert guess.paging == paging and guess.reason


@pytest.mark.parametrize(
    "document",
    [
        {"next": "tomorrow"}, {"cursor": "x"}, {"trees": [], "start": 3, "total": 9}, {"data": {"pageInfo": "none"}},
        {"nextCursor": None}, {"nextCursor": ""}, [], "x", None, {"nextCursor": {"a": 1}},
    ],
)  # fmt: skip
def test_what_may_be_anything_is_not_taken_for_paging(document):
    assert recognise(URL, (), document) == []


def test_an_input_is_named_where_one_takes_the_parameter():
    found = recognise(f"{URL}?page_no=1&page=2", (), {"total": 9}, inputs={"page": "sheet", "per_page": "rows"})
    assert found[0].paging == PageNumber(input="sheet", total="/total", size_input="rows")


NAMES = st.sampled_from(["next", "cursor", "total", "page", "data", "pageInfo", "hasNextPage", "x"])
VALUES = st.recursive(
    st.none() | st.booleans() | st.integers() | st.text(max_size=5),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(NAMES, inner, max_size=4),
    max_leaves=12,
)


@given(VALUES)
def test_nothing_that_a_service_sends_makes_recognising_fail(document):
    for guess in recognise(f"{URL}?page=1", (), document):
        assert guess.reason
