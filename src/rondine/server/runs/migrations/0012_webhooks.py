"""Webhooks, and what came in by them."""

from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('runs', '0011_rows_asked'),
    ]

    operations = [
        migrations.AlterField(
            model_name='run',
            name='kind',
            field=models.CharField(choices=[('trial', 'trial'), ('feed', 'feed'), ('webhook', 'webhook')], max_length=20),
        ),
    ]
