"""What was compared before: its ledger line in numbers, and the rows of its balance."""

from django.db import migrations

LEVELS = ("mean_ms", "slowest_1pct_ms", "late_share", "stutters_per_min")


def _line(result):
    figures, findings = result.get("figures") or {}, result.get("findings") or []
    void = result.get("verdict") == "void"
    return {
        "runs": result.get("runs") or {"before": 0, "after": 0},
        "mean": None if void else figures.get("mean_ms"),
        "levels": {
            side: {n: figures[n][side] if n in figures else None for n in LEVELS} for side in ("before", "after")
        },
        "void": next((f["code"] for f in findings if f["severity"] == "void"), "") if void else "",
        "failed": any(f["code"] == "runs-failed" for f in findings),
        "runs_needed": result.get("runs_needed"),
    }


def _rows(balance, entries, decisions):
    stands, level = None, dict.fromkeys(LEVELS)
    for entry in entries:
        comparison, gap, since = entry.comparison, None, None
        levels = comparison.ledger_line["levels"]
        if comparison.verdict != "void" and not comparison.blank:
            old, before = level["mean_ms"], levels["before"]["mean_ms"]
            if stands is not None and old and before and abs(before - old) >= 0.005 * old:
                gap, since = before - old, stands.number
            choice = decisions.get(entry.pk)
            if choice in ("kept", "dropped"):
                stands, level = entry, levels["after" if choice == "kept" else "before"]
        yield balance(
            entry=entry,
            scenario_id=comparison.scenario_version.scenario_id,
            rig_id=comparison.rig_id,
            stands=stands,
            **{name: level.get(name) for name in LEVELS},
            unaccounted_ms=gap,
            unaccounted_since=since,
        )


def forwards(apps, schema_editor):
    Comparison, Entry, Decision, Balance = (
        apps.get_model("entries", name) for name in ("Comparison", "Entry", "Decision", "Balance")
    )
    for comparison in Comparison.objects.iterator(chunk_size=50):
        comparison.blank = bool(comparison.result.get("blank"))
        comparison.ledger_line = _line(comparison.result)
        comparison.save(update_fields=["blank", "ledger_line"])
    # The newest decision counts, so that a later one overwrites.
    decisions = dict(Decision.objects.order_by("id").values_list("entry_id", "choice"))
    lines = {}
    entries = Entry.objects.exclude(comparison=None).select_related("comparison__scenario_version")
    for entry in entries.defer("comparison__result").order_by("recorded_at", "number"):
        c = entry.comparison
        lines.setdefault((c.scenario_version.scenario_id, c.rig_id), []).append(entry)
    for line in lines.values():
        Balance.objects.bulk_create(_rows(Balance, line, decisions), batch_size=200)


class Migration(migrations.Migration):
    dependencies = [("entries", "0004_kept_in_numbers")]
    operations = [migrations.RunPython(forwards, migrations.RunPython.noop)]
