"""If it were free: what each part of an arm would give at most, and several of them together at a share of their cost."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from vigilant.core.series import FloatArray
from vigilant.core.work import Bound, Key, RunLanes, below_resolution, bound, children
from vigilant.server.entries.models import Comparison
from vigilant.server.problems import unprocessable
from vigilant.wording import free as wording

from .arm_work import ArmWork, arm_work
from .rested import Rested, columns_of, rested

#: Parts that may be made cheaper together.
MOST_TOGETHER = 12


@dataclass(frozen=True)
class Cheaper:
    """A part, and what share of its cost is left (0: free)."""

    key: Key
    left: float


def lanes_of(comparison: Comparison, label: str) -> tuple[Rested, ArmWork, Sequence[RunLanes]]:
    """An arm with its busy lanes. Raises a problem where its runs report none in common."""
    stand = rested(comparison, [name for name in columns_of(comparison) if name.startswith("lane:")])
    arm = arm_work(stand, label)
    if not arm.lanes:
        raise unprocessable(
            "no-lanes", "The runs report no busy lanes in common: what a part could give cannot be told."
        )
    return stand, arm, arm.lanes


def _parts(arm: ArmWork) -> list[dict[Key, FloatArray]]:
    return [arm.parts(run) for run in range(len(arm.runs))]


def ms_of(parts: Mapping[Key, FloatArray], key: Key, frames: int) -> FloatArray:
    """Ms of a part in each frame; of one that was not timed itself what lies in it."""
    if key in parts:
        return parts[key]
    total = np.zeros(frames)
    for below in children(parts, *key):
        total += ms_of(parts, below, frames)
    return total


def _bound(stand: Rested, arm: ArmWork, lanes: Sequence[RunLanes], cheaper: Sequence[dict[str, FloatArray]]) -> Bound:
    assert arm.overlap is not None
    return bound(lanes, arm.overlap, cheaper, arm.views[0].late_from_ms(stand.arms.step_ms))


def free_leaf(comparison: Comparison, asked: Mapping[str, str]) -> dict[str, Any]:
    """Every part of an arm, free, by what it would give at most; the most first, those that cannot be told apart tied."""
    stand, arm, lanes = lanes_of(comparison, asked.get("arm", "after"))
    by = asked.get("by", "mean_ms")
    parts = _parts(arm)
    keys = parts_of_lanes(parts, lanes[0].names)
    rows, coarse = [], []
    for key in keys:
        ms = [ms_of(own, key, view.n) for own, view in zip(parts, arm.views, strict=True)]
        if below_resolution(ms, stand.arms.step_ms):
            coarse.append(key)
            continue
        found = _bound(stand, arm, lanes, [{key[0]: values} for values in ms])
        rows.append((key, float(np.mean([v.mean() for v in ms])), found))
    refused = next((found.refused for *_, found in rows if found.refused), "")
    rows.sort(key=lambda row: -(_gain(row[2], by) or 0.0))
    ranks = wording.ranks([getattr(found, by) for *_, found in rows])
    return {
        "arm": arm.label,
        "by": by,
        "refused": refused,
        "sentence": wording.free_sentence([(key, found) for key, _, found in rows], by, refused),
        "notes": wording.free_notes(lanes, arm.overlap, rows[0][2] if rows else None, coarse),
        "now": wording.now(rows[0][2]) if rows and not refused else None,
        "budget_ms": stand.policy.budget_ms,
        "rows": []
        if refused
        else [
            {
                "lane": key[0],
                "path": list(key[1]),
                "name": wording.key_name(key),
                "ms": ms,
                "rank": rank,
                **wording.gains(found),
                "nothing": wording.nothing(found, ms),
                "words": wording.gain_words(found, ms),
            }
            for (key, ms, found), rank in zip(rows, ranks, strict=True)
        ],
    }


def _gain(found: Bound, by: str) -> float | None:
    gain = getattr(found, by)
    return None if gain is None else float(gain.value)


def parts_of_lanes(parts: Sequence[Mapping[Key, FloatArray]], lanes: Sequence[str]) -> list[Key]:
    """Every part of busy lanes that some run has, and what holds them though it was not timed."""
    all_keys = dict.fromkeys(key for own in parts for key in own if key[0] in lanes)
    around = dict.fromkeys((lane, path[:depth]) for lane, path in all_keys for depth in range(1, len(path)))
    return list(all_keys | around)


def together(comparison: Comparison, label: str, cheaper: Sequence[Cheaper]) -> dict[str, Any]:
    """Several parts at a share of their cost, computed together: what they give does not add. Raises a problem."""
    stand, arm, lanes = lanes_of(comparison, label)
    parts = _parts(arm)
    known = set(parts_of_lanes(parts, lanes[0].names))
    for one in cheaper:
        if one.key not in known:
            raise unprocessable("part-unknown", f"No run of this arm has the part {wording.key_name(one.key)[:120]}.")
        if any(o is not one and o.key[0] == one.key[0] and o.key[1] == one.key[1][: len(o.key[1])] for o in cheaper):
            raise unprocessable(
                "part-twice", f"{wording.key_name(one.key)[:120]} is asked for twice, or lies in another part that is."
            )
    less: list[dict[str, FloatArray]] = []
    for own, view in zip(parts, arm.views, strict=True):
        saved: dict[str, FloatArray] = {}
        for one in cheaper:
            ms = (1.0 - one.left) * ms_of(own, one.key, view.n)
            saved[one.key[0]] = saved[one.key[0]] + ms if one.key[0] in saved else ms
        less.append(saved)
    found = _bound(stand, arm, lanes, less)
    return {
        "arm": label,
        "refused": found.refused,
        "sentence": wording.together_sentence(found),
        "now": None if found.refused else wording.now(found),
        "then": None if found.refused else wording.then(found),
        **wording.gains(found),
        "budget_ms": stand.policy.budget_ms,
    }
