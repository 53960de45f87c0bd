"""Pages in today's words: what a page number was called goes to an input, and a run goes on from a position."""

import json
from decimal import Decimal
from urllib.parse import parse_qsl, urlsplit

from django.db import migrations

from rondine.server.items.exact import ExactEncoder

#: What may hold an operation: table, column.
HOLDERS = [
    ("operations_operation", "document"),
    ("items_revision", "content"),
    ("runs_run", "content"),
    ("operations_definition", "offered"),
]


def pages_now(value):
    """The same with every page_number that names a parameter naming an input."""
    if isinstance(value, list):
        return [pages_now(one) for one in value]
    if not isinstance(value, dict):
        return value
    if value.get("type") == "page_number" and "parameter" in value:
        return {"input" if name == "parameter" else name: one for name, one in value.items()}
    return {name: pages_now(one) for name, one in value.items()}


def position_now(address, paging):
    """From where a run goes on that had kept the address of its next page."""
    if not paging or paging.get("type") != "page_number":
        return address
    number = dict(parse_qsl(urlsplit(address).query)).get(paging.get("input", "page"), "")
    return [int(number) if number.isascii() and number.isdigit() else paging.get("first", 1), 0]


def rewrite(apps, schema_editor):
    encoder = ExactEncoder()
    with schema_editor.connection.cursor() as cursor:
        for table, column in HOLDERS:
            cursor.execute(f"SELECT id, {column}::text FROM {table} WHERE {column}::text LIKE %s", ["%page_number%"])
            for key, text in cursor.fetchall():
                before = json.loads(text, parse_float=Decimal)
                now = pages_now(before)
                if now != before:
                    cursor.execute(f"UPDATE {table} SET {column} = %s::jsonb WHERE id = %s", [encoder.encode(now), key])
        cursor.execute(
            "SELECT id, checkpoint::text, content->'operation'->'paging' FROM runs_run"
            " WHERE jsonb_typeof(checkpoint->'next') = 'string'"
        )
        for key, text, paging in cursor.fetchall():
            checkpoint = json.loads(text)
            paging = json.loads(paging) if isinstance(paging, str) else paging
            checkpoint["next"] = {"position": position_now(checkpoint["next"], paging)}
            cursor.execute("UPDATE runs_run SET checkpoint = %s::jsonb WHERE id = %s", [json.dumps(checkpoint), key])


class Migration(migrations.Migration):

    dependencies = [
        ("feeds", "0003_words"),
        ("operations", "0001_initial"),
        ("definitions", "0001_initial"),
        ("items", "0002_references"),
        ("runs", "0008_words"),
    ]

    operations = [migrations.RunPython(rewrite, migrations.RunPython.noop)]
