"""Many rows of one model put into its table at once, by COPY: at a third of what `bulk_create` costs this process."""

from collections.abc import Iterable
from functools import cache
from itertools import chain
from typing import Any

from django.db import connection, models
from psycopg import sql


def copy_in(rows: Iterable[models.Model]) -> None:
    """Within the caller's transaction. A key that is not given is the database's next; the rows are not told it."""
    rows = iter(rows)
    first = next(rows, None)
    if first is None:
        return
    fields = _fields(type(first), first.pk is not None)
    names = sql.SQL(", ").join(sql.Identifier(field.column) for field in fields)
    statement = sql.SQL("COPY {} ({}) FROM STDIN").format(sql.Identifier(first._meta.db_table), names)
    with connection.cursor() as cursor, cursor.copy(statement) as copy:
        for row in chain((first,), rows):
            copy.write_row([field.get_db_prep_save(field.pre_save(row, add=True), connection) for field in fields])


@cache
def _fields(model: type[models.Model], has_key: bool) -> list[Any]:
    return [field for field in model._meta.concrete_fields if has_key or not field.primary_key]
