"""Columns, and parts, as rows of their own; what was one JSON object keeps only what else the stream said."""

import django.db.models.deletion
from django.db import migrations, models

EXACT = "utf8mb4_nopad_bin"
_key = models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")


def _run(name):
    return models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name=name, to="runs.run")


def carry(apps, schema_editor):
    apps.get_model("runs", "Run").objects.update(noted=models.F("columns"))


def carry_back(apps, schema_editor):
    apps.get_model("runs", "Run").objects.update(columns=models.F("noted"))


def forwards(apps, schema_editor):
    Run, RunColumn, RunPart = (apps.get_model("runs", name) for name in ("Run", "RunColumn", "RunPart"))
    for run in Run.objects.exclude(noted={}).only("pk", "noted").iterator(chunk_size=100):
        old = run.noted
        roles, gaps = old.pop("lane_roles", {}), old.pop("gaps", {})
        named = [
            ("frame", "", "", "ms"),
            *(("lane", n, roles.get(n, ""), "ms") for n in old.pop("lanes", [])),
            *(("counter", n, "", "") for n in old.pop("counters", [])),
        ]
        RunColumn.objects.bulk_create(
            RunColumn(run=run, place=i, kind=kind, path=path, role=role, unit=unit, gaps=_states(gaps.get(path)))
            for i, (kind, path, role, unit) in enumerate(named)
        )
        RunPart.objects.bulk_create(
            RunPart(run=run, number=i, path=p["path"], lane=p.get("lane", ""), ms=p["ms"], calls=p.get("calls", 1))
            for i, p in enumerate(old.pop("parts", []))
        )
        run.save(update_fields=["noted"])


def _states(gaps):
    return {("missing" if state in (None, "null", "None") else state): n for state, n in (gaps or {}).items()}


class Migration(migrations.Migration):
    dependencies = [("runs", "0007_figures_of_old")]
    operations = [
        # Not renamed: MariaDB keeps the column's old name in its check.
        migrations.AddField("run", "noted", models.JSONField(default=dict)),
        migrations.RunPython(carry, carry_back),
        migrations.RemoveField("run", "columns"),
        migrations.CreateModel(
            name="RunColumn",
            fields=[
                ("id", _key),
                ("place", models.PositiveIntegerField()),
                (
                    "kind",
                    models.CharField(
                        choices=[("frame", "Frame"), ("lane", "Lane"), ("counter", "Counter")], max_length=8
                    ),
                ),
                ("path", models.CharField(blank=True, db_collation=EXACT, max_length=110)),
                ("role", models.CharField(blank=True, max_length=12)),
                ("unit", models.CharField(blank=True, max_length=8)),
                ("gaps", models.JSONField(default=dict)),
                ("run", _run("columns")),
            ],
            options={"ordering": ("place",)},
        ),
        migrations.CreateModel(
            name="RunPart",
            fields=[
                ("id", _key),
                ("number", models.PositiveIntegerField()),
                ("path", models.JSONField()),
                ("lane", models.CharField(blank=True, db_collation=EXACT, max_length=110)),
                ("ms", models.FloatField()),
                ("calls", models.PositiveBigIntegerField()),
                ("run", _run("parts")),
            ],
            options={"ordering": ("number",)},
        ),
        migrations.CreateModel(
            name="PartChunk",
            fields=[
                ("id", _key),
                ("number", models.PositiveIntegerField()),
                ("first_frame", models.PositiveBigIntegerField()),
                ("last_frame", models.PositiveBigIntegerField()),
                ("count", models.PositiveIntegerField()),
                ("checksum", models.CharField(max_length=64)),
                ("body", models.BinaryField()),
                ("run", _run("part_chunks")),
            ],
            options={"ordering": ("number",)},
        ),
        migrations.AddConstraint(
            "runcolumn", models.UniqueConstraint(fields=("run", "kind", "path"), name="column_of_run")
        ),
        migrations.AddConstraint("runpart", models.UniqueConstraint(fields=("run", "number"), name="part_of_run")),
        migrations.AddConstraint(
            "partchunk", models.UniqueConstraint(fields=("run", "number"), name="part_chunk_number")
        ),
        migrations.RunPython(forwards, migrations.RunPython.noop),
    ]
