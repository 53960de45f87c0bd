"""What documents refer to, written down for those that are there already."""

from django.db import migrations

from rondine.core.errors import RondineError
from rondine.core.items.references import references
from rondine.core.settings import load
from rondine.server.items.kinds import KINDS


#: The kinds that were there when references were first written down; later ones write theirs when they are saved.
MODELS = {
    "services": ("connecting", "Service"),
    "credentials": ("connecting", "Credential"),
    "connections": ("connecting", "Connection"),
    "standing-values": ("connecting", "StandingValue"),
    "operations": ("operations", "Operation"),
    "samples": ("operations", "Sample"),
    "queries": ("operations", "Query"),
    "definitions": ("operations", "Definition"),
    "record-types": ("records", "RecordType"),
    "mappings": ("mappings", "Mapping"),
    "feeds": ("feeds", "Feed"),
}


def write_all(apps, schema_editor):
    for kind, (app, model_name) in MODELS.items():
        for key in apps.get_model(app, model_name).objects.values_list("pk", flat=True):
            write_references(apps, kind, key)


def write_references(apps, kind, key):
    """The references of one item, written anew; of a document that cannot be read, when it is saved next."""
    reference, (app, model_name) = apps.get_model("items", "Reference"), MODELS[kind]
    item = apps.get_model(app, model_name).objects.only("pk", "project_id", "document").get(pk=key)
    try:
        found = list(references(load(KINDS[kind].document, item.document)))
    except RondineError:
        return
    reference.objects.filter(user_id=item.pk).delete()
    reference.objects.bulk_create(
        reference(
            project_id=item.project_id,
            user_kind=kind,
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
