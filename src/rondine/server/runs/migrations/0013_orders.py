"""Runs know what they wait for."""

from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('runs', '0012_webhooks'),
    ]

    operations = [
        migrations.AddField(
            model_name='run',
            name='order',
            field=models.JSONField(null=True),
        ),
    ]
