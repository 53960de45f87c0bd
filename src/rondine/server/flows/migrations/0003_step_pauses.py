"""A run can wait before a step, to be looked at."""

from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('flows', '0002_schedules'),
        ('runs', '0023_flow_schedules'),
    ]

    operations = [
        migrations.RemoveConstraint(
            model_name='flowpause',
            name='pause_kind_is_known',
        ),
        migrations.AlterField(
            model_name='flowpause',
            name='kind',
            field=models.CharField(choices=[('time', 'time'), ('callback', 'callback'), ('person', 'person'), ('doubt', 'doubt'), ('step', 'step')], max_length=10),
        ),
        migrations.AddConstraint(
            model_name='flowpause',
            constraint=models.CheckConstraint(condition=models.Q(('kind__in', ('time', 'callback', 'person', 'doubt', 'step'))), name='pause_kind_is_known'),
        ),
    ]
