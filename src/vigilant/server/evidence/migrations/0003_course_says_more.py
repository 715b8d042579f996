"""What was kept of courses lacks the stretches left out; it is made anew when it is next asked for."""

from django.db import migrations


def forget_courses(apps, schema_editor):
    apps.get_model("evidence", "Found").objects.filter(leaf="course").delete()


class Migration(migrations.Migration):
    dependencies = [("evidence", "0002_stills")]
    operations = [migrations.RunPython(forget_courses, migrations.RunPython.noop)]
