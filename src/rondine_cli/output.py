"""What the commands print: tables and sentences on a terminal, one JSON value a line for programs; everything else goes
to stderr."""

import json
import sys
from collections.abc import Iterable, Mapping, Sequence
from contextlib import AbstractContextManager, nullcontext
from typing import Any, TextIO

from rich.console import Console
from rich.progress import BarColumn, Progress, TextColumn, TimeElapsedColumn
from rich.table import Table
from rich.text import Text


class Output:
    """as_json: JSON lines on stdout, whatever stdout is. Into a pipe it is JSON too."""

    def __init__(self, *, as_json: bool) -> None:
        self.is_terminal = sys.stdout.isatty()
        self.as_json = as_json or not self.is_terminal
        self.out = Console(soft_wrap=True, highlight=False)
        self.err = Console(stderr=True, highlight=False, soft_wrap=True)

    @classmethod
    def into(cls, file: TextIO) -> "Output":
        """One that prints for people, into a file."""
        output = cls(as_json=False)
        output.as_json = False
        output.out = output.err = Console(file=file, width=140, soft_wrap=True, highlight=False)
        return output

    def value(self, value: Any, text: str | None = None) -> None:
        """One result: JSON for programs, the text for people."""
        if self.as_json:
            print(json.dumps(value, ensure_ascii=False), flush=True)
        else:
            self.out.print(Text(text if text is not None else json.dumps(value, ensure_ascii=False, indent=2)))

    def rows(self, rows: Iterable[Mapping[str, Any]], columns: Sequence[str], *, empty: str, raw: bool = True) -> int:
        """Many results; columns: names, with dots for parts of parts. Returns how many there were."""
        count = 0
        if self.as_json:
            for row in rows:
                print(json.dumps(row, ensure_ascii=False), flush=True)
                count += 1
        else:
            table = Table(box=None, pad_edge=False, header_style="bold", expand=False)
            for column in columns:
                table.add_column(column.rpartition(".")[2].replace("_", " "), overflow="fold")
            for row in rows:
                table.add_row(*(Text(_cell(_part(row, column))) for column in columns))
                count += 1
            if count:
                self.out.print(table)
        if not count:
            self.say(empty)
        return count

    def say(self, text: str) -> None:
        """Something for people that is not a result."""
        self.err.print(Text(text))

    def working(self, words: str) -> AbstractContextManager[object]:
        """A sign on the terminal that something is under way, for the length of a `with`."""
        return self.err.status(words) if self.err.is_terminal else nullcontext()

    def counting(self, words: str) -> "Counting":
        """A bar on the terminal for something that tells how far it has come, for the length of a `with`."""
        return Counting(self.err, words)

    def good(self, text: str) -> None:
        self.err.print(Text(text, style="green"))

    def bad(self, text: str) -> None:
        self.err.print(Text(text, style="red"))


class Counting(AbstractContextManager["Counting"]):
    """A bar that moves as `told` is given {what, done, of}; nothing where there is no terminal."""

    def __init__(self, console: Console, words: str) -> None:
        self._progress = Progress(
            TextColumn("{task.description}"),
            BarColumn(),
            TextColumn("{task.fields[count]}"),
            TimeElapsedColumn(),
            console=console,
            disable=not console.is_terminal,
            transient=True,
        )
        self._words = words
        self._task = self._progress.add_task(words, total=None, count="")

    def __enter__(self) -> "Counting":
        self._progress.start()
        return self

    def __exit__(self, *_: object) -> None:
        self._progress.stop()

    def told(self, one: Mapping[str, Any]) -> None:
        count = f"{one['done']:,} of {one['of']:,} {one['what']}" if one["done"] else ""
        self._progress.update(self._task, total=one["of"] or None, completed=one["done"], count=count)


def _part(row: Any, column: str) -> Any:
    for name in column.split("."):
        row = row.get(name) if isinstance(row, dict) else None
    return row


def _cell(value: Any) -> str:
    if value is None:
        return "–"
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, list):
        return ", ".join(map(_cell, value)) or "none"
    return json.dumps(value, ensure_ascii=False) if isinstance(value, dict) else str(value)


def counted(number: int, word: str) -> str:
    """ "1 operation", "2 operations"."""
    return f"{number:,} {word}{'' if number == 1 else 's'}"
