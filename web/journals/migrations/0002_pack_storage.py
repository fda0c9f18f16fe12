from django.db import migrations


class Migration(migrations.Migration):
    """Packs are read whole and hardly compress: keep them out of line and as they are."""

    dependencies = [("journals", "0001_initial")]
    operations = [
        migrations.RunSQL(
            "ALTER TABLE journals_bookpack ALTER COLUMN data SET STORAGE EXTERNAL", migrations.RunSQL.noop
        )
    ]
