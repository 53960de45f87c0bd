"""How many responses a run compared with the schema on file."""

from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('runs', '0013_orders'),
    ]

    operations = [
        migrations.AddField(
            model_name='run',
            name='compared',
            field=models.PositiveIntegerField(default=0),
        ),
    ]
