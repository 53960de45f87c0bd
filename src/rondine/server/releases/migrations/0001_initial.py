"""Releases, and which environment went by which."""

import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    initial = True

    dependencies = [
        ('access', '0003_installation'),
        ('connecting', '0011_kept_for'),
        ('items', '0002_references'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name='Release',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('number', models.PositiveIntegerField()),
                ('notes', models.TextField(blank=True)),
                ('waived', models.JSONField(default=list)),
                ('made_at', models.DateTimeField(auto_now_add=True)),
                ('withdrawn_at', models.DateTimeField(null=True)),
                ('withdrawn_why', models.CharField(blank=True, max_length=500)),
                ('by', models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('project', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='releases', to='access.project')),
            ],
        ),
        migrations.CreateModel(
            name='ReleasedItem',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('release', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='items', to='releases.release')),
                ('revision', models.ForeignKey(on_delete=django.db.models.deletion.RESTRICT, to='items.revision')),
            ],
        ),
        migrations.CreateModel(
            name='Switch',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('is_back', models.BooleanField(default=False)),
                ('why', models.CharField(blank=True, max_length=500)),
                ('at', models.DateTimeField(auto_now_add=True)),
                ('after', models.ForeignKey(null=True, on_delete=django.db.models.deletion.RESTRICT, related_name='+', to='releases.release')),
                ('before', models.ForeignKey(null=True, on_delete=django.db.models.deletion.RESTRICT, related_name='+', to='releases.release')),
                ('by', models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('environment', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='switches', to='connecting.environment')),
            ],
        ),
        migrations.AddConstraint(
            model_name='release',
            constraint=models.UniqueConstraint(fields=('project', 'number'), name='one_release_a_number'),
        ),
        migrations.AddConstraint(
            model_name='releaseditem',
            constraint=models.UniqueConstraint(fields=('release', 'revision'), name='one_place_in_a_release'),
        ),
        migrations.AddIndex(
            model_name='switch',
            index=models.Index(fields=['environment', '-id'], name='switches_newest_first'),
        ),
    ]
