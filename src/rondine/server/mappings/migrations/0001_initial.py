"""Mappings come here from the app of records."""

import django.db.models.deletion
import uuid
from django.db import migrations, models


class Migration(migrations.Migration):

    initial = True

    dependencies = [
        ('access', '0003_installation'),
        ('connecting', '0008_callback'),
        ('records', '0003_kept_records'),
    ]

    operations = [
        migrations.SeparateDatabaseAndState(
            database_operations=[
                migrations.RunSQL(
                    sql='ALTER TABLE records_mapping RENAME TO mappings_mapping',
                    reverse_sql='ALTER TABLE mappings_mapping RENAME TO records_mapping',
                ),
            ],
            state_operations=[
                migrations.CreateModel(
                    name='Mapping',
                    fields=[
                        ('id', models.UUIDField(default=uuid.uuid4, editable=False, primary_key=True, serialize=False)),
                        ('project', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='+', to='access.project')),
                        ('name', models.CharField(max_length=63)),
                        ('title', models.CharField(blank=True, max_length=200)),
                        ('version', models.PositiveIntegerField(default=1)),
                        ('document', models.JSONField(default=dict)),
                        ('problems', models.JSONField(default=list)),
                        ('changed_at', models.DateTimeField(auto_now=True)),
                        ('service', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='mappings', to='connecting.service')),
                    ],
                    options={
                        'constraints': [models.UniqueConstraint(fields=('project', 'name'), name='one_mapping_a_name')],
                    },
                ),
            ],
        ),
    ]
