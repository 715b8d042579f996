"""Sequences of stills; what was kept of stills knows none of them, and is made anew when asked for."""

from django.db import migrations, models


def forget(apps, schema_editor):
    apps.get_model("evidence", "Found").objects.filter(leaf="stills").delete()


class Migration(migrations.Migration):
    dependencies = [
        ("evidence", "0005_leaves_say_more"),
    ]

    operations = [
        migrations.RunPython(forget, migrations.RunPython.noop),
        migrations.AddField(
            model_name="stillruling",
            name="whole",
            field=models.BooleanField(default=False),
        ),
        migrations.AlterField(
            model_name="stillruling",
            name="name",
            field=models.CharField(db_collation="utf8mb4_nopad_bin", max_length=120),
        ),
    ]
