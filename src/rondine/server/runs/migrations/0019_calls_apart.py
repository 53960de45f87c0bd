"""Runs without calls of applications, newest first."""

from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('access', '0003_installation'),
        ('applications', '0001_applications'),
        ('connecting', '0012_environment_release'),
        ('feeds', '0008_drift'),
        ('operations', '0001_initial'),
        ('runs', '0018_applications'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.AddIndex(
            model_name='run',
            index=models.Index(condition=models.Q(('kind', 'application'), _negated=True), fields=['project', '-id'], name='runs_but_calls_newest_first'),
        ),
    ]
