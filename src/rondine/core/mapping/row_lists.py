"""Which lists of a response a mapping reads: where signs of more rows count."""

from collections.abc import Iterator, Sequence

from rondine.core.mapping.compile import CompiledOutput
from rondine.core.mapping.generated import is_plain_list, plain_part
from rondine.core.pagination.signs import EACH
from rondine.core.paths import JsonPath, XPath, parse_jsonpath


def row_lists(outputs: Sequence[CompiledOutput]) -> list[tuple[str, ...]]:
    """The ways to the lists that levels go through, as `signs_of` takes them: as far as they are plain."""
    return list(dict.fromkeys(way for output in outputs for way in _ways(output)))


def reads_one_object(outputs: Sequence[CompiledOutput]) -> bool:
    """Whether rows are single objects at fixed places, so that there is no list which could go on."""
    return all(
        isinstance(path, JsonPath) and not plain_part(path)[1].segments  # type: ignore[union-attr]
        for output in outputs
        for _, path in output.levels[:1]
    )


def has_one_list(outputs: Sequence[CompiledOutput]) -> bool:
    """Whether all outputs go through the same list first, so that its elements can be counted against an announced
    number."""
    return len({output.levels[0][1].text for output in outputs}) == 1


def _ways(output: CompiledOutput) -> Iterator[tuple[str, ...]]:
    way: tuple[str, ...] = ()
    for _, path in output.levels:
        if isinstance(path, XPath):
            names = path.names()
            if names is None:
                return
            way = (*way, *names)
            yield way
        elif isinstance(path, JsonPath):
            plain, rest = plain_part(path)
            if not is_plain_list(rest):
                return
            way = (*way, *plain)
            yield way
        else:
            return
        way = (*way, EACH)


def first_list(path: str) -> tuple[str, ...] | None:
    """The names that lead to the list that a JSONPath goes through first; None if there is no such plain list."""
    names, rest = plain_part(parse_jsonpath(path))
    if not isinstance(rest, JsonPath) or not is_plain_list(JsonPath(rest.text, rest.segments[:1])):
        return None
    return names
