"""What a bench can see with a scenario: the spread of runs over all that was compared, and the last blank test."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any

from vigilant.core import FIGURES, FigureResult
from vigilant.core.planning import OUTLOOK_RUNS, outlook, pooled, runs_needed, spread_of
from vigilant.core.verdict import CHANGED
from vigilant.server.scenarios.models import Scenario
from vigilant.wording.change import rate_step
from vigilant.wording.outlook import blank_sentence, outlook_row, runs_said

from .arms import kept_figures
from .ledger_line import is_blank
from .models import Comparison

#: The newest are enough for a spread.
MOST_COMPARISONS = 40


def sight(scenario: Scenario, wanted: float | None, wanted_fps: float | None = None) -> list[dict[str, Any]]:
    """Per rig, newest first. ``wanted`` is a change of a time as a share, ``wanted_fps`` one of the rate in frames a
    second, which is turned into ms at the level each rig stands on; either asks for the runs it needs."""
    compared = list(
        Comparison.objects.filter(scenario_version__scenario=scenario, entry__isnull=False)
        .exclude(verdict=Comparison.Verdict.VOID)
        .select_related("scenario_version", "rig", "entry")
        .order_by("-entry__recorded_at")[:MOST_COMPARISONS]
    )
    rigs = dict.fromkeys(c.rig for c in compared)
    return [_on_rig([c for c in compared if c.rig == rig], wanted, wanted_fps) for rig in rigs]


def _on_rig(compared: Sequence[Comparison], wanted: float | None, wanted_fps: float | None) -> dict[str, Any]:
    newest = compared[0]
    mean = kept_figures(newest).get("mean_ms")
    asked = ""
    if mean is not None and mean.after > 0 and (wanted or wanted_fps):
        # So many frames a second more; a share of a time is said as one less.
        more = wanted_fps or 1000.0 / (mean.after * (1.0 - min(wanted or 0.0, 0.99))) - 1000.0 / mean.after
        asked = rate_step(mean.after, more)
        if wanted_fps:
            wanted = 1.0 - 1.0 / (1.0 + wanted_fps * mean.after / 1000.0)
    # Under a cap the mean hardly moves, whatever the work does: such runs say nothing of the spread.
    same = [
        c
        for c in compared
        if c.scenario_version_id == newest.scenario_version_id and not all(c.result["caps_ms"].values())
    ]
    figures = [kept_figures(c) for c in same]
    rows = []
    for name in newest.result["primaries"]:
        spreads = [
            found
            for c, kept in zip(same, figures, strict=True)
            if name in kept and (found := spread_of(kept[name], _runs(c))) is not None
        ]
        level = next((kept[name] for kept in figures if name in kept), None)
        if spreads and level is not None and name in FIGURES:
            rows.append(_row(name, spreads, level, newest, wanted))
    blank = next((c for c in compared if is_blank(c)), None)
    return {
        "rig": str(newest.rig),
        "version": newest.scenario_version.number,
        "entries": sorted(c.entry.number for c in same),
        "asked": asked,
        "rows": rows,
        "blank": None if blank is None else _blank(blank),
    }


def _runs(comparison: Comparison) -> tuple[int, int]:
    return comparison.result["runs"]["before"], comparison.result["runs"]["after"]


def _row(
    name: str, spreads: Sequence[tuple[float, float]], level: FigureResult, newest: Comparison, wanted: float | None
) -> dict[str, Any]:
    sd, df = pooled(spreads)
    # Results of an earlier core do not say how long the runs were.
    minutes = newest.result.get("minutes") or 2.0 * sum(_runs(newest))
    row = outlook_row(outlook(name, sd, df, level.margin, OUTLOOK_RUNS), level, minutes / sum(_runs(newest)))
    if wanted is None:
        return {**row, "wanted": None, "wanted_said": ""}
    is_time = FIGURES[name].scale == "log"
    needed = runs_needed(math.log1p(wanted), sd) if is_time else None
    return {**row, "wanted": needed, "wanted_said": runs_said(needed) if is_time else "not a time"}


def _blank(comparison: Comparison) -> dict[str, Any]:
    alarm = comparison.verdict in CHANGED
    return {
        "entry": comparison.entry.number,
        "recorded_at": comparison.entry.recorded_at,
        "false_alarm": alarm,
        "sentence": blank_sentence(_runs(comparison), alarm),
        "drift": [f["sentence"] for f in comparison.result["findings"] if f["code"] == "drift"],
    }
