"""The trees of Olmara, invented: tree number i depends only on (seed, i, version), so any page can be made without the
others."""

import random
from typing import Any

DISTRICTS = ("Terrazze", "Mulini", "Borgo Alto", "Fiumara", "Vigna Vecchia", "Castelletto", "Ponte Lungo", "Orti")
STREETS = (
    "Long Steps",
    "Mill Lane",
    "Old Ropewalk",
    "Larch Court",
    "Chapel Row",
    "Vine Terrace",
    "Weir Path",
    "Garden Gate",
    "Bell Hill",
    "Cooper's Yard",
)
SPECIES = (
    ("Tilia cordata", "small-leaved lime"),
    ("Acer campestre", "field maple"),
    ("Quercus robur", "oak"),
    ("Platanus × hispanica", "plane"),
    ("Betula pendula", "silver birch"),
    ("Sorbus aucuparia", "rowan"),
    ("Carpinus betulus", "hornbeam"),
    ("Morus alba", "white mulberry"),
)
CARE = ("staked", "mulched", "pruned", "cabled", "watered", "deadwood removed", "roots aerated")
TREES = 2_412


def tree(i: int, *, seed: int = 1, version: int = 1) -> dict[str, Any]:
    """Tree number i (from 0) as the register shows it. Version 2 renames, retypes and adds parts."""
    rng = random.Random(seed * 1_000_003 + i)
    latin, common = SPECIES[rng.randrange(len(SPECIES))]
    girth = rng.randrange(20, 420)
    height = rng.randrange(4, 60)
    made: dict[str, Any] = {
        "number": f"OLM-{i + 1:05d}",
        "species": {"latin": latin, "common": common},
        "place": {
            "district": DISTRICTS[rng.randrange(len(DISTRICTS))],
            "street": f"{STREETS[rng.randrange(len(STREETS))]} {rng.randrange(1, 90)}",
            "position": rng.randrange(1, 40),
        },
        "measures": {
            "girth": girth // 100 if girth % 100 == 0 or rng.random() < 0.3 else girth / 100,
            "height": height // 2 if height % 2 == 0 else height / 2,
        },
        "care": rng.sample(CARE, rng.choice((0, 0, 1, 1, 2, 3, 4))),
        "planted": (
            None
            if rng.random() < 0.2
            else f"{rng.randrange(1890, 2024)}-{rng.randrange(1, 13):02d}-{rng.randrange(1, 29):02d}"
        ),
        "surveyed": (
            f"2025-{rng.randrange(1, 12):02d}-{rng.randrange(1, 29):02d}"
            f"T{rng.randrange(7, 18):02d}:{rng.randrange(0, 60):02d}:00+01:00"
        ),
        "protected": rng.random() < 0.15,
        "sheet": f"/v1/trees/OLM-{i + 1:05d}/sheet.svg",
    }
    if rng.random() < 0.08:
        del made["place"]["street"]
    if rng.random() < 0.05:
        made["measures"]["height"] = None
    if rng.random() < 0.1:
        made["note"] = rng.choice(
            ("leans towards the river", "bench around the trunk", "nest seen in spring", 'plate reads "Prima"')
        )
    if version >= 2:
        made["measures"]["girth"] = {"value": made["measures"]["girth"], "unit": "m"}
        made["condition"] = rng.choice(("sound", "watch", "urgent"))
        del made["protected"]
    return made


def moisture(days: int, *, seed: int = 1, probes: int = 24) -> dict[str, Any]:
    """Soil moisture in percent by volume under some trees, by tree and day: objects whose keys are data."""
    rng = random.Random(seed * 7919 + 5)
    numbers = sorted(rng.sample(range(1, TREES), probes))
    return {
        "unit": "%",
        "trees": {
            f"OLM-{number:05d}": {
                "probe": f"P-{place + 1}",
                "depth_cm": rng.choice((20, 40, 60)),
                "readings": {f"2026-11-{day:02d}": rng.randrange(60, 420) / 10 for day in range(1, days + 1)},
            }
            for place, number in enumerate(numbers)
        },
    }


def diary(entries: int, *, seed: int = 1) -> list[dict[str, Any]]:
    """What was done at trees, newest first: entries of three kinds, told by `kind`."""
    rng = random.Random(seed * 104_729 + 3)
    made: list[dict[str, Any]] = []
    for number in range(entries, 0, -1):
        kind = rng.choice(("inspection", "planting", "felling"))
        entry: dict[str, Any] = {
            "id": number,
            "kind": kind,
            "tree": f"OLM-{rng.randrange(1, TREES):05d}",
            "on": f"2026-{1 + number % 11:02d}-{rng.randrange(1, 29):02d}",
        }
        if kind == "inspection":
            entry |= {"finding": rng.choice(("sound", "watch", "urgent")), "next_in_months": rng.choice((6, 12, 36))}
        elif kind == "planting":
            entry |= {"nursery_lot": f"LOT-{rng.randrange(100, 999)}", "girth_cm": rng.randrange(10, 30)}
        else:
            entry |= {
                "reason": rng.choice(("dead", "storm", "building work")),
                "permit": f"PER-{rng.randrange(100, 999)}",
            }
        made.append(entry)
    return made


def sheet(shown: dict[str, Any]) -> str:
    """The survey sheet of a tree, drawn."""
    girth = shown["measures"]["girth"]
    girth = girth["value"] if isinstance(girth, dict) else girth
    crown = 30 + min(float(shown["measures"]["height"] or 5), 30) * 2
    return (
        '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 320 240" font-family="sans-serif" font-size="12">'
        '<rect width="320" height="240" fill="#fffdf6"/>'
        f'<rect x="{160 - float(girth) * 4:.1f}" y="120" width="{float(girth) * 8:.1f}" height="80" fill="#8a6a4a"/>'
        f'<ellipse cx="160" cy="90" rx="{crown:.0f}" ry="{crown * 0.7:.0f}" fill="#5f8a5a"/>'
        '<line x1="20" y1="200" x2="300" y2="200" stroke="#444"/>'
        f'<text x="20" y="222">{shown["number"]} · {shown["species"]["common"]} · girth {girth} m</text></svg>'
    )
