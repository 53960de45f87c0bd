"""What is forgotten by age is found by indexes."""

from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('access', '0003_installation'),
        ('connecting', '0011_kept_for'),
        ('feeds', '0008_drift'),
        ('operations', '0001_initial'),
        ('runs', '0016_active'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.AddIndex(
            model_name='call',
            index=models.Index(condition=models.Q(('body__isnull', False)), fields=['at'], name='calls_with_bodies_by_age'),
        ),
        migrations.AddIndex(
            model_name='run',
            index=models.Index(fields=['ended_at'], name='runs_by_age'),
        ),
    ]
