"""An entry whole: its result, runs, conditions and goals."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from typing import Any, NamedTuple
from uuid import UUID

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
    balance = getattr(entry, "balance", None)
    dropped = (
        balance is not None and balance.decision is not None and balance.decision.choice == Decision.Choice.DROPPED
    )
    goals = goals_of(comparison.scenario_version.scenario_id)
    return judged(comparison, "before" if dropped else "after", goals) if goals else []


def recording_of(entry: Entry) -> str | None:
    if entry.comparison is not None:
        return str(entry.comparison.recording_id) if entry.comparison.recording_id else None
    planned = Recording.objects.filter(book=entry.book_id, plan__entry__number=entry.number)
    found = planned.exclude(state=Recording.State.REFUSED).order_by("-received_at").values_list("pk", flat=True).first()
    return str(found) if found else None


class _Used(NamedTuple):
    """A run that an entry rests on."""

    position: int
    arm: str
    run: UUID
    facts: dict[str, str]
    excluded_at: datetime | None
    excluded_why: str


def _used(comparison: Comparison) -> list[_Used]:
    rested = ComparisonRun.objects.filter(arm__comparison=comparison)
    told = ("position", "arm__label", "run_id", "run__conditions__facts", "run__excluded_at", "run__excluded_why")
    return [_Used(*row) for row in rested.values_list(*told)]


def _sheets(comparison: Comparison, used: Sequence[_Used]) -> list[dict[str, Any]]:
    """Both arms' conditions, side by side; values that vary within an arm are all named."""
    values: dict[str, dict[str, set[str]]] = {}
    for run in used:
        for key, value in run.facts.items():
            values.setdefault(key, {"before": set(), "after": set()})[run.arm].add(value)
    policy = comparison.scenario_version.definition.get("policy", {})
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


def _dots(comparison: Comparison, used: Sequence[_Used]) -> list[dict[str, Any]]:
    """Every run of an entry in recorded order, failed slots included."""
    counted = {u.run for u in used}
    values: dict[Any, dict[str, float]] = {}
    kept = FigureValue.objects.filter(run__in=counted, leg="", figure__in=DOT_FIGURES)
    for run, figure, value in kept.values_list("run_id", "figure", "value"):
        values.setdefault(run, {})[figure] = value
    rows = [_dot(u.position, u.arm, u.run, "complete", "", True, values.get(u.run)) for u in used]
    if comparison.recording_id:
        slots = list(Slot.objects.filter(recording_id=comparison.recording_id))
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


def _aside(used: Sequence[_Used]) -> list[dict[str, Any]]:
    return [
        {"run": u.run, "arm": u.arm, "at": u.excluded_at, "why": u.excluded_why}
        for u in used
        if u.excluded_at is not None
    ]


def _corrections(entry: Entry) -> list[dict[str, Any]]:
    return [
        {"title": c.title, "why": c.why, "expected": c.expected, "by": name_of(c.corrected_by), "corrected_at": c.corrected_at}
        for c in entry.corrections.select_related("corrected_by")
    ]  # fmt: skip


def _references(entry: Entry) -> list[dict[str, Any]]:
    own = entry.references.values_list("relation", "other__number", "other__title")
    back = EntryReference.objects.filter(other=entry).order_by("relation", "entry__number")
    both = [
        *((False, *row) for row in own),
        *((True, *row) for row in back.values_list("relation", "entry__number", "entry__title")),
    ]
    return [
        {
            "relation": relation, "number": number, "title": title, "back": is_back,
            "said": _BACK[relation] if is_back else relation,
        }
        for is_back, relation, number, title in both
    ]  # fmt: skip


def _beside(entry: Entry) -> tuple[int | None, int | None]:
    """The numbers before and after it in its book. Most follow each other; only where one is missing is it looked for."""
    own = Entry.objects.filter(book_id=entry.book_id)
    before, after = entry.number - 1, entry.number + 1
    there = set(own.filter(number__in=(before, after)).order_by().values_list("number", flat=True))
    numbers = own.values_list("number", flat=True)
    previous = before if before in there else numbers.filter(number__lt=before).order_by("-number").first()
    following = after if after in there else numbers.filter(number__gt=after).order_by("number").first()
    return previous, following


def entry_of(entry: Entry) -> dict[str, Any]:
    """One of :func:`lines.whole_entries_of`: an ``EntrySerializer``."""
    line, comparison = line_of(entry), entry.comparison
    used = _used(comparison) if comparison else []
    expectation, sentence = deciding.held_expectation(entry)
    target = line["target_fps"]
    previous, following = _beside(entry)
    return {
        **line,
        "why": entry.why,
        "expected": entry.expected,
        "locked": entry.locked_at is not None,
        "held": {"expectation": expectation, "sentence": sentence},
        "result": results.result_of(comparison),
        "earlier": results.earlier_of(comparison),
        "caption": caption(entry),
        "decisions": [decision_of(decision) for decision in entry.decisions.all()],
        "dots": _dots(comparison, used) if comparison else [],
        "previous": previous,
        "next": following,
        "budget_ms": 1000.0 / target if target else None,
        "goals": goal_lines(entry),
        "recording": recording_of(entry),
        "sheets": _sheets(comparison, used) if comparison else [],
        "corrections": _corrections(entry),
        "withdrawal": _withdrawal(entry),
        "aside": _aside(used),
        "remarks": remarks.of(comparison),
        "note": entry.note,
        "references": _references(entry),
    }
