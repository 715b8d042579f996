"""What the ledger and an entry say beside the numbers: results in words, standing, captions, remarks, dots."""

from __future__ import annotations

from typing import Any

from django.db.models import Prefetch, Q
from django.db.models.functions import Lower

from vigilant.core.verdict import CHANGED
from vigilant.server.books.models import Book
from vigilant.server.goals.services import goals_of, judged
from vigilant.server.runs.models import FigureValue, Outcome, Recording, Slot
from vigilant.wording import FIGURE_TEXTS, STAMPS, comparison_document
from vigilant.wording.change import number
from vigilant.wording.outlook import blank_sentence

from .arms import in_words
from .keeping import stored
from .models import Balance, Comparison, ComparisonRun, Decision, Entry

DOT_FIGURES = ("mean_ms", "slowest_1pct_ms", "late_share", "stutters_per_min", "p50_ms", "p95_ms", "p99_ms")


def entries_of(book: Book) -> Any:
    """Entries with all that a ledger line shows, without a query per row or the whole results."""
    return (
        Entry.objects.filter(book=book)
        .select_related("comparison__scenario_version__scenario", "comparison__rig", "balance")
        .defer("comparison__result", "comparison__order")
        .prefetch_related(Prefetch("decisions", Decision.objects.select_related("decided_by")))
    )


def found_in(entries: Any, text: str) -> Any:
    """Entries whose title, reason or number say ``text``; case is made alike since the collation is binary."""
    said = text.lower()
    where = Q(title_lower__contains=said) | Q(why_lower__contains=said)
    if text.isdecimal() and len(text) < 10:
        where |= Q(number=int(text))
    return entries.annotate(title_lower=Lower("title"), why_lower=Lower("why")).filter(where)


def result_of(comparison: Comparison | None) -> dict[str, Any] | None:
    """A stored result, in numbers and words; None where there is none, or none that can be read any more."""
    core = stored(comparison) if comparison else None
    if comparison is None or core is None:
        return None
    document = comparison_document(core, comparison.core_version)
    for key in ("net", "ranks"):
        if key in comparison.result:
            kept = comparison.result[key]
            document[key] = in_words(kept) if key == "ranks" else kept
    if comparison.blank:
        said = blank_sentence(core.runs, core.verdict in CHANGED)
        document |= {"blank": True, "sentence": f"{said} {document['sentence']}"}
    return document


def delivered(entry: Entry) -> dict[str, Any]:
    """What a recorder is told of the entry that its recording became."""
    result = result_of(entry.comparison)
    assert result is not None
    path = f"/{entry.book.slug}/entries/{entry.number}"
    return {"number": entry.number, "path": path, "verdict": result["verdict"], "sentence": result["sentence"]}


def earlier_of(comparison: Comparison | None) -> list[dict[str, Any]]:
    """What earlier cores made of the same runs, newest first; ``changed`` where their verdict was another."""
    if comparison is None:
        return []
    return [
        {
            "core_version": e.core_version,
            "verdict": e.verdict,
            "stamp": STAMPS[e.verdict],
            "replaced_at": e.replaced_at,
            "changed": e.verdict != comparison.verdict,
        }
        for e in comparison.earlier.defer("result")
    ]


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


def runs_said(comparison: Comparison) -> str:
    """ "8+8": runs of both arms."""
    runs = comparison.ledger_line["runs"]
    return f"{runs['before']}+{runs['after']}"


def remark(entry: Entry) -> str:
    """A few words behind the title: why it is void, or that a run did not complete."""
    comparison = entry.comparison
    if comparison is None:
        return "nothing recorded yet"
    kept = comparison.ledger_line
    if comparison.verdict == Comparison.Verdict.VOID:
        return {"cap-one-side": "one arm was capped", "caps-differ": "two different caps"}.get(kept["void"], "not comparable")  # fmt: skip
    if comparison.blank:
        return "blank test: a false alarm" if comparison.verdict in CHANGED else "blank test"
    return "a run did not complete" if kept["failed"] else "compared after the fact" if entry.after_the_fact else ""


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


def _row(name: str, value: str, unit: str, beside: str) -> dict[str, str]:
    text = FIGURE_TEXTS[name]
    return {"label": text.label, "value": value, "unit": unit, "beside": beside, "definition": text.definition}


def _rows(level: Balance) -> list[dict[str, str]]:
    rows = [_row("mean_ms", number(level.mean_ms, 2), "ms", f"{number(1000 / level.mean_ms, 1)} fps")]
    if level.slowest_1pct_ms:
        tail = level.slowest_1pct_ms
        rows.append(_row("slowest_1pct_ms", number(tail, 1), "ms", f"{number(1000 / tail, 1)} fps"))
    if level.late_share is not None:
        rows.append(_row("late_share", number(100 * level.late_share, 1), "%", "of frames"))
    if level.stutters_per_min is not None:
        rows.append(
            {**_row("stutters_per_min", number(level.stutters_per_min, 1), "", "a minute"), "label": "Stutters"}
        )
    return rows


def _sentence(level: Balance, budget_ms: float | None) -> str:
    if budget_ms is None:
        return "No target rate is set for this scenario."
    room = budget_ms - level.mean_ms
    word = "under" if room >= 0 else "over"
    return f"The mean frame is {number(abs(room), 2)} ms {word} the budget of {number(budget_ms, 2)} ms."


def _questions(recorded: Any) -> str:
    waiting = recorded.filter(decisions=None).count()
    open_ = recorded.filter(comparison__verdict=Comparison.Verdict.UNDECIDED).order_by("recorded_at", "number")
    parts = []
    if waiting:
        parts.append(f"{waiting} {'needs' if waiting == 1 else 'need'} a decision")
    for number_, line in open_.values_list("number", "comparison__ledger_line").reverse()[:1]:
        needed = line["runs_needed"]
        more = f": about {needed} runs an arm would show a change as large as its margin" if needed else ""
        parts.append(f"no. {number_} is undecided{more}")
    return "; ".join(parts) or "nothing is open"


def of_book(book: Book) -> dict[str, Any]:
    """The standing of the line (scenario and rig) that the newest recorded entry belongs to."""
    recorded = Entry.objects.filter(book=book, comparison__isnull=False, comparison__blank=False)
    # Its key alone first: sorting whole rows takes ten times as long.
    key = recorded.order_by("-number").values_list("pk", flat=True).first()
    if key is None:
        return {
            "scenario": "", "version": None, "rig": "", "target_fps": None, "budget_ms": None, "rows": [],
            "sentence": "Nothing is recorded yet.", "questions": "", "points": [], "goals": [],
        }  # fmt: skip
    newest = entries_of(book).get(pk=key)
    version = newest.comparison.scenario_version
    budget = 1000.0 / version.target_fps if version.target_fps else None
    line = Balance.objects.filter(
        scenario=version.scenario_id, rig=newest.comparison.rig_id, entry__comparison__blank=False
    ).order_by("entry__recorded_at", "entry__number")
    points = line.exclude(mean_ms=None).values_list("entry__number", "mean_ms", "slowest_1pct_ms")
    level_key = line.exclude(stands=None).values_list("pk", flat=True).last()
    level = Balance.objects.get(pk=level_key) if level_key else None
    return {
        "scenario": version.scenario.name,
        "version": version.number,
        "rig": str(newest.comparison.rig),
        "target_fps": version.target_fps,
        "budget_ms": budget,
        "rows": _rows(level) if level else [],
        "sentence": _sentence(level, budget) if level else "No entry is decided yet: keep or drop one to take a stand.",
        "questions": _questions(recorded),
        "points": [{"entry": n, "mean_ms": mean, "slowest_1pct_ms": slow} for n, mean, slow in points],
        "goals": goal_lines(entries_of(book).get(pk=level.stands_id)) if level else [],
    }


def unaccounted_sentence(line: Balance) -> str:
    """The ledger's line for a gap."""
    if line.unaccounted_ms is None:
        return ""
    word = "spent" if line.unaccounted_ms > 0 else "saved"
    size = number(abs(line.unaccounted_ms), 2)
    return f'Unaccounted since no. {line.unaccounted_since}: {size} ms {word} between its level and this "before"'
