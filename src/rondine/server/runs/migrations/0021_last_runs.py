"""The newest run of an operation is found by an index."""

import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('access', '0003_installation'),
        ('applications', '0002_calls_told'),
        ('connecting', '0013_user_sessions'),
        ('feeds', '0008_drift'),
        ('operations', '0001_initial'),
        ('runs', '0020_live_records'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.AlterField(
            model_name='run',
            name='operation',
            field=models.ForeignKey(db_index=False, null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='runs', to='operations.operation'),
        ),
        migrations.AddIndex(
            model_name='run',
            index=models.Index(condition=models.Q(('operation__isnull', False)), fields=['operation', '-id'], name='runs_of_an_operation'),
        ),
    ]
