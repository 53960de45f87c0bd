"""Pauses for a request are looked up by what tells it from others."""

from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('flows', '0003_step_pauses'),
        ('runs', '0023_flow_schedules'),
    ]

    operations = [
        migrations.RemoveIndex(
            model_name='flowpause',
            name='pauses_for_callbacks',
        ),
        migrations.AddField(
            model_name='flowpause',
            name='digest',
            field=models.CharField(blank=True, default='', max_length=64),
        ),
        migrations.AddField(
            model_name='flowpause',
            name='paths',
            field=models.CharField(blank=True, default='', max_length=500),
        ),
        migrations.AddIndex(
            model_name='flowpause',
            index=models.Index(condition=models.Q(('kind', 'callback')), fields=['webhook', 'paths'], name='pauses_for_callbacks'),
        ),
        migrations.AddIndex(
            model_name='flowpause',
            index=models.Index(condition=models.Q(('digest', ''), _negated=True), fields=['digest'], name='pauses_by_what_tells_apart'),
        ),
    ]
