"""An entry whole: its result, runs, conditions and goals."""

from __future__ import annotations

from typing import Any

from vigilant.server.books.models import name_of
from vigilant.server.entries import deciding, results
from vigilant.server.entries.models import Comparison, ComparisonRun, Decision, Entry, EntryReference
from vigilant.server.evidence import remarks
from vigilant.server.goals.services import goals_of, judged
from vigilant.server.runs.models import FigureValue, Outcome, Recording, Slot

from .lines import decision_of, line_of

DOT_FIGURES = ("mean_ms", "slowest_1pct_ms", "late_share", "stutters_per_min", "p50_ms", "p95_ms", "p99_ms")


def goal_lines(entry: Entry) -> list[dict[str, Any]]:
    """The goals of the entry's scenario against the arm that stands: after, or before where it was dropped."""
    comparison = entry.comparison
    if comparison is None or comparison.verdict == Comparison.Verdict.VOID:
        return []
    decisions = list(entry.decisions.all())
    dropped = bool(decisions) and decisions[0].choice == Decision.Choice.DROPPED
    goals = goals_of(comparison.scenario_version.scenario_id)
    return judged(comparison, "before" if dropped else "after", goals) if goals else []


def recording_of(entry: Entry) -> str | None:
    if entry.comparison is not None:
        return str(entry.comparison.recording_id) if entry.comparison.recording_id else None
    planned = Recording.objects.filter(book=entry.book_id, plan__entry__number=entry.number)
    found = planned.exclude(state=Recording.State.REFUSED).order_by("-received_at").values_list("pk", flat=True).first()
    return str(found) if found else None


def sheets(entry: Entry) -> list[dict[str, Any]]:
    """Both arms' conditions, side by side; values that vary within an arm are all named."""
    if entry.comparison is None:
        return []
    values: dict[str, dict[str, set[str]]] = {}
    used = ComparisonRun.objects.filter(arm__comparison=entry.comparison)
    for arm, facts in used.values_list("arm__label", "run__conditions__facts"):
        for key, value in facts.items():
            values.setdefault(key, {"before": set(), "after": set()})[arm].add(value)
    policy = entry.comparison.scenario_version.definition.get("policy", {})
    rules = dict.fromkeys(policy.get("may_differ", ()), "may differ") | dict.fromkeys(
        policy.get("change", ()), "the change itself"
    )
    return [
        {
            "key": key,
            "before": " or ".join(sorted(sides["before"])) or "not known",
            "after": " or ".join(sorted(sides["after"])) or "not known",
            "rule": rules.get(key, "must match"),
            "differs": sides["before"] != sides["after"] or len(sides["before"]) > 1,
        }
        for key, sides in sorted(values.items())
    ]


_DESIGNS = {
    "position": "interleaved",
    "order-unknown": "order unknown",
    "order-confounded": "one arm after the other",
    "single": "one run in an arm",
}


def caption(entry: Entry) -> str:
    """ "Entry 13: 8 + 8 runs of 120 s, interleaved, recorded 12 June 2026"."""
    if entry.comparison is None:
        return f"Entry {entry.number}: nothing recorded yet"
    comparison = entry.comparison
    seconds = entry.comparison.scenario_version.definition.get("duration_s")
    length = f" of {seconds:g} s" if seconds else ""
    when = f", recorded {entry.recorded_at.day} {entry.recorded_at:%B %Y}" if entry.recorded_at else ""
    counts = comparison.ledger_line["runs"]
    design = _DESIGNS.get(comparison.result.get("design", ""), "order unknown")
    return f"Entry {entry.number}: {counts['before']} + {counts['after']} runs{length}, {design}{when}"


def dots(entry: Entry) -> list[dict[str, Any]]:
    """Every run of an entry in recorded order, failed slots included."""
    if entry.comparison is None:
        return []
    rested = ComparisonRun.objects.filter(arm__comparison=entry.comparison)
    used = list(rested.values_list("position", "arm__label", "run_id"))
    values: dict[Any, dict[str, float]] = {}
    kept = FigureValue.objects.filter(run__in=[u[2] for u in used], leg="", figure__in=DOT_FIGURES)
    for run, figure, value in kept.values_list("run_id", "figure", "value"):
        values.setdefault(run, {})[figure] = value
    counted = {run for _, _, run in used}
    rows = [_dot(position, arm, run, "complete", "", True, values.get(run)) for position, arm, run in used]
    if entry.comparison.recording_id:
        slots = list(Slot.objects.filter(recording_id=entry.comparison.recording_id))
        own = {s.arm for s in slots if s.run_uuid in counted}
        rows += [
            _dot(s.position, "before" if s.arm == "before" else "after", s.run_uuid, s.outcome, s.detail, False, None)
            for s in slots
            if s.run_uuid not in counted and s.arm in own and s.outcome != Outcome.PLANNED
        ]
    return sorted(rows, key=lambda row: (row["position"], row["arm"]))


def _dot(
    position: int, arm: str, run: Any, outcome: str, detail: str, counted: bool, values: dict[str, Any] | None
) -> dict[str, Any]:
    figures = {name: (values or {}).get(name) for name in DOT_FIGURES}
    return {
        "position": position, "arm": arm, "run": str(run), "outcome": outcome, "detail": detail, "counted": counted,
        "figures": figures,
    }  # fmt: skip


#: The same from the other side.
_BACK = {"supersedes": "superseded by", "repeats": "repeated by", "depends on": "needed by"}


def _withdrawal(entry: Entry) -> dict[str, Any] | None:
    if entry.withdrawn_at is None:
        return None
    return {"at": entry.withdrawn_at, "by": name_of(entry.withdrawn_by), "why": entry.withdrawn_why}


def _aside(entry: Entry) -> list[dict[str, Any]]:
    if entry.comparison is None:
        return []
    found = ComparisonRun.objects.filter(arm__comparison=entry.comparison, run__excluded_at__isnull=False)
    rows = found.values_list("run_id", "arm__label", "run__excluded_at", "run__excluded_why")
    return [{"run": run, "arm": arm, "at": at, "why": why} for run, arm, at, why in rows]


def _corrections(entry: Entry) -> list[dict[str, Any]]:
    return [
        {"title": c.title, "why": c.why, "expected": c.expected, "by": name_of(c.corrected_by), "corrected_at": c.corrected_at}
        for c in entry.corrections.select_related("corrected_by")
    ]  # fmt: skip


def _references(entry: Entry) -> list[dict[str, Any]]:
    own = [(r, r.other, False) for r in entry.references.select_related("other")]
    back = EntryReference.objects.filter(other=entry).select_related("entry").order_by("relation", "entry__number")
    return [
        {
            "relation": r.relation,
            "number": other.number,
            "title": other.title,
            "back": is_back,
            "said": _BACK[r.relation] if is_back else r.relation,
        }
        for r, other, is_back in [*own, *((r, r.entry, True) for r in back)]
    ]


def _beside(entry: Entry, order: str, **lookup: int) -> int | None:
    beside = Entry.objects.filter(book_id=entry.book_id, **lookup).order_by(order)
    return beside.values_list("number", flat=True).first()


def entry_of(entry: Entry) -> dict[str, Any]:
    """One of :func:`lines.entries_of`, whole: an ``EntrySerializer``."""
    line = line_of(entry)
    expectation, sentence = deciding.held_expectation(entry)
    target = line["target_fps"]
    return {
        **line,
        "why": entry.why,
        "expected": entry.expected,
        "locked": entry.locked_at is not None,
        "held": {"expectation": expectation, "sentence": sentence},
        "result": results.result_of(entry.comparison),
        "earlier": results.earlier_of(entry.comparison),
        "caption": caption(entry),
        "decisions": [decision_of(decision) for decision in entry.decisions.all()],
        "dots": dots(entry),
        "previous": _beside(entry, "-number", number__lt=entry.number),
        "next": _beside(entry, "number", number__gt=entry.number),
        "budget_ms": 1000.0 / target if target else None,
        "goals": goal_lines(entry),
        "recording": recording_of(entry),
        "sheets": sheets(entry),
        "corrections": _corrections(entry),
        "withdrawal": _withdrawal(entry),
        "aside": _aside(entry),
        "remarks": remarks.of(entry.comparison),
        "note": entry.note,
        "references": _references(entry),
    }
