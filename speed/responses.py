"""A JSON response to mapped rows: all of it at once, as a page of a feed, against orjson and hand-written Python; and
row by row from a file of any size.

--memory BYTES: writes a response of that size to a file and reads it row by row in a process of its own; tells the
memory above the idle process.
"""

import argparse
import gc
import json
import os
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

from common import MAPPING, RECORD_TYPE, alternately, needs
from surveys import survey


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--rows", type=int, default=200_000)
    parser.add_argument("--rounds", type=int, default=3)
    parser.add_argument("--bad", type=float, default=0.0)
    parser.add_argument("--memory", type=int, default=0, metavar="BYTES")
    parser.add_argument("--form", choices=("json", "xml"), default="json", help="of the file that --memory reads")
    parser.add_argument("--read", type=Path, help=argparse.SUPPRESS)
    args = parser.parse_args()
    if args.read:
        read_alone(args.read, args.form)
    elif args.memory:
        memory(args.memory, args.form)
    else:
        compare(args.rows, args.rounds, args.bad)


def compare(rows: int, rounds: int, bad: float) -> None:
    needs("orjson")
    import orjson
    from scripts import map_rows

    body = json.dumps(
        {"value": [survey(i, bad=bad) for i in range(rows)], "count": rows}, ensure_ascii=False, separators=(",", ":")
    ).encode()
    reader = row_reader_of("json")
    pieces = [body[at : at + 262_144] for at in range(0, len(body), 262_144)]

    def in_parts() -> int:
        return sum(len(part.mapped[0].records) for part in reader.parts(lambda: iter(pieces), {}, []))

    def manual() -> Any:
        """With Python's own settings of its garbage collector, as a script runs; Rondine's worker sets its own, as
        `alternately` does."""
        ours = gc.get_threshold()
        gc.set_threshold(700, 10, 10)
        try:
            return map_rows(orjson.loads(body)["value"], [])
        finally:
            gc.set_threshold(*ours)

    ways: dict[str, Callable[[], Any]] = {
        "orjson, hand-written": manual,
        "rondine, at once": lambda: reader.page(body, {}),
        "rondine, row by row": in_parts,
    }
    print(f"{rows:,} rows, {len(body):,} bytes")
    medians = alternately(ways, rounds, rows)
    for way in list(ways)[1:]:
        print(f"  {way}: {medians['orjson, hand-written'] / medians[way]:.2f} x as fast as the hand-written script")


def row_reader_of(form: str) -> Any:
    from rondine.core.mapping.compile import compile_mapping
    from rondine.core.mapping.document import MappingDocument, RecordTypeDocument
    from rondine.core.mapping.rowwise import row_reader
    from rondine.core.settings import load

    if form == "json":
        mapping = load(MappingDocument, MAPPING)
        return row_reader(
            mapping, compile_mapping(mapping, {"survey": load(RecordTypeDocument, RECORD_TYPE)}), ["/count"]
        )
    from elements import mapping_of_surveys

    mapping, outputs = mapping_of_surveys()
    return row_reader(mapping, outputs)


def memory(size: int, form: str) -> None:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "response"
        with path.open("wb") as out:
            for piece in large(size, form):
                out.write(piece)
        words = [sys.executable, __file__, "--read", str(path), "--form", form]
        print(subprocess.run(words, check=True, capture_output=True, text=True).stdout, end="")


def large(size: int, form: str) -> Iterator[bytes]:
    """About `size` bytes of surveys, of which a thousand are made and come again and again under other numbers."""
    from elements import element, opening

    made = [survey(number) for number in range(1_000)]
    written, number = 0, 0
    yield b'{"value":[' if form == "json" else opening().encode()
    while written < size:
        for one in made:
            one["id"] = number
            piece = json.dumps(one, ensure_ascii=False) if form == "json" else element(one)
            piece = ("," if form == "json" and number else "") + piece
            number += 1
            written += len(piece)
            yield piece.encode()
    yield b'],"count":%d}' % number if form == "json" else b"</surveys>"


def read_alone(path: Path, form: str) -> None:
    reader = row_reader_of(form)

    def chunks() -> Iterator[bytes]:
        with path.open("rb") as file:
            while piece := file.read(262_144):
                yield piece

    idle = resident()
    began, rows, most = time.perf_counter(), 0, idle
    for part in reader.parts(chunks, {}, [], of=form):
        rows += len(part.mapped[0].records)
        most = max(most, resident())
    seconds, size = time.perf_counter() - began, path.stat().st_size
    print(
        f"{form}: {size:,} bytes, {rows:,} rows in {seconds:.1f} s: {size / seconds / 1e6:.0f} MB/s; "
        f"{(most - idle) / 1e6:.0f} MB above the {idle / 1e6:.0f} MB of the idle process"
    )


def resident() -> int:
    return int(Path("/proc/self/statm").read_text().split()[1]) * os.sysconf("SC_PAGE_SIZE")


if __name__ == "__main__":
    main()
