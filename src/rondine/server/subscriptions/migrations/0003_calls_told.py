"""The end of calls in the background is told."""

from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('connecting', '0013_user_sessions'),
        ('subscriptions', '0002_ended'),
    ]

    operations = [
        migrations.RemoveConstraint(
            model_name='event',
            name='kind_of_event_is_known',
        ),
        migrations.AddField(
            model_name='event',
            name='application',
            field=models.CharField(blank=True, default='', max_length=63),
        ),
        migrations.AlterField(
            model_name='event',
            name='feed',
            field=models.CharField(blank=True, max_length=63),
        ),
        migrations.AlterField(
            model_name='event',
            name='kind',
            field=models.CharField(choices=[('failed', 'failed'), ('recovered', 'recovered'), ('incomplete', 'incomplete'), ('drift', 'drift'), ('not_marked', 'not_marked'), ('late', 'late'), ('refused', 'refused'), ('ended', 'ended'), ('call_ended', 'call_ended')], max_length=20),
        ),
        migrations.AddConstraint(
            model_name='event',
            constraint=models.CheckConstraint(condition=models.Q(('kind__in', ('failed', 'recovered', 'incomplete', 'drift', 'not_marked', 'late', 'refused', 'ended', 'call_ended'))), name='kind_of_event_is_known'),
        ),
    ]
