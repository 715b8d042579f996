"""Where a book stands against its budget."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from rest_framework import serializers

from vigilant.server.books.models import Book
from vigilant.server.entries.models import Balance, Comparison
from vigilant.server.goals.shapes import GoalLineSerializer
from vigilant.server.runs.shapes import RowSerializer
from vigilant.server.scenarios.models import Scenario
from vigilant.server.trend.alarms import open_alarms, rechecks
from vigilant.server.trend.page import alarm_row, recheck_row
from vigilant.server.trend.shapes import AlarmSerializer, RecheckSerializer
from vigilant.wording import FIGURE_TEXTS
from vigilant.wording.change import number

from .book_lines import LAST, keys, last_line, lines_of
from .entry import goal_lines

#: Of a line's entries, so many of the newest are drawn.
DRAWN = 300


class StandingPointSerializer(serializers.Serializer):
    entry = serializers.IntegerField()
    mean_ms = serializers.FloatField()
    slowest_1pct_ms = serializers.FloatField(allow_null=True)


class BookLineSerializer(serializers.Serializer):
    """A scenario on a rig, with how many entries it has; ``line`` names it in addresses."""

    line = serializers.CharField()
    scenario = serializers.CharField()
    rig = serializers.CharField()
    entries = serializers.IntegerField()


class StandingSerializer(serializers.Serializer):
    scenario = serializers.CharField()
    version = serializers.IntegerField(allow_null=True)
    rig = serializers.CharField()
    target_fps = serializers.FloatField(allow_null=True)
    budget_ms = serializers.FloatField(allow_null=True)
    rows = RowSerializer(many=True)
    sentence = serializers.CharField()
    questions = serializers.CharField()
    points = StandingPointSerializer(many=True, help_text=f"after each of the newest entries, {DRAWN} at most")
    earlier = serializers.IntegerField(help_text="entries before those")
    goals = GoalLineSerializer(many=True)
    line = serializers.CharField(allow_blank=True)
    lines = BookLineSerializer(many=True)
    alarms = AlarmSerializer(many=True, help_text="builds that left their line and wait for an answer")
    rechecks = RecheckSerializer(many=True, help_text="scenarios that should have been recorded again")


def _row(name: str, value: str, unit: str, note: str) -> dict[str, str]:
    text = FIGURE_TEXTS[name]
    return {
        "name": name, "label": text.label, "value": value, "unit": unit, "note": note, "definition": text.definition,
    }  # fmt: skip


def _rows(level: Balance) -> list[dict[str, str]]:
    rows = [_row("mean_ms", number(level.mean_ms, 2), "ms", f"{number(1000 / level.mean_ms, 1)} fps")]
    if level.slowest_1pct_ms:
        tail = level.slowest_1pct_ms
        rows.append(_row("slowest_1pct_ms", number(tail, 1), "ms", f"{number(1000 / tail, 1)} fps"))
    if level.late_share is not None:
        rows.append(
            _row("late_share", number(100 * level.late_share, 1 if level.late_share >= 0.01 else 3), "%", "of frames")
        )
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


def _questions(book: Book, more: bool) -> str:
    """What entries ask; "" where ``more`` is open than that."""
    waiting = Balance.objects.filter(book=book, shown=True, decision=None).count()
    # In the order of an index, the newest first: one is looked for, of however many.
    open_ = Balance.objects.filter(
        book=book, shown=True, entry__comparison__verdict=Comparison.Verdict.UNDECIDED
    ).order_by("-recorded_at", "-pk")
    parts = []
    if waiting:
        parts.append(f"{waiting} {'needs' if waiting == 1 else 'need'} a decision")
    for number_, line in open_.values_list("entry__number", "entry__comparison__ledger_line")[:1]:
        needed = line["runs_needed"]
        runs = f": about {needed} runs an arm would show a change as large as its margin" if needed else ""
        parts.append(f"no. {number_} is undecided{runs}")
    return "; ".join(parts) or ("" if more else "nothing is open")


def _level(newest: int) -> Balance:
    """The balance after an entry, with its scenario and rig, and with the entry whose level stands; without whole results."""
    made = ("entry__comparison", "stands__comparison")
    joined = [f"{one}__{beside}" for one in made for beside in ("scenario_version__scenario", "rig")]
    found = Balance.objects.select_related(*joined, "stands__balance__decision")
    return found.defer(*(f"{one}__{column}" for one in made for column in ("result", "order", "ledger_line"))).get(
        pk=newest
    )


def of_book(book: Book, line: str = LAST) -> dict[str, Any]:
    """The standing of a line (scenario and rig), by default of the one that was decided last."""
    # The book beside its scenario leads the database away from the index that answers all of this.
    own = line == LAST or Scenario.objects.filter(book=book, pk=keys(line)[0]).exists()
    line = last_line(book) if line == LAST else line
    found = Balance.objects.none()
    if line and own:
        scenario, rig = keys(line)
        found = Balance.objects.filter(scenario=scenario, rig=rig, shown=True)
    found = found.order_by("recorded_at", "pk")
    # Keys alone first: sorting whole rows takes ten times as long.
    newest = found.values_list("pk", flat=True).last()
    lines = [asdict(known) for known in lines_of(book)]
    alarms = [alarm_row(alarm) for alarm in open_alarms(book)]
    overdue = [recheck_row(one) for one in rechecks(book) if one.overdue_since]
    questions = _questions(book, bool(alarms or overdue))
    if newest is None:
        return {
            "scenario": "", "version": None, "rig": "", "target_fps": None, "budget_ms": None, "rows": [], "points": [], "earlier": 0,
            "sentence": "Nothing is recorded yet.", "questions": "", "goals": [], "line": "", "lines": lines, "alarms": alarms,
            "rechecks": overdue,
        }  # fmt: skip
    level = _level(newest)
    comparison = level.entry.comparison
    assert comparison is not None  # what was recorded
    version = comparison.scenario_version
    budget = 1000.0 / version.target_fps if version.target_fps else None
    drawn = found.exclude(mean_ms=None)
    newest_ones = list(drawn.reverse().values_list("pk", flat=True)[:DRAWN])
    points = found.filter(pk__in=newest_ones).values_list("entry__number", "mean_ms", "slowest_1pct_ms")
    # What stands after an entry stands after every later one.
    stands = level.stands
    return {
        "scenario": version.scenario.name,
        "version": version.number,
        "rig": str(comparison.rig),
        "target_fps": version.target_fps,
        "budget_ms": budget,
        "rows": _rows(level) if stands else [],
        "sentence": _sentence(level, budget)
        if stands
        else "No entry is decided yet: keep or drop one to take a stand.",
        "questions": questions,
        "points": [{"entry": n, "mean_ms": mean, "slowest_1pct_ms": slow} for n, mean, slow in points],
        "earlier": drawn.count() - DRAWN if len(newest_ones) == DRAWN else 0,
        "goals": goal_lines(stands) if stands else [],
        "line": line,
        "lines": lines,
        "alarms": alarms,
        "rechecks": overdue,
    }
