"""What documents refer to, written down for those that are there already."""

from django.db import migrations

from rondine.core.errors import RondineError
from rondine.core.items.references import references
from rondine.core.settings import load
from rondine.server.items.kinds import KINDS


def write_all(apps, schema_editor):
    reference = apps.get_model("items", "Reference")
    for kind in KINDS.values():
        model = apps.get_model(kind.model._meta.app_label, kind.model._meta.model_name)
        for item in model.objects.only("pk", "project_id", "document").iterator():
            try:
                found = list(references(load(kind.document, item.document)))
            except RondineError:  # it is read anew, and put down, when it is saved next
                continue
            reference.objects.bulk_create(
                reference(
                    project_id=item.project_id,
                    user_kind=kind.name,
                    user_id=item.pk,
                    kind=one.kind,
                    name=one.name,
                    pointer=one.pointer,
                )
                for one in found
            )


class Migration(migrations.Migration):

    dependencies = [
        ("connecting", "0009_apart"),
        ("feeds", "0001_initial"),
        ("items", "0002_references"),
        ("mappings", "0001_initial"),
        ("operations", "0001_initial"),
        ("records", "0004_apart"),
    ]

    operations = [migrations.RunPython(write_all, migrations.RunPython.noop)]
