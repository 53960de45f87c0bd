"""Who is told of what, and what happened to feeds."""

import django.db.models.deletion
import uuid
from django.db import migrations, models


class Migration(migrations.Migration):

    initial = True

    dependencies = [
        ('access', '0003_installation'),
        ('connecting', '0010_words'),
    ]

    operations = [
        migrations.CreateModel(
            name='Event',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('kind', models.CharField(choices=[('failed', 'failed'), ('recovered', 'recovered'), ('incomplete', 'incomplete'), ('drift', 'drift'), ('not_marked', 'not_marked'), ('late', 'late'), ('refused', 'refused')], max_length=20)),
                ('feed', models.CharField(max_length=63)),
                ('run_id', models.BigIntegerField(null=True)),
                ('data', models.JSONField()),
                ('at', models.DateTimeField()),
                ('environment', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='events', to='connecting.environment')),
            ],
            options={
                'indexes': [models.Index(fields=['environment', 'id'], name='events_in_order'), models.Index(fields=['at'], name='events_by_age')],
                'constraints': [models.CheckConstraint(condition=models.Q(('kind__in', ('failed', 'recovered', 'incomplete', 'drift', 'not_marked', 'late', 'refused'))), name='kind_of_event_is_known')],
            },
        ),
        migrations.CreateModel(
            name='Subscription',
            fields=[
                ('id', models.UUIDField(default=uuid.uuid4, editable=False, primary_key=True, serialize=False)),
                ('name', models.CharField(max_length=63)),
                ('title', models.CharField(blank=True, max_length=200)),
                ('version', models.PositiveIntegerField(default=1)),
                ('document', models.JSONField(default=dict)),
                ('problems', models.JSONField(default=list)),
                ('changed_at', models.DateTimeField(auto_now=True)),
                ('mark', models.BigIntegerField(default=0)),
                ('upto', models.BigIntegerField(null=True)),
                ('next_at', models.DateTimeField(auto_now_add=True, db_index=True)),
                ('failures', models.PositiveIntegerField(default=0)),
                ('error', models.JSONField(null=True)),
                ('told', models.BigIntegerField(default=0)),
                ('told_at', models.DateTimeField(null=True)),
                ('credential', models.ForeignKey(null=True, on_delete=django.db.models.deletion.PROTECT, related_name='subscriptions', to='connecting.credential')),
                ('environment', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='subscriptions', to='connecting.environment')),
                ('project', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='+', to='access.project')),
            ],
            options={
                'constraints': [models.UniqueConstraint(fields=('project', 'name'), name='one_subscription_a_name')],
            },
        ),
    ]
