"""Files that requests send: they stay where they are, and go out piece by piece."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any, Protocol


class FileContent(Protocol):
    """size: in bytes. Any number of readers may go through it, each from its beginning."""

    size: int

    def chunks(self) -> Iterator[bytes]: ...


@dataclass(frozen=True, slots=True)
class GivenFile:
    """A file given for an input. name: empty if it has none.  media_type: empty if nobody says.  digest: SHA-256 of the
    content, in hex."""

    name: str
    media_type: str
    digest: str
    content: FileContent

    @property
    def size(self) -> int:
        return self.content.size

    def told(self) -> dict[str, Any]:
        """What is kept of it: everything but its content."""
        return {"file": self.name, "media_type": self.media_type, "size": self.size, "sha256": self.digest}

    def __str__(self) -> str:
        kind = f"{self.media_type}, " if self.media_type else ""
        return f"[{self.name or 'a file'}: {kind}{self.size:,} bytes, SHA-256 {self.digest}]"


@dataclass(frozen=True, slots=True)
class FileBody:
    """A body with files in it. pieces: what is sent, in order."""

    pieces: tuple[bytes | GivenFile, ...]

    @property
    def size(self) -> int:
        return sum(len(one) if isinstance(one, bytes) else one.size for one in self.pieces)

    def chunks(self) -> Iterator[bytes]:
        for one in self.pieces:
            if isinstance(one, bytes):
                yield one
            else:
                yield from one.content.chunks()

    @property
    def shown(self) -> bytes:
        """The same with each file's name, size and digest in place of its content."""
        return b"".join(one if isinstance(one, bytes) else str(one).encode() for one in self.pieces)


def has_file(value: object) -> bool:
    """Whether an input's value is a file, or a list with one."""
    return any(isinstance(one, GivenFile) for one in (value if isinstance(value, list) else [value]))


def shown_files(value: object) -> str:
    """A value that is a file or has some, without their contents."""
    return ", ".join(str(one) for one in (value if isinstance(value, list) else [value]))


def told_inputs(inputs: Mapping[str, Any]) -> dict[str, Any]:
    """Inputs as they are kept: of files what they are, not what is in them."""

    def told(value: Any) -> Any:
        if isinstance(value, list):
            return [told(one) for one in value]
        return value.told() if isinstance(value, GivenFile) else value

    return {name: told(value) for name, value in inputs.items()}
