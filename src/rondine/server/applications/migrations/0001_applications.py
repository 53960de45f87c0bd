"""Applications, their tokens, and what they use."""

import django.db.models.deletion
import uuid
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    initial = True

    dependencies = [
        ('access', '0003_installation'),
        ('connecting', '0012_environment_release'),
        ('runs', '0017_by_age'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name='Application',
            fields=[
                ('id', models.UUIDField(default=uuid.uuid4, editable=False, primary_key=True, serialize=False)),
                ('name', models.CharField(max_length=63)),
                ('title', models.CharField(blank=True, max_length=200)),
                ('version', models.PositiveIntegerField(default=1)),
                ('document', models.JSONField(default=dict)),
                ('problems', models.JSONField(default=list)),
                ('changed_at', models.DateTimeField(auto_now=True)),
                ('window_at', models.DateTimeField(null=True)),
                ('window_calls', models.PositiveIntegerField(default=0)),
                ('environment', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='applications', to='connecting.environment')),
                ('project', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='+', to='access.project')),
            ],
        ),
        migrations.CreateModel(
            name='ApplicationToken',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('title', models.CharField(max_length=200)),
                ('digest', models.BinaryField(max_length=32, unique=True)),
                ('made_at', models.DateTimeField(auto_now_add=True)),
                ('used_at', models.DateTimeField(null=True)),
                ('expires_at', models.DateTimeField(null=True)),
                ('application', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='tokens', to='applications.application')),
                ('by', models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='+', to=settings.AUTH_USER_MODEL)),
            ],
        ),
        migrations.CreateModel(
            name='Invocation',
            fields=[
                ('run', models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, primary_key=True, related_name='invocation', serialize=False, to='runs.run')),
                ('key', models.CharField(max_length=100, null=True)),
                ('asked', models.BinaryField(max_length=32)),
                ('question', models.JSONField()),
                ('process', models.IntegerField(null=True)),
                ('reply_status', models.PositiveSmallIntegerField(null=True)),
                ('reply', models.BinaryField(null=True)),
                ('at', models.DateTimeField(auto_now_add=True)),
                ('application', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='+', to='applications.application')),
            ],
        ),
        migrations.CreateModel(
            name='UsageHour',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('hour', models.DateTimeField()),
                ('what', models.CharField(max_length=140)),
                ('calls', models.PositiveBigIntegerField(default=0)),
                ('failed', models.PositiveBigIntegerField(default=0)),
                ('busy_ms', models.FloatField(default=0)),
                ('service_ms', models.FloatField(default=0)),
                ('application', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='usage', to='applications.application')),
            ],
        ),
        migrations.AddConstraint(
            model_name='application',
            constraint=models.UniqueConstraint(fields=('project', 'name'), name='one_application_a_name'),
        ),
        migrations.AddIndex(
            model_name='invocation',
            index=models.Index(condition=models.Q(('key__isnull', False)), fields=['at'], name='invocations_with_keys_by_age'),
        ),
        migrations.AddIndex(
            model_name='invocation',
            index=models.Index(condition=models.Q(('process__isnull', False)), fields=['process'], name='invocations_under_way'),
        ),
        migrations.AddConstraint(
            model_name='invocation',
            constraint=models.UniqueConstraint(condition=models.Q(('key__isnull', False)), fields=('application', 'key'), name='one_invocation_a_key'),
        ),
        migrations.AddConstraint(
            model_name='invocation',
            constraint=models.CheckConstraint(condition=models.Q(models.Q(('reply__isnull', True), ('reply_status__isnull', True)), models.Q(('reply__isnull', False), ('reply_status__isnull', False)), _connector='OR'), name='reply_has_its_status'),
        ),
        migrations.AddConstraint(
            model_name='usagehour',
            constraint=models.UniqueConstraint(fields=('application', 'hour', 'what'), name='one_count_an_hour_and_thing'),
        ),
    ]
