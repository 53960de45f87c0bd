"""The one type for secrets: it cannot be printed, compared by accident, pickled or turned into JSON."""

from typing import NoReturn

MASK = "•••••••"


class Secret:
    """A secret, the name it is shown by, and a public text before it, such as "Bearer ".

    Only `reveal()` gives the value, with what stands before it; the sign-in schemes and the engine call it.
    """

    __slots__ = ("__value", "before", "label")

    def __init__(self, value: str, label: str, *, before: str = "") -> None:
        self.__value = value
        self.label = label
        self.before = before

    def reveal(self) -> str:
        return self.before + self.__value

    def bare(self) -> str:
        """The value without what stands before it."""
        return self.__value

    def after(self, before: str) -> "Secret":
        """The same secret with another text before it."""
        return Secret(self.__value, self.label, before=before)

    def __str__(self) -> str:
        return f"{self.before}{MASK} {self.label}"

    def __repr__(self) -> str:
        return f"Secret({self.label!r})"

    def __format__(self, spec: str) -> str:
        return format(str(self), spec)

    def __reduce__(self) -> NoReturn:
        raise TypeError("a secret is not copied out of the process")
