"""Looks come here from the app of connections."""

import django.db.models.deletion
import uuid
from django.db import migrations, models


class Migration(migrations.Migration):

    initial = True

    dependencies = [
        ('access', '0003_installation'),
        ('connecting', '0008_callback'),
    ]

    operations = [
        migrations.SeparateDatabaseAndState(
            database_operations=[
                migrations.RunSQL(
                    sql='ALTER TABLE connecting_look RENAME TO definitions_look',
                    reverse_sql='ALTER TABLE definitions_look RENAME TO connecting_look',
                ),
            ],
            state_operations=[
                migrations.CreateModel(
                    name='Look',
                    fields=[
                        ('id', models.UUIDField(default=uuid.uuid4, editable=False, primary_key=True, serialize=False)),
                        ('project', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='+', to='access.project')),
                        ('main', models.TextField()),
                        ('address', models.TextField(blank=True)),
                        ('stored', models.BinaryField()),
                        ('made_at', models.DateTimeField(auto_now_add=True)),
                    ],
                    options={
                        'indexes': [models.Index(fields=['project', 'made_at'], name='looks_by_time')],
                    },
                ),
            ],
        ),
    ]
