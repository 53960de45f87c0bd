"""The runs of a project that wait or run, counted by an index."""

from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('access', '0003_installation'),
        ('connecting', '0011_kept_for'),
        ('feeds', '0008_drift'),
        ('operations', '0001_initial'),
        ('runs', '0015_dry'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.AddIndex(
            model_name='run',
            index=models.Index(condition=models.Q(('state__in', ('queued', 'running'))), fields=['project'], name='runs_active_of_a_project'),
        ),
    ]
