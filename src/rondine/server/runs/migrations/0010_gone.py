"""Runs know whether they bring all, and what of it is gone."""

from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('runs', '0009_schedules'),
    ]

    operations = [
        migrations.AddField(
            model_name='run',
            name='brings_all',
            field=models.BooleanField(default=True),
        ),
        migrations.AddField(
            model_name='run',
            name='marks',
            field=models.JSONField(null=True),
        ),
        migrations.AddField(
            model_name='run',
            name='may_mark_all',
            field=models.BooleanField(default=False),
        ),
        migrations.AddField(
            model_name='runcount',
            name='gone',
            field=models.BigIntegerField(default=0),
        ),
    ]
