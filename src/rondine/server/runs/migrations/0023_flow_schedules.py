"""Runs tell which schedule of a flow began them."""

import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('access', '0003_installation'),
        ('applications', '0002_calls_told'),
        ('connecting', '0013_user_sessions'),
        ('feeds', '0008_drift'),
        ('flows', '0002_schedules'),
        ('operations', '0001_initial'),
        ('runs', '0022_flows'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.AddField(
            model_name='run',
            name='flow_schedule',
            field=models.ForeignKey(db_index=False, null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='runs', to='flows.flowschedule'),
        ),
        migrations.AddIndex(
            model_name='run',
            index=models.Index(condition=models.Q(('flow_schedule__isnull', False)), fields=['flow_schedule', '-id'], name='runs_of_a_flow_schedule'),
        ),
    ]
