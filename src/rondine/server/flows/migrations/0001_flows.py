"""Flows, what happens in their runs, and what these wait for."""

import django.db.models.deletion
import uuid
from django.db import migrations, models


class Migration(migrations.Migration):

    initial = True

    dependencies = [
        ('access', '0003_installation'),
        ('runs', '0021_last_runs'),
    ]

    operations = [
        migrations.CreateModel(
            name='Flow',
            fields=[
                ('id', models.UUIDField(default=uuid.uuid4, editable=False, primary_key=True, serialize=False)),
                ('name', models.CharField(max_length=63)),
                ('title', models.CharField(blank=True, max_length=200)),
                ('version', models.PositiveIntegerField(default=1)),
                ('document', models.JSONField(default=dict)),
                ('problems', models.JSONField(default=list)),
                ('changed_at', models.DateTimeField(auto_now=True)),
                ('warnings', models.JSONField(default=list)),
                ('project', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='+', to='access.project')),
            ],
            options={
                'constraints': [models.UniqueConstraint(fields=('project', 'name'), name='one_flow_a_name')],
            },
        ),
        migrations.CreateModel(
            name='FlowEvent',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('number', models.PositiveIntegerField()),
                ('at', models.DateTimeField()),
                ('content', models.JSONField()),
                ('run', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='flow_events', to='runs.run')),
            ],
            options={
                'constraints': [models.UniqueConstraint(fields=('run', 'number'), name='one_flow_event_a_number')],
            },
        ),
        migrations.CreateModel(
            name='FlowPause',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('task', models.CharField(max_length=200)),
                ('step', models.CharField(max_length=63)),
                ('kind', models.CharField(choices=[('time', 'time'), ('callback', 'callback'), ('person', 'person'), ('doubt', 'doubt')], max_length=10)),
                ('until', models.DateTimeField(null=True)),
                ('webhook', models.CharField(blank=True, max_length=63)),
                ('content', models.JSONField(default=dict)),
                ('is_looked_for', models.BooleanField(default=False)),
                ('run', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='pauses', to='runs.run')),
            ],
            options={
                'indexes': [models.Index(condition=models.Q(('kind', 'callback')), fields=['webhook'], name='pauses_for_callbacks')],
                'constraints': [models.UniqueConstraint(fields=('run', 'task'), name='one_pause_a_task'), models.CheckConstraint(condition=models.Q(('kind__in', ('time', 'callback', 'person', 'doubt'))), name='pause_kind_is_known')],
            },
        ),
    ]
