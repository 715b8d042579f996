"""What was kept of the work and its counters lacks the cost of what parts handled, and steps: made anew when asked for."""

from django.db import migrations


def forget(apps, schema_editor):
    apps.get_model("evidence", "Found").objects.filter(leaf__in=["work", "counters"]).delete()


class Migration(migrations.Migration):
    dependencies = [("evidence", "0007_work_says_more")]
    operations = [migrations.RunPython(forget, migrations.RunPython.noop)]
