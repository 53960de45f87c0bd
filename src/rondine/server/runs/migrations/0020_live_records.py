"""Runs of live records."""

from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('runs', '0019_calls_apart'),
    ]

    operations = [
        migrations.AlterField(
            model_name='run',
            name='kind',
            field=models.CharField(choices=[('trial', 'trial'), ('feed', 'feed'), ('webhook', 'webhook'), ('application', 'application'), ('live', 'live')], max_length=20),
        ),
    ]
