"""Environments go by a release, or by the draft."""

import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('connecting', '0011_kept_for'),
        ('releases', '0001_initial'),
    ]

    operations = [
        migrations.AddField(
            model_name='environment',
            name='release',
            field=models.ForeignKey(null=True, on_delete=django.db.models.deletion.RESTRICT, related_name='environments', to='releases.release'),
        ),
    ]
