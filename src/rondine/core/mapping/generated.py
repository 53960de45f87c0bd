"""The fast way from rows to records: generated source, one function for each output and way of reading.

Shared path prefixes are read once, a row costs one `try`, and nothing explains. Everything that comes from the mapping
document reaches the source through a slot: the generated text contains generated identifiers only.
"""

from collections.abc import Callable, Sequence
from dataclasses import replace
from datetime import UTC, date, datetime
from decimal import Decimal
from typing import Any

from rondine.core.conversions.types import CONVERSIONS, PLAIN_DECIMAL, to_decimal
from rondine.core.documents.elements import text_of
from rondine.core.documents.members import MISSING, Members, members_at
from rondine.core.mapping.document import ROOT, Path
from rondine.core.mapping.document import Condition as Comparing
from rondine.core.mapping.taking import Rule, Taken, find_rows, found_by, made, passes
from rondine.core.paths import JsonPath, Node, XPath
from rondine.core.paths.jsonpath import Filter, Wildcard

#: (the whole document, rows of the first level, the first's number there, the inputs, keep, drop, failed).
#: keep is given a record's data; drop is called for a row that a condition leaves out; failed, with nothing or, with
#: several levels, with the index in the first level and the row's number within that, for one that needs the exact way:
#: each row in its order calls one of the three.
FastWay = Callable[..., None]
Level = tuple[str, Path]
#: What a condition looks at, and the condition.
Condition = tuple[Taken, Comparing]


_CLASSES = {kind.__name__: kind for kind in (str, int, bool, dict, list)}


class NotPlain(Exception):
    """A row that was read with its wanted members only has a shape that only all of it can tell."""


def fast_way(
    levels: Sequence[Level], rules: Sequence[Rule], conditions: Sequence[Condition] = (), row: Members | None = None
) -> FastWay:
    """row: what was read of the first level's values; None if all of it, as plain objects or, in XML, as elements."""
    return Writer(levels, rules, conditions, row).function()


def sources_of(rules: Sequence[Rule], conditions: Sequence[Condition]) -> list[Taken]:
    """Everything that an output takes: its fields' values, their units, what its conditions look at, and the sources
    within those."""
    units = [rule.unit for rule in rules if rule.unit is not None]
    outer = [*(rule.source for rule in rules), *units, *(source for source, _ in conditions)]
    return [one for source in outer for one in source.with_inner()]


def wanted_of_rows(levels: Sequence[Level], sources: Sequence[Taken], row: Members) -> None:
    """Adds what these sources want of a row of the first level, in JSON."""
    bases = {levels[0][0]: row}
    here = row
    for name, path in levels[1:]:
        names, rest = plain_part(path)
        members = here.want(names)
        if is_plain_list(rest):
            here = members.each()
        else:
            members.is_whole = True
            here = Members()
        bases[name] = here
    bases[""] = here
    for source in sources:
        if source.path is not None and source.level != ROOT:
            bases[source.level].want(plain_part(source.path)[0]).is_whole = True


def plain_part(path: Path) -> tuple[tuple[str, ...], Path]:
    """(the names that a JSONPath begins with, what remains of it). A filter may look at all of the value that its path
    starts from."""
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


class _Decimals:
    """Texts as decimals: the same few measures come again and again, so some are remembered. get: what is remembered,
    None for all else."""

    def __init__(self) -> None:
        self._known: dict[str, Decimal] = {}
        self.get = self._known.get

    def made(self, text: str) -> Decimal | None:
        """None for a text that only the whole conversion can tell."""
        if not PLAIN_DECIMAL(text):
            return None
        if len(self._known) >= 4_096:
            self._known.clear()
        number = self._known[text] = to_decimal(text)
        return number


class Writer:
    """Writes the source of one function. A variable's Members say how its value was read; None for plain objects."""

    def __init__(
        self, levels: Sequence[Level], rules: Sequence[Rule], conditions: Sequence[Condition], row: Members | None
    ) -> None:
        self._levels, self._rules, self._conditions, self._row = levels, rules, conditions, row
        self._sources = sources_of(rules, conditions)
        self._slots: dict[str, Any] = {"MISSING": MISSING, "NotPlain": NotPlain, **_CLASSES}
        self._lines: list[str] = []
        self._indent = "    "
        #: level -> (its variable, an expression for its position)
        self._variables: dict[str, tuple[str, str]] = {ROOT: ("root", "0")}
        self._read_as: dict[str, Members | None] = {"root": None}
        self._prefixes: dict[tuple[str, tuple[str, ...]], str] = {}
        #: Variables that hold an object for certain.
        self._checked: set[str] = set()
        #: Members without which a row goes the exact way, as there is a value in them that it must have.
        self._needed: set[tuple[str, tuple[str, ...]]] = set()
        #: (slot of its name, variable) of each field.
        self._values: list[tuple[str, str]] = []
        self._is_xml = any(isinstance(path, XPath) for _, path in levels)

    def function(self) -> FastWay:
        is_deep = len(self._levels) > 1
        for depth, (name, path) in enumerate(self._levels):
            self._loop(depth, name, path)
        if is_deep:
            self._write("j += 1")
        self._write("try:")
        self._indent += "    "
        self._write("gaps = False")
        self._check_kind(self._variables[""][0])
        if not self._conditions:
            self._needed = {place for rule in self._rules for place in self._around(rule)}
        for cached_source, condition in self._conditions:
            self._value(cached_source, "c")
            self._write(f"if not {self._slot(lambda value, one=condition: passes(one, value))}(c):")
            self._write("    drop()")
            self._write("    continue")
        for rule in self._rules:
            variable = f"v{len(self._values)}"
            self._values.append((self._slot(rule.name), variable))
            self._field(rule, variable)
        self._write(f"d = {{{', '.join(f'{name}: {variable}' for name, variable in self._values)}}}")
        self._write("if gaps:")
        self._write("    d = {name: value for name, value in d.items() if value is not MISSING}")
        self._write("    if not d: raise LookupError")
        self._write("keep(d)")
        self._indent = self._indent[:-4]
        self._write("except Exception:")
        self._write(f"    failed({'i0, j' if is_deep else ''})")
        names = ", ".join(f"{name}={name}" for name in self._slots)  # as parameters they are locals, which are quicker
        head = f"def run(root, rows, start, inputs, keep, drop, failed, *, {names}):"
        scope: dict[str, Any] = dict(self._slots)
        source = "\n".join([head, *self._lines])
        exec(compile(source, "<mapping>", "exec"), scope)  # noqa: S102 generated identifiers only; see the module's docstring
        run: FastWay = scope["run"]
        return run

    def _loop(self, depth: int, name: str, path: Path) -> None:
        variable = f"r{depth}"
        is_positioned = any(source.position == name for source in self._sources)
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
        members = members_at(read_as, names) if read_as is not None else None
        if not is_plain_list(rest):
            finder = self._slot(lambda one, rest=rest: [node.value for node in find_rows(rest, one, must_exist=False)])
            return f"() if {found} is MISSING else {finder}({found})", None
        self._write(f"if {found} is MISSING or {found} is None: {found} = ()")
        if members is not None and members.elements is not None and not members.is_whole:
            self._write(f"elif {found}.__class__ is not list: raise NotPlain")
            return found, members.elements
        finder = self._slot(lambda one, rest=rest: [node.value for node in find_rows(rest, one, must_exist=False)])
        self._write(f"elif {found}.__class__ is not list: {found} = {finder}({found})")
        return found, None

    # --- one field

    def _field(self, rule: Rule, v: str) -> None:
        """Writes what makes the field's value, in the variable `v`; `gaps` is set if it is missing."""
        is_bare = isinstance(rule.path, XPath) and rule.kind not in ("text", "json") and rule.convert is None
        self._value(rule.source, v, is_needed=rule.required and rule.default is MISSING, is_bare=is_bare)
        if rule.unit is not None:
            self._value(rule.unit, "u")
            self._write(f"if {v} is not MISSING and {v} is not None and {v} != '':")
            self._write(
                f"    if u.__class__ is not str or u.strip() != {self._slot(rule.wanted_unit)}: raise ValueError"
            )
        self._stepped(rule, v)
        if isinstance(rule.path, XPath) and rule.kind not in ("text", "json"):
            self._write(f"if {v}.__class__ is str: {v} = {v}.strip()")
        self._kept(rule, v)

    def _value(self, source: Taken, v: str, *, is_needed: bool = False, is_bare: bool = False) -> None:
        """Writes what puts the value that a source finds into the variable `v`. is_needed: where it is missing, the row
        goes the exact way.  is_bare: of a text the blanks around it may be left away.
        """
        inner = [f"{v}_{number}" for number, _ in enumerate((*source.first_of, *source.several))]
        for one, variable in zip((*source.first_of, *source.several), inner, strict=True):
            self._value(one, variable)
        if source.first_of:
            self._write(f"{v} = MISSING")
            for variable in reversed(inner):
                self._write(
                    f"if {variable} is not MISSING and {variable} is not None and {variable} != '': {v} = {variable}"
                )
            return
        if source.several:
            self._write(f"{v} = [{', '.join(f'None if {one} is MISSING else {one}' for one in inner)}]")
            return
        self._write(f"{v} = {self._found(source, is_needed)}")
        if isinstance(source.path, XPath) and not source.is_all:
            self._write(f"if {v}.__class__ is not str:")
            self._write(f"    if {v}.__class__ is list: raise LookupError")
            if source.is_text:
                self._write(f"    if isinstance({v}, dict): {v} = {self._slot(text_of)}({v})")

    def _stepped(self, rule: Rule, v: str) -> None:
        if rule.convert is None:
            return
        usual = "if"
        if rule.quick is not None:
            kind, function, unless = rule.quick
            guard = f" and {self._slot(unless)} not in {v}" if unless is not None else ""
            self._write(f"if {v}.__class__ is {self._slot(kind)}{guard}: {v} = {self._slot(function)}({v})")
            usual = "elif"
        self._write(f"{usual} {v} is not MISSING and {v} is not None: {v} = {self._slot(rule.convert)}({v})")

    def _found(self, source: Taken, is_needed: bool) -> str:
        if source.path is not None:
            base = self._variables[source.level][0]
            if isinstance(source.path, XPath):
                names = source.path.names() if not source.is_all else None
                if names is not None:
                    return self._read(base, names, is_needed=is_needed)
                return f"{self._finder(source)}({base})"
            names, rest = plain_part(source.path)
            held = self._read(base, names, is_needed=is_needed)
            if isinstance(rest, JsonPath) and not rest.segments and not source.is_all:
                return held
            return f"{self._finder(replace(source, path=rest, location=None))}({held})"
        if source.position is not None:
            return self._variables[source.position][1]
        if source.input is not None:
            return f"inputs.get({self._slot(source.input)}, MISSING)"
        return self._slot(source.value)

    def _around(self, rule: Rule) -> list[tuple[str, tuple[str, ...]]]:
        """The members around a value that a row must have, as the place of each."""
        if not isinstance(rule.path, JsonPath) or not rule.required or rule.default is not MISSING:
            return []
        names, base = plain_part(rule.path)[0], self._variables[rule.source.level][0]
        return [(base, names[:length]) for length in range(1, len(names))]

    def _finder(self, source: Taken) -> str:
        """A slot for what the exact way does with a path, from what its plain names lead to."""

        def find(value: Any) -> Any:
            if value is MISSING:
                return [] if source.is_all else MISSING
            return found_by(source, Node((), value))[1]

        return self._slot(find)

    def _read(self, base: str, names: tuple[str, ...], *, is_needed: bool = False) -> str:
        """An expression for the member at `names` below `base`; every prefix is read once into a variable. is_needed:
        where it is missing, the row goes the exact way."""
        if not names:
            return base
        holder, read_as = base, self._read_as[base]
        for length in range(1, len(names)):
            prefix = (base, names[:length])
            member = None if read_as is None or read_as.is_whole else read_as.members[names[length - 1]]
            if prefix not in self._prefixes:
                variable = f"p{len(self._read_as)}"
                is_there = prefix in self._needed
                self._write(f"{variable} = {self._member(holder, names[length - 1], read_as, is_needed=is_there)}")
                self._prefixes[prefix] = variable
                self._read_as[variable] = member
                if self._is_xml or member is None or member.is_whole:
                    if self._is_xml:
                        self._write(f"if not isinstance({variable}, dict):")
                        self._write(f"    if {variable}.__class__ is list: raise LookupError")
                    else:
                        self._write(f"if {variable}.__class__ is not dict:")
                    self._write(f"    {variable} = {self._slot({})}")
                    self._checked.add(variable)
                elif member is not None and not member.is_whole and member.kind is not None:
                    empty = self._slot(member.kind())
                    self._write(f"if {variable}.__class__ is not {self._slot(member.kind)}: {variable} = {empty}")
                    self._checked.add(variable)
            holder, read_as = self._prefixes[prefix], member
        return self._member(holder, names[-1], read_as, is_needed=is_needed)

    def _member(self, holder: str, name: str, read_as: Members | None, *, is_needed: bool = False) -> str:
        if read_as is None or read_as.is_whole:
            slot = self._slot(name)
            if is_needed and holder in self._checked:
                return f"{holder}[{slot}]"
            member = f"{holder}.get({slot}, MISSING)"
            is_object = f"isinstance({holder}, dict)" if self._is_xml else f"{holder}.__class__ is dict"
            return member if holder in self._checked else f"{member} if {is_object} else MISSING"
        attribute = f"{holder}.{read_as.attribute(name)}"
        return (
            attribute
            if holder in self._checked
            else f"{attribute} if {holder}.__class__ is {self._slot(read_as.kind)} else MISSING"
        )

    def _check_kind(self, row: str) -> None:
        """A row that is not an object goes the exact way, so that its members can be read without asking."""
        read_as = self._read_as[row]
        if self._is_xml:
            self._write(f"if not isinstance({row}, dict): raise TypeError")
            self._checked.add(row)
        elif (read_as is None or read_as.is_whole) and self._reads_members(row):
            self._write(f"if {row}.__class__ is not dict: raise TypeError")
            self._checked.add(row)
        elif read_as is not None and not read_as.is_whole and read_as.kind is not None:
            self._write(f"if {row}.__class__ is not {self._slot(read_as.kind)}: raise TypeError")
            self._checked.add(row)

    def _reads_members(self, row: str) -> bool:
        """Whether anything takes a member of the row: then rows are objects."""
        sources = [source for source in self._sources if source.path is not None]
        own = [one for one in sources if self._variables[one.level][0] == row]
        return any(isinstance(one.path, JsonPath) and plain_part(one.path)[0] for one in own)

    def _kept(self, rule: Rule, v: str) -> None:
        """What the usual values of a type become without a call of ours; all others go through the type's
        conversion."""
        match rule.kind:
            case "text":
                self._write(f"if {v}.__class__ is not str{f' or not {v}' if rule.required else ''}:")
            case "boolean":
                self._write(f"if {v}.__class__ is not bool:")
            case "integer":
                self._write(f"if {v}.__class__ is not int or not -9223372036854775808 <= {v} <= 9223372036854775807:")
            case "decimal":
                known = _Decimals()
                self._write(
                    f"w = {self._slot(known.get)}({v})"
                )  # what has no hash is not a number: the exact way tells
                self._write(f"if w is not None: {v} = w")
                self._write(f"elif {v}.__class__ is str and (w := {self._slot(known.made)}({v})) is not None: {v} = w")
                self._write("else:")
            case "date":
                self._write(
                    f"if {v}.__class__ is str and {v} and {v}[7] == '-': {v} = {self._slot(date.fromisoformat)}({v})"
                )
                self._write("else:")
            case "datetime":
                utc, slow = self._slot(UTC), self._slot(lambda raw: made(rule, raw))
                self._write(f"if {v}.__class__ is str:")
                self._write(f"    try: w = {self._slot(datetime.fromisoformat)}({v})")
                self._write(f"    except ValueError: {v} = {slow}({v})")
                self._write(
                    f"    else: {v} = w if w.tzinfo is {utc} else w.astimezone({utc}) if w.tzinfo else {slow}({v})"
                )
                self._write("else:")
            case _:
                convert = self._slot(CONVERSIONS[rule.kind])
                self._write(f"if {v} is not MISSING and {v} is not None and {v} != '': {v} = {convert}({v})")
                self._write("else:")
        self._unusual(rule, v)

    def _unusual(self, rule: Rule, v: str) -> None:
        """What becomes of missing, null and all other values."""
        if rule.default is not MISSING:
            self._write(f"    if {v} is MISSING or {v} is None: {v} = {self._slot(rule.default)}")
            self._write(f"    else: {v} = {self._slot(lambda raw: made(rule, raw))}({v})")
        elif rule.required:
            self._write(f"    {v} = {self._slot(lambda raw: made(rule, raw))}({v})")
        else:
            self._write(f"    if {v} is MISSING: gaps = True")
            self._write(f"    elif {v} is not None: {v} = {self._slot(lambda raw: made(rule, raw))}({v})")

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
            value = value.get(name, MISSING) if isinstance(value, dict) else MISSING
        if names and type(value) is list:
            return value
        return [node.value for node in find_rows(path, base, must_exist=False)]

    return values
