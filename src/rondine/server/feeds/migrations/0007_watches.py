"""Feeds that watch records."""

from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('feeds', '0006_late'),
    ]

    operations = [
        migrations.AddField(
            model_name='feed',
            name='watch_mark',
            field=models.BigIntegerField(null=True),
        ),
    ]
