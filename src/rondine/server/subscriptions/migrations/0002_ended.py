"""Every end of a run may be told."""

from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('connecting', '0010_words'),
        ('subscriptions', '0001_subscriptions'),
    ]

    operations = [
        migrations.RemoveConstraint(
            model_name='event',
            name='kind_of_event_is_known',
        ),
        migrations.AlterField(
            model_name='event',
            name='kind',
            field=models.CharField(choices=[('failed', 'failed'), ('recovered', 'recovered'), ('incomplete', 'incomplete'), ('drift', 'drift'), ('not_marked', 'not_marked'), ('late', 'late'), ('refused', 'refused'), ('ended', 'ended')], max_length=20),
        ),
        migrations.AddConstraint(
            model_name='event',
            constraint=models.CheckConstraint(condition=models.Q(('kind__in', ('failed', 'recovered', 'incomplete', 'drift', 'not_marked', 'late', 'refused', 'ended'))), name='kind_of_event_is_known'),
        ),
    ]
