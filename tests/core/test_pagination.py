import pytest
from hypothesis import given
from hypothesis import strategies as st

from rondine.core.errors import PaginationError
from rondine.core.http.messages import Request, Response, Send
from rondine.core.pagination import Ahead, LinkHeader, NextAddress, PagedOperation, PageNumber, RepeatedPage
from rondine.core.pagination.link_header import links, next_link
from rondine.core.pagination.recognise import recognise
from rondine.core.pagination.signs import EACH, signs_of

FIRST = Request("GET", "https://register.example/trees?limit=2")
PAGED = PagedOperation(FIRST)


def drive(exchange, answer, most=50):
    """Runs an exchange with a function as the service; gives the addresses asked for and what it came to."""
    asked, announced = [], []
    ask = next(exchange)
    try:
        while True:
            if isinstance(ask, Ahead):
                announced = [one.request.url for one in ask.asks]
                ask = exchange.send(None)
                continue
            asked.append(ask.request.url)
            assert len(asked) < most
            ask = exchange.send(answer(ask))
    except StopIteration as end:
        assert announced in ([], asked[1:])  # what is fetched ahead is what is asked for
        return asked, end.value


def page(link="", rows=None, **values):
    return Response(200, (("Link", link),) if link else (), values=values, rows=rows)


def test_the_link_header_is_followed_until_there_is_none():
    links = iter(
        ['</trees?start=2>; rel="next"', "<https://register.example/trees?start=4>; rel=next", '</trees>; rel="first"']
    )
    asked, ending = drive(LinkHeader().exchange(PAGED), lambda ask: page(next(links)))
    assert asked == [FIRST.url, "https://register.example/trees?start=2", "https://register.example/trees?start=4"]
    assert (ending.is_proven, ending.pages) == (True, 3)


def test_an_address_in_a_header_of_another_name_is_recognised_and_followed():
    addresses = iter(["/trees?start=2", "https://register.example/trees?start=4", None])

    def answer(ask):
        address = next(addresses)
        return Response(200, (("next-page", address),) if address else (), rows=2)

    asked, ending = drive(LinkHeader(header="Next-Page").exchange(PAGED), answer)
    assert asked == [FIRST.url, "https://register.example/trees?start=2", "https://register.example/trees?start=4"]
    assert (ending.is_proven, ending.pages) == (True, 3)
    for name in ("Next-Page", "X-Next-Page", "Next", "next-link"):
        [guess] = recognise(FIRST.url, ((name, "/trees?start=2"),), [])
        assert guess.paging == LinkHeader(header=name) and name in guess.reason
    for value in ("2", "c2/9==", ""):
        assert not any(
            isinstance(one.paging, LinkHeader) for one in recognise(FIRST.url, (("X-Next-Page", value),), [])
        )


@pytest.mark.parametrize(
    ("link", "words"),
    [
        ("<https://elsewhere.example/2>; rel=next", "https://elsewhere.example"),
        ("</trees?limit=2>; rel=next", "circle"),
        ("<http://[bad>; rel=next", "cannot be read"),
    ],
)
def test_a_next_link_elsewhere_or_in_a_circle_is_refused(link, words):
    exchange = LinkHeader().exchange(PAGED)
    next(exchange)
    with pytest.raises(PaginationError, match=words):
        exchange.send(page(link))


def test_endless_pages_stop_at_the_limit():
    numbers = iter(range(100))
    with pytest.raises(PaginationError, match="more than 5 pages"):
        drive(LinkHeader(max_pages=5).exchange(PAGED), lambda ask: page(f"</trees?start={next(numbers)}>; rel=next"))


@pytest.mark.parametrize(
    ("value", "target"),
    [
        (None, None),
        ("", None),
        ('<a>; rel="prev next"', "a"),
        ('<a>; title="rel=next"; rel=last, <b>; REL=Next', "b"),
        ("<a>; rel=last; rel=next", None),
        ("<a>;rel=next,<b>;rel=next", "a"),
        ('<a>; rel="x\\"y", <b>; rel=next', "b"),
    ],
)
def test_link_values_of_rfc_8288(value, target):
    assert next_link(value) == target


@given(st.text(max_size=80))
def test_no_header_value_makes_the_parser_raise(value):
    next_link(value)


def test_the_next_address_in_the_body_is_asked_for_and_followed():
    values = iter([{"next": "?start=2"}, {"next": None}])
    exchange = NextAddress(at="/next").exchange(PAGED)
    assert next(exchange) == Send(FIRST, {"next": "/next"}, FIRST.url)
    exchange.close()
    asked, ending = drive(NextAddress(at="/next").exchange(PAGED), lambda ask: page(**next(values)))
    assert asked[1] == "https://register.example/trees?start=2"
    assert ending.is_proven


def test_pages_by_number_end_at_the_announced_total_or_at_an_empty_page():
    announced = PageNumber(total="/total")
    assert len(drive(announced.exchange(PAGED), lambda ask: page(rows=2, total=5))[0]) == 3
    rows = iter([2, 2, 0])
    asked, ending = drive(PageNumber().exchange(PAGED), lambda ask: page(rows=next(rows)))
    assert asked == [f"https://register.example/trees?limit=2&page={number}" for number in (1, 2, 3)]
    assert ending.is_proven


def ahead(paging, first, answer):
    """The addresses that are announced after the first response; the first ask itself if there are none."""
    exchange = paging.exchange(PagedOperation(first))
    next(exchange)
    found = exchange.send(answer)
    return [one.request.url[-6:] for one in found.asks] if isinstance(found, Ahead) else found.request.url[-6:]


def test_all_pages_after_the_first_are_announced_where_they_are_known():
    paging = PageNumber(total="/total")
    assert ahead(paging, FIRST, page(rows=2, total=5)) == ["page=2", "page=3"]
    assert ahead(paging, FIRST, page(rows=2)) == "page=2"
    later = Request("GET", "https://register.example/trees?limit=2&page=2")
    assert ahead(paging, later, page(rows=2, total=5)) == ["page=3"]
    with pytest.raises(PaginationError, match="announces"):
        ahead(PageNumber(total="/total", max_pages=10), FIRST, page(rows=1, total=10**9))


@pytest.mark.parametrize(("paging", "rows"), [(PageNumber(max_pages=3), [2] * 9), (PageNumber(max_pages=3), [2, 2, 0])])
def test_no_more_pages_are_asked_for_than_allowed(paging, rows):
    counts = iter(rows)
    asked = []

    def answer(ask):
        asked.append(ask.request.url)
        return page(rows=next(counts))

    if rows[2]:
        with pytest.raises(PaginationError, match="more than 3 pages"):
            drive(paging.exchange(PAGED), answer)
    else:
        assert drive(paging.exchange(PAGED), answer)[1].is_proven
    assert len(asked) == 3


def test_a_page_that_comes_again_is_told_as_one():
    pages = PageNumber().exchange(PAGED)
    next(pages)
    pages.send(Response(200, rows=2, fingerprint=b"same"))
    with pytest.raises(RepeatedPage, match="page 2 has the same rows as page 1"):
        pages.send(Response(200, rows=2, fingerprint=b"same"))


def test_each_paging_style_is_recognised_from_its_response():
    by_link = recognise("https://r.example/t", (("Link", "<x>; rel=next"),), {"trees": []})
    assert by_link[0].paging == LinkHeader()
    assert recognise("https://r.example/t", (), {"meta": {"next_url": "/t?start=2"}})[0].paging == NextAddress(
        at="/meta/next_url"
    )
    assert recognise("https://r.example/t?page=1", (), {"trees": [], "page": 1, "total": 9})[0].paging == PageNumber(
        total="/total"
    )
    assert recognise("https://r.example/t", (), [1]) == []


@pytest.mark.parametrize(
    ("document", "at"),
    [
        ({"feed": {"link": {"@rel": "next", "@href": "/t?page=2"}, "tree": []}}, "/feed/link[@rel='next']/@href"),
        ({"a:feed": {"a:link": [{"@rel": "self"}, {"@rel": "next"}]}}, "/a:feed/a:link[@rel='next']/@href"),
        ({"trees": {"@next": "/t?page=2", "tree": []}}, "/trees/@next"),
        ({"trees": {"nextPage": "https://r.example/t?page=2"}}, "/trees/nextPage"),
        ({"trees": {"next": "2", "link": {"@rel": "self"}}}, None),
        ({"trees": "none"}, None),
        ({}, None),
        ("text", None),
    ],
)
def test_the_next_address_in_xml_is_recognised(document, at):
    found = recognise("https://r.example/t", (), document, is_xml=True)
    assert [one.paging for one in found] == ([NextAddress(at=at)] if at else [])


@pytest.mark.parametrize(
    ("url", "document", "paging"),
    [
        ("https://r.example/t?page_number=1", {"trees": []}, PageNumber(input="page_number")),
        ("https://r.example/t", {"pageNumber": 1, "total_count": 9}, PageNumber(total="/total_count")),
        ("https://r.example/t", {"meta": {"@odata.count": 9}, "page": 2}, PageNumber(total="/meta/@odata.count")),
        ("https://r.example/t", {"page": 2}, None),  # without a total, it may be anything
        ("https://r.example/t", {"total": "9", "page": 2}, None),
        ("https://r.example/t", {"next": "tomorrow"}, None),
    ],
)
def test_page_numbers_are_guessed_where_something_says_so(url, document, paging):
    assert [one.paging for one in recognise(url, (), document)] == ([paging] if paging else [])


def field(target, parameters):
    """A link as RFC 8288 writes it, every value quoted."""
    quoted = [f'; {name}="{value.translate(ESCAPES)}"' for name, value in parameters]
    return f"<{target}>{''.join(quoted)}"


ESCAPES = str.maketrans({'"': '\\"', "\\": "\\\\"})
TEXTS = st.text(st.characters(min_codepoint=32, max_codepoint=126), max_size=20)
TARGETS = st.text(st.characters(min_codepoint=33, max_codepoint=126, exclude_characters="<>"), max_size=20)
LINKS = st.lists(
    st.tuples(TARGETS, st.lists(st.tuples(st.sampled_from(["rel", "title", "x"]), TEXTS), max_size=3)), max_size=4
)


@given(LINKS)
def test_links_that_are_written_are_read_whatever_stands_in_their_quotes(written):
    read = links(", ".join(field(target, parameters) for target, parameters in written))
    assert [link.target for link in read] == [target for target, _ in written]
    for link, (_, parameters) in zip(read, written, strict=True):
        assert dict(link.parameters) == dict(reversed(parameters))


ROWS = [{"number": "OLM-1"}, {"number": "OLM-2"}]


@pytest.mark.parametrize(
    ("headers", "document", "words"),
    [
        ((("Link", '</trees?after=2>; rel="next"'),), {"trees": ROWS}, "Link header"),
        ((), {"trees": ROWS, "next": "/trees?after=2"}, "/next"),
        ((), {"trees": ROWS, "next_cursor": "b7"}, "/next_cursor"),
        ((), {"trees": ROWS, "meta": {"has_more": True}}, "/meta/has_more"),
        ((), {"trees": ROWS, "paging": {"page": 1, "total_pages": 3}}, "page 1 of 3"),
        ((), {"trees": ROWS, "total": 5}, "5 rows are announced (/total), and 2 came"),
        ((), {"trees": ROWS, "count": 5}, "5 rows are announced"),
        ((), {"trees": ROWS, "_links": {"next": {"href": "/trees?page=2"}}}, "/_links/next/href"),
        ((("X-Total-Count", "7"),), {"trees": ROWS}, "7 rows are announced (the header X-Total-Count)"),
        ((("Content-Range", "items 0-1/9"),), {"trees": ROWS}, "9 rows are announced"),
    ],
)
def test_a_response_that_shows_that_there_is_more_is_not_taken_for_all(headers, document, words):
    signs = signs_of(headers, document, [("trees",)])
    assert words in signs.missing(2) and signs.proof(2) == ""


@pytest.mark.parametrize(
    ("headers", "document"),
    [
        ((("Link", '</trees?after=0>; rel="prev"'),), {"trees": ROWS}),
        ((), {"trees": ROWS, "next": None}),
        ((), {"trees": ROWS, "meta": {"hasMore": False}}),
        ((), {"trees": ROWS, "total": 2, "page": 0, "pages": 1}),
        ((), {"trees": ROWS, "paging": {"page": 3, "total_pages": 3}}),
        ((), {"trees": ROWS, "_links": {"self": {"href": "/"}, "prev": {"href": "/"}}}),
    ],
)
def test_the_services_own_sign_of_the_end_is_a_proof(headers, document):
    signs = signs_of(headers, document, [("trees",)])
    assert signs.proof(2) and not signs.missing(2)


@pytest.mark.parametrize("document", [{"trees": ROWS}, {"trees": ROWS, "count": 2}, ROWS, "text", None])
def test_without_a_sign_nothing_is_claimed(document):
    signs = signs_of((), document, [("trees",)])
    assert signs.proof(2) == signs.missing(2) == ""


def test_what_stands_within_a_row_is_no_sign_but_for_lists_that_go_on_elsewhere():
    rows = [{"number": "OLM-1", "total": 9, "next": "OLM-2", "care": [1]}]
    assert signs_of((), {"trees": rows}, [("trees",), ("trees", EACH, "care")]).missing(1) == ""
    for sign in ({"care@odata.nextLink": "/care?skip=1"}, {"care": {"nodes": [], "pageInfo": {"hasNextPage": True}}}):
        way = ("trees", EACH, "care", *(["nodes"] if "pageInfo" in str(sign) else []))
        found = signs_of((), {"trees": [{**rows[0], **sign}]}, [("trees",), way])
        assert "goes on elsewhere" in found.missing(1), sign
    connection = {"data": {"inspections": {"nodes": ROWS, "pageInfo": {"hasNextPage": True, "endCursor": "x"}}}}
    assert "/data/inspections/pageInfo/hasNextPage" in signs_of(
        (), connection, [("data", "inspections", "nodes")]
    ).missing(2)


def test_signs_in_xml_are_found_whatever_the_prefixes():
    feed = {
        "a:feed": {
            "a:entry": [{"a:id": "1"}],
            "a:link": [{"@rel": "self", "@href": "/"}, {"@rel": "next", "@href": "/2"}],
        }
    }
    assert "next" in signs_of((), feed, [("a:feed", "a:entry")], is_xml=True).missing(1)
    results = {"results": {"@total": "7", "result": [{"@number": "1"}]}}
    assert "7 rows are announced" in signs_of((), results, [("results", "result")], is_xml=True).missing(1)


@given(
    st.recursive(
        st.none() | st.booleans() | st.integers() | st.text(max_size=5),
        lambda inner: (
            st.lists(inner, max_size=3)
            | st.dictionaries(
                st.sampled_from(["trees", "next", "total", "page", "pages", "pageInfo", "meta", "last"]),
                inner,
                max_size=4,
            )
        ),
    )
)
def test_no_document_makes_the_signs_raise_or_contradict_themselves(document):
    signs = signs_of((("Link", "<"),), document, [("trees",), ("trees", EACH, "trees")])
    assert not (signs.proof(1) and signs.missing(1))
