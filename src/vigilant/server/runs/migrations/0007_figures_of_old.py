"""What older runs hold already as rows: the whole course; their legs follow when they are computed anew."""

from django.db import migrations

ELSEWHERE = ("frames", "seconds", "late_frames", "stutters", "freezes", "timer_step_ms", "cap_ms")


def forwards(apps, schema_editor):
    RunFigures, FigureValue = (apps.get_model("runs", name) for name in ("RunFigures", "FigureValue"))
    for kept in RunFigures.objects.iterator(chunk_size=100):
        values = {**kept.values, **(kept.values.get("work") or {})}
        if kept.values.get("seconds"):
            values["freezes_per_min"] = 60.0 * kept.values.get("freezes", 0) / kept.values["seconds"]
        FigureValue.objects.bulk_create(
            FigureValue(run_id=kept.run_id, leg="", figure=name, value=value, core_version=kept.core_version)
            for name, value in values.items()
            if name not in ELSEWHERE and isinstance(value, (int, float)) and not isinstance(value, bool)
        )
    RunFigures.objects.exclude(run__marks=[]).update(core_version="")


class Migration(migrations.Migration):
    dependencies = [("runs", "0006_figure_values")]
    operations = [migrations.RunPython(forwards, migrations.RunPython.noop)]
