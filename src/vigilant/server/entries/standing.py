"""What the ledger and an entry show beside the numbers: standing, captions, remarks, dots."""

from __future__ import annotations

from typing import Any

from rest_framework import serializers

from vigilant.server.books.models import Book
from vigilant.server.goals.services import goals_of, judged
from vigilant.server.runs.models import Outcome, Recording, RunFigures, Slot
from vigilant.wording import FIGURE_TEXTS
from vigilant.wording.change import number

from .ledger_line import is_blank
from .models import Comparison, ComparisonRun, Decision, Entry
from .services import Level, balance, entries_of, line_of

DOT_FIGURES = ("mean_ms", "slowest_1pct_ms", "late_share", "stutters_per_min", "p50_ms", "p95_ms", "p99_ms")


class EarlierSerializer(serializers.Serializer):
    """A threshold the goal had before, and how the same runs stand under it."""

    threshold = serializers.CharField()
    state = serializers.CharField()
    until = serializers.DateTimeField()
    reason = serializers.CharField()


class GoalLineSerializer(serializers.Serializer):
    goal = serializers.IntegerField()
    sentence = serializers.CharField()
    state = serializers.ChoiceField(("met", "not met", "unclear", "extrapolated", "other rig", "not judged"))
    said = serializers.CharField()
    level = serializers.CharField()
    interval = serializers.CharField()
    distance = serializers.CharField()
    remark = serializers.CharField()
    earlier = EarlierSerializer(many=True)


class StandingRowSerializer(serializers.Serializer):
    label = serializers.CharField()
    value = serializers.CharField()
    unit = serializers.CharField()
    beside = serializers.CharField()
    definition = serializers.CharField()


class StandingPointSerializer(serializers.Serializer):
    entry = serializers.IntegerField()
    mean_ms = serializers.FloatField()
    slowest_1pct_ms = serializers.FloatField(allow_null=True)


class StandingSerializer(serializers.Serializer):
    scenario = serializers.CharField()
    version = serializers.IntegerField(allow_null=True)
    rig = serializers.CharField()
    target_fps = serializers.FloatField(allow_null=True)
    budget_ms = serializers.FloatField(allow_null=True)
    rows = StandingRowSerializer(many=True)
    sentence = serializers.CharField()
    questions = serializers.CharField()
    points = StandingPointSerializer(many=True)
    goals = GoalLineSerializer(many=True)


class SheetSerializer(serializers.Serializer):
    """One condition: what the runs of each arm say, and whether it must match."""

    key = serializers.CharField()
    before = serializers.CharField()
    after = serializers.CharField()
    rule = serializers.ChoiceField(("must match", "may differ", "the change itself"))
    differs = serializers.BooleanField()


class WordsSerializer(serializers.Serializer):
    label = serializers.CharField()
    definition = serializers.CharField()
    unit = serializers.CharField()
    change = serializers.CharField()
    interval = serializers.CharField()
    before = serializers.CharField()
    after = serializers.CharField()
    difference = serializers.CharField()
    column = serializers.ChoiceField(("saved", "spent", ""))
    decimals = serializers.IntegerField()
    low = serializers.CharField(allow_null=True)
    high = serializers.CharField(allow_null=True)
    margin = serializers.CharField(allow_blank=True, default="")


class FigureSerializer(serializers.Serializer):
    name = serializers.CharField()
    unit = serializers.CharField()
    higher_is_better = serializers.BooleanField()
    before = serializers.FloatField()
    after = serializers.FloatField()
    difference = serializers.FloatField()
    ci_low = serializers.FloatField(allow_null=True)
    ci_high = serializers.FloatField(allow_null=True)
    margin_low = serializers.FloatField()
    margin_high = serializers.FloatField()
    p_value = serializers.FloatField(allow_null=True)
    inside = serializers.BooleanField()
    call = serializers.CharField()
    primary = serializers.BooleanField()
    words = WordsSerializer()


class FindingSerializer(serializers.Serializer):
    code = serializers.CharField()
    severity = serializers.ChoiceField(("void", "warn", "note"))
    sentence = serializers.CharField()
    remedy = serializers.CharField()


class BandSerializer(serializers.Serializer):
    """Differences over all quantiles, in ms; no band with three runs an arm or fewer."""

    at = serializers.ListField(child=serializers.FloatField())
    before_ms = serializers.ListField(child=serializers.FloatField())
    difference_ms = serializers.ListField(child=serializers.FloatField())
    low_ms = serializers.ListField(child=serializers.FloatField(), allow_null=True)
    high_ms = serializers.ListField(child=serializers.FloatField(), allow_null=True)


class WorkSerializer(serializers.Serializer):
    witness = serializers.CharField()
    leg = serializers.CharField(allow_blank=True)
    amount = serializers.ChoiceField(["same", "less", "more", "unknown"])
    amount_ms = serializers.FloatField()
    cost_ms = serializers.FloatField()
    sentence = serializers.CharField()


class OutlookSerializer(serializers.Serializer):
    """What further runs of this spread would see of a figure: per count of runs an arm."""

    figure = serializers.CharField()
    label = serializers.CharField()
    spread = serializers.CharField()
    runs = serializers.ListField(child=serializers.IntegerField())
    visible = serializers.ListField(child=serializers.CharField())
    chance = serializers.ListField(child=serializers.FloatField())
    needed = serializers.IntegerField(allow_null=True)
    needed_said = serializers.CharField()
    margin = serializers.CharField()
    sentence = serializers.CharField()


class NetSerializer(serializers.Serializer):
    """An arm's mean frame less the empty arm's, ms."""

    arm = serializers.CharField()
    ms = serializers.FloatField()
    low = serializers.FloatField(allow_null=True)
    high = serializers.FloatField(allow_null=True)


class PlaceOfArmSerializer(serializers.Serializer):
    """The places among all arms of a recording that significant differences leave one of them."""

    figure = serializers.CharField()
    arm = serializers.CharField()
    best = serializers.IntegerField()
    worst = serializers.IntegerField()


class ResultSerializer(serializers.Serializer):
    """The whole result; what was compared by an earlier core may lack the keys that are not required."""

    verdict = serializers.ChoiceField(Comparison.Verdict.choices)
    stamp = serializers.CharField()
    sentence = serializers.CharField()
    material = serializers.BooleanField(allow_null=True)
    runs_needed = serializers.IntegerField(allow_null=True)
    design = serializers.CharField()
    primaries = serializers.ListField(child=serializers.CharField())
    runs = serializers.DictField(child=serializers.IntegerField())
    frames = serializers.DictField(child=serializers.IntegerField())
    figures = serializers.DictField(child=FigureSerializer())
    guards = serializers.DictField(child=FigureSerializer(), required=False)
    unstable = serializers.ListField(child=serializers.CharField(), required=False)
    band = BandSerializer(allow_null=True, required=False)
    work = WorkSerializer(many=True, required=False)
    outlook = OutlookSerializer(many=True, required=False)
    net = NetSerializer(many=True, required=False)
    ranks = PlaceOfArmSerializer(many=True, required=False)
    method = serializers.ListField(child=serializers.CharField(), required=False)
    findings = FindingSerializer(many=True)
    core_version = serializers.CharField()


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


def remark(entry: Entry) -> str:
    """A few words behind the title."""
    if entry.comparison is None:
        return "nothing recorded yet"
    return entry.comparison.ledger_line["remark"] or ("compared after the fact" if entry.after_the_fact else "")


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
    result = entry.comparison.result
    seconds = entry.comparison.scenario_version.definition.get("duration_s")
    length = f" of {seconds:g} s" if seconds else ""
    when = f", recorded {entry.recorded_at.day} {entry.recorded_at:%B %Y}" if entry.recorded_at else ""
    runs = f"{result['runs']['before']} + {result['runs']['after']} runs{length}"
    return f"Entry {entry.number}: {runs}, {_DESIGNS[result['design']]}{when}"


def dots(entry: Entry) -> list[dict[str, Any]]:
    """Every run of an entry in recorded order, failed slots included."""
    if entry.comparison is None:
        return []
    used = [
        (r.position, arm.label, r.run_id)
        for arm in entry.comparison.arms.prefetch_related("runs")
        for r in arm.runs.all()
    ]
    values = dict(RunFigures.objects.filter(run__in=[u[2] for u in used]).values_list("run_id", "values"))
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


def _rows(level: Level) -> list[dict[str, str]]:
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


def _sentence(level: Level, budget_ms: float | None) -> str:
    if budget_ms is None:
        return "No target rate is set for this scenario."
    room = budget_ms - level.mean_ms
    word = "under" if room >= 0 else "over"
    return f"The mean frame is {number(abs(room), 2)} ms {word} the budget of {number(budget_ms, 2)} ms."


def _questions(entries: list[Entry]) -> str:
    recorded = [e for e in entries if e.comparison is not None and not is_blank(e.comparison)]
    waiting = sum(not e.decisions.all() for e in recorded)
    open_ = [e for e in recorded if e.comparison.verdict == Comparison.Verdict.UNDECIDED]
    parts = []
    if waiting:
        parts.append(f"{waiting} {'needs' if waiting == 1 else 'need'} a decision")
    for e in open_[-1:]:
        needed = e.comparison.ledger_line["runs_needed"]
        more = f": about {needed} runs an arm would show a change as large as its margin" if needed else ""
        parts.append(f"no. {e.number} is undecided{more}")
    return "; ".join(parts) or "nothing is open"


def of_book(book: Book) -> dict[str, Any]:
    """The standing of the line (scenario and rig) that the newest recorded entry belongs to."""
    entries = list(entries_of(book).order_by("recorded_at", "number"))
    recorded = [e for e in entries if e.comparison is not None and not is_blank(e.comparison)]
    if not recorded:
        return {
            "scenario": "", "version": None, "rig": "", "target_fps": None, "budget_ms": None, "rows": [],
            "sentence": "Nothing is recorded yet.", "questions": "", "points": [], "goals": [],
        }  # fmt: skip
    lines = balance(entries)
    newest = max(recorded, key=lambda e: e.number)
    key = line_of(newest)
    version = newest.comparison.scenario_version
    budget = 1000.0 / version.target_fps if version.target_fps else None
    own = [e for e in recorded if line_of(e) == key]
    points = []
    for e in own:
        level = lines[e.pk].standing
        if level is not None:
            points.append({"entry": e.number, "mean_ms": level.mean_ms, "slowest_1pct_ms": level.slowest_1pct_ms})
    level = lines[own[-1].pk].standing
    return {
        "scenario": version.scenario.name,
        "version": version.number,
        "rig": str(newest.comparison.rig),
        "target_fps": version.target_fps,
        "budget_ms": budget,
        "rows": _rows(level) if level else [],
        "sentence": _sentence(level, budget) if level else "No entry is decided yet: keep or drop one to take a stand.",
        "questions": _questions(entries),
        "points": points,
        "goals": goal_lines(next(e for e in own if e.number == level.entry)) if level else [],
    }
