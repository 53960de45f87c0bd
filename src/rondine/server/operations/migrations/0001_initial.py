"""Operations come here from the app of connections, with what belongs to them."""

import django.db.models.deletion
import uuid
from django.db import migrations, models


class Migration(migrations.Migration):

    initial = True

    dependencies = [
        ('access', '0003_installation'),
        ('connecting', '0008_callback'),
        ('runs', '0006_bodies_and_rejects'),
    ]

    operations = [
        migrations.SeparateDatabaseAndState(
            database_operations=[
                migrations.RunSQL(
                    sql='ALTER TABLE connecting_operation RENAME TO operations_operation',
                    reverse_sql='ALTER TABLE operations_operation RENAME TO connecting_operation',
                ),
                migrations.RunSQL(
                    sql='ALTER TABLE connecting_query RENAME TO operations_query',
                    reverse_sql='ALTER TABLE operations_query RENAME TO connecting_query',
                ),
                migrations.RunSQL(
                    sql='ALTER TABLE connecting_definition RENAME TO operations_definition',
                    reverse_sql='ALTER TABLE operations_definition RENAME TO connecting_definition',
                ),
                migrations.RunSQL(
                    sql='ALTER TABLE connecting_definitionfile RENAME TO operations_definitionfile',
                    reverse_sql='ALTER TABLE operations_definitionfile RENAME TO connecting_definitionfile',
                ),
                migrations.RunSQL(
                    sql='ALTER TABLE connecting_sample RENAME TO operations_sample',
                    reverse_sql='ALTER TABLE operations_sample RENAME TO connecting_sample',
                ),
            ],
            state_operations=[
                migrations.CreateModel(
                    name='Operation',
                    fields=[
                        ('id', models.UUIDField(default=uuid.uuid4, editable=False, primary_key=True, serialize=False)),
                        ('project', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='+', to='access.project')),
                        ('name', models.CharField(max_length=63)),
                        ('title', models.CharField(blank=True, max_length=200)),
                        ('version', models.PositiveIntegerField(default=1)),
                        ('document', models.JSONField(default=dict)),
                        ('problems', models.JSONField(default=list)),
                        ('changed_at', models.DateTimeField(auto_now=True)),
                        ('service', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='operations', to='connecting.service')),
                    ],
                    options={
                        'constraints': [models.UniqueConstraint(fields=('project', 'name'), name='one_operation_a_name')],
                    },
                ),
                migrations.CreateModel(
                    name='Query',
                    fields=[
                        ('id', models.UUIDField(default=uuid.uuid4, editable=False, primary_key=True, serialize=False)),
                        ('project', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='+', to='access.project')),
                        ('name', models.CharField(max_length=63)),
                        ('title', models.CharField(blank=True, max_length=200)),
                        ('version', models.PositiveIntegerField(default=1)),
                        ('document', models.JSONField(default=dict)),
                        ('problems', models.JSONField(default=list)),
                        ('changed_at', models.DateTimeField(auto_now=True)),
                    ],
                    options={
                        'verbose_name': 'prepared query',
                        'constraints': [models.UniqueConstraint(fields=('project', 'name'), name='one_query_a_name')],
                    },
                ),
                migrations.CreateModel(
                    name='Definition',
                    fields=[
                        ('id', models.UUIDField(default=uuid.uuid4, editable=False, primary_key=True, serialize=False)),
                        ('project', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='+', to='access.project')),
                        ('name', models.CharField(max_length=63)),
                        ('title', models.CharField(blank=True, max_length=200)),
                        ('version', models.PositiveIntegerField(default=1)),
                        ('document', models.JSONField(default=dict)),
                        ('problems', models.JSONField(default=list)),
                        ('changed_at', models.DateTimeField(auto_now=True)),
                        ('service', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='definitions', to='connecting.service')),
                        ('schemas', models.JSONField(default=dict)),
                        ('offered', models.JSONField(default=dict)),
                        ('record_types', models.JSONField(default=dict)),
                    ],
                    options={
                        'constraints': [models.UniqueConstraint(fields=('project', 'name'), name='one_definition_a_name')],
                    },
                ),
                migrations.CreateModel(
                    name='DefinitionFile',
                    fields=[
                        ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                        ('definition', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='files', to='operations.definition')),
                        ('name', models.TextField()),
                        ('stored', models.BinaryField()),
                    ],
                    options={
                        'constraints': [models.UniqueConstraint(fields=('definition', 'name'), name='one_definition_file_a_name')],
                    },
                ),
                migrations.CreateModel(
                    name='Sample',
                    fields=[
                        ('id', models.UUIDField(default=uuid.uuid4, editable=False, primary_key=True, serialize=False)),
                        ('project', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='+', to='access.project')),
                        ('name', models.CharField(max_length=63)),
                        ('title', models.CharField(blank=True, max_length=200)),
                        ('version', models.PositiveIntegerField(default=1)),
                        ('document', models.JSONField(default=dict)),
                        ('problems', models.JSONField(default=list)),
                        ('changed_at', models.DateTimeField(auto_now=True)),
                        ('operation', models.ForeignKey(null=True, on_delete=django.db.models.deletion.CASCADE, related_name='samples', to='operations.operation')),
                        ('body', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='runs.body')),
                    ],
                    options={
                        'constraints': [models.UniqueConstraint(fields=('project', 'name'), name='one_sample_a_name')],
                    },
                ),
            ],
        ),
    ]
