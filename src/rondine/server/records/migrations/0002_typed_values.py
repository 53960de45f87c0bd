"""Functions that turn a field's text into a date or an instant.

PostgreSQL's own casts depend on settings and are therefore not immutable; these read ISO 8601 only, as records hold it, so they can be indexed.
"""

from django.db import migrations


class Migration(migrations.Migration):
    dependencies = [("records", "0001_initial")]
    operations = [
        migrations.RunSQL(
            """
            CREATE FUNCTION rondine_date(value text) RETURNS date LANGUAGE sql IMMUTABLE STRICT PARALLEL SAFE AS $$
                SELECT make_date(substr(value, 1, 4)::int, substr(value, 6, 2)::int, substr(value, 9, 2)::int)
            $$;
            CREATE FUNCTION rondine_instant(value text) RETURNS timestamptz LANGUAGE sql IMMUTABLE STRICT PARALLEL SAFE AS $$
                SELECT make_timestamptz(
                    substr(value, 1, 4)::int, substr(value, 6, 2)::int, substr(value, 9, 2)::int,
                    substr(value, 12, 2)::int, substr(value, 15, 2)::int, rtrim(substr(value, 18), 'Z')::float8, 'UTC')
            $$;
            """,
            "DROP FUNCTION rondine_date(text); DROP FUNCTION rondine_instant(text);",
        )
    ]
