"""What a database of an earlier version needs before Django can look at its migrations."""

from django.db import connection, transaction

#: Apps that have another name now.
RENAMED = {"services": "connecting"}


def rename_apps() -> None:
    """Gives the tables and migrations of renamed apps their present names; does nothing where that was done, or nothing
    is there yet."""
    with transaction.atomic(), connection.cursor() as cursor:
        tables = connection.introspection.table_names(cursor)
        for old, new in RENAMED.items():
            if "django_migrations" not in tables:
                return
            cursor.execute("UPDATE django_migrations SET app = %s WHERE app = %s", [new, old])
            if not cursor.rowcount:
                continue
            cursor.execute("UPDATE django_content_type SET app_label = %s WHERE app_label = %s", [new, old])
            for table in tables:
                if table.startswith(f"{old}_"):
                    cursor.execute(f'ALTER TABLE "{table}" RENAME TO "{new}_{table.removeprefix(f"{old}_")}"')
