"""The leaf of the runs: how they lay in their session, and what the verdict would be without those set aside."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict
from typing import Any

import numpy as np

from vigilant.core import look_levels
from vigilant.core.compare import comparison_from, estimate
from vigilant.core.evidence import blocks, drift
from vigilant.core.finding import Finding
from vigilant.core.stored import finding_of
from vigilant.server.entries.models import Comparison, ComparisonRun
from vigilant.wording import STAMPS
from vigilant.wording import evidence as wording
from vigilant.wording.report import figure_document
from vigilant.wording.verdict import verdict_sentence

from .rested import Rested, rested

#: What was said of a comparison beside its frames; it stands however many of its runs count.
_FROM_BESIDE = ("scenario-versions-differ", "conditions-differ", "runs-failed", "crash-rates-differ")


def set_aside(comparison: Comparison) -> str:
    """Which of its runs are set aside now: what the leaf is asked by, so that it is made anew when they change."""
    found = ComparisonRun.objects.filter(arm__comparison=comparison, run__excluded_at__isnull=False)
    return ",".join(str(run) for run in sorted(found.values_list("run_id", flat=True)))


def runs_leaf(comparison: Comparison, asked: Mapping[str, str]) -> dict[str, Any]:
    """Drift over the session, the blocks of the order, and both results where runs were set aside."""
    stand = rested(comparison)
    mean_ms = np.array([view.total_ms / view.n for view in stand.views])
    found = drift(mean_ms, stand.design, stand.policy.alpha) if stand.judged else None
    parted = blocks(mean_ms, stand.order, stand.design.k_before) if stand.order else ()
    return {
        "drift": None if found is None else {**asdict(found), "said": wording.drift_sentence(found)},
        "blocks": [asdict(block) for block in parted],
        "said": wording.blocks_sentence(parted) if stand.judged else "",
        "without": _without(comparison, stand, set(filter(None, asked["aside"].split(",")))),
    }


def _without(comparison: Comparison, stand: Rested, aside: set[str]) -> dict[str, Any] | None:
    """The result of the runs that are not set aside; None where none is. They are judged as these two arms alone."""
    if not aside:
        return None
    kb = stand.design.k_before
    keep = [str(run.pk) not in aside for run in stand.runs]
    before, after = ([v for v, stays in zip(stand.views[rows], keep[rows], strict=True) if stays] for rows in (slice(0, kb), slice(kb, None)))  # fmt: skip
    counts = {"before": len(before), "after": len(after)}
    if not before or not after:
        return {"runs": counts, "verdict": None, "stamp": "", "sentence": wording.NOBODY_LEFT, "mean": None}
    order = None
    if stand.order is not None:
        left = {"before": iter(keep[:kb]), "after": iter(keep[kb:])}
        order = [arm if arm in left and next(left[arm]) else None for arm in stand.order]
    # One that went on until it was decided is tested at its look's levels, with fewer runs as with all.
    look = comparison.result.get("look")
    levels = look_levels(min(counts.values()), look["most"], stand.policy.alpha) if look else None
    made = comparison_from(
        estimate(before, after, stand.policy, order, _beside(comparison), stand.sessions if order else None, levels)
    )
    return {
        "runs": counts,
        "verdict": made.verdict,
        "stamp": STAMPS[made.verdict],
        "sentence": verdict_sentence(made),
        "mean": figure_document(made.figures["mean_ms"], stand.policy.target_fps),
    }


def _beside(comparison: Comparison) -> list[Finding]:
    rows = comparison.result.get("findings") or ()
    kept = [row for row in rows if row.get("code") in _FROM_BESIDE]
    # The audit finds unlike conditions of the frames' own sheets again; only what it cannot see is handed on.
    return [finding_of(row) for row in kept if row["code"] != "conditions-differ" or _of_rigs(row)]


def _of_rigs(row: Mapping[str, Any]) -> bool:
    differences = (row.get("evidence") or {}).get("differences") or ()
    return any(d.get("condition") == "rig" for d in differences)
