"""Runs refer to feeds and operations where they are now."""

import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('feeds', '0001_initial'),
        ('operations', '0001_initial'),
        ('runs', '0006_bodies_and_rejects'),
    ]

    operations = [
        migrations.SeparateDatabaseAndState(
            state_operations=[
                migrations.AlterField(
                    model_name='run',
                    name='feed',
                    field=models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='runs', to='feeds.feed'),
                ),
                migrations.AlterField(
                    model_name='run',
                    name='operation',
                    field=models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='runs', to='operations.operation'),
                ),
            ],
        ),
    ]
