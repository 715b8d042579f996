"""What was kept of stutters lacks their size and spacing, and of courses the work figures of legs: made anew when asked for."""

from django.db import migrations


def forget(apps, schema_editor):
    apps.get_model("evidence", "Found").objects.filter(leaf__in=("course", "stutters")).delete()


class Migration(migrations.Migration):
    dependencies = [("evidence", "0004_trials")]
    operations = [migrations.RunPython(forget, migrations.RunPython.noop)]
