"""Names of items, fields and inputs: `[a-z][a-z0-9_-]*`, and how one is proposed from free text."""

import re
import unicodedata
from collections.abc import Collection

from rondine.core.errors import InputError

NAME = re.compile(r"[a-z][a-z0-9_-]{0,62}")


def check_name(name: str, where: str = "/name") -> str:
    if not NAME.fullmatch(name):
        raise InputError(
            f'"{name[:80]}" is not a name',
            where=where,
            hint=f'use small letters, digits, "-" and "_", beginning with a letter, such as "{proposed_name(name)}"',
        )
    return name


def proposed_name(text: str, *, separator: str = "-", taken: Collection[str] = ()) -> str:
    """A free name near the text: "Girth (m)" -> "girth-m"; camelCase is parted; a clash gets a number."""
    text = re.sub(r"(?<=[a-z0-9])(?=[A-Z])", " ", text)
    plain = unicodedata.normalize("NFKD", text).encode("ascii", "ignore").decode().lower()
    name = re.sub(r"[^a-z0-9]+", separator, plain).strip("-_")
    name = (name if name[:1].isalpha() else f"n{separator}{name}".rstrip("-_"))[:58] if name else "unnamed"
    return free_name(name, taken, separator=separator)


def free_name(wanted: str, taken: Collection[str], *, separator: str = "-") -> str:
    """The name itself, or if it is taken, the first free one with a number behind it."""
    free, number = wanted, 2
    while free in taken:
        free, number = f"{wanted}{separator}{number}", number + 1
    return free


def singular(text: str) -> str:
    """A plural's likely singular: trees -> tree, entries -> entry, boxes -> box; species stay species."""
    if text.endswith(("species", "series")):
        return text
    for ending, instead in (("ies", "y"), ("sses", "ss"), ("xes", "x"), ("ches", "ch"), ("shes", "sh")):
        if text.endswith(ending) and len(text) > len(ending) + 1:
            return text.removesuffix(ending) + instead
    return text[:-1] if text.endswith("s") and not text.endswith(("ss", "us", "is")) and len(text) > 2 else text
