"""What comes of a recording stands in a column of its own, so that lists ask the database."""

from django.db import migrations, models

from vigilant.plan import account_of


def fill(apps, schema_editor):
    recordings = apps.get_model("runs", "Recording")
    for recording in recordings.objects.only("pk", "plan").iterator(chunk_size=200):
        account = account_of(recording.plan) if isinstance(recording.plan, dict) else ""
        if account:
            recordings.objects.filter(pk=recording.pk).update(account=account)


class Migration(migrations.Migration):
    dependencies = [("runs", "0015_part_kinds")]
    operations = [
        migrations.AddField("recording", "account", models.CharField(blank=True, default="", max_length=12), preserve_default=False),
        migrations.RunPython(fill, migrations.RunPython.noop),
    ]  # fmt: skip
