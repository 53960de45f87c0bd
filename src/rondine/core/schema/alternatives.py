"""Objects of several kinds in one place, told apart by a field: which members they have together, and by what text of
which member."""

from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

#: Different sets of members, and different texts of one member, up to which something is told from them.
MOST_VARIANTS = 64
MOST_TEXTS = 12
LONGEST_TEXT = 40


@dataclass(frozen=True, slots=True)
class Alternatives:
    """field: the member whose text tells.  by_text: for each text, the members that only come with some of the texts
    and always with this one."""

    field: str
    by_text: dict[str, tuple[str, ...]]

    @property
    def values(self) -> list[dict[str, Any]]:
        """[{value, members}], of `by_text`."""
        return [{"value": text, "members": [*has]} for text, has in self.by_text.items()]

    def to_json(self) -> dict[str, Any]:
        return {"field": self.field, "values": self.values}


@dataclass(slots=True)
class Variants:
    """How often objects had each set of members; for each member that has few texts, how often with each text. Of too
    many kinds nothing is kept."""

    sets: Counter[frozenset[str]] = field(default_factory=Counter)
    texts: dict[str, dict[str, Counter[frozenset[str]]]] = field(default_factory=dict)
    many: set[str] = field(default_factory=set)
    is_open: bool = True

    def add(self, held: Mapping[str, Any]) -> None:
        if not self.is_open:
            return
        names = frozenset(held)
        self.sets[names] += 1
        for name, value in held.items():
            if name in self.many:
                continue
            if not isinstance(value, str) or len(value) > LONGEST_TEXT:
                self._drop(name)
                continue
            self.texts.setdefault(name, {}).setdefault(value, Counter())[names] += 1
            if len(self.texts[name]) > MOST_TEXTS:
                self._drop(name)
        self._check()

    def absorb(self, other: "Variants") -> None:
        self.is_open = self.is_open and other.is_open
        self.sets += other.sets
        for name in other.many:
            self._drop(name)
        for name, texts in other.texts.items():
            if name not in self.many:
                held = self.texts.setdefault(name, {})
                for text, sets in texts.items():
                    held.setdefault(text, Counter()).update(sets)
                if len(held) > MOST_TEXTS:
                    self._drop(name)
        self._check()

    def _drop(self, name: str) -> None:
        self.many.add(name)
        self.texts.pop(name, None)

    def _check(self) -> None:
        if len(self.sets) > MOST_VARIANTS:
            self.is_open = False
        if not self.is_open:
            self.sets.clear()
            self.texts.clear()

    def alternatives(self) -> Alternatives | None:
        """The member that tells most of the others apart, each text of it seen twice on average at least; None if none
        does."""
        objects = sum(self.sets.values())
        some = [
            name
            for name in self._members()
            if sum(count for sets, count in self.sets.items() if name in sets) < objects
        ]
        best: tuple[int, Alternatives] | None = None
        for name, texts in self.texts.items():
            counts = {text: sum(sets.values()) for text, sets in texts.items()}
            if len(texts) < 2 or sum(counts.values()) != objects or objects < 2 * len(texts):
                continue
            told: dict[str, list[str]] = {text: [] for text in texts}
            found = 0
            for other in some:
                has = {text: sum(n for names, n in sets.items() if other in names) for text, sets in texts.items()}
                if set(has.values()) != {0} and all(has[text] in (0, counts[text]) for text in texts):
                    found += 1
                    for text in texts:
                        if has[text]:
                            told[text].append(other)
            if found and (best is None or found > best[0]):
                best = found, Alternatives(name, {text: tuple(names) for text, names in told.items()})
        return best[1] if best else None

    def _members(self) -> list[str]:
        return sorted({name for names in self.sets for name in names})
