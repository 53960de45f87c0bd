import re

import django.db.models.deletion
import uritemplate
from django.conf import settings
from django.db import migrations, models

from rondine.core.http.messages import origin


def _origins(document, sign_in):
    addresses = [uritemplate.expand(document.get("base_address", ""), document.get("blanks", {}))]
    addresses += [str(value) for name, value in sign_in.items() if name.endswith("_address")]
    addresses.append(document.get("proxy", {}).get("address", ""))
    return {origin(one) for one in addresses if re.match(r"https?://[^/?#]", one)}


def belong_to_their_connections(apps, schema_editor):
    """Secrets that are there already belong to where they are sent now."""
    connections = list(apps.get_model("connecting", "Connection").objects.all())
    for credential in apps.get_model("connecting", "Credential").objects.exclude(sealed=b""):
        found = set()
        for connection in connections:
            if connection.credential_id == credential.pk:
                found |= _origins(connection.document, connection.document.get("sign_in", {}))
            for own in connection.document.get("own_sign_ins", []):
                if own.get("credential") == credential.name and connection.project_id == credential.project_id:
                    found |= _origins(connection.document, own.get("sign_in", {}))
        credential.origins = sorted(found)
        credential.save(update_fields=["origins"])


class Migration(migrations.Migration):
    dependencies = [
        ("connecting", "0006_looks"),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.AddField(
            model_name="credential",
            name="origins",
            field=models.JSONField(default=list),
        ),
        migrations.AddField(
            model_name="credential",
            name="set_by",
            field=models.ForeignKey(
                null=True,
                on_delete=django.db.models.deletion.SET_NULL,
                related_name="+",
                to=settings.AUTH_USER_MODEL,
            ),
        ),
        migrations.RunPython(belong_to_their_connections, migrations.RunPython.noop),
    ]
