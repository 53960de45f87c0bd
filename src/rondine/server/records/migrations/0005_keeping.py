"""What a run has met is kept as a compact row a batch, by the records' ids; and all that keeping asks of a key is in its
index."""

import sys
import zlib
from array import array
from itertools import groupby

from django.db import migrations, models


def pack_keys(apps, schema_editor):
    """Runs that are under way go on with what they have met."""
    batches = apps.get_model("records", "SeenBatch").objects
    with schema_editor.connection.cursor() as cursor:
        cursor.execute(
            "SELECT s.run_id, s.set_id, r.id FROM records_seenkey s JOIN records_record r ON r.set_id = s.set_id AND"
            " r.digest = s.digest JOIN runs_run u ON u.id = s.run_id WHERE u.state IN ('queued', 'running')"
            " ORDER BY s.run_id, s.set_id, r.id"
        )
        for (run_id, set_id), rows in groupby(cursor.fetchall(), key=lambda row: row[:2]):
            ids = array("q", [record_id for _, _, record_id in rows])
            if sys.byteorder == "big":
                ids.byteswap()
            batches.create(run_id=run_id, set_id=set_id, ids=zlib.compress(ids.tobytes(), 1))


class Migration(migrations.Migration):

    dependencies = [
        ('records', '0004_apart'),
        ('runs', '0008_words'),
    ]

    operations = [
        migrations.CreateModel(
            name='SeenBatch',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('run_id', models.BigIntegerField()),
                ('set_id', models.BigIntegerField()),
                ('ids', models.BinaryField()),
            ],
        ),
        migrations.RunPython(pack_keys, migrations.RunPython.noop),
        migrations.DeleteModel(
            name='SeenKey',
        ),
        migrations.RemoveConstraint(
            model_name='record',
            name='one_record_a_key',
        ),
        migrations.AddConstraint(
            model_name='record',
            constraint=models.UniqueConstraint(fields=('set', 'digest'), include=('hash', 'id'), name='one_record_of_a_key'),
        ),
        migrations.AddIndex(
            model_name='seenbatch',
            index=models.Index(fields=['run_id', 'set_id'], name='seen_batches_of_a_run'),
        ),
    ]
