"""Differences of responses from the schema on file, from run to run."""

import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('feeds', '0007_watches'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name='DriftPeriod',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('path', models.CharField(max_length=600)),
                ('kind', models.CharField(max_length=10)),
                ('words', models.CharField(max_length=600)),
                ('on_file', models.CharField(max_length=200)),
                ('example', models.CharField(blank=True, max_length=100)),
                ('used_by', models.JSONField(default=list)),
                ('first_run', models.BigIntegerField()),
                ('call', models.PositiveIntegerField()),
                ('first_at', models.DateTimeField()),
                ('last_run', models.BigIntegerField()),
                ('last_at', models.DateTimeField()),
                ('ended_run', models.BigIntegerField(null=True)),
                ('ended_at', models.DateTimeField(null=True)),
                ('adopted_at', models.DateTimeField(null=True)),
                ('adopted_by', models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('feed', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='drift', to='feeds.feed')),
            ],
            options={
                'indexes': [models.Index(fields=['feed', '-id'], name='drift_of_a_feed')],
                'constraints': [models.UniqueConstraint(condition=models.Q(('adopted_at', None), ('ended_at', None)), fields=('feed', 'path', 'kind', 'words'), name='one_open_period_a_difference')],
            },
        ),
    ]
