"""What the values of kept records look like: of each field how many are missing, how many differ, from where to where
they go, and how they are spread; counted by PostgreSQL over all records that filters leave, up to a number."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from django.db import connection
from psycopg import sql

from rondine.core.mapping.document import RecordField, RecordTypeDocument
from rondine.server.records.browsing import TYPED, GoneShown, selection, typed_value
from rondine.server.records.models import Record, RecordSet

#: Records that are looked at at most: about two seconds for twelve fields.
MOST_PROFILED = 50_000
#: Parts of a spread, of values that are in ranges, and of the commonest ones.
PARTS = 8
#: Characters of a text that can be shown as one of the commonest.
LONGEST = 200
#: Values as texts that mean the same in a filter, where it is not what PostgreSQL writes.
_TEXTS = {
    "datetime": "replace(to_char({} AT TIME ZONE 'UTC', 'YYYY-MM-DD\"T\"HH24:MI:SS.US\"Z\"'), '.000000Z', 'Z')",
}
_RANGES = ("integer", "decimal", "date", "datetime")


@dataclass(frozen=True, slots=True)
class Part:
    """Some of a field's values. least, most: of those in it; the same, if it is a single value; None of none."""

    least: str | None
    most: str | None
    count: int


@dataclass(slots=True)
class FieldProfile:
    """least, most: as they are given in filters; None where values have no order, or there are none.  by: whether its
    parts are the commonest values, or ranges of equal width, one after another."""

    name: str
    type: str
    missing: int
    distinct: int
    least: str | None = None
    most: str | None = None
    by: str = "value"
    parts: list[Part] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class RecordsProfile:
    """records: that were looked at.  is_all: there are no more that the filters leave."""

    records: int
    is_all: bool
    columns: list[FieldProfile]


def profile_records(
    records: RecordSet, document: RecordTypeDocument, query: Mapping[str, str], *, gone: GoneShown = "no"
) -> RecordsProfile:
    """query: filters as of `browse`. Raises InputError as it does."""
    chosen = _chosen(selection(records, document, query, gone=gone).where, document.fields)
    with connection.cursor() as cursor:
        cursor.cursor.execute(_summary(chosen, document.fields))
        count, is_more, *values = cursor.cursor.fetchone()
        found = [
            FieldProfile(one.name, one.type, count - held, distinct, _short(least), _short(most))
            for one, (held, distinct, least, most) in zip(
                document.fields, (values[at : at + 4] for at in range(0, len(values), 4)), strict=True
            )
        ]
        spread = [at for at, one in enumerate(found) if one.distinct and one.type in TYPED]
        if spread:
            for at in spread:
                if found[at].type in _RANGES and found[at].distinct > PARTS:
                    found[at].by, found[at].parts = "range", [Part(None, None, 0)] * PARTS
            cursor.cursor.execute(_spreads(chosen, {at: found[at] for at in spread}))
            for at, least, most, number, place in cursor.cursor.fetchall():
                part = Part(least, most, number)
                if found[at].by == "range":
                    found[at].parts[int(place) - 1] = part
                else:
                    found[at].parts.append(part)
    return RecordsProfile(count, not is_more, found)


def _column(at: int) -> sql.Identifier:
    return sql.Identifier(f"f{at}")


def _chosen(where: list[sql.Composable], fields: Sequence[RecordField]) -> sql.Composable:
    """Tables `read`, of one record more than are looked at, and `chosen`, of a column for each field."""
    values = [
        sql.SQL("{} AS {}").format(
            typed_value(one) if one.type in TYPED else sql.SQL("data ->> {}").format(sql.Literal(one.name)), _column(at)
        )
        for at, one in enumerate(fields)
    ]
    return sql.SQL(
        "WITH read AS MATERIALIZED (SELECT {} FROM {} WHERE {} LIMIT {}), chosen AS (SELECT * FROM read LIMIT {})"
    ).format(
        sql.SQL(", ").join([*values, sql.SQL("id")]),
        sql.Identifier(Record._meta.db_table),
        sql.SQL(" AND ").join(where),
        sql.Literal(MOST_PROFILED + 1),
        sql.Literal(MOST_PROFILED),
    )


def _summary(chosen: sql.Composable, fields: Sequence[RecordField]) -> sql.Composable:
    """One row: records looked at, whether there are more, and for each field: values, different ones, least, most."""
    columns: list[sql.Composable] = [sql.SQL("count(*)"), sql.SQL("(SELECT count(*) FROM read) > count(*)")]
    for at, one in enumerate(fields):
        has_order = one.type in TYPED and one.type != "boolean"
        ends = [_as_text(one.type, end) for end in ("min({0})", "max({0})")] if has_order else ["NULL", "NULL"]
        columns.append(sql.SQL(", ".join(["count({0})", "count(DISTINCT {0})", *ends])).format(_column(at)))
    return sql.SQL("{} SELECT {} FROM chosen").format(chosen, sql.SQL(", ").join(columns))


_COMMONEST = sql.SQL(
    "SELECT {at} AS at, {value} AS least, {value} AS most, count(*) AS number, -count(*) AS place"
    " FROM chosen WHERE {held} GROUP BY {value} ORDER BY number DESC, least LIMIT {parts}"
)
# the ends stand by themselves, so that they are looked for once, whatever PostgreSQL thinks of the number of rows
_RANGE = sql.SQL(
    "SELECT {at} AS at, min({value}) AS least, max({value}) AS most, count(*) AS number, least({parts}, width_bucket("
    "{number}, (SELECT min({number}) FROM chosen), (SELECT max({number}) FROM chosen), {parts})) AS place"
    " FROM chosen WHERE {held} GROUP BY place"
)


def _spreads(chosen: sql.Composable, fields: Mapping[int, FieldProfile]) -> sql.Composable:
    """Rows of: a field by its place; least, most and number of a part, and its place. A field's are in their order."""
    queries: list[sql.Composable] = []
    for at, one in fields.items():
        value = _column(at)
        fits = "char_length({}) <= {}" if one.type == "text" else "{} IS NOT NULL"
        held = sql.SQL(fits).format(value, sql.Literal(LONGEST))
        number = value if one.type in ("integer", "decimal") else sql.SQL("extract(epoch FROM {})").format(value)
        parts = (_COMMONEST if one.by == "value" else _RANGE).format(
            at=sql.Literal(at), value=value, held=held, number=number, parts=sql.Literal(PARTS)
        )
        texts = ", ".join(_as_text(one.type, name) for name in ("least", "most"))
        queries.append(sql.SQL("SELECT at, " + texts + ", number, place FROM ({}) AS parts").format(parts))
    return sql.SQL("{} SELECT * FROM ({}) AS every ORDER BY at, place, 2").format(
        chosen, sql.SQL(" UNION ALL ").join(queries)
    )


def _as_text(kind: str, value: str) -> str:
    """SQL of a value of a type, as text that means the same in a filter."""
    return _TEXTS.get(kind, "{}::text").replace("{}", value)


def _short(text: str | None) -> str | None:
    return text if text is None or len(text) <= LONGEST else f"{text[:LONGEST]}…"
