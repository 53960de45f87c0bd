"""Made-up tree surveys and a service that serves them by page number: `python speed/surveys.py --rows 200000 --port
18901`.

GET /surveys?page=N (from 1) -> {"value": [...], "count": rows, "next": address or null}. All pages are made before the
port opens, so that a timing measures who asks. Row i depends only on (seed, i).
GET /version?set=2 -> from now on a share of the rows has another girth; 1: as before.
"""

import argparse
import asyncio
import json
import random
from functools import partial
from typing import Any

from aiohttp import web

STREETS = ("Viale dei Tigli", "Corso dell'Acero", "Largo Nord", "Riva Bassa", "Vicolo d'Óro", "Ronco Łąka")
DISTRICTS = ("Alta", "Bassa", "Fiumàra", "Mulini", "Vigna", "Ponte")
STATES = ("sound", "watch", "urgent", "felled")
TAGS = ("young", "veteran", "leaning", "cavity", "nest", "cabled")


def survey(i: int, *, seed: int = 1, bad: float = 0.0, changed: float = 0.0) -> dict[str, Any]:
    """Survey i; a share `bad` of them has a date or a decimal that is none, a share `changed` has grown."""
    rng = random.Random(seed * 1_000_003 + i)
    girth = rng.randrange(20, 620) + (random.Random(i).random() < changed)
    made: dict[str, Any] = {
        "id": i + 1,
        "code": f"SV-{i + 1:08d}",
        "seen_at": (
            f"202{rng.randrange(0, 6)}-{rng.randrange(1, 13):02d}-{rng.randrange(1, 29):02d}"
            f"T{rng.randrange(24):02d}:{rng.randrange(60):02d}:00Z"
        ),
        "next_check": (
            None
            if rng.random() < 0.12
            else f"202{rng.randrange(5, 9)}-{rng.randrange(1, 13):02d}-{rng.randrange(1, 29):02d}"
        ),
        "place": {
            "id": rng.randrange(1, 5000),
            "name": rng.choice(STREETS),
            "site": {
                "street": f'Via {rng.randrange(997)}, "int." {rng.randrange(13)}',
                "district": rng.choice(DISTRICTS),
                "ward": f"w{rng.randrange(10)}",
            },
        },
        "measures": {
            "unit": "m",
            "girth": f"{girth / 100:.2f}",
            "height": {"method": "laser", "value": f"{(150 + girth * 5) / 100:.2f}"},
        },
        "tags": rng.sample(TAGS, rng.randrange(4)),
        "findings": [
            {
                "code": f"F-{rng.randrange(9973):05d}",
                "count": rng.randrange(1, 9),
                "score": rng.randrange(100_000) / 100,
            }
            for _ in range(rng.randrange(1, 4))
        ],
        "active": rng.random() < 0.5,
        "note": None if rng.random() < 0.5 else f'line {{1}} [2] \\ "quoted" — {rng.randrange(9999)}',
    }
    if rng.random() < 0.9:
        made["status"] = rng.choice(STATES)
    if rng.random() < 0.06:
        del made["place"]["site"]
    if bad and rng.random() < bad:
        made["measures"]["girth"] = "12,50"
    return made


def pages(rows: int, size: int, *, bad: float = 0.0, changed: float = 0.0) -> list[bytes]:
    count = -(-rows // size)
    made = partial(survey, bad=bad, changed=changed)
    return [
        json.dumps(
            {
                "value": [made(i) for i in range(page * size, min((page + 1) * size, rows))],
                "count": rows,
                "next": f"/surveys?page={page + 2}" if page + 1 < count else None,
            },
            ensure_ascii=False,
            separators=(",", ":"),
        ).encode()
        for page in range(count)
    ]


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--rows", type=int, default=200_000)
    parser.add_argument("--page-size", type=int, default=1000)
    parser.add_argument("--port", type=int, default=18901)
    parser.add_argument("--bad", type=float, default=0.0)
    parser.add_argument("--change", type=float, default=0.1, help="share of the rows that version 2 changes")
    parser.add_argument("--latency-ms", type=float, default=0.0)
    args = parser.parse_args()
    first = made = pages(args.rows, args.page_size, bad=args.bad)
    second = pages(args.rows, args.page_size, bad=args.bad, changed=args.change)

    async def version(request: web.Request) -> web.Response:
        nonlocal made
        made = second if request.query["set"] == "2" else first
        return web.json_response({})

    async def answer(request: web.Request) -> web.Response:
        await asyncio.sleep(args.latency_ms / 1000)
        number = int(request.query.get("page", "1"))
        return (
            web.Response(body=made[number - 1], content_type="application/json")
            if 1 <= number <= len(made)
            else web.json_response({"error": "no such page"}, status=404)
        )

    app = web.Application()
    app.router.add_get("/surveys", answer)
    app.router.add_get("/version", version)
    web.run_app(app, host="127.0.0.1", port=args.port, print=lambda text: print("serving", flush=True))


if __name__ == "__main__":
    main()
