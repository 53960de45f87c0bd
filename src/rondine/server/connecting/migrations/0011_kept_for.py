"""For how long what ran in an environment is kept: for ever in those that are there already, as it was."""

from django.db import migrations, models


def days(name: str, default: int | None) -> dict[str, object]:
    field = models.PositiveIntegerField(null=True, default=default)
    return {"model_name": "environment", "name": name, "field": field}


class Migration(migrations.Migration):
    dependencies = [("connecting", "0010_words")]

    operations = [
        migrations.AddField(**days("bodies_days", None)),
        migrations.AddField(**days("runs_days", None)),
        migrations.AlterField(**days("bodies_days", 30)),
        migrations.AlterField(**days("runs_days", 180)),
    ]
