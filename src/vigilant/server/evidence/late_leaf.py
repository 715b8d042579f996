"""Late frames, or stutters, as a set: what they have more of than the frames around them, and what goes with them."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from typing import Any

import numpy as np

from vigilant.core.series import FloatArray, IntArray
from vigilant.core.summary import RunFrames
from vigilant.core.work import (
    ExcessAccount,
    ExcessOfRun,
    LateRun,
    associations,
    excess_account,
    excess_changes,
    excess_of_run,
    late_frames,
    spike_frames,
)
from vigilant.server.entries.models import Comparison
from vigilant.server.problems import unprocessable
from vigilant.wording import late as wording

from .arm_work import ArmWork, arms_work, row_document
from .rested import Rested, columns_of, rested

#: The sets that are asked for.
SETS = ("late", "stutters")
#: The longest frames of a set that are listed, of each arm.
MOST_LISTED = 12


def _set(stand: Rested, of: str, arm: ArmWork, number: int) -> IntArray:
    """The frames of a run that are asked about, among those that count."""
    view = arm.views[number]
    if of == "late":
        return late_frames(view, stand.arms.step_ms)
    return spike_frames(view, *_allowance(stand, arm, number))


def _allowance(stand: Rested, arm: ArmWork, number: int) -> tuple[float, float]:
    return stand.arms.allowances[number + (0 if arm.label == "before" else stand.design.k_before)]


def _needs_target(stand: Rested, of: str) -> None:
    if of == "late" and stand.policy.budget_ms is None:
        raise unprocessable("no-target", "Late frames need a target: the scenario has none. Ask for stutters.")


def late_leaf(comparison: Comparison, asked: Mapping[str, str]) -> dict[str, Any]:
    """The excess account of both arms. Raises a problem for late frames without a target."""
    of = asked.get("of", "late")
    stand = rested(comparison, [name for name in columns_of(comparison) if name.startswith("lane:")])
    _needs_target(stand, of)
    arms, common = [], []
    for arm in arms_work(stand):
        found: list[ExcessOfRun] = []
        for number, view in enumerate(arm.views):
            parts = arm.parts(number)
            lanes = arm.lanes[number] if arm.lanes else None
            budget = stand.policy.budget_ms or 0.0
            limit = view.late_from_ms(stand.arms.step_ms) or np.inf
            given = view.x, view.played.bounds
            at = _set(stand, of, arm, number)
            found.append(excess_of_run(*given, at, lanes, arm.overlap, parts, limit, budget))
            spikes = spike_frames(view, *_allowance(stand, arm, number)) if of == "late" else at
            common.append(excess_of_run(*given, spikes, lanes, arm.overlap, parts) if of == "late" else found[-1])
        arms.append(_arm(arm, found, of))
    changes = excess_changes(common, stand.design) if stand.judged else ()
    return {
        "judged": stand.judged,
        "of": of,
        "budget_ms": stand.policy.budget_ms,
        "arms": arms,
        "changes": [
            {
                **row_document(row),
                "said": wording.change_sentence(row),
                "shown": row.p_value is not None and row.p_value <= wording.ALPHA,
            }
            for row in changes
            if max(abs(row.before_ms), abs(row.after_ms)) >= wording.LEAST_MS
        ],
    }


def _arm(arm: ArmWork, found: list[ExcessOfRun], of: str) -> dict[str, Any]:
    account = excess_account(found)
    total = sum(view.n for view in arm.views)
    legs = _legs(arm, found)
    return {
        "arm": arm.label,
        "sentence": wording.account_sentence(account, arm.label, of, total, legs),
        "notes": wording.account_notes(account, arm.overlap),
        "frames": account.frames,
        "share": account.frames / total,
        "events": account.events,
        "by_level": account.by_level,
        "refused": account.refused,
        "rows": _rows(account),
        "legs": [{"name": name, "frames": count} for name, count in legs],
        "longest": _longest(arm, found),
    }


def _rows(account: ExcessAccount) -> list[dict[str, Any]]:
    return [
        {
            "name": wording.row_name(row.key),
            "lane": row.lane,
            "path": list(row.path),
            "kind": row.kind,
            "depth": wording.depth(row.key),
            "ms": row.ms,
            "share": row.share,
            "half": row.half,
            "net": row.net,
            "main": row.main,
            "words": wording.row_words(row, account),
        }
        for row in account.rows
        if abs(row.share) >= wording.LEAST_SHARE or row.main
    ]


def _legs(arm: ArmWork, found: list[ExcessOfRun]) -> list[tuple[str, int]]:
    """In which legs the frames are, most first."""
    count: Counter[str] = Counter()
    for view, run in zip(arm.views, found, strict=True):
        count.update(leg_of(view, run.at))
    return count.most_common()


def leg_of(view: RunFrames, at: IntArray) -> list[str]:
    """The leg each frame that counts begins in; "" where there are no marks."""
    marks = view.series.marks
    if not marks:
        return [""] * at.size
    starts = np.array([m.index for m in marks])
    which = np.searchsorted(starts, view.played.index[at], "right") - 1
    return [marks[i].name if i >= 0 else "" for i in which.tolist()]


def _longest(arm: ArmWork, found: list[ExcessOfRun]) -> list[dict[str, Any]]:
    """The frames with the largest excess, so that one can be looked at."""
    listed = []
    for number, (view, run) in enumerate(zip(arm.views, found, strict=True)):
        order = np.argsort(-run.total)[:MOST_LISTED]
        legs = leg_of(view, run.at[order])
        for at, excess, leg in zip(run.at[order].tolist(), run.total[order].tolist(), legs, strict=True):
            listed.append({
                "run": str(arm.runs[number].pk),
                "number": number + 1,
                "frame": int(view.played.index[at]),
                "leg": leg,
                "frame_ms": float(view.x[at]),
                "excess_ms": excess,
            })  # fmt: skip
    return sorted(listed, key=lambda one: -one["excess_ms"])[:MOST_LISTED]


def goes_with(comparison: Comparison, asked: Mapping[str, str]) -> dict[str, Any]:
    """Counters and parts that come now and then, against the late frames or stutters of both arms."""
    of = asked.get("of", "late")
    stand = rested(comparison, columns_of(comparison))
    _needs_target(stand, of)
    found = []
    for arm in arms_work(stand):
        runs = [_late_run(arm, number, _set(stand, of, arm, number)) for number in range(len(arm.views))]
        rows = associations(runs, stand.policy.seed)
        found.append({
            "arm": arm.label,
            "sentence": wording.goes_sentence(rows, arm.label, of),
            "rows": [
                {
                    "name": row.name.partition(":")[2],
                    "kind": row.name.partition(":")[0],
                    "lag": row.lag,
                    "call": row.call,
                    "held": row.held,
                    "others": row.others,
                    "beyond": row.beyond,
                    "half": row.half,
                    "adds": row.adds,
                    "p_frames": row.p_frames,
                    "p_length": row.p_length,
                    "words": wording.goes_words(row, of),
                }
                for row in rows
            ],
        })  # fmt: skip
    return {"of": of, "arms": found}


def _late_run(arm: ArmWork, number: int, late: IntArray) -> LateRun:
    view = arm.views[number]
    index, bounds = view.played.index, view.played.bounds
    marks = np.searchsorted(index, [m.index for m in view.series.marks])
    legs = np.unique(np.concatenate([bounds, marks[(marks > 0) & (marks < view.n)]])).astype(np.int64)
    series = {f"counter:{name}": values[index] for name, values in view.series.counters.items()}
    for (lane, path), ms in arm.parts(number).items():
        series[f"part:{' / '.join((*([lane] if lane else []), *path))}"] = _present(ms)
    return LateRun(view.x, late, legs, series)


def _present(ms: FloatArray) -> FloatArray:
    """Whether a part is in each frame; one that is in most is no event."""
    there = ms > 0
    return there.astype(np.float64) if there.mean() < 0.2 else np.zeros(ms.size)
