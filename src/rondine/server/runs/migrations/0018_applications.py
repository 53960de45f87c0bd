"""Runs of applications' calls."""

import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('access', '0003_installation'),
        ('applications', '0001_applications'),
        ('connecting', '0012_environment_release'),
        ('feeds', '0008_drift'),
        ('operations', '0001_initial'),
        ('runs', '0017_by_age'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.AddField(
            model_name='run',
            name='application',
            field=models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='runs', to='applications.application'),
        ),
        migrations.AlterField(
            model_name='run',
            name='kind',
            field=models.CharField(choices=[('trial', 'trial'), ('feed', 'feed'), ('webhook', 'webhook'), ('application', 'application')], max_length=20),
        ),
        migrations.AddIndex(
            model_name='run',
            index=models.Index(condition=models.Q(('application__isnull', False)), fields=['application', '-id'], name='runs_of_an_application'),
        ),
    ]
