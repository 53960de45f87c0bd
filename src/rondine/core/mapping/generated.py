"""The fast way from rows to records: generated source, one function for each output and way of reading.

Shared path prefixes are read once, a row costs one `try`, and nothing explains. Everything that comes from the mapping document reaches the
source through a slot: the generated text contains generated identifiers only.
"""

from collections.abc import Callable, Sequence
from dataclasses import replace
from datetime import UTC, date, datetime
from decimal import Decimal
from typing import Any

from rondine.core.documents.elements import text_of
from rondine.core.documents.members import MISSING, Members, members_at
from rondine.core.mapping.document import ROOT, Path
from rondine.core.mapping.taking import Rule, Taken, find_rows, found_by, made
from rondine.core.mapping.types import CONVERSIONS, PLAIN_DECIMAL, to_decimal
from rondine.core.paths import JsonPath, Node, XPath
from rondine.core.paths.jsonpath import Filter, Wildcard

#: (the whole document, rows of the first level, the first's number there, the first row's ordinal, what is given, keep, failed) -> number of rows.
#: keep is given (ordinal, data); failed an ordinal, the index in the first level, and the row's number within that.
FastWay = Callable[..., int]
Level = tuple[str, Path]


class NotPlain(Exception):
    """A row that was read with its wanted members only has a shape that only all of it can tell."""


def fast_way(levels: Sequence[Level], rules: Sequence[Rule], row: Members | None = None) -> FastWay:
    """row: what was read of the first level's values; None if all of it, as plain objects or, in XML, as elements."""
    return Writer(levels, rules, row).function()


def wanted_of_rows(levels: Sequence[Level], rules: Sequence[Rule], row: Members) -> None:
    """Adds what these rules want of a row of the first level, in JSON."""
    bases = {levels[0][0]: row}
    here = row
    for name, path in levels[1:]:
        names, rest = plain_part(path)
        found = here.want(names)
        if is_plain_list(rest):
            here = found.each()
        else:
            found.is_whole = True
            here = Members()
        bases[name] = here
    bases[""] = here
    for rule in rules:
        if rule.path is not None and rule.source.level != ROOT:
            bases[rule.source.level].want(plain_part(rule.path)[0]).is_whole = True


def plain_part(path: Path) -> tuple[tuple[str, ...], Path]:
    """(the names that a JSONPath begins with, what remains of it). A filter may look at all of the value that its path starts from."""
    assert isinstance(path, JsonPath)
    if any(isinstance(selector, Filter) for segment in path.segments for selector in segment.selectors):
        return (), path
    names: list[str] = []
    for segment in path.segments:
        name = JsonPath("", (segment,)).singular()
        if name is None or not isinstance(name[0], str):
            break
        names.append(name[0])
    return tuple(names), JsonPath(path.text, path.segments[len(names) :])


def is_plain_list(rest: Path) -> bool:
    """Whether what remains of a path selects the elements of a list and nothing else."""
    segments = rest.segments if isinstance(rest, JsonPath) else ()
    return len(segments) == 1 and segments[0].selectors == (Wildcard(),) and not segments[0].descendant


class _Decimals(dict[str, Decimal | None]):
    """Texts as decimals, None for those that only the whole conversion can tell. The same few measures come again and again: some are remembered."""

    def __missing__(self, text: str) -> Decimal | None:
        if not PLAIN_DECIMAL(text):
            return None
        if len(self) >= 4_096:
            self.clear()
        number = self[text] = to_decimal(text)
        return number


class Writer:
    """Writes the source of one function. A variable's Members say how its value was read; None for plain objects."""

    def __init__(self, levels: Sequence[Level], rules: Sequence[Rule], row: Members | None) -> None:
        self._levels, self._rules, self._row = levels, rules, row
        self._slots: dict[str, Any] = {"MISSING": MISSING, "NotPlain": NotPlain}
        self._lines: list[str] = []
        self._indent = "    "
        #: level -> (its variable, an expression for its position)
        self._variables: dict[str, tuple[str, str]] = {ROOT: ("root", "0")}
        self._read_as: dict[str, Members | None] = {"root": None}
        self._prefixes: dict[tuple[str, tuple[str, ...]], str] = {}
        #: Variables that hold an object for certain.
        self._checked: set[str] = set()
        self._is_xml = any(isinstance(path, XPath) for _, path in levels)

    def function(self) -> FastWay:
        self._write("n = ordinal - 1")
        is_deep = len(self._levels) > 1
        for depth, (name, path) in enumerate(self._levels):
            self._loop(depth, name, path)
        self._write("n += 1")
        if is_deep:
            self._write("j += 1")
        self._write("try:")
        self._indent += "    "
        self._write("d = {}")
        self._check_kind(self._variables[""][0])
        for rule in self._rules:
            self._field(rule)
        self._write("keep((n, d))")
        self._indent = self._indent[:-4]
        self._write("except Exception:")
        self._write(f"    failed(n, {'i0, j' if is_deep else 'n - ordinal, 0'})")
        names = ", ".join(f"{name}={name}" for name in self._slots)  # as parameters they are locals, which are quicker
        head = f"def run(root, rows, start, ordinal, given, keep, failed, *, {names}):"
        scope: dict[str, Any] = dict(self._slots)
        source = "\n".join([head, *self._lines, "    return n + 1 - ordinal"])
        exec(compile(source, "<mapping>", "exec"), scope)  # noqa: S102 generated identifiers only; see the module's docstring
        run: FastWay = scope["run"]
        return run

    def _loop(self, depth: int, name: str, path: Path) -> None:
        variable = f"r{depth}"
        is_positioned = any(rule.source.position == name for rule in self._rules)
        if depth == 0:
            values, read_as = "rows", self._row
        else:
            values, read_as = self._inner_rows(depth, f"r{depth - 1}", path)
        is_counted = is_positioned or (depth == 0 and len(self._levels) > 1)
        self._write(
            f"for i{depth}, {variable} in enumerate({values}):" if is_counted else f"for {variable} in {values}:"
        )
        self._indent += "    "
        if depth == 0 and len(self._levels) > 1:
            self._write("j = -1")
        self._variables[name] = (variable, f"i{depth} + start" if depth == 0 else f"i{depth}")
        self._variables[""] = self._variables[name]
        self._read_as[variable] = read_as

    def _inner_rows(self, depth: int, base: str, path: Path) -> tuple[str, Members | None]:
        """(an expression for a level's values within the one around it, how they were read)."""
        if self._is_xml:
            return f"{self._slot(_element_rows(path))}({base})", None
        names, rest = plain_part(path)
        found = f"x{depth}"
        value = self._read(base, names)
        self._write(f"{found} = {value}")
        read_as = self._read_as[base]
        held = members_at(read_as, names) if read_as is not None else None
        if not is_plain_list(rest):
            finder = self._slot(lambda one, rest=rest: [node.value for node in find_rows(rest, one, must_exist=False)])
            return f"() if {found} is MISSING else {finder}({found})", None
        self._write(f"if {found} is MISSING or {found} is None: {found} = ()")
        if held is not None and held.elements is not None and not held.is_whole:
            self._write(f"elif {found}.__class__ is not list: raise NotPlain")
            return found, held.elements
        finder = self._slot(lambda one, rest=rest: [node.value for node in find_rows(rest, one, must_exist=False)])
        self._write(f"elif {found}.__class__ is not list: {found} = {finder}({found})")
        return found, None

    # --- one field

    def _field(self, rule: Rule) -> None:
        self._write(f"v = {self._source(rule)}")
        if isinstance(rule.path, XPath) and not rule.source.is_all:
            self._write("if v.__class__ is not str:")
            self._write("    if v.__class__ is list: raise LookupError")
            if rule.source.is_text:
                self._write(f"    if v.__class__ is dict: v = {self._slot(text_of)}(v)")
        if rule.convert is not None:
            self._write(f"if v is not MISSING and v is not None: v = {self._slot(rule.convert)}(v)")
        if isinstance(rule.path, XPath) and rule.kind not in ("text", "json"):
            self._write("if v.__class__ is str: v = v.strip()")
        self._kept(rule)

    def _source(self, rule: Rule) -> str:
        source = rule.source
        if rule.path is not None:
            base = self._variables[source.level][0]
            if isinstance(rule.path, XPath):
                names = _names(rule.path, source)
                if names is not None:
                    return self._read(base, names)
                return f"{self._finder(source)}({base})"
            names, rest = plain_part(rule.path)
            held = self._read(base, names)
            if isinstance(rest, JsonPath) and not rest.segments and not source.is_all:
                return held
            return f"{self._finder(replace(source, path=rest, place=None))}({held})"
        if source.position is not None:
            return self._variables[source.position][1]
        if source.given is not None:
            return f"given.get({self._slot(source.given)}, MISSING)"
        return self._slot(source.value)

    def _finder(self, source: Taken) -> str:
        """A slot for what the exact way does with a path, from what its plain names lead to."""

        def find(value: Any) -> Any:
            if value is MISSING:
                return [] if source.is_all else MISSING
            return found_by(source, Node((), value))[1]

        return self._slot(find)

    def _read(self, base: str, names: tuple[str, ...]) -> str:
        """An expression for the member at `names` below `base`; every prefix is read once into a variable."""
        if not names:
            return base
        holder, read_as = base, self._read_as[base]
        for length in range(1, len(names)):
            prefix = (base, names[:length])
            member = None if read_as is None or read_as.is_whole else read_as.members[names[length - 1]]
            if prefix not in self._prefixes:
                variable = f"p{len(self._read_as)}"
                self._write(f"{variable} = {self._member(holder, names[length - 1], read_as)}")
                self._prefixes[prefix] = variable
                self._read_as[variable] = member
                if self._is_xml:
                    self._write(f"if {variable}.__class__ is not dict:")
                    self._write(f"    if {variable}.__class__ is list: raise LookupError")
                    self._write(f"    {variable} = {self._slot({})}")
                    self._checked.add(variable)
                elif member is not None and not member.is_whole and member.kind is not None:
                    empty = self._slot(member.kind())
                    self._write(f"if {variable}.__class__ is not {self._slot(member.kind)}: {variable} = {empty}")
                    self._checked.add(variable)
            holder, read_as = self._prefixes[prefix], member
        return self._member(holder, names[-1], read_as)

    def _member(self, holder: str, name: str, read_as: Members | None) -> str:
        if read_as is None or read_as.is_whole:
            member = f"{holder}.get({self._slot(name)}, MISSING)"
            return member if holder in self._checked else f"{member} if {holder}.__class__ is dict else MISSING"
        attribute = f"{holder}.{read_as.attribute(name)}"
        return (
            attribute
            if holder in self._checked
            else f"{attribute} if {holder}.__class__ is {self._slot(read_as.kind)} else MISSING"
        )

    def _check_kind(self, row: str) -> None:
        """A row that is no object goes the exact way, so that its members can be read without asking."""
        read_as = self._read_as[row]
        if self._is_xml:
            self._write(f"if {row}.__class__ is not dict: raise TypeError")
            self._checked.add(row)
        elif read_as is not None and not read_as.is_whole and read_as.kind is not None:
            self._write(f"if {row}.__class__ is not {self._slot(read_as.kind)}: raise TypeError")
            self._checked.add(row)

    def _kept(self, rule: Rule) -> None:
        """What the usual values of a type become without a call of ours; all others go through the type's conversion."""
        name = self._slot(rule.name)
        match rule.kind:
            case "text":
                self._write(f"if v.__class__ is str{' and v' if rule.required else ''}: d[{name}] = v")
            case "boolean":
                self._write(f"if v.__class__ is bool: d[{name}] = v")
            case "integer":
                self._write(
                    f"if v.__class__ is int and -9223372036854775808 <= v <= 9223372036854775807: d[{name}] = v"
                )
            case "decimal":
                plain = self._slot(_Decimals())
                self._write(f"if v.__class__ is str and (w := {plain}[v]) is not None: d[{name}] = w")
            case "date":
                self._write(
                    f"if v.__class__ is str and len(v) == 10 and v[4] == '-': d[{name}] = {self._slot(date.fromisoformat)}(v)"
                )
            case "datetime":
                self._write("if v.__class__ is str and len(v) > 10 and v[0] != '/':")
                self._write(f"    v = {self._slot(datetime.fromisoformat)}(v)")
                utc = self._slot(UTC)
                self._write("    if v.tzinfo is None: raise ValueError")
                self._write(f"    d[{name}] = v if v.tzinfo is {utc} else v.astimezone({utc})")
            case _:
                convert = self._slot(CONVERSIONS[rule.kind])
                self._write(f"if v is not MISSING and v is not None and v != '': d[{name}] = {convert}(v)")
        self._write("else:")
        self._write(f"    v = {self._slot(lambda raw, rule=rule: made(rule, raw))}(v)")
        self._write(f"    if v is not MISSING: d[{name}] = v")

    def _write(self, line: str) -> None:
        self._lines.append(self._indent + line)

    def _slot(self, value: Any) -> str:
        name = f"s{len(self._slots)}"
        self._slots[name] = value
        return name


def _element_rows(path: Path) -> Callable[[Any], list[Any]]:
    """An inner level's elements as plain values; elements of one name cost no nodes."""
    assert isinstance(path, XPath)
    names = path.names()

    def values(base: Any) -> list[Any]:
        value = base
        for name in names or ():
            value = value.get(name, MISSING) if type(value) is dict else MISSING
        if names and type(value) is list:
            return value
        return [node.value for node in find_rows(path, base, must_exist=False)]

    return values


def _names(path: XPath, source: Taken) -> tuple[str, ...] | None:
    return path.names() if not source.is_all else None
