"""What a run leaves of its rows for the next one, and how often the records of a set changed."""

from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('records', '0008_planned'),
    ]

    operations = [
        migrations.AddField(
            model_name='recordset',
            name='revision',
            field=models.BigIntegerField(default=0),
        ),
        migrations.AddField(
            model_name='seenbatch',
            name='hashes',
            field=models.BinaryField(null=True),
        ),
        migrations.AddField(
            model_name='seenbatch',
            name='plan',
            field=models.UUIDField(null=True),
        ),
        migrations.AddField(
            model_name='seenbatch',
            name='revision',
            field=models.BigIntegerField(null=True),
        ),
        migrations.AddIndex(
            model_name='seenbatch',
            index=models.Index(fields=['set_id', 'plan', 'run_id'], name='seen_batches_of_a_plan'),
        ),
    ]
