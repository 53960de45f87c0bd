"""Runs of flows: they may wait, wake by themselves, and run within each other; calls tell what they were made for."""

import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('access', '0003_installation'),
        ('applications', '0002_calls_told'),
        ('connecting', '0013_user_sessions'),
        ('feeds', '0008_drift'),
        ('flows', '0001_flows'),
        ('operations', '0001_initial'),
        ('runs', '0021_last_runs'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.RemoveConstraint(
            model_name='run',
            name='run_state_is_known',
        ),
        migrations.AddField(
            model_name='call',
            name='operation',
            field=models.CharField(blank=True, default='', max_length=63),
        ),
        migrations.AddField(
            model_name='call',
            name='task',
            field=models.CharField(blank=True, default='', max_length=200),
        ),
        migrations.AddField(
            model_name='run',
            name='flow',
            field=models.ForeignKey(db_index=False, null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='runs', to='flows.flow'),
        ),
        migrations.AddField(
            model_name='run',
            name='parent',
            field=models.ForeignKey(db_index=False, null=True, on_delete=django.db.models.deletion.CASCADE, related_name='children', to='runs.run'),
        ),
        migrations.AddField(
            model_name='run',
            name='parent_task',
            field=models.CharField(blank=True, max_length=200),
        ),
        migrations.AddField(
            model_name='run',
            name='wake_at',
            field=models.DateTimeField(null=True),
        ),
        migrations.AlterField(
            model_name='run',
            name='kind',
            field=models.CharField(choices=[('trial', 'trial'), ('feed', 'feed'), ('webhook', 'webhook'), ('application', 'application'), ('live', 'live'), ('flow', 'flow')], max_length=20),
        ),
        migrations.AlterField(
            model_name='run',
            name='state',
            field=models.CharField(choices=[('queued', 'queued'), ('running', 'running'), ('waiting', 'waiting'), ('done', 'done'), ('failed', 'failed'), ('cancelled', 'cancelled')], default='queued', max_length=20),
        ),
        migrations.AddIndex(
            model_name='run',
            index=models.Index(condition=models.Q(('flow__isnull', False)), fields=['flow', '-id'], name='runs_of_a_flow'),
        ),
        migrations.AddIndex(
            model_name='run',
            index=models.Index(condition=models.Q(('parent__isnull', False)), fields=['parent'], name='runs_within_a_run'),
        ),
        migrations.AddIndex(
            model_name='run',
            index=models.Index(condition=models.Q(('state', 'waiting')), fields=['wake_at'], name='runs_that_wait'),
        ),
        migrations.AddConstraint(
            model_name='run',
            constraint=models.CheckConstraint(condition=models.Q(('state__in', ('queued', 'running', 'waiting', 'done', 'failed', 'cancelled'))), name='run_state_is_known'),
        ),
    ]
