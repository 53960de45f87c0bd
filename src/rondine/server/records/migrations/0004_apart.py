"""Feeds, mappings and rejected rows have apps of their own."""

from django.db import migrations


class Migration(migrations.Migration):

    dependencies = [
        ('feeds', '0001_initial'),
        ('mappings', '0001_initial'),
        ('records', '0003_kept_records'),
        ('runs', '0007_run_of_feeds'),
    ]

    operations = [
        migrations.SeparateDatabaseAndState(
            state_operations=[
                migrations.DeleteModel(
                    name='Feed',
                ),
                migrations.DeleteModel(
                    name='Mapping',
                ),
                migrations.DeleteModel(
                    name='RejectedRow',
                ),
            ],
        ),
    ]
