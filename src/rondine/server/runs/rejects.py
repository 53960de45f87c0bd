"""Why rows of a run were rejected, by field."""

from typing import Any

from django.db import connection

from rondine.server.runs.models import RejectedRow, Run

#: Rejects that are looked through, the first ones, and fields that are told.
MOST_ROWS, MOST_FIELDS = 20_000, 50


def reasons_of(run: Run) -> list[dict[str, Any]]:
    """[{record_type, field, rows, reason}] of the fields that most rows were rejected for. rows: how many of the first
    20,000 rejects.  reason: of the first of them."""
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT r.record_type, p.problem ->> 'field', count(DISTINCT r.id),"
            " (array_agg(p.problem ->> 'reason' ORDER BY r.id))[1]"
            f" FROM (SELECT * FROM {RejectedRow._meta.db_table} WHERE run_id = %s ORDER BY id LIMIT %s) r,"
            " LATERAL jsonb_array_elements(r.problems) p(problem) GROUP BY 1, 2 ORDER BY 3 DESC, 1, 2 LIMIT %s",
            (run.pk, MOST_ROWS, MOST_FIELDS),
        )
        names = ("record_type", "field", "rows", "reason")
        return [dict(zip(names, row, strict=True)) for row in cursor.fetchall()]
