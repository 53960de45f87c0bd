"""Objects whose keys are data: a member for every tree or every day, instead of the same members each time.

That is proposed where keys are no names a program would give (OLM-00412, 2026-11-23) and what stands under them is
alike, and where keys hardly come twice over the samples. A person may say it is so, or is not.
"""

import re
from collections.abc import Mapping
from typing import Literal

from rondine.core.paths.jsonpath import step_text
from rondine.core.schema.shape import Shape, together

Keys = Literal["data", "names"]
#: Keys that are kept to be shown.
SHOWN = 3
#: What no name of a program has: three digits on end, or a digit first.
_NO_NAME = re.compile(r"\d{3}|^\d")
#: From this many on, keys that are names can be data; fewer only if they are no names.
MANY = 10


def settle_keys(shape: Shape, decided: Mapping[str, Keys], path: str = "$") -> None:
    """Turns objects whose keys are data into keys and values. decided: what people said, by the outline's path."""
    said = decided.get(path)
    if shape.members and (said == "data" or (said is None and has_data_keys(shape))):
        shape.values = together(shape.members.values())
        shape.keys = list(shape.members)
        shape.members = {}
        settle_keys(shape.values, decided, f"{path}[*]")
    for name, member in shape.members.items():
        settle_keys(member, decided, f"{path}{step_text(name)}")
    if shape.element is not None:
        settle_keys(shape.element, decided, f"{path}[*]")


def has_data_keys(shape: Shape) -> bool:
    """Whether the keys of these objects look like data."""
    members, objects = shape.members, shape.kinds["object"]
    if len(members) < 2 or not _are_alike(list(members.values())):
        return False
    if all(_NO_NAME.search(name) for name in members):
        return True
    seen = sum(member.seen for member in members.values())
    each = seen / objects  # members of one object
    come_and_go = len(members) >= MANY and objects > 1 and len(members) >= 3 * each
    return come_and_go or (len(members) >= 2 * MANY and all(one.kinds["object"] for one in members.values()))


def _are_alike(shapes: list[Shape]) -> bool:
    """Whether all are of one kind, and objects share at least half of their members."""
    kinds = {_kind(shape) for shape in shapes} - {""}
    if len(kinds) != 1 or "mixed" in kinds:
        return False
    if kinds != {"object"}:
        return True
    held = [shape for shape in shapes if shape.kinds["object"]]
    if (maps := sum(has_data_keys(one) for one in held)) > 0:
        return maps == len(held)
    names = {name for one in held for name in one.members}
    return not names or sum(len(one.members) for one in held) >= len(held) * len(names) / 2


def _kind(shape: Shape) -> str:
    kinds = [kind for kind in shape.types if kind != "null"]
    kinds = ["number" if kind == "integer" else kind for kind in kinds]
    return "" if not kinds else kinds[0] if len(kinds) == 1 else "mixed"
