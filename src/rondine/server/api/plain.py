"""Requests that are plain text all through: no control characters in addresses, no U+0000 and no half surrogates in
values, a Host of our own."""

import re
from collections.abc import Callable, Iterator
from typing import Any
from urllib.parse import parse_qsl

from django.http import HttpRequest, HttpResponse

from rondine.core.errors import InputError, Problem
from rondine.core.paths import pointer_text
from rondine.server.api.problems import problem_response

_CONTROL = re.compile(r"[\x00-\x1f\x7f]")


class PlainRequests:
    """Refuses, before anything looks at it, what no database and no log can hold; and a Host that is not this
    service's, on every path."""

    async_capable = False
    sync_capable = True

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        request.get_host()  # raises DisallowedHost
        if found := _CONTROL.search(request.path):
            return problem_response(_refusal("the address", f"a control character (U+{ord(found.group()):04X})"))
        for name, value in parse_qsl(request.META.get("QUERY_STRING", ""), keep_blank_values=True):
            if "\0" in name or "\0" in value:
                return problem_response(_refusal(f"the query's {name[:60]!a}", "the character U+0000"))
        return self.get_response(request)


def check_plain(value: Any) -> None:
    """Raises InputError with the place of each text in a JSON value, or name of a member, that PostgreSQL could not
    hold."""
    problems = [Problem(pointer_text(place) or "/", words, _HINT) for place, words in _odd_texts(value, ())]
    if problems:
        first = problems[0]
        raise InputError(f"there is {first.message}", where=first.where, hint=first.hint, problems=problems[:20])


_HINT = "take it out; bytes can be given in base64"


def is_plain(text: str) -> bool:
    if "\0" in text:
        return False
    if text.isascii():
        return True
    try:
        text.encode()
    except UnicodeEncodeError:
        return False
    return True


def _odd_texts(value: Any, place: tuple[str | int, ...]) -> Iterator[tuple[tuple[str | int, ...], str]]:
    if isinstance(value, str):
        if not is_plain(value):
            yield place, "the character U+0000 in a text" if "\0" in value else "half of a surrogate pair in a text"
    elif isinstance(value, dict):
        for name, one in value.items():
            if not is_plain(name):
                yield place, "a member with a name that is not plain text"
            else:
                yield from _odd_texts(one, (*place, name))
    elif isinstance(value, list):
        for number, one in enumerate(value):
            yield from _odd_texts(one, (*place, number))


def _refusal(where: str, what: str) -> InputError:
    return InputError(f"there is {what} in {where}", where=where, hint="write it without")
