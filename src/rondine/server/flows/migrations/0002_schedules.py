"""Schedules of flows: what begins them by itself."""

import django.db.models.deletion
import uuid
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('access', '0003_installation'),
        ('connecting', '0013_user_sessions'),
        ('flows', '0001_flows'),
    ]

    operations = [
        migrations.CreateModel(
            name='FlowSchedule',
            fields=[
                ('id', models.UUIDField(default=uuid.uuid4, editable=False, primary_key=True, serialize=False)),
                ('name', models.CharField(max_length=63)),
                ('title', models.CharField(blank=True, max_length=200)),
                ('version', models.PositiveIntegerField(default=1)),
                ('document', models.JSONField(default=dict)),
                ('problems', models.JSONField(default=list)),
                ('changed_at', models.DateTimeField(auto_now=True)),
                ('due_at', models.DateTimeField(null=True)),
                ('begins_at', models.DateTimeField(db_index=True, null=True)),
                ('planned_for_version', models.PositiveIntegerField(default=0)),
                ('refusal', models.JSONField(null=True)),
                ('watch_mark', models.BigIntegerField(null=True)),
                ('environment', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='flow_schedules', to='connecting.environment')),
                ('project', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='+', to='access.project')),
            ],
            options={
                'verbose_name': 'flow schedule',
                'constraints': [models.UniqueConstraint(fields=('project', 'name'), name='one_flow_schedule_a_name')],
            },
        ),
    ]
