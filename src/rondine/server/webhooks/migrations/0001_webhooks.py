"""Webhooks, and what came in by them."""

import django.db.models.deletion
import uuid
from django.db import migrations, models


class Migration(migrations.Migration):

    initial = True

    dependencies = [
        ('access', '0003_installation'),
        ('connecting', '0010_words'),
        ('runs', '0012_webhooks'),
    ]

    operations = [
        migrations.CreateModel(
            name='Webhook',
            fields=[
                ('id', models.UUIDField(default=uuid.uuid4, editable=False, primary_key=True, serialize=False)),
                ('name', models.CharField(max_length=63)),
                ('title', models.CharField(blank=True, max_length=200)),
                ('version', models.PositiveIntegerField(default=1)),
                ('document', models.JSONField(default=dict)),
                ('problems', models.JSONField(default=list)),
                ('changed_at', models.DateTimeField(auto_now=True)),
                ('credential', models.ForeignKey(null=True, on_delete=django.db.models.deletion.PROTECT, related_name='webhooks', to='connecting.credential')),
                ('environment', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='webhooks', to='connecting.environment')),
                ('project', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='+', to='access.project')),
            ],
        ),
        migrations.CreateModel(
            name='Delivery',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('mark', models.CharField(max_length=200)),
                ('headers', models.JSONField(default=list)),
                ('state', models.CharField(choices=[('waiting', 'waiting'), ('done', 'done'), ('failed', 'failed')], default='waiting', max_length=10)),
                ('error', models.JSONField(null=True)),
                ('call', models.PositiveIntegerField(null=True)),
                ('repeated', models.PositiveIntegerField(default=0)),
                ('at', models.DateTimeField(auto_now_add=True)),
                ('body', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='runs.body')),
                ('run', models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='deliveries', to='runs.run')),
                ('webhook', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='deliveries', to='webhooks.webhook')),
            ],
        ),
        migrations.AddConstraint(
            model_name='webhook',
            constraint=models.UniqueConstraint(fields=('project', 'name'), name='one_webhook_a_name'),
        ),
        migrations.AddIndex(
            model_name='delivery',
            index=models.Index(condition=models.Q(('state', 'waiting')), fields=['webhook', 'id'], name='deliveries_waiting'),
        ),
        migrations.AddIndex(
            model_name='delivery',
            index=models.Index(fields=['webhook', '-id'], name='deliveries_newest_first'),
        ),
        migrations.AddConstraint(
            model_name='delivery',
            constraint=models.UniqueConstraint(fields=('webhook', 'mark'), name='one_delivery_a_mark'),
        ),
        migrations.AddConstraint(
            model_name='delivery',
            constraint=models.CheckConstraint(condition=models.Q(('state__in', ('waiting', 'done', 'failed'))), name='delivery_state_is_known'),
        ),
    ]
