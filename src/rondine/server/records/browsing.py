"""Looking at kept records: pages by cursor, filters and order on searchable fields, through one expression index a
field.

The expressions here and those of the indexes are written by the same function, so that PostgreSQL finds the one for the
other.
"""

import base64
import json
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date, datetime
from decimal import Decimal
from hashlib import blake2b
from typing import Any, Literal

from django.db import connection
from psycopg import sql

from rondine.core.conversions.types import CONVERSIONS, ConversionError
from rondine.core.documents import json_text
from rondine.core.errors import InputError, NotFound, Problem, did_you_mean
from rondine.core.mapping.document import RecordField, RecordTypeDocument
from rondine.core.mapping.row_encoding import key_digest, key_text
from rondine.server.records.models import Record, RecordSet

MOST = 500
#: Digits that a double holds whatever they are (IEEE 754).
SAFE_DIGITS = 15
SAFE_INTEGER = 2**53

#: How a field's text in `data` is turned into a value that compares; each is immutable, so that it can be indexed.
TYPED = {
    "text": "({})",
    "integer": "(({})::numeric)",
    "decimal": "(({})::numeric)",
    "boolean": "(({})::boolean)",
    "date": "rondine_date({})",
    "datetime": "rondine_instant({})",
}


#: Whether records that are gone are left out, shown as well, or alone.
GoneShown = Literal["no", "also", "only"]
_GONE: dict[GoneShown, list[sql.Composable]] = {
    "no": [sql.SQL("gone_at IS NULL")],
    "also": [],
    "only": [sql.SQL("gone_at IS NOT NULL")],
}


@dataclass(frozen=True, slots=True)
class Selection:
    """Records of one set, and their order. where: conditions, all of them."""

    where: list[sql.Composable]
    order: RecordField | None
    descending: bool


@dataclass(frozen=True, slots=True)
class RecordPage:
    """records: rows as `Record` values.  next: the cursor of the page after, None at the end."""

    records: list[Record]
    next: str | None


def browse(
    records: RecordSet,
    document: RecordTypeDocument,
    query: Mapping[str, str],
    *,
    limit: int = 50,
    cursor: str | None = None,
    gone: GoneShown = "no",
) -> RecordPage:
    """query: `field`, `field.from`, `field.to`, `field.begins`, and `sort` (a field, "-" before it for descending).
    gone: whether records that are gone are left out (no), shown as well (also) or alone (only).

    Raises InputError for a field that is unknown or not searchable, or a value that is not of its type.
    """
    chosen = selection(records, document, query, gone=gone)
    limit = max(1, min(MOST, limit))
    ids, following = _ids(chosen.where, chosen.order, chosen.descending, limit, _read_cursor(cursor))
    found = Record.objects.in_bulk(ids)
    return RecordPage([found[one] for one in ids if one in found], following)


def selection(
    records: RecordSet, document: RecordTypeDocument, query: Mapping[str, str], *, gone: GoneShown = "no"
) -> Selection:
    """What `browse` reads of its query. Raises InputError as it does."""
    problems: list[Problem] = []
    where: list[sql.Composable] = [sql.SQL("set_id = {}").format(sql.Literal(records.pk)), *_GONE[gone]]
    sort = query.get("sort", "")
    filtered: list[RecordField] = []
    for name, text in query.items():
        if name == "sort":
            continue
        field_name, _, how = name.partition(".")
        field = _searchable(document, field_name, problems)
        if field is not None:
            where += _condition(field, how, text, name, problems)
            filtered.append(field)
    # a filter without an order walks the filter's own index, whose order is (value, id)
    order = _searchable(document, sort.lstrip("-"), problems) if sort else filtered[0] if filtered else None
    if problems:
        raise InputError(problems[0].message, where=problems[0].where, hint=problems[0].hint, problems=problems)
    return Selection(where, order, sort.startswith("-"))


def _searchable(document: RecordTypeDocument, name: str, problems: list[Problem]) -> RecordField | None:
    field = document.field(name)
    names = [record_field.name for record_field in document.fields if record_field.searchable]
    if field is None:
        problems.append(Problem(f"?{name}", f'there is no field "{name}"', did_you_mean(name, names)))
        return None
    if not field.searchable:
        problems.append(
            Problem(f"?{name}", f'the field "{name}" is not searchable', "mark it searchable in the record type")
        )
        return None
    return field


def _condition(field: RecordField, how: str, text: str, name: str, problems: list[Problem]) -> list[sql.Composable]:
    if how not in ("", "from", "to", "begins") or (how == "begins" and field.type != "text"):
        problems.append(
            Problem(
                f"?{name}",
                f'"{how}" is no way to filter a field of type {field.type}',
                "use the name alone, .from or .to" + (", or .begins" if field.type == "text" else ""),
            )
        )
        return []
    try:
        value = CONVERSIONS[field.type](text)
    except ConversionError as error:
        problems.append(Problem(f"?{name}", f"{name} {error}", f"the field is of type {field.type}"))
        return []
    left = typed_value(field)
    if how == "begins":
        return [sql.SQL("{} >= {} AND {} < {}").format(left, _literal(text), left, _literal(text + "\U0010ffff"))]
    operator = {"": "=", "from": ">=", "to": "<="}[how]
    return [sql.SQL("{} {} {}").format(left, sql.SQL(operator), _literal(value))]


def typed_value(field: RecordField) -> sql.Composable:
    """The expression for a field's value; the one that its index is on."""
    text = sql.SQL("data ->> {}").format(sql.Literal(field.name))
    before, after = TYPED[field.type].split("{}")
    return sql.SQL(before) + text + sql.SQL(after)


def _literal(value: Any) -> sql.Composable:
    if isinstance(value, datetime):
        return sql.SQL("{}::timestamptz").format(sql.Literal(value.isoformat()))
    if isinstance(value, date):
        return sql.SQL("{}::date").format(sql.Literal(value.isoformat()))
    if isinstance(value, (Decimal, int)) and not isinstance(value, bool):
        return sql.SQL("{}::numeric").format(sql.Literal(str(value)))
    return sql.Literal(value)


def _ids(
    where: list[sql.Composable], order: RecordField | None, descending: bool, limit: int, after: list[Any] | None
) -> tuple[list[int], str | None]:
    """The ids of one page. With an order, records that have the value come first, then those without; each part has its
    own keyset."""
    if order is None:
        after_id: list[sql.Composable] = [sql.SQL("id > {}").format(sql.Literal(int(after[0])))] if after else []
        ids = [row[0] for row in _fetch(where + after_id, [sql.SQL("id")], sql.SQL("id"), limit + 1)]
        return ids[:limit], _cursor([ids[limit - 1]]) if len(ids) > limit else None
    value = typed_value(order)
    direction = sql.SQL("DESC") if descending else sql.SQL("ASC")
    rows: list[Any] = []
    if after is None or after[0] is not None:
        keyset = []
        if after:
            shown = _literal(CONVERSIONS[order.type](after[0]))
            keyset = [
                sql.SQL("({}, id) {} ({}, {})").format(
                    value, sql.SQL("<" if descending else ">"), shown, sql.Literal(int(after[1]))
                )
            ]
        rows = _fetch(
            [*where, sql.SQL("{} IS NOT NULL").format(value), *keyset],
            [sql.SQL("id"), value],
            sql.SQL("{} {}, id {}").format(value, direction, direction),
            limit + 1,
        )
    if len(rows) <= limit:
        keyset = [sql.SQL("id > {}").format(sql.Literal(int(after[1])))] if after and after[0] is None else []
        rows += _fetch(
            [*where, sql.SQL("{} IS NULL").format(value), *keyset],
            [sql.SQL("id"), sql.SQL("NULL")],
            sql.SQL("id"),
            limit + 1 - len(rows),
        )
    more = len(rows) > limit
    rows = rows[:limit]
    last = [None if rows[-1][1] is None else _plain(rows[-1][1]), rows[-1][0]] if more else None
    return [row[0] for row in rows], _cursor(last) if last else None


def _fetch(where: list[sql.Composable], columns: list[sql.Composable], order: sql.Composable, limit: int) -> list[Any]:
    if limit <= 0:
        return []
    with connection.cursor() as cursor:
        cursor.cursor.execute(page_statement(where, columns, order, limit))
        return list(cursor.cursor.fetchall())


def page_statement(
    where: list[sql.Composable], columns: list[sql.Composable], order: sql.Composable, limit: int
) -> sql.Composable:
    return sql.SQL("SELECT {} FROM {} WHERE {} ORDER BY {} LIMIT {}").format(
        sql.SQL(", ").join(columns),
        sql.Identifier(Record._meta.db_table),
        sql.SQL(" AND ").join(where),
        order,
        sql.Literal(limit),
    )


def _plain(value: Any) -> Any:
    return (
        value.isoformat()
        if isinstance(value, (date, datetime))
        else str(value)
        if isinstance(value, Decimal)
        else value
    )


def _cursor(values: list[Any]) -> str:
    return base64.urlsafe_b64encode(json.dumps(values).encode()).decode().rstrip("=")


def _read_cursor(text: str | None) -> list[Any] | None:
    if not text:
        return None
    try:
        values = json.loads(base64.urlsafe_b64decode(text + "=" * (-len(text) % 4)))
        if isinstance(values, list) and 1 <= len(values) <= 2:
            int(values[-1])
            return values
    except (ValueError, TypeError):
        pass
    raise InputError("the cursor is not one of ours", where="?cursor", hint="take it from the page before, as it is")


def key_of(document: RecordTypeDocument, key: list[str]) -> str:
    """The canonical form of a key. key: the key fields' values as text. Raises NotFound for what can be none."""
    values = []
    for name, text in zip(document.key, key, strict=False):
        field = document.field(name)
        try:
            values.append(CONVERSIONS[field.type if field else "text"](text))
        except ConversionError as error:
            raise NotFound(f"{name} {error}", where="key", hint="give the key as the record shows it") from error
    if len(values) != len(document.key) or len(key) != len(document.key):
        raise NotFound(
            f"the key has {len(document.key)} parts: {', '.join(document.key)}",
            where="key",
            hint="give them in this order",
        )
    return key_text(values)


def find_record(records: RecordSet, document: RecordTypeDocument, key: list[str]) -> Record:
    """key: the key fields' values as text. Raises NotFound."""
    digest = key_digest(key_of(document, key))
    record: Record | None = Record.objects.filter(pk__in=Record.objects.ids_of(records.pk, [digest])).first()
    if record is None:
        raise NotFound(
            f"there is no record {', '.join(key)}",
            where=records.record_type.name,
            hint="see what there is: rondine record list",
        )
    return record


def shown_data(data: Mapping[str, Any], document: RecordTypeDocument) -> dict[str, Any]:
    """A record's data as the API gives it: decimals, and integers beyond 2^53, as strings; missing fields left out.
    Within json a decimal stays a number where a double holds all its digits."""
    types = {field.name: field.type for field in document.fields}
    out: dict[str, Any] = {}
    for name, value in data.items():
        if isinstance(value, (Decimal, float)) or (
            types.get(name) == "decimal" and isinstance(value, int) and not isinstance(value, bool)
        ):
            out[name] = format(Decimal(value), "f")
        elif isinstance(value, int) and not isinstance(value, bool) and abs(value) > SAFE_INTEGER:
            out[name] = str(value)
        elif isinstance(value, datetime):
            out[name] = value.isoformat().replace("+00:00", "Z")
        elif isinstance(value, date):
            out[name] = value.isoformat()
        elif isinstance(value, (dict, list)):
            out[name] = _safe(value)
        else:
            out[name] = value
    return out


def _safe(value: Any) -> Any:
    if isinstance(value, dict):
        return {name: _safe(one) for name, one in value.items()}
    if isinstance(value, list):
        return [_safe(one) for one in value]
    if isinstance(value, Decimal):
        return float(value) if len(value.as_tuple().digits) <= SAFE_DIGITS else json_text(value)
    return str(value) if isinstance(value, int) and not isinstance(value, bool) and abs(value) > SAFE_INTEGER else value


def make_indexes(records: RecordSet, document: RecordTypeDocument) -> list[str]:
    """Makes what is missing of the searchable fields' indexes, outside a transaction and without locking writers; one
    caller at a time. Returns their fields."""
    made = []
    wanted = {field.name: field for field in document.fields if field.searchable and field.type in TYPED}
    for name, field in wanted.items():
        label = f"{name}:{field.type}"
        if label in records.indexed:
            continue
        index = index_name(records, field)
        if not _is_built(index):
            statement = sql.SQL("CREATE INDEX CONCURRENTLY {} ON {} ({}, id) WHERE set_id = {}").format(
                sql.Identifier(index),
                sql.Identifier(Record._meta.db_table),
                typed_value(field),
                sql.Literal(records.pk),
            )
            with connection.cursor() as cursor:
                cursor.cursor.execute(statement)
        records.indexed = [*records.indexed, label]
        records.save(update_fields=["indexed"])
        made.append(name)
    return made


def index_name(records: RecordSet, field: RecordField) -> str:
    """PostgreSQL cuts names at 63 bytes; of a longer one, a hash stands for its end."""
    name = f"records_{records.pk}_{field.name}_{field.type}"
    return name if len(name) <= 63 else f"{name[:46]}_{blake2b(name.encode(), digest_size=8).hexdigest()}"


def _is_built(index: str) -> bool:
    """Whether an index is there and whole. One whose builder died is dropped, without anybody waiting for it."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT indisvalid FROM pg_index WHERE indexrelid = to_regclass(quote_ident(%s))", (index,))
        found = cursor.fetchone()
        if found is not None and not found[0]:
            cursor.cursor.execute(sql.SQL("DROP INDEX CONCURRENTLY {}").format(sql.Identifier(index)))
    return found is not None and bool(found[0])
