"""Feeds know that they were told to be late."""

from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('feeds', '0005_schedules'),
    ]

    operations = [
        migrations.AddField(
            model_name='feed',
            name='is_late',
            field=models.BooleanField(default=False),
        ),
    ]
