"""What a dry run found that a run would do."""

from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('records', '0007_origins'),
    ]

    operations = [
        migrations.CreateModel(
            name='PlannedChange',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('run_id', models.BigIntegerField()),
                ('record_type', models.CharField(max_length=63)),
                ('key', models.TextField()),
                ('kind', models.CharField(choices=[('created', 'created'), ('changed', 'changed'), ('gone', 'gone'), ('returned', 'returned'), ('removed', 'removed')], max_length=10)),
                ('before', models.JSONField(null=True)),
                ('after', models.JSONField(null=True)),
            ],
            options={
                'indexes': [models.Index(fields=['run_id', 'id'], name='planned_changes_of_a_run')],
            },
        ),
    ]
