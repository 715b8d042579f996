"""What a bench can see with a scenario: the spread of runs over all that was compared, and the last blank test."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from vigilant.core import FIGURES, ComparisonResult, FigureResult
from vigilant.core.planning import OUTLOOK_RUNS, outlook, pooled, runs_needed, spread_of
from vigilant.core.scales import LOG
from vigilant.core.verdict import CHANGED
from vigilant.server.scenarios.models import Scenario
from vigilant.wording import finding_sentence
from vigilant.wording.change import rate_step
from vigilant.wording.outlook import blank_sentence, outlook_row, runs_said

from .keeping import stored
from .models import Comparison

#: The newest are enough for a spread.
MOST_COMPARISONS = 40


def outlook_by_rig(scenario: Scenario, wanted: float | None, wanted_fps: float | None = None) -> list[dict[str, Any]]:
    """Per rig, newest first. ``wanted`` is a change of a time as a share, ``wanted_fps`` one of the rate in frames a
    second, which is turned into ms at the level each rig stands on; either asks for the runs it needs."""
    of_scenario = Comparison.objects.filter(
        scenario_version__scenario=scenario, entry__isnull=False, entry__withdrawn_at=None
    ).exclude(verdict=Comparison.Verdict.VOID)
    # Keys alone first: sorting whole rows takes ten times as long.
    newest = list(of_scenario.order_by("-entry__recorded_at").values_list("pk", flat=True)[:MOST_COMPARISONS])
    rows = Comparison.objects.select_related("scenario_version", "rig", "entry").in_bulk(newest)
    found = [rows[key] for key in newest]
    compared = [Kept(c, result) for c in found if (result := stored(c)) is not None]
    rigs = dict.fromkeys(kept.row.rig for kept in compared)
    return [_on_rig([kept for kept in compared if kept.row.rig == rig], wanted, wanted_fps) for rig in rigs]


@dataclass(frozen=True)
class Kept:
    """A comparison's row and its result as the core made it."""

    row: Comparison
    result: ComparisonResult


def _on_rig(compared: Sequence[Kept], wanted: float | None, wanted_fps: float | None) -> dict[str, Any]:
    newest = compared[0]
    mean = newest.result.figures["mean_ms"]
    asked = ""
    if mean.after > 0 and (wanted or wanted_fps):
        # So many frames a second more; a share of a time is said as one less.
        more = wanted_fps or 1000.0 / (mean.after * (1.0 - min(wanted or 0.0, 0.99))) - 1000.0 / mean.after
        asked = rate_step(mean.after, more)
        if wanted_fps:
            wanted = 1.0 - 1.0 / (1.0 + wanted_fps * mean.after / 1000.0)
    # Under a cap the mean hardly moves, whatever the work does: such runs say nothing of the spread.
    version = newest.row.scenario_version
    same = [k for k in compared if k.row.scenario_version_id == version.pk and not all(k.result.caps)]
    rows = []
    for name in newest.result.primaries:
        own = [k.result for k in same if name in k.result.figures]
        spreads = [found for r in own if (found := spread_of(r.figures[name], r.runs)) is not None]
        if spreads and name in FIGURES:
            rows.append(_row(name, spreads, own[0].figures[name], newest.result, wanted))
    blank = next((k for k in compared if k.row.blank), None)
    return {
        "rig": str(newest.row.rig),
        "version": version.number,
        "entries": sorted(k.row.entry.number for k in same),
        "asked": asked,
        "rows": rows,
        "blank": None if blank is None else _blank(blank),
    }


def _row(
    name: str,
    spreads: Sequence[tuple[float, float]],
    level: FigureResult,
    newest: ComparisonResult,
    wanted: float | None,
) -> dict[str, Any]:
    sd, df = pooled(spreads)
    minutes = newest.minutes / max(1, sum(newest.runs))
    row = outlook_row(outlook(name, sd, df, level.margin, OUTLOOK_RUNS), level, minutes)
    if wanted is None:
        return {**row, "wanted": None, "wanted_said": ""}
    is_time = FIGURES[name].scale is LOG
    needed = runs_needed(math.log1p(wanted), sd) if is_time else None
    return {**row, "wanted": needed, "wanted_said": runs_said(needed) if is_time else "not a time"}


def _blank(kept: Kept) -> dict[str, Any]:
    alarm = kept.row.verdict in CHANGED
    return {
        "entry": kept.row.entry.number,
        "recorded_at": kept.row.entry.recorded_at,
        "false_alarm": alarm,
        "sentence": blank_sentence(kept.result.runs, alarm),
        "drift": [finding_sentence(f) for f in kept.result.findings if f.code == "drift"],
    }
