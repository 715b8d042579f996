"""What was kept of the work lacks what each part carries of the frame: made anew when asked for."""

from django.db import migrations


def forget(apps, schema_editor):
    apps.get_model("evidence", "Found").objects.filter(leaf="work").delete()


class Migration(migrations.Migration):
    dependencies = [("evidence", "0006_sequences")]
    operations = [migrations.RunPython(forget, migrations.RunPython.noop)]
