"""Filters of JSONPath (RFC 9535, section 2.3.5): logical expressions, comparisons, queries that must find something,
functions.

Expressions are checked for their types when they are parsed (section 2.4.3): what would never make sense is refused,
not passed over.
"""

from collections.abc import Callable
from dataclasses import dataclass
from decimal import Decimal
from typing import TYPE_CHECKING, Any, Literal

from rondine.core.errors import did_you_mean
from rondine.core.paths.iregexp import matches
from rondine.core.paths.place import Node

if TYPE_CHECKING:
    from rondine.core.paths.jsonpath import JsonPath, Parser

#: What a query without a node and a function without a result come to (section 2.4.1: Nothing).
NOTHING = object()
Kind = Literal["value", "logical", "nodes"]
#: (the root, the current value) -> what it comes to: a value, a truth, or nodes.
Evaluate = Callable[[Any, Any], Any]


@dataclass(frozen=True, slots=True)
class Expression:
    """kind: what it comes to (section 2.4.1).  path: of a query."""

    kind: Kind
    evaluate: Evaluate
    path: "JsonPath | None" = None

    @property
    def is_singular(self) -> bool:
        return self.path is not None and self.path.is_singular()

    def value(self) -> Evaluate:
        """As a value: of a singular query the one node's, or Nothing."""
        if self.kind == "value":
            return self.evaluate

        def only(root: Any, current: Any) -> Any:
            nodes = self.evaluate(root, current)
            return nodes[0].value if nodes else NOTHING

        return only

    def truth(self) -> Evaluate:
        """As a test: nodes that are there, or the truth itself."""
        return (lambda root, current: bool(self.evaluate(root, current))) if self.kind == "nodes" else self.evaluate


# --- functions (section 2.4)


def _length(value: Any) -> Any:
    return len(value) if isinstance(value, (str, list, dict)) else NOTHING


def _count(nodes: list[Node]) -> int:
    return len(nodes)


def _value(nodes: list[Node]) -> Any:
    return nodes[0].value if len(nodes) == 1 else NOTHING


def _match(text: Any, pattern: Any) -> bool:
    return isinstance(text, str) and isinstance(pattern, str) and matches(pattern, text, whole=True)


def _search(text: Any, pattern: Any) -> bool:
    return isinstance(text, str) and isinstance(pattern, str) and matches(pattern, text, whole=False)


#: By name: the kinds of its arguments, of its result, and what it does.
FUNCTIONS: dict[str, tuple[tuple[Kind, ...], Kind, Callable[..., Any]]] = {
    "length": (("value",), "value", _length),
    "count": (("nodes",), "value", _count),
    "value": (("nodes",), "value", _value),
    "match": (("value", "value"), "logical", _match),
    "search": (("value", "value"), "logical", _search),
}


# --- comparisons (section 2.3.5.2.2)


def equal(one: Any, other: Any) -> bool:
    """Whether two JSON values are equal: numbers by their value, true and 1 never, objects whatever the order of their
    members."""
    if one is NOTHING or other is NOTHING:
        return one is other
    if isinstance(one, bool) or isinstance(other, bool):
        return one is other
    if isinstance(one, list) and isinstance(other, list):
        return len(one) == len(other) and all(map(equal, one, other))
    if isinstance(one, dict) and isinstance(other, dict):
        return one.keys() == other.keys() and all(equal(value, other[name]) for name, value in one.items())
    return (
        type(one) is type(other) and bool(one == other) if not (_is_number(one) and _is_number(other)) else one == other
    )


def _is_number(value: Any) -> bool:
    return isinstance(value, (int, Decimal, float)) and not isinstance(value, bool)


def less(one: Any, other: Any) -> bool:
    """Whether a number or text comes before another; texts by their code points. Nothing else has an order."""
    if _is_number(one) and _is_number(other):
        return bool(one < other)
    return isinstance(one, str) and isinstance(other, str) and one < other


_COMPARE: dict[str, Callable[[Any, Any], bool]] = {
    "==": equal,
    "!=": lambda one, other: not equal(one, other),
    "<=": lambda one, other: less(one, other) or equal(one, other),
    ">=": lambda one, other: less(other, one) or equal(one, other),
    "<": less,
    ">": lambda one, other: less(other, one),
}


# --- parsing


def parse_filter(parser: "Parser") -> Evaluate:
    """The logical expression after a question mark. Fails with the column of what is wrong."""
    parser.blank()
    return _either(parser)


def _either(parser: "Parser") -> Evaluate:
    tests = [_both(parser)]
    while _sign(parser, "||"):
        tests.append(_both(parser))
    return tests[0] if len(tests) == 1 else lambda root, current: any(test(root, current) for test in tests)


def _both(parser: "Parser") -> Evaluate:
    tests = [_basic(parser)]
    while _sign(parser, "&&"):
        tests.append(_basic(parser))
    return tests[0] if len(tests) == 1 else lambda root, current: all(test(root, current) for test in tests)


def _sign(parser: "Parser", sign: str) -> bool:
    mark = parser.at
    parser.blank()
    if parser.take(sign):
        parser.blank()
        return True
    parser.at = mark
    return False


def _basic(parser: "Parser") -> Evaluate:
    if parser.take("!"):
        parser.blank()
        test = _group(parser) if parser.text.startswith("(", parser.at) else _tested(parser, _operand(parser))
        return lambda root, current: not test(root, current)
    if parser.text.startswith("(", parser.at):
        return _group(parser)
    start = parser.at
    left = _operand(parser)
    mark = parser.at
    parser.blank()
    sign = next((one for one in _COMPARE if parser.take(one)), None)
    if sign is None:
        parser.at = mark
        return _tested(parser, left)
    _comparable(parser, left, start)
    parser.blank()
    start = parser.at
    right = _operand(parser)
    _comparable(parser, right, start)
    compare, one, other = _COMPARE[sign], left.value(), right.value()
    return lambda root, current: compare(one(root, current), other(root, current))


def _group(parser: "Parser") -> Evaluate:
    parser.deeper()
    parser.take("(")
    parser.blank()
    test = _either(parser)
    parser.blank()
    if not parser.take(")"):
        parser.fail('")" is expected')
    parser.depth -= 1
    return test


def _tested(parser: "Parser", one: Expression) -> Evaluate:
    if one.kind == "value":
        parser.fail("a value alone is not a test", hint="compare it, as in @.girth > 2")
    return one.truth()


def _comparable(parser: "Parser", one: Expression, at: int) -> None:
    if one.kind == "logical" or (one.kind == "nodes" and not one.is_singular):
        parser.at = at
        reason = "a query that may find several values" if one.kind == "nodes" else "a test"
        parser.fail(f"{reason} is compared with nothing", hint="name one value, as in @.girth or @[0]")


def _operand(parser: "Parser") -> Expression:
    """A query, a literal, or a function with its arguments."""
    if parser.text[parser.at : parser.at + 1] in ("@", "$"):
        return _query(parser)
    if parser.text[parser.at : parser.at + 1] in ("'", '"'):
        return _constant(parser.quoted())
    found, value = parser.literal()
    if found:
        return _constant(value)
    name = parser.function_name()
    if not name:
        parser.fail("a query, a value or a function is expected", hint='such as @.girth, "oak", 2.5 or length(@.care)')
    if name not in FUNCTIONS:
        parser.at -= len(name) + 1
        parser.fail(
            f'there is no function "{name}"', hint=did_you_mean(name, FUNCTIONS) or f"known are {', '.join(FUNCTIONS)}"
        )
    return _function(parser, name)


def _constant(value: Any) -> Expression:
    return Expression("value", lambda root, current: value)


def _query(parser: "Parser") -> Expression:
    is_relative = parser.take("@")
    if not is_relative:
        parser.take("$")
    path = parser.embedded()
    if is_relative:
        return Expression("nodes", lambda root, current: path.find(current, root=root), path)
    return Expression("nodes", lambda root, current: path.find(root, root=root), path)


def _function(parser: "Parser", name: str) -> Expression:
    wanted, kind, call = FUNCTIONS[name]
    arguments: list[Evaluate] = []
    parser.blank()
    while not parser.take(")"):
        if arguments and not parser.take(","):
            parser.fail('"," or ")" is expected')
        parser.blank()
        start = parser.at
        parser.deeper()
        expression = _operand(parser)
        parser.depth -= 1
        if len(arguments) == len(wanted):
            parser.at = start
            parser.fail(f'"{name}" takes {len(wanted)} argument{"s" if len(wanted) > 1 else ""}')
        arguments.append(_argument(parser, name, wanted[len(arguments)], expression, start))
        parser.blank()
    if len(arguments) < len(wanted):
        parser.fail(f'"{name}" takes {len(wanted)} argument{"s" if len(wanted) > 1 else ""}')
    return Expression(kind, lambda root, current: call(*(argument(root, current) for argument in arguments)))


def _argument(parser: "Parser", name: str, wanted: Kind, one: Expression, at: int) -> Evaluate:
    if wanted == "nodes":
        if one.kind != "nodes":
            parser.at = at
            parser.fail(f'"{name}" takes a query', hint="such as @.care[*]")
        return one.evaluate
    if one.kind == "logical" or (one.kind == "nodes" and not one.is_singular):
        parser.at = at
        parser.fail(f'"{name}" takes one value', hint="a query that may find several goes through value()")
    return one.value()
