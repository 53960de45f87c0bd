"""Users of applications sign in at services with accounts of their own."""

import uuid

import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('applications', '0001_applications'),
        ('connecting', '0012_environment_release'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name='UserSession',
            fields=[
                ('id', models.UUIDField(default=uuid.uuid4, primary_key=True, serialize=False)),
                ('digest', models.BinaryField(max_length=32, unique=True)),
                ('caller', models.CharField(blank=True, max_length=200)),
                ('state_digest', models.BinaryField(max_length=32, null=True)),
                ('callback', models.TextField(blank=True)),
                ('fingerprint', models.CharField(max_length=64)),
                ('key_version', models.PositiveIntegerField()),
                ('encrypted', models.BinaryField()),
                ('made_at', models.DateTimeField(auto_now_add=True)),
                ('used_at', models.DateTimeField(null=True)),
                ('expires_at', models.DateTimeField()),
            ],
        ),
        migrations.RemoveConstraint(
            model_name='accesstoken',
            name='one_token_a_sign_in',
        ),
        migrations.AddField(
            model_name='usersession',
            name='application',
            field=models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='sessions', to='applications.application'),
        ),
        migrations.AddField(
            model_name='usersession',
            name='connection',
            field=models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='+', to='connecting.connection'),
        ),
        migrations.AddField(
            model_name='accesstoken',
            name='session',
            field=models.OneToOneField(null=True, on_delete=django.db.models.deletion.CASCADE, related_name='access_token', to='connecting.usersession'),
        ),
        migrations.AddConstraint(
            model_name='accesstoken',
            constraint=models.UniqueConstraint(condition=models.Q(('session', None)), fields=('connection', 'operation'), name='one_token_a_sign_in'),
        ),
        migrations.AddIndex(
            model_name='usersession',
            index=models.Index(fields=['expires_at'], name='user_sessions_by_their_end'),
        ),
    ]
