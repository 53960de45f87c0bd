"""XML to mapped records: one response, against lxml's iterparse with findtext, hand-written."""

import argparse
import io
import tracemalloc
from collections.abc import Callable
from datetime import datetime
from decimal import Decimal
from typing import Any

from common import alternately
from lxml import etree
from surveys import survey

SPACE = "urn:olmara:surveys"
TYPES = {
    "external_id": "integer", "code": "text", "status": "text", "seen_at": "datetime", "next_check": "date",
    "place_id": "integer",
    "place_name": "text", "district": "text", "ward": "text", "girth": "decimal", "height": "decimal", "unit": "text",
}  # fmt: skip
PATHS = {
    "external_id": "@id", "code": "s:code", "status": "s:status", "seen_at": "s:seen_at", "next_check": "s:next_check",
    "place_id": "s:place/@id",
    "place_name": "s:place/s:name", "district": "s:place/s:site/s:district", "ward": "s:place/s:site/s:ward",
    "girth": "s:measures/s:girth",
    "height": "s:measures/s:height", "unit": "s:measures/s:height/@unit",
}  # fmt: skip


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--rows", type=int, default=50_000)
    parser.add_argument("--rounds", type=int, default=5)
    parser.add_argument("--memory", action="store_true", help="the most memory each way holds at once, besides; slow")
    args = parser.parse_args()
    from rondine.core.documents import Limits
    from rondine.core.documents.elements import read_elements
    from rondine.core.documents.reading import BodyForm
    from rondine.core.mapping.rowwise import row_reader

    body = response(args.rows)
    mapping, outputs = mapping_of_surveys()
    reader, limits = row_reader(mapping, outputs), Limits(size=2**31)
    assert reader is not None
    ways: dict[str, Callable[[], Any]] = {
        "lxml iterparse, findtext": lambda: manual(body),
        "rondine, row by row": lambda: reader.page(body, {}, form=BodyForm("xml")),
        "rondine, all of the document": (
            lambda: outputs[0].run(read_elements(body, limits=limits, namespaces={"s": SPACE}).value)
        ),
    }
    assert [data for _, data in ways["rondine, row by row"]()[0].mapped[0].records] == manual(body)
    print(f"{args.rows:,} rows, {len(body):,} bytes")
    medians = alternately(ways, args.rounds, args.rows)
    for way in list(ways)[1:]:
        print(f"  {way}: {medians['lxml iterparse, findtext'] / medians[way]:.2f} x as fast as the hand-written script")
    for way, action in ways.items() if args.memory else ():
        tracemalloc.start()
        action()
        print(f"  {way} holds {tracemalloc.get_traced_memory()[1] / 1e6:.0f} MB at most, its records included")
        tracemalloc.stop()


def mapping_of_surveys() -> tuple[Any, Any]:
    """(the mapping, its outputs ready to run)."""
    from rondine.core.mapping.compile import compile_mapping
    from rondine.core.mapping.document import MappingDocument, RecordTypeDocument
    from rondine.core.settings import load

    fields = [{"name": name, "from": path, "required": name == "code"} for name, path in PATHS.items()]
    document = {
        "format": "xml",
        "namespaces": {"s": SPACE},
        "outputs": [
            {"record_type": "survey", "rows": [{"level": "survey", "at": "/s:surveys/s:survey"}], "fields": fields}
        ],
    }
    record_type = {"fields": [{"name": name, "type": kind} for name, kind in TYPES.items()], "key": ["code"]}
    mapping = load(MappingDocument, document)
    return mapping, compile_mapping(mapping, {"survey": load(RecordTypeDocument, record_type)})


def response(rows: int) -> bytes:
    return "".join((opening(), *(element(survey(number)) for number in range(rows)), "</surveys>\n")).encode()


def opening() -> str:
    return f'<?xml version="1.0" encoding="UTF-8"?>\n<surveys xmlns="{SPACE}">\n'


def element(one: dict[str, Any]) -> str:
    place, measures = one["place"], one["measures"]
    site = place.get("site") or {"district": "none", "ward": "none"}
    return (
        "<survey"
        f' id="{one["id"]}"><code>{one["code"]}</code>'
        f"<status>{one.get('status') or ''}</status><seen_at>{one['seen_at']}</seen_at>"
        f"<next_check>{one.get('next_check') or ''}</next_check><place"
        f' id="{place["id"]}"><name>{place["name"]}</name><site><district>'
        f"{site['district']}</district><ward>{site['ward']}</ward><note>unread</note></site></place><measures><girth>"
        f"{measures['girth']}</girth><height"
        f' unit="m">{measures["height"]["value"]}</height></measures><tags><tag>a</tag><tag>b</tag></tags></survey>\n'
    )


def manual(body: bytes) -> list[dict[str, Any]]:
    """What a good script does: one pass, each row read by findtext, converted and let go."""
    q = f"{{{SPACE}}}"
    rows = []
    for _, one in etree.iterparse(io.BytesIO(body), tag=f"{q}survey"):
        place, height = one.find(f"{q}place"), one.find(f"{q}measures/{q}height")
        next_check = one.findtext(f"{q}next_check")
        rows.append(
            {
                "external_id": int(one.get("id")),
                "code": one.findtext(f"{q}code"),
                "status": one.findtext(f"{q}status"),
                "seen_at": datetime.fromisoformat(one.findtext(f"{q}seen_at")),
                "next_check": datetime.fromisoformat(next_check).date() if next_check else None,
                "place_id": int(place.get("id")),
                "place_name": place.findtext(f"{q}name"),
                "district": place.findtext(f"{q}site/{q}district"),
                "ward": place.findtext(f"{q}site/{q}ward"),
                "girth": Decimal(one.findtext(f"{q}measures/{q}girth")).normalize(),
                "height": Decimal(height.text).normalize(),
                "unit": height.get("unit"),
            }
        )
        one.clear()
        while one.getprevious() is not None:
            del one.getparent()[0]
    return rows


if __name__ == "__main__":
    main()
