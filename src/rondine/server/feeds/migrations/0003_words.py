"""Documents in today's words: conversion steps, where a connection's runs are executed, and what carries a key."""

import json
from decimal import Decimal
from importlib import import_module

from django.db import migrations

from rondine.server.items.exact import ExactEncoder

#: type -> (type now, names of its settings now)
STEPS = {
    "cut": ("substring", {}),
    "around": ("affix", {"before": "prefix", "behind": "suffix"}),
    "reckon": ("aggregate", {"what": "function"}),
}
FUNCTIONS = {"least": "min", "most": "max"}
#: What may hold old words: table, column, the kind of item as SQL.
DOCUMENTS = [
    ("mappings_mapping", "document", "'mappings'"),
    ("operations_operation", "document", "'operations'"),
    ("connecting_connection", "document", "'connections'"),
    ("items_revision", "content", "kind"),
    ("runs_run", "content", "''"),
]
OLD_WORDS = '"(cut|around|reckon|place|carried_in)"'


def steps_now(value):
    """The same with every list of conversion steps in today's words."""
    if isinstance(value, list):
        return [steps_now(one) for one in value]
    if not isinstance(value, dict):
        return value
    return {
        name: [step_now(step) for step in one] if name == "convert" and isinstance(one, list) else steps_now(one)
        for name, one in value.items()
    }


def step_now(step):
    if not isinstance(step, dict) or step.get("type") not in STEPS:
        return step
    kind, names = STEPS[step["type"]]
    now = {names.get(name, name): value for name, value in step.items()} | {"type": kind}
    if kind == "aggregate":
        now["function"] = FUNCTIONS.get(now.get("function"), now.get("function"))
    return now


def connection_now(document):
    """A connection's document in today's words."""
    now = {"site" if name == "place" else name: value for name, value in document.items()}
    if isinstance(now.get("sign_in"), dict):
        now["sign_in"] = sign_in_now(now["sign_in"])
    if isinstance(now.get("own_sign_ins"), list):
        now["own_sign_ins"] = [
            {**one, "sign_in": sign_in_now(one["sign_in"])} if isinstance(one.get("sign_in"), dict) else one
            for one in now["own_sign_ins"]
        ]
    return now


def sign_in_now(sign_in):
    old = {"api_key": "place", "sign_in_operation": "carried_in"}.get(sign_in.get("type"))
    return {"carrier" if name == old else name: value for name, value in sign_in.items()}


def content_now(content, kind, *, is_revision):
    """What is kept in a row, in today's words."""
    if kind != "connections":
        return steps_now(content)
    if not is_revision:
        return connection_now(content)
    return {**content, "document": connection_now(content.get("document") or {})}


def rewrite(apps, schema_editor):
    write_references = import_module("rondine.server.feeds.migrations.0002_references").write_references
    encoder = ExactEncoder()
    with schema_editor.connection.cursor() as cursor:
        for table, column, kind_of in DOCUMENTS:
            is_revision = table == "items_revision"
            found = f"SELECT id, {kind_of}, {column}::text FROM {table} WHERE {column}::text ~ %s"
            cursor.execute(found, [OLD_WORDS])
            for key, kind, text in cursor.fetchall():
                before = json.loads(text, parse_float=Decimal)
                now = content_now(before, kind, is_revision=is_revision)
                if now == before:
                    continue
                cursor.execute(f"UPDATE {table} SET {column} = %s::jsonb WHERE id = %s", [encoder.encode(now), key])
                if kind and not is_revision:  # what could not be read in old words has no references yet
                    write_references(apps, kind, key)


class Migration(migrations.Migration):

    dependencies = [
        ("connecting", "0010_words"),
        ("feeds", "0002_references"),
        ("runs", "0008_words"),
    ]

    operations = [migrations.RunPython(rewrite, migrations.RunPython.noop)]
