"""Calls that a worker makes are known as such."""

from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('applications', '0001_applications'),
    ]

    operations = [
        migrations.AddField(
            model_name='invocation',
            name='is_background',
            field=models.BooleanField(default=False),
        ),
    ]
