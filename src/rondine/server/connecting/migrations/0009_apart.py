"""Operations, definitions and bodies have apps of their own."""

from django.db import migrations


class Migration(migrations.Migration):

    dependencies = [
        ('connecting', '0008_callback'),
        ('definitions', '0001_initial'),
        ('operations', '0001_initial'),
        ('records', '0004_apart'),
        ('runs', '0007_run_of_feeds'),
    ]

    operations = [
        migrations.SeparateDatabaseAndState(
            state_operations=[
                migrations.DeleteModel(
                    name='Sample',
                ),
                migrations.DeleteModel(
                    name='DefinitionFile',
                ),
                migrations.DeleteModel(
                    name='Definition',
                ),
                migrations.DeleteModel(
                    name='Operation',
                ),
                migrations.DeleteModel(
                    name='Query',
                ),
                migrations.DeleteModel(
                    name='Look',
                ),
                migrations.DeleteModel(
                    name='Body',
                ),
            ],
        ),
    ]
