"""Mapping alone: decoded rows to records, against hand-written Python that makes the same values."""

import argparse
from collections.abc import Callable
from typing import Any

from common import MAPPING, RECORD_TYPE, alternately


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--rows", type=int, default=50_000)
    parser.add_argument("--rounds", type=int, default=5)
    parser.add_argument("--bad", type=float, default=0.0)
    args = parser.parse_args()
    import json

    from scripts import map_rows
    from surveys import survey

    from rondine.core.documents import read_json
    from rondine.core.mapping.compile import compile_mapping
    from rondine.core.mapping.document import MappingDocument, RecordTypeDocument
    from rondine.core.mapping.row_encoding import encode_rows
    from rondine.core.settings import load

    body = json.dumps({"value": [survey(i, bad=args.bad) for i in range(args.rows)]}).encode()
    document = read_json(body, limits=common_limits())
    compiled = compile_mapping(load(MappingDocument, MAPPING), {"survey": load(RecordTypeDocument, RECORD_TYPE)})[0]
    mapped = compiled.run(document)
    ways: dict[str, Callable[[], Any]] = {
        "hand-written": lambda: map_rows(document["value"], []),
        "rondine": lambda: compiled.run(document),
        "rondine, with keys and hashes": lambda: encode_rows(compiled, compiled.run(document)),
    }
    print(f"{args.rows:,} rows, {len(mapped.records):,} records, {len(mapped.rejects):,} rejects")
    medians = alternately(ways, args.rounds, args.rows)
    for way in list(ways)[1:]:
        print(f"  {way} takes {medians[way] / medians['hand-written']:.2f} x the time of hand-written Python")


def common_limits() -> Any:
    from rondine.core.documents import Limits

    return Limits(size=2**31)


if __name__ == "__main__":
    main()
