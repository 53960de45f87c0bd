"""Feeds that ask for each of many rows."""

import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('runs', '0010_gone'),
    ]

    operations = [
        migrations.AddField(
            model_name='run',
            name='rows_asked',
            field=models.BigIntegerField(default=0),
        ),
        migrations.AddField(
            model_name='run',
            name='rows_failed',
            field=models.BigIntegerField(default=0),
        ),
        migrations.CreateModel(
            name='RowFailure',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('row_id', models.BigIntegerField()),
                ('key', models.JSONField()),
                ('call', models.PositiveIntegerField(null=True)),
                ('error', models.JSONField()),
                ('run', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='row_failures', to='runs.run')),
            ],
            options={
                'constraints': [models.UniqueConstraint(fields=('run', 'row_id'), name='one_failure_a_row')],
            },
        ),
    ]
