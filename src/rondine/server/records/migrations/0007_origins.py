"""Records know which feeds bring them, since when they are gone, and what changed."""

import rondine.server.records.models
from django.db import migrations, models


def name_feeds(apps, schema_editor):
    """Records that are there are brought by the feeds whose runs changed them last; the first feed's bit they all have
    already."""
    sets = apps.get_model("records", "RecordSet").objects
    with schema_editor.connection.cursor() as cursor:
        cursor.execute(
            "SELECT r.set_id, u.feed_id::text, min(r.id) FROM records_record r JOIN runs_run u ON u.id = r.run_id"
            " WHERE u.feed_id IS NOT NULL GROUP BY 1, 2 ORDER BY 1, 3"
        )
        feeds: dict[int, list[str]] = {}
        for set_id, feed_id, _ in cursor.fetchall():
            feeds.setdefault(set_id, []).append(feed_id)
        for set_id, ids in feeds.items():
            sets.filter(pk=set_id).update(feeds=ids)
            for bit, feed_id in enumerate(ids[1:], 1):
                cursor.execute(
                    "UPDATE records_record r SET brought_by = %s FROM runs_run u"
                    " WHERE r.set_id = %s AND u.id = r.run_id AND u.feed_id = %s",
                    (1 << bit, set_id, feed_id),
                )


class Migration(migrations.Migration):

    dependencies = [
        ('records', '0006_sets'),
        ('runs', '0009_schedules'),
    ]

    operations = [
        migrations.CreateModel(
            name='RecordChange',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('set_id', models.BigIntegerField()),
                ('record_id', models.BigIntegerField()),
                ('digest', models.UUIDField()),
                ('key', models.TextField()),
                ('run_id', models.BigIntegerField()),
                ('at', models.DateTimeField()),
                ('kind', models.CharField(choices=[('created', 'created'), ('changed', 'changed'), ('gone', 'gone'), ('returned', 'returned'), ('removed', 'removed')], max_length=10)),
                ('before', models.JSONField(decoder=rondine.server.records.models.ExactDecoder, null=True)),
                ('after', models.JSONField(decoder=rondine.server.records.models.ExactDecoder, null=True)),
            ],
        ),
        migrations.RemoveConstraint(
            model_name='record',
            name='one_record_of_a_key',
        ),
        migrations.AddField(
            model_name='record',
            name='brought_by',
            field=models.BigIntegerField(default=1),
        ),
        migrations.AddField(
            model_name='record',
            name='gone_at',
            field=models.DateTimeField(null=True),
        ),
        migrations.AddField(
            model_name='recordset',
            name='feeds',
            field=models.JSONField(default=list),
        ),
        migrations.AddField(
            model_name='recordset',
            name='view',
            field=models.JSONField(default=dict),
        ),
        migrations.RunPython(name_feeds, migrations.RunPython.noop),
        migrations.AddIndex(
            model_name='record',
            index=models.Index(condition=models.Q(('gone_at__isnull', False)), fields=['set', 'gone_at'], name='records_gone'),
        ),
        migrations.AddConstraint(
            model_name='record',
            constraint=models.UniqueConstraint(fields=('set', 'digest'), include=('hash', 'id', 'brought_by'), name='one_record_of_a_digest'),
        ),
        migrations.AddIndex(
            model_name='recordchange',
            index=models.Index(fields=['set_id', 'id'], name='changes_in_order'),
        ),
        migrations.AddIndex(
            model_name='recordchange',
            index=models.Index(fields=['set_id', 'digest', 'id'], name='changes_of_a_key'),
        ),
        migrations.AddIndex(
            model_name='recordchange',
            index=models.Index(fields=['at'], name='changes_by_age'),
        ),
        migrations.AddConstraint(
            model_name='recordchange',
            constraint=models.CheckConstraint(condition=models.Q(('kind__in', ('created', 'changed', 'gone', 'returned', 'removed'))), name='kind_of_change_is_known'),
        ),
    ]
