"""Looks for secrets in everything that Rondine leaves behind: tables, logs, files and answers; raw and in the usual
encodings."""

import base64
import json
import urllib.parse
import zlib
from typing import Any

from tests.whole_rondine import WholeRondine


def forms_of(secret: str) -> set[bytes]:
    """The secret raw, JSON-escaped, in hex, percent-encoded, in UTF-16, and base64 at each of the three alignments,
    without the ends that depend on neighbours."""
    raw = secret.encode()
    base64s = [base64.b64encode(b"x" * pad + raw)[pad + 1 : -4] for pad in range(3)]
    return {
        raw,
        json.dumps(secret)[1:-1].encode(),
        raw.hex().encode(),
        urllib.parse.quote(secret, safe="").encode(),
        urllib.parse.quote_plus(secret).encode(),
        raw.hex().upper().encode(),
        "".join(f"%{byte:02X}" for byte in raw).encode(),
        "".join(f"\\u{ord(one):04x}" for one in secret).encode(),
        secret.encode("utf-16-le"),
        secret.encode("utf-16-be"),
        *base64s,
        *(one.replace(b"+", b"-").replace(b"/", b"_") for one in base64s),
    }


def stored_in(rondine: WholeRondine) -> bytes:
    """Everything in the database as text, and every stored body decompressed."""
    tables = [row[0] for row in rondine.sql("SELECT tablename FROM pg_tables WHERE schemaname = 'public'")]
    rows = "".join(str(rondine.sql(f"SELECT row_to_json(t)::text FROM {table} t")) for table in tables).encode()
    bodies = b"".join(zlib.decompress(bytes(row[0])) for row in rondine.sql("SELECT stored FROM runs_body"))
    return rows + bodies


def leaks(rondine: WholeRondine, seen: Any, *secrets: str) -> list[tuple[str, str]]:
    """(which secret's beginning, where) of every place that one is found in. seen: what the API, the console and the
    commands gave."""
    places = {
        "database": stored_in(rondine),
        "logs": b"".join(path.read_bytes() for path in rondine.home.glob("*.log")),
        "answers": seen.encode() if isinstance(seen, str) else json.dumps(seen, default=str).encode(),
    }
    files = [
        path
        for path in rondine.home.rglob("*")
        if path.is_file() and path.name not in ("standins.json", "register.key", "people.txt")
    ]
    places |= {f"file {path.name}": path.read_bytes() for path in files if path.suffix != ".log"}
    return [
        (secret[:12], place)
        for secret in secrets
        for place, content in places.items()
        if any(form in content for form in forms_of(secret))
    ]
