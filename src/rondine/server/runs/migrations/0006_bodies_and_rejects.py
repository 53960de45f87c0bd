"""Bodies and rejected rows come here from the apps where they were."""

import django.db.models.deletion
import uuid
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('access', '0003_installation'),
        ('connecting', '0008_callback'),
        ('records', '0003_kept_records'),
        ('runs', '0005_sending'),
    ]

    operations = [
        migrations.SeparateDatabaseAndState(
            database_operations=[
                migrations.RunSQL(
                    sql='ALTER TABLE connecting_body RENAME TO runs_body',
                    reverse_sql='ALTER TABLE runs_body RENAME TO connecting_body',
                ),
                migrations.RunSQL(
                    sql='ALTER TABLE records_rejectedrow RENAME TO runs_rejectedrow',
                    reverse_sql='ALTER TABLE runs_rejectedrow RENAME TO records_rejectedrow',
                ),
            ],
            state_operations=[
                migrations.CreateModel(
                    name='Body',
                    fields=[
                        ('id', models.UUIDField(default=uuid.uuid4, editable=False, primary_key=True, serialize=False)),
                        ('project', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='+', to='access.project')),
                        ('media_type', models.CharField(blank=True, max_length=200)),
                        ('charset', models.CharField(default='utf-8', max_length=60)),
                        ('size', models.BigIntegerField()),
                        ('stored', models.BinaryField()),
                        ('made_at', models.DateTimeField(auto_now_add=True)),
                    ],
                ),
                migrations.CreateModel(
                    name='RejectedRow',
                    fields=[
                        ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                        ('run_id', models.BigIntegerField()),
                        ('record_type', models.CharField(max_length=63)),
                        ('call', models.PositiveIntegerField()),
                        ('ordinal', models.PositiveIntegerField()),
                        ('path', models.TextField()),
                        ('problems', models.JSONField()),
                        ('row', models.TextField()),
                    ],
                    options={
                        'indexes': [models.Index(fields=['run_id', 'id'], name='rejects_of_a_run')],
                    },
                ),
                migrations.AlterField(
                    model_name='call',
                    name='body',
                    field=models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='+', to='runs.body'),
                ),
            ],
        ),
    ]
