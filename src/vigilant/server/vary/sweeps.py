"""Accounts of recordings that sweep a load, a knob or a number of cores, of one arm or two: made from the stored figures of their runs."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any
from uuid import UUID

import numpy as np
import numpy.typing as npt

from vigilant.core import CoreError, FrameSeries
from vigilant.core.carrying import capacity_elsewhere
from vigilant.core.series import FloatArray, legs_among, play_mask
from vigilant.core.sheet import CLOCK_MHZ, CORES_USED, POWER_W, RECORDER_ENDED
from vigilant.core.vary import (
    ArmRuns,
    Interval,
    LevelRuns,
    Levels,
    RampArm,
    RunLoad,
    TwoRamps,
    band,
    chosen_next,
    edges_of,
    growth,
    knob,
    knob_figure,
    ramp_arms,
    ratio_of_capacities,
    run_load,
    scaling,
    to_confirm,
    two_knobs,
    unit_cost,
)
from vigilant.core.vary.choose import FIRST_PASSES
from vigilant.core.vary.ramp import FEWEST
from vigilant.core.vary.scaling import not_held, schedules
from vigilant.core.vary.switched import FIGURES
from vigilant.core.work.cores import SAMPLED
from vigilant.plan.armref import EMPTY, in_order
from vigilant.plan.sweeps import SIDES, line_of
from vigilant.server.goals.carrying import factor_between, known_rigs
from vigilant.server.problems import unprocessable
from vigilant.server.runs.models import Outcome, Recording, Run, RunColumn
from vigilant.server.runs.plans import arm_name, arm_table, checked_plan
from vigilant.server.runs.store import read_many, read_series
from vigilant.wording import carrying as carrying_wording
from vigilant.wording import cores as cores_wording
from vigilant.wording import ramp as wording
from vigilant.wording import two_arms as two_wording
from vigilant.wording.change import percent
from vigilant.wording.untangled import words_of

from .legs import legs_account
from .passes import Passes, budget_of, comparable, is_held, passes_of, same_work, values_of


@dataclass(frozen=True)
class Swept:
    """A recorded sweep: its passes, and the labels of each line (a side, a richness, "" of one arm) by the value asked for. ``names`` are
    those of the lines; one arm has none."""

    recording: Recording
    passes: Passes
    sides: Mapping[str, Sequence[str]]
    value: Mapping[str, float]
    names: Sequence[str]

    @property
    def table(self) -> Mapping[str, Any]:
        return self.recording.asked("sweep")

    @property
    def setting(self) -> str:
        return str(self.table.get("name", ""))

    def free(self, side: str) -> list[str]:
        """Labels with a complete run that no cap holds."""
        runs = self.passes.runs
        return [label for label in self.sides[side] if runs.get(label) and not is_held(runs[label])]

    def held(self) -> list[str]:
        """Names of arms that a cap holds."""
        runs = self.passes.runs
        return [
            arm_name(self.recording.plan, label)
            for labels in self.sides.values() for label in labels if runs.get(label) and is_held(runs[label])
        ]  # fmt: skip


def swept(recording: Recording, account: str) -> Swept:
    """Raises a problem for a recording that is no such sweep, and for runs that cannot be set against each other."""
    if recording.account != account:
        raise unprocessable("no-account", f"This recording is no {account}.")
    passes = passes_of(recording)
    plan = recording.plan
    labels = in_order({*recording.slots.values_list("arm", flat=True)} - {EMPTY})
    if not labels:
        raise unprocessable("values-missing", "Nothing of this recording is recorded yet.")
    value = {label: float(arm_table(plan, label).get("value") or 0.0) for label in labels}
    lines: dict[str, list[str]] = {}
    for label in labels:
        table = arm_table(plan, label)
        lines.setdefault(line_of(str(table.get("side") or ""), table.get("richness")), []).append(label)
    ordered = {line: sorted(own, key=value.__getitem__) for line, own in lines.items()}
    # Of cores the number used is what is swept.
    comparable(
        recording,
        [run for label in labels for run in passes.runs.get(label, [])],
        (CORES_USED,) if account == "cores" else (),
    )
    names = [_arm_name(arm_name(plan, found[0])) for side, found in ordered.items() if side]
    return Swept(recording, passes, ordered, value, names)


def _arm_name(of_level: str) -> str:
    """What an arm is called: its levels are named after it."""
    return of_level.rpartition(", ")[0] or of_level


def _enough(found: Swept, least: int = FEWEST) -> None:
    counts = [len(found.free(side)) for side in found.sides]
    if not counts or min(counts) < least:
        raise unprocessable(
            "values-missing", f"{min(counts, default=0)} values have a complete run yet; {least} are the least."
        )


def knob_account(recording: Recording) -> dict[str, Any]:
    """Which value of a knob is best, by mean and slowest 1 %; of two arms, where they cross too. Raises a problem."""
    found = swept(recording, "knob")
    _enough(found)
    sides = [_knob(found, side) for side in found.sides]
    notes = [f"{one}: a refresh cap holds most of its runs, so that it is left out." for one in found.held()]
    return {
        "name": found.setting,
        "sentence": " ".join(side["sentence"] for side in sides),
        "arms": sides,
        "crossings": _crossings(found),
        "notes": notes,
    }


def _knob(found: Swept, side: str) -> dict[str, Any]:
    labels = found.free(side)
    try:
        figures = [knob_figure(figure, *_runs_of(found, labels, figure), found.passes.slots) for figure in FIGURES]
    except CoreError as error:
        raise unprocessable(error.code, str(error)) from error
    values = [found.value[label] for label in labels]
    told = knob(values, figures)
    name = found.names[list(found.sides).index(side)] if found.names else ""
    said = wording.knob_sentence(told, found.setting)
    return {
        "name": name,
        "sentence": f"{name}: {said}" if name else said,
        "call": told.call,
        "figures": [
            {
                "figure": one.figure,
                "name": wording.FIGURES[one.figure],
                "flat": wording.flat_words(one),
                "points": _points(found, labels, values, one.figure, one.level_ms),
                "inside": list(one.inside),
                "lost": [wording.lost_words(one, i) for i in range(len(labels))],
            }
            for one in figures
        ],
    }


def _crossings(found: Swept) -> list[dict[str, Any]]:
    """Where two arms cross, in each figure, over the values that both have; nothing of one arm."""
    if not found.names:
        return []
    by_value = [{found.value[label]: label for label in found.free(side)} for side in SIDES]
    values = sorted(set(by_value[0]) & set(by_value[1]))
    told = []
    for figure in FIGURES if len(values) >= FEWEST else ():
        arms = []
        for labels in by_value:
            own, slots = _runs_of(found, [labels[v] for v in values], figure)
            arms.append(ArmRuns(values, own, slots))
        try:
            _, crossings = two_knobs(values, arms[0], arms[1], found.passes.slots)
        except CoreError as error:
            raise unprocessable(error.code, str(error)) from error
        told.append({
            "figure": figure,
            "sentence": two_wording.crossing_sentence(crossings, found.names, found.setting, values),
            "proven": [_interval(one) for one in crossings.proven] if crossings else [],
        })  # fmt: skip
    return told


def _interval(found: Interval) -> dict[str, Any]:
    return {"value": found.value, "low": found.low, "high": found.high}


def _runs_of(found: Swept, labels: Sequence[str], figure: str) -> tuple[list[list[float]], list[list[int]]]:
    passes = found.passes
    return [values_of(passes.runs[label], figure) for label in labels], [list(passes.places[label]) for label in labels]


def _points(
    found: Swept, labels: Sequence[str], at: Sequence[float], figure: str, levels: FloatArray
) -> list[dict[str, Any]]:
    """A point a value: where it stands, what was fitted there, and each of its runs."""
    return [
        {"value": float(value), "ms": float(level), "runs": _dots(found.passes.runs[label], figure)}
        for label, value, level in zip(labels, at, levels, strict=True)
    ]


def _dots(runs: Sequence[Run], figure: str) -> list[dict[str, Any]]:
    return [{"run": str(run.pk), "ms": float(run.figures.values[figure])} for run in runs]


#: By what a ramp is read: figure, and what of the budget its frames may take (late frames have a tolerance).
RAMP_FIGURES = (("mean_ms", 1.0), ("slowest_1pct_ms", 1.0), ("p99_ms", 1.05))


def ramp_account(recording: Recording, on: str = "") -> dict[str, Any]:
    """How much load the budget carries, and what it would carry ``on`` another rig. Raises a problem, for a scenario without a target
    too, and for a rig that nothing is known of."""
    if recording.asked("sweep").get("in_one_run"):
        if on:
            raise unprocessable("rig-unknown", "A ramp of legs is not carried over to another rig.")
        return legs_account(recording, RAMP_FIGURES)
    found = swept(recording, "ramp")
    sides, budget_ms = ramps_of(found)
    rig = recording.rig
    factor = None if not on or rig is None else factor_between(recording.book_id, rig, on)
    if on and factor is None:
        raise unprocessable("rig-unknown", f"No work is known that both {on} and {rig} did: nothing is carried over.")
    figures = []
    for figure, share in RAMP_FIGURES:
        told = _ramp_figure(found, sides, figure, share * budget_ms)
        arms = told.pop("levels")
        told["elsewhere"] = [
            carrying_wording.capacity_sentence(
                capacity_elsewhere(levels, told["budget_ms"], factor), factor, on, str(rig), found.setting
            )
            for levels in arms
            if levels is not None and factor is not None
        ]
        figures.append(told)
    return {
        "unit": found.setting,
        "counter": str(found.table.get("counter", "")),
        "in_one_run": False,
        "rigs": known_rigs(recording.book_id, rig) if rig is not None else [],
        "steps": _steps(found, sides[0], budget_ms),
        "figures": figures,
    }


def ramps_of(found: Swept) -> tuple[list[list[LevelRuns]], float]:
    """The levels of each line, and the budget that they are read by, ms. Raises a problem without a target, and under two levels."""
    budget_ms = budget_of(found.recording)
    lines = [_level_runs(found, line) for line in found.sides]
    if sum(bool(level.slots) for levels in lines for level in levels) < FEWEST:
        raise unprocessable("values-missing", f"Under {FEWEST} levels have a complete run yet.")
    return lines, budget_ms


def _ramp_figure(found: Swept, sides: Sequence[Sequence[LevelRuns]], figure: str, budget_ms: float) -> dict[str, Any]:
    try:
        arms, two = ramp_arms(sides, figure, found.passes.slots, budget_ms)
    except CoreError as error:
        raise unprocessable(error.code, str(error)) from error
    told = [ramp_arm(found, side, arm, figure, budget_ms) for side, arm in zip(found.sides, arms, strict=True)]
    sentence = told[0]["sentence"]
    if found.names:
        ratio = ratio_of_capacities(arms[0].capacity, arms[1].capacity)
        carried = [arm.capacity for arm in arms]
        sentence = two_wording.capacities_sentence(found.names, carried, ratio, figure, found.setting)
    return {
        "figure": figure,
        "name": wording.FIGURES[figure],
        "budget_ms": budget_ms,
        "sentence": sentence,
        "arms": told,
        "levels": [arm.levels for arm in arms],
        "two": None if two is None else _two(two, arms[0], found.setting),
    }


def ramp_arm(found: Swept, side: str, arm: RampArm, figure: str, budget_ms: float) -> dict[str, Any]:
    """One line of a ramp as it is shown."""
    unit, levels, carried = found.setting, arm.levels, arm.capacity
    cost = None
    if levels is not None:
        cost = unit_cost(levels, carried.bracket[0] if carried.bracket else levels.loads.size - 2)
    return {
        "name": found.names[list(found.sides).index(side)] if found.names else "",
        "sentence": wording.ramp_sentence(arm, figure, unit),
        "paper": "" if levels is None else wording.paper(levels, carried, cost, budget_ms, unit),
        "capacity": {
            "value": carried.value,
            "low": carried.low,
            "high": carried.high,
            "said": wording.capacity_words(carried, unit),
        },
        "points": [] if levels is None else _level_points(found, side, arm, figure, levels),
        "held": [
            {"value": found.value[label], "ms": float(np.mean(values_of(runs, figure))), "runs": _dots(runs, figure)}
            for label in found.sides[side] if (runs := found.passes.runs.get(label)) and is_held(runs)
        ],
        "band": [list(row) for row in band(levels)] if levels is not None else [],
        "costs": [] if levels is None or cost is None else wording.cost_rows(cost, levels, unit),
        "confirm": list(to_confirm(arm)),
        "growth": "" if levels is None else wording.growth_sentence(growth(levels)),
        "notes": wording.ramp_notes(arm),
    }  # fmt: skip


def _level_points(found: Swept, side: str, arm: RampArm, figure: str, levels: Levels) -> list[dict[str, Any]]:
    """A point a level; one that commanded levels were joined in has the runs of all."""
    assert arm.placed is not None
    limit = np.inf if arm.ceiling is None else arm.ceiling.load
    counting = [label for label in found.free(side) if found.value[label] < limit]
    return [
        {
            "value": float(load),
            "asked": asked,
            "ms": float(ms),
            "runs": [dot for i in members for dot in _dots(found.passes.runs[counting[i]], figure)],
        }
        for load, asked, ms, members in zip(levels.loads, arm.asked, levels.ms, arm.placed.members, strict=True)
    ]


def _two(found: TwoRamps, first: RampArm, unit: str) -> dict[str, Any]:
    level = first.capacity.bracket[1] if first.capacity.bracket else found.before.loads.size - 1
    return {
        "unit": two_wording.unit_sentence(found.per_unit(level), float(found.before.loads[level]), unit),
        "apart": two_wording.apart_sentence(found),
        "equal": [
            {
                "load": one.load,
                "ms": one.ms.value,
                "low_ms": one.ms.low,
                "high_ms": one.ms.high,
                "shown": one.shown,
                "change": percent(one.share),
                "words": words_of(
                    one.ms, float(np.exp(found.before.fit.level[found.before.loads.tolist().index(one.load)]))
                ),
            }
            for one in found.equal
        ],
    }


def _level_runs(found: Swept, side: str) -> list[LevelRuns]:
    """Every level of a side as the core takes it, those that failed and those that a cap holds among them."""
    tried: dict[str, list[str]] = {}
    for slot in found.recording.slots.all():
        if slot.outcome not in (Outcome.PLANNED, Outcome.SKIPPED) and slot.detail != RECORDER_ENDED:
            tried.setdefault(slot.arm, []).append(slot.outcome)
    loads, frames = _read(found, side)
    levels = []
    for label in found.sides[side]:
        runs, outcomes = found.passes.runs.get(label, []), tried.get(label, [])
        reasons = Counter(outcome for outcome in outcomes if outcome != Outcome.COMPLETE)
        late = [float(run.figures.values.get("late_share") or 0.0) for run in runs]
        levels.append(
            LevelRuns(
                value=found.value[label],
                figures={figure: values_of(runs, figure) for figure, _ in RAMP_FIGURES},
                slots=list(found.passes.places.get(label, [])),
                loads=[loads[run.pk] for run in runs],
                attempts=len(outcomes),
                failures=sum(reasons.values()),
                reason=reasons.most_common(1)[0][0] if reasons else "",
                held=bool(runs) and is_held(runs),
                late_share=float(np.mean(late)) if late else 0.0,
                at_edge=edges_of([frames[run.pk] for run in runs]),
                frames=min((run.frames for run in runs), default=0),
            )
        )
    return levels


def _read(found: Swept, side: str) -> tuple[dict[UUID, RunLoad], dict[UUID, FloatArray]]:
    """What each run of a side shows of its load, and its frames that count, (n,) ms."""
    runs = [run for label in found.sides[side] for run in found.passes.runs.get(label, [])]
    counter = str(found.table.get("counter", ""))
    loads, frames = {}, {}
    for run, series, counts in _counting(runs, [counter] if counter else []):
        frames[run.pk] = series.frame_ms[counts]
        loads[run.pk] = run_load(frames[run.pk], _seen(series, counter, counts), legs_among(series, counts))
    return loads, frames


def _counting(runs: Sequence[Run], counters: Sequence[str]) -> Iterator[tuple[Run, FrameSeries, npt.NDArray[np.bool_]]]:
    """Each run with some of its counters, and which of its frames count."""
    for run, series in read_many(runs, counters):
        yield run, series, play_mask(series, float(run.scenario_version.definition.get("warm_up_s", 0.0)))


def _seen(series: FrameSeries, counter: str, counts: npt.NDArray[np.bool_]) -> FloatArray | None:
    return series.counters[counter][counts] if counter in series.counters else None


def _steps(found: Swept, levels: Sequence[LevelRuns], budget_ms: float) -> list[dict[str, Any]]:
    """How a ramp that chooses its levels came to them: what its runs said after every batch. Empty of any other."""
    choosing = checked_plan(found.recording.plan).choosing
    if choosing is None:
        return []
    told: list[dict[str, Any]] = []
    slots = FIRST_PASSES * len(found.table["values"])
    recorded = len({slot.position for slot in found.recording.slots.all() if slot.outcome != Outcome.PLANNED})
    while slots <= recorded:
        so_far = [_until(level, slots) for level in levels]
        step = chosen_next(
            [level for level in so_far if level.slots or level.failures], "mean_ms", slots, budget_ms,
            found.recording.order_seed, choosing.wish_pct, choosing.most_runs, choosing.most_load,
        )  # fmt: skip
        told.append(
            {
                "runs": slots,
                "half_pct": step.half_pct,
                "loads": list(step.loads),
                "sentence": wording.step_sentence(step, slots),
            }
        )
        if step.enough or not step.loads:
            break
        slots += len(step.loads)
    return told


def _until(level: LevelRuns, slots: int) -> LevelRuns:
    """A level as it was after so many slots."""
    kept = [i for i, slot in enumerate(level.slots) if slot < slots]
    figures = {name: [values[i] for i in kept] for name, values in level.figures.items()}
    return replace(
        level,
        figures=figures,
        slots=[level.slots[i] for i in kept],
        loads=[level.loads[i] for i in kept],
        attempts=len(kept) + level.failures,
    )


def cores_account(recording: Recording) -> dict[str, Any]:
    """What more cores bring. Raises a problem."""
    found = swept(recording, "cores")
    _enough(found)
    same_work(recording, found.free(next(iter(found.sides))), found.passes)
    return {
        "figures": [_cores_figure(found, figure) for figure in FIGURES],
        "notes": [f"{one}: a refresh cap holds most of its runs, so that it is left out." for one in found.held()],
    }


def _cores_figure(found: Swept, figure: str) -> dict[str, Any]:
    side = next(iter(found.sides))
    labels = found.free(side)
    cores = [int(found.value[label]) for label in labels]
    try:
        told = scaling(figure, cores, *_runs_of(found, labels, figure), found.passes.slots)
    except CoreError as error:
        raise unprocessable(error.code, str(error)) from error
    used = [_core_ms(found.passes.runs[label]) for label in labels]
    mean = [float(np.mean(values_of(found.passes.runs[label], "mean_ms"))) for label in labels]
    known = [(p, u, m) for p, u, m in zip(cores, used, mean, strict=True) if u is not None]
    over = not_held(*map(list, zip(*known, strict=True))) if known else []
    work, chain = _work_and_chain(found.passes.runs[labels[0]])
    try:
        planned = schedules(told, work, chain) if figure == "mean_ms" and work and chain else None
    except CoreError:  # the chain is said to be longer than the work
        planned = None
    measured = [{key: _measured(found.passes.runs[label], key) for key in (CLOCK_MHZ, POWER_W)} for label in labels]
    rig = found.recording.rig
    machine = str((rig.facts if rig else {}).get("cores", ""))
    points = _points(found, labels, [float(p) for p in cores], figure, np.exp(told.fit.level))
    return {
        "figure": figure,
        "name": wording.FIGURES[figure],
        "sentence": cores_wording.sentence(told),
        "law": cores_wording.law_sentence(told),
        "chain": cores_wording.chain_sentence(work, chain) if planned and work and chain else "",
        "points": points,
        "rows": [
            {
                "cores": one.cores,
                "ms": one.ms,
                "speed_up": one.speed_up,
                "low": one.low,
                "high": one.high,
                "said": cores_wording.speed_words(one),
                "efficiency": cores_wording.efficiency_words(one),
                "core_ms": core_ms,
                "schedule": cores_wording.schedule_words(*planned[i]) if planned else "",
                **measured[i],
            }
            for i, (one, core_ms) in enumerate(zip(told.speed_ups, used, strict=True))
        ],
        "notes": cores_wording.notes(told, over, int(machine) if machine.isdecimal() else None),
    }


def _measured(runs: Sequence[Run], key: str) -> float | None:
    """The mean of what the recorder measured beside the runs; None where one has none."""
    values = [run.measured.get(key) for run in runs]
    known = [float(value) for value in values if isinstance(value, (int, float))]
    return float(np.mean(known)) if known and len(known) == len(values) else None


def _work_and_chain(runs: Sequence[Run]) -> tuple[float | None, float | None]:
    """What all workers together take of a frame, and the longest chain in it, ms, as the subject's lanes say; None where not every run
    has one lane of each."""
    found: dict[str, list[float]] = {"summed": [], "chain": []}
    columns = RunColumn.objects.filter(run__in=runs, kind=RunColumn.Kind.LANE, role__in=found)
    keys: dict[UUID, dict[str, list[str]]] = {}
    for column in columns:
        keys.setdefault(column.run_id, {}).setdefault(column.role, []).append(column.key)
    for run in runs:
        own = keys.get(run.pk, {})
        if any(len(own.get(role, [])) != 1 for role in found):
            return None, None
        series = read_series(run, [own[role][0] for role in found])
        counts = play_mask(series, float(run.scenario_version.definition.get("warm_up_s", 0.0)))
        for name, role in series.lane_roles.items():
            found[role].append(float(np.nanmean(series.lanes[name][counts])))
    return float(np.mean(found["summed"])), float(np.mean(found["chain"]))


def _core_ms(runs: Sequence[Run]) -> float | None:
    """Core-ms a frame by the recorder's samples of the subject's processes; None where a run has none."""
    found = []
    for _, series, counts in _counting(runs, [SAMPLED]):
        busy = _seen(series, SAMPLED, counts)
        known = np.isfinite(busy) if busy is not None else np.zeros(0, dtype=bool)
        if busy is None or not known.any():
            return None
        found.append(float((busy[known] * series.frame_ms[counts][known]).mean()))
    return float(np.mean(found)) if found else None
