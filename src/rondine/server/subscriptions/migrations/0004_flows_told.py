"""What happens to runs of flows is told too."""

from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('connecting', '0013_user_sessions'),
        ('subscriptions', '0003_calls_told'),
    ]

    operations = [
        migrations.RemoveConstraint(
            model_name='event',
            name='kind_of_event_is_known',
        ),
        migrations.AddField(
            model_name='event',
            name='flow',
            field=models.CharField(blank=True, default='', max_length=63),
        ),
        migrations.AlterField(
            model_name='event',
            name='kind',
            field=models.CharField(choices=[('failed', 'failed'), ('recovered', 'recovered'), ('incomplete', 'incomplete'), ('drift', 'drift'), ('not_marked', 'not_marked'), ('late', 'late'), ('refused', 'refused'), ('ended', 'ended'), ('call_ended', 'call_ended'), ('flow_asks', 'flow_asks'), ('flow_doubt', 'flow_doubt'), ('flow_failed', 'flow_failed'), ('flow_ended', 'flow_ended'), ('flow_refused', 'flow_refused')], max_length=20),
        ),
        migrations.AddConstraint(
            model_name='event',
            constraint=models.CheckConstraint(condition=models.Q(('kind__in', ('failed', 'recovered', 'incomplete', 'drift', 'not_marked', 'late', 'refused', 'ended', 'call_ended', 'flow_asks', 'flow_doubt', 'flow_failed', 'flow_ended', 'flow_refused'))), name='kind_of_event_is_known'),
        ),
    ]
