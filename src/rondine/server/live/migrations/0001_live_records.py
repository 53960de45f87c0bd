"""Bindings of record types to operations."""

import django.db.models.deletion
import uuid
from django.db import migrations, models


class Migration(migrations.Migration):

    initial = True

    dependencies = [
        ('access', '0003_installation'),
    ]

    operations = [
        migrations.CreateModel(
            name='Binding',
            fields=[
                ('id', models.UUIDField(default=uuid.uuid4, editable=False, primary_key=True, serialize=False)),
                ('name', models.CharField(max_length=63)),
                ('title', models.CharField(blank=True, max_length=200)),
                ('version', models.PositiveIntegerField(default=1)),
                ('document', models.JSONField(default=dict)),
                ('problems', models.JSONField(default=list)),
                ('changed_at', models.DateTimeField(auto_now=True)),
                ('project', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='+', to='access.project')),
            ],
            options={
                'constraints': [models.UniqueConstraint(fields=('project', 'name'), name='one_binding_a_name')],
            },
        ),
    ]
