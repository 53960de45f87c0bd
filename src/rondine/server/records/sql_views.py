"""A SQL view for each set of kept records, with a typed column a field, kept in step with its record type; and a role
that may read those of one environment and nothing else.

Views of an environment stand in one schema, `project__environment`; the role has the schema's name and cannot log in:
`GRANT olmara__live TO analyst` lets somebody read. A view reads with its owner's rights, so that the role needs none on
the table of all records, and is a security barrier: no function in a query sees rows of another set.
"""

from contextlib import suppress
from dataclasses import dataclass
from hashlib import blake2b
from typing import Any

import psycopg
from django.db import ProgrammingError, connection, transaction
from procrastinate.contrib.django import app
from procrastinate.exceptions import AlreadyEnqueued
from psycopg import errors as pg
from psycopg import sql

from rondine.core.mapping.document import RecordField
from rondine.server.records.browsing import typed_value
from rondine.server.records.models import Record, RecordSet

#: What the columns are to PostgreSQL. Whole numbers have no bound here, so they are numeric as well.
COLUMN_TYPES = {
    "text": "text",
    "integer": "numeric",
    "decimal": "numeric",
    "boolean": "boolean",
    "date": "date",
    "datetime": "timestamp with time zone",
    "json": "jsonb",
}
#: Columns beside the fields; no field's name begins so.
_OWN = (("_changed_at", "changed_at", "timestamp with time zone"), ("_run", "run_id", "bigint"))
#: The task that makes them, by its name.
VIEWS = "rondine.make_views"
#: Longest name of anything in PostgreSQL, in bytes.
_LONGEST = 63
_COMMENT = "Rondine keeps this in step; what is changed here is lost: set "


@dataclass(frozen=True, slots=True)
class RecordView:
    """columns: (name, type).  role: that may read it; empty if none could be made.  problem: why it is not as it should
    be."""

    record_type: str
    schema: str
    name: str
    columns: list[tuple[str, str]]
    role: str
    problem: str


def view_of(records: RecordSet) -> RecordView:
    """The view of a set, as it should be; what is wrong with it stands with the set."""
    document = records.loaded()
    made = records.view
    return RecordView(
        records.record_type.name,
        schema_name(records),
        records.record_type.name,
        [(field.name, COLUMN_TYPES[field.type]) for field in document.fields]
        + [(name, kind) for name, _, kind in _OWN],
        made.get("role", ""),
        made.get("problem", "" if made else "it is made in a moment"),
    )


def schema_name(records: RecordSet) -> str:
    name = f"{records.environment.project.name}__{records.environment.name}"
    if len(name) <= _LONGEST:
        return name
    return f"{name[: _LONGEST - 9]}_{blake2b(name.encode(), digest_size=4).hexdigest()}"


def queue_views() -> None:
    """A job that makes the views as they should be, if none waits already; within the caller's transaction."""
    with suppress(AlreadyEnqueued), transaction.atomic():
        app.configure_task(VIEWS, queue="runs", queueing_lock=VIEWS).defer()


def make_views() -> None:
    """Makes what is missing or differs, and drops the views of sets that are there no more. Each on its own: what is
    wrong with one stands with it, and keeps no other from being made."""
    wanted = {}
    for records in RecordSet.objects.select_related("record_type", "environment__project").order_by("pk"):
        statement = _statement(records)
        wanted[schema_name(records), records.record_type.name] = records.pk
        digest = blake2b(statement.as_string(None).encode(), digest_size=8).hexdigest()
        if records.view.get("digest") == digest and not records.view.get("problem"):
            continue
        made: dict[str, Any] = {"digest": digest}
        try:
            with transaction.atomic():
                made["role"] = _make(records, statement)
        except (ProgrammingError, psycopg.Error, _Taken) as error:
            made["problem"] = str(error).splitlines()[0]
        RecordSet.objects.filter(pk=records.pk).update(view=made)
    for schema, name, _ in _made_views():
        if (schema, name) not in wanted:
            _drop(schema, name)


class _Taken(Exception):
    pass


def _made_views() -> list[tuple[str, str, int]]:
    """(schema, name, set) of every view that stands for a set."""
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT n.nspname, c.relname, substr(d.description, %s)::bigint FROM pg_class c"
            " JOIN pg_namespace n ON n.oid = c.relnamespace JOIN pg_description d ON d.objoid = c.oid"
            " WHERE c.relkind = 'v' AND d.objsubid = 0 AND starts_with(d.description, %s)",
            (len(_COMMENT) + 1, _COMMENT),
        )
        return list(cursor.fetchall())


def _statement(records: RecordSet) -> sql.Composed:
    document = records.loaded()
    columns = [sql.SQL("{} AS {}").format(_column(field), sql.Identifier(field.name)) for field in document.fields]
    columns += [sql.SQL("{} AS {}").format(sql.Identifier(of), sql.Identifier(name)) for name, of, _ in _OWN]
    return sql.SQL(
        "CREATE VIEW {schema}.{name} WITH (security_barrier) AS SELECT {columns} FROM {table}"
        " WHERE set_id = {set} AND gone_at IS NULL"
    ).format(
        schema=sql.Identifier(schema_name(records)),
        name=sql.Identifier(records.record_type.name),
        columns=sql.SQL(", ").join(columns),
        table=sql.Identifier("public", Record._meta.db_table),
        set=sql.Literal(records.pk),
    )


def _column(field: RecordField) -> sql.Composable:
    if field.type == "json":
        return sql.SQL("data -> {}").format(sql.Literal(field.name))
    return typed_value(field)


def _make(records: RecordSet, statement: sql.Composed) -> str:
    """Makes the view and gives the role that may read it. Raises _Taken if its name is somebody else's."""
    schema, name = schema_name(records), records.record_type.name
    ours = {(at, view): set_id for at, view, set_id in _made_views()}
    with connection.cursor() as django_cursor:
        cursor = django_cursor.cursor
        cursor.execute(sql.SQL("CREATE SCHEMA IF NOT EXISTS {}").format(sql.Identifier(schema)))
        cursor.execute("SELECT to_regclass(%s) IS NOT NULL", (f'"{schema}"."{name}"',))
        (is_there,) = cursor.fetchone()
        if is_there and ours.get((schema, name), records.pk) != records.pk and _is_kept(ours[schema, name]):
            raise _Taken(f"{schema}.{name} is the view of another set, whose names come to the same")
        if is_there and (schema, name) not in ours:
            raise _Taken(f"there is something else called {schema}.{name}")
        if is_there:
            cursor.execute(sql.SQL("DROP VIEW {}").format(sql.Identifier(schema, name)))
        cursor.execute(statement)
        view = sql.Identifier(schema, name)
        cursor.execute(sql.SQL("COMMENT ON VIEW {} IS {}").format(view, sql.Literal(f"{_COMMENT}{records.pk}")))
        role = _role(schema)
        if role:
            cursor.execute(
                sql.SQL("GRANT USAGE ON SCHEMA {} TO {}").format(sql.Identifier(schema), sql.Identifier(role))
            )
            cursor.execute(sql.SQL("GRANT SELECT ON {} TO {}").format(view, sql.Identifier(role)))
        return role


def _is_kept(set_id: int) -> bool:
    return RecordSet.objects.filter(pk=set_id).exists()


def _role(name: str) -> str:
    """The role, made if it is not there; empty if this database user may make none, or it is a person's."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT rolcanlogin OR rolsuper FROM pg_roles WHERE rolname = %s", (name,))
        found = cursor.fetchone()
        if found is not None:
            return "" if found[0] else name
        try:
            with transaction.atomic():
                cursor.cursor.execute(sql.SQL("CREATE ROLE {} NOLOGIN").format(sql.Identifier(name)))
        except (pg.DuplicateObject, pg.UniqueViolation):  # another database's worker was quicker
            return name
        except pg.InsufficientPrivilege:
            return ""
    return name


def _drop(schema: str, name: str) -> None:
    try:
        with transaction.atomic(), connection.cursor() as cursor:
            cursor.cursor.execute(sql.SQL("DROP VIEW IF EXISTS {}").format(sql.Identifier(schema, name)))
    except psycopg.Error:  # somebody's own view reads it: it stays, and reads nothing
        pass
