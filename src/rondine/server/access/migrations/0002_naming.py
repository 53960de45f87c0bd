from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("access", "0001_initial")]

    operations = [migrations.AddField("project", "naming", models.JSONField(default=dict))]
