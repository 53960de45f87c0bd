"""A proposal fitted onto a record type that is there already: which value fills which field, by name, type, and what
its records hold."""

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from difflib import SequenceMatcher

from msgspec import structs

from rondine.core.mapping.document import FieldRule, RecordField, RecordTypeDocument, Source
from rondine.core.mapping.propose import Proposal, is_within

#: From this likeness on, a pair is proposed. A name that is the same is enough for itself.
ENOUGH = 0.6
#: Besides its own, the types that a field of a type can be given without a step that makes another value of them.
_ALSO_FROM: Mapping[str, frozenset[str]] = {
    "text": frozenset({"integer", "decimal", "boolean", "date", "datetime"}),
    "integer": frozenset({"text"}),
    "decimal": frozenset({"integer", "text"}),
    "boolean": frozenset({"text"}),
    "date": frozenset({"text"}),
    "datetime": frozenset({"text"}),
    "json": frozenset(),
}
#: (type of the value, type of the field) that lose nothing.
_SURE = {("integer", "decimal"), ("integer", "text"), ("boolean", "text"), ("date", "text"), ("datetime", "text")}
_WORD = re.compile(r"[A-Z]+(?![a-z])|[A-Z]?[a-z]+|\d+")


@dataclass(frozen=True, slots=True)
class Pair:
    """A value for a field of the record type. path: where it comes from.  reason: same name, similar name, or like
    values.  is_sure: it is called the same and of the field's type, and no other value is; what is not sure wants a
    person's yes."""

    field: str
    path: str
    reason: str
    is_sure: bool


@dataclass(frozen=True, slots=True)
class Fitted:
    """pairs: what was found, in the order of the record type.  open: fields for which nothing was."""

    proposal: Proposal
    pairs: tuple[Pair, ...]
    open: tuple[str, ...]


def fit(
    made: Proposal, name: str, record_type: RecordTypeDocument, known: Mapping[str, Sequence[str]] | None = None
) -> Fitted:
    """The same rows for another record type; what fits none of its fields is left out. known: some values that its
    records have, as texts, by field."""
    output = made.mapping.outputs[0]
    offered = {field.name: field for field in made.record_type.fields}
    likely = []
    for at, field in enumerate(record_type.fields):
        for number, rule in enumerate(output.fields):
            likeness, reason = _likeness(field, offered[rule.name], rule, made, (known or {}).get(field.name, ()))
            if likeness >= ENOUGH:
                likely.append((-likeness, at, number, reason))
    taken: dict[int, tuple[int, str]] = {}
    for _, at, number, reason in sorted(likely):
        if at not in taken and number not in [one for one, _ in taken.values()]:
            taken[at] = number, reason
    holders = {
        at: path
        for at, field in enumerate(record_type.fields)
        if at not in taken and field.type == "json"
        for path in made.holders
        if max(_name_likeness(field, name) for name in _last_names(path)) == 1
    }
    rules, pairs = [], []
    for at in sorted({*taken, *holders}):
        if at in holders:
            field, path = record_type.fields[at], holders[at]
            rules.append(FieldRule(field.name, made.holders[path], required=field.name in record_type.key))
            pairs.append(Pair(field.name, path.removeprefix("$."), "same name", is_sure=True))
            continue
        number, reason = taken[at]
        alike = [pair for pair in likely if pair[1] == at and pair[3] == "same name"]
        field, rule = record_type.fields[at], output.fields[number]
        of_type = offered[rule.name].type
        is_sure = (
            reason == "same name" and len(alike) == 1 and (of_type == field.type or (of_type, field.type) in _SURE)
        )
        keeps_steps = of_type == field.type
        rules.append(
            structs.replace(
                rule,
                name=field.name,
                convert=rule.convert if keeps_steps else [],
                required=field.name in record_type.key,
                unit=rule.unit if field.unit else None,
            )
        )
        pairs.append(Pair(field.name, _path_of(rule), reason, is_sure))
    used = {number for number, _ in taken.values()}
    whole = [f"$.{pair.path}" if not pair.path.startswith("$") else pair.path for pair in pairs]
    left = [
        path
        for number, rule in enumerate(output.fields)
        if number not in used and not is_within("$." + (path := _path_of(rule)), whole)
    ]
    left_out = [path for path in made.left_out if not is_within(path, whole)]
    mapping = structs.replace(made.mapping, outputs=[structs.replace(output, record_type=name, fields=rules)])
    open_fields = [field.name for at, field in enumerate(record_type.fields) if at not in taken and at not in holders]
    notes = [f"nothing looks like {open_field}" for open_field in open_fields]
    proposal = Proposal(
        name, record_type, mapping, [*left_out, *left, *_in_parts(made)], notes, [], made.examples, made.holders
    )
    return Fitted(proposal, tuple(pairs), tuple(open_fields))


def _in_parts(made: Proposal) -> list[str]:
    """What would have been in records of their own: a fitted mapping has none."""
    return [path for part in made.parts for path in part.takes]


def _likeness(
    field: RecordField, offered: RecordField, rule: FieldRule, made: Proposal, known: Sequence[str]
) -> tuple[float, str]:
    """(0 to about 1.7, what tells)."""
    by_name = max(_name_likeness(field, name) for name in (offered.name, *_last_names(_path_of(rule))))
    by_value = _value_likeness(made.examples.get(offered.name, ()), known)
    if (field.type == "json") != (
        offered.type == "json"
    ):  # one leaf of a structure is not the structure, whatever it is called
        return 0.0, ""
    by_type = 0.2 if field.type == offered.type else 0.1 if offered.type in _ALSO_FROM[field.type] else -0.3
    if by_name == 1:
        return 1 + by_type + by_value, "same name"
    if by_name + by_type >= by_value:
        return by_name + by_type + by_value / 2, "similar name"
    return by_value + by_type, "like values"


def _name_likeness(field: RecordField, name: str) -> float:
    wanted, given = _words(field.name), _words(name)
    bare = [word for word in wanted if word != field.unit.lower()] if field.unit else wanted
    if not given or given in (wanted, bare) or "".join(given) in ("".join(wanted), "".join(bare)):
        return 1.0 if given else 0.0
    if set(bare) <= set(given) or set(given) <= set(bare):
        return 0.6
    ratio = SequenceMatcher(None, "".join(bare), "".join(given)).ratio()
    return 0.5 if ratio >= 0.85 else 0.0  # distrikt, but not tree for street


def _words(name: str) -> list[str]:
    return [word.lower() for word in _WORD.findall(name)]


def _last_names(path: str) -> list[str]:
    """The last name of a path, and the last two together."""
    names = [one for one in re.split(r"[.$/\[\]'@*]+", path) if one]
    names = [name.rpartition(":")[2] for name in names]
    return [names[-1], " ".join(names[-2:])] if names else []


def _value_likeness(examples: Sequence[str], known: Sequence[str]) -> float:
    """How far texts of samples are those that records have, or are formed like them."""
    found = [example for example in examples if not example.replace(".", "").replace("-", "").isdigit()]
    if not found or not known:
        return 0.0
    same = sum(one in set(known) for one in found) / len(found)
    forms = {_form(one) for one in known}
    alike = sum(_form(one) in forms for one in found) / len(found) if any(map(str.isdigit, "".join(found))) else 0.0
    return max(0.5 * same, 0.45 * alike)


def _form(text: str) -> str:
    """OLM-00412 -> a-9"""
    return re.sub(r"[^\W\d_]+", "a", re.sub(r"\d+", "9", text))


def _path_of(rule: FieldRule) -> str:
    if isinstance(rule.source, str):
        return rule.source
    source: Source = rule.source
    return source.jsonpath or source.xpath or (f"key of {source.key}" if source.key else rule.name)
