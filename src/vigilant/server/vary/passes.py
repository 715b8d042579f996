"""What a recording of passes holds: complete runs by arm with their places, and what makes them comparable."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any
from uuid import UUID

import numpy as np

from vigilant.core.audit.conditions import differing
from vigilant.core.series import play_mask
from vigilant.core.vary import unlike_work
from vigilant.server.problems import unprocessable
from vigilant.server.runs.models import Recording, Run
from vigilant.server.runs.plans import arm_name, policy_of
from vigilant.server.runs.store import read_many
from vigilant.wording import switched as wording
from vigilant.wording.change import percent


@dataclass(frozen=True)
class Passes:
    """The complete runs of each arm with their places among ``slots``; a failed slot keeps its place."""

    runs: Mapping[str, Sequence[Run]]
    places: Mapping[str, Sequence[int]]
    slots: int


def passes_of(recording: Recording) -> Passes:
    """The last attempt at a place counts; runs set aside enter nothing."""
    last = {
        slot.position: slot
        for slot in recording.slots.select_related("run__figures", "run__conditions", "run__scenario_version")
    }
    runs: dict[str, list[Run]] = {}
    places: dict[str, list[int]] = {}
    for position, slot in sorted(last.items()):
        run = slot.run
        if run is None or run.state != Run.State.COMPLETE or run.excluded_at or not hasattr(run, "figures"):
            continue
        runs.setdefault(slot.arm, []).append(run)
        places.setdefault(slot.arm, []).append(position)
    return Passes(runs, places, 1 + max(last, default=0))


def is_held(runs: Sequence[Run]) -> bool:
    """Whether a refresh cap holds most of them."""
    return 2 * sum(run.figures.values.get("cap_ms") is not None for run in runs) > len(runs)


def values_of(runs: Sequence[Run], figure: str) -> list[float]:
    """One value a run."""
    return [float(run.figures.values[figure]) for run in runs]


def comparable(recording: Recording, runs: Sequence[Run], may_differ: Sequence[str] = ()) -> None:
    """Raises a problem where conditions that must match differ, but for those that ``may_differ``."""
    policy = policy_of(recording.scenario_version.definition)
    policy = replace(policy, may_differ=(*policy.may_differ, *may_differ))
    if unlike := differing([run.conditions.facts for run in runs], policy):
        raise unprocessable("conditions-differ", wording.refused(unlike))


def budget_of(recording: Recording) -> float:
    """What frames may take, ms. Raises a problem for a scenario without a target."""
    target = recording.scenario_version.target_fps
    if not target:
        raise unprocessable("no-target", "A ramp needs a budget: the scenario has no target.")
    return float(1000.0 / target)


def arm_of(recording: Recording, label: str, passes: Passes) -> dict[str, Any]:
    return {
        "label": label,
        "name": arm_name(recording.plan, label),
        "runs": [str(run.pk) for run in passes.runs.get(label, [])],
    }


def same_work(recording: Recording, labels: Sequence[str], passes: Passes) -> None:
    """Raises a problem where a witness of the scenario surely differs between the arms; one that is not in every run says nothing."""
    policy = policy_of(recording.scenario_version.definition)
    if not policy.witnesses:
        return
    runs = [run for label in labels for run in passes.runs[label]]
    means: dict[UUID, dict[str, float]] = {}
    for run, series in read_many(runs, policy.witnesses):
        counts = play_mask(series, policy.trim_s)
        means[run.pk] = {name: float(np.nanmean(values[counts])) for name, values in series.counters.items()}
    whole = [name for name in policy.witnesses if all(name in means.get(run.pk, {}) for run in runs)]
    values = {name: [[means[run.pk][name] for run in passes.runs[label]] for label in labels] for name in whole}
    unlike = unlike_work(values, [list(passes.places[label]) for label in labels], passes.slots) if whole else []
    if unlike:
        worst = max(unlike, key=lambda one: abs(one.share))
        named = arm_name(recording.plan, labels[worst.cell])
        raise unprocessable(
            "work-unlike",
            f"{worst.witness} is {percent(worst.share)} with {named}: these runs did not all do the same work, and cannot be told apart by"
            " their time.",
        )
