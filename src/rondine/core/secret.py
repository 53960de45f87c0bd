"""The one type for secrets: it cannot be printed, compared by accident, pickled or turned into JSON."""

from typing import NoReturn

MASK = "•••••••"


class Secret:
    """A secret and the name it is shown by. Only `reveal()` gives the value, and only the engine calls it."""

    __slots__ = ("__value", "label")

    def __init__(self, value: str, label: str) -> None:
        self.__value = value
        self.label = label

    def reveal(self) -> str:
        return self.__value

    def __str__(self) -> str:
        return f"{MASK} {self.label}"

    def __repr__(self) -> str:
        return f"Secret({self.label!r})"

    def __format__(self, spec: str) -> str:
        return format(str(self), spec)

    def __reduce__(self) -> NoReturn:
        raise TypeError("a secret is not copied out of the process")
