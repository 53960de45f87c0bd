"""Runs that only tell what they would do."""

from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('runs', '0014_compared'),
    ]

    operations = [
        migrations.AddField(
            model_name='run',
            name='is_dry',
            field=models.BooleanField(default=False),
        ),
    ]
