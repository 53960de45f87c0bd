"""Of a JSON document only the members that are wanted: a type made for them, into which the decoder reads (msgspec) and
skips all else.

A value that is not of the expected shape is read as it is, so nothing is refused here that reading all of it takes.
What is skipped is still checked to be JSON. Values of wanted members are exact, as `read_json` gives them.
"""

from collections.abc import Mapping, Sequence
from decimal import Decimal
from typing import Any

import msgspec

#: In place of a wanted member that is not there.
MISSING = object()


class Members:
    """What is wanted of a value: all of it, some of its members, or something of each element of a list.

    is_text: it is wanted as it is written.  kind: the class its objects become, once `annotation` was asked for; None
    if it is wanted whole, as its text, or as a list.
    """

    def __init__(self) -> None:
        self.is_whole = False
        self.is_text = False
        self.members: dict[str, Members] = {}
        self.elements: Members | None = None
        self.kind: type | None = None
        self._annotation: Any = None

    def want(self, names: Sequence[str] = ()) -> "Members":
        """The value that these names lead to, now wanted in part at least."""
        here = self
        for name in names:
            if here.elements is not None:  # wanted as an object and as a list: only all of it serves both
                here.is_whole = True
            here = here.members.setdefault(name, Members())
        return here

    def each(self) -> "Members":
        """The elements of this list."""
        if self.members:
            self.is_whole = True
        self.elements = self.elements or Members()
        return self.elements

    def attribute(self, name: str) -> str:
        return f"m{list(self.members).index(name)}"

    def annotation(self) -> Any:
        """The type to decode into; nothing more may be wanted afterwards."""
        if self._annotation is None:
            self._annotation = self._made()
        return self._annotation

    def _made(self) -> Any:
        if self.is_text:
            return msgspec.Raw
        if self.is_whole or (not self.members and self.elements is None):
            self.is_whole = True
            return Any
        if self.elements is not None:
            return list[self.elements.annotation()] | dict | str | int | float | bool | None  # type: ignore[misc]
        self.kind = msgspec.defstruct(
            "Wanted",
            [
                (self.attribute(name), member.annotation(), msgspec.field(name=name, default=MISSING))
                for name, member in self.members.items()
            ],
            gc=False,
        )
        return self.kind | list | str | int | float | bool | None

    def value_of(self, value: Any) -> Any:
        """What was decoded as plain objects, with the wanted members only; lists that are read row by row are left
        out."""
        if self.kind is not None and type(value) is self.kind:
            held = ((name, member, getattr(value, self.attribute(name))) for name, member in self.members.items())
            return {name: member.value_of(one) for name, member, one in held if one is not MISSING}
        return [] if self.elements is not None and not self.is_whole and type(value) is list else value


def decoder_of(annotation: Any) -> msgspec.json.Decoder[Any]:
    """A decoder with exact numbers."""
    return msgspec.json.Decoder(annotation, float_hook=Decimal)


def members_at(root: Members, names: Sequence[str]) -> Members | None:
    """What is wanted at a place, None if something around it is wanted whole."""
    here = root
    for name in names:
        if here.is_whole:
            return None
        here = here.members[name]
    return here


def at_names(value: Any, names: Sequence[str]) -> Any:
    """The member that names lead to in plain objects, MISSING if there is none."""
    for name in names:
        if not isinstance(value, Mapping) or name not in value:
            return MISSING
        value = value[name]
    return value
