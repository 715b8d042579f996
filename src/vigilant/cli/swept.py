"""Accounts of recordings that sweep a load, a knob or a number of cores, on a terminal and as JSON."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from rich.console import Console
from rich.table import Table

from vigilant.bench.errors import NoRuns
from vigilant.bench.levels import legs_of, levels_of, places_of
from vigilant.bench.spool import RecordingSpool
from vigilant.core.vary import (
    ArmRuns,
    Capacity,
    Crossings,
    Knob,
    LegRamp,
    LevelRuns,
    RampArm,
    Scaling,
    Trade,
    TwoRamps,
    growth,
    knob,
    knob_figure,
    ramp_arms,
    ramp_of_legs,
    ratio_of_capacities,
    recorded_trade,
    scaling,
    two_knobs,
    unit_cost,
)
from vigilant.core.vary.switched import FIGURES
from vigilant.plan import Plan
from vigilant.wording import cores as cores_wording
from vigilant.wording import in_one_run as legs_wording
from vigilant.wording import ramp as wording
from vigilant.wording import trade as trade_wording
from vigilant.wording import two_arms as two_wording


def _free(levels: list[LevelRuns]) -> list[LevelRuns]:
    """Those with a complete run that no cap holds. Raises :class:`NoRuns` with under two."""
    free = [one for one in levels if one.slots and not one.held]
    if len(free) < 2:
        raise NoRuns(f"{len(free)} values have a complete run; 2 are the least")
    return free


def _setting(plan: Plan) -> str:
    return str((plan.raw.get("sweep") or {}).get("name", ""))


def _names(plan: Plan) -> list[str]:
    """The names of two arms; none of one."""
    firsts = {arm.side: arm.name.rpartition(", ")[0] for arm in reversed(plan.arms) if arm.side}
    return [firsts[side] for side in ("before", "after") if side in firsts]


@dataclass(frozen=True)
class KnobFound:
    names: list[str]
    sides: list[Knob]
    crossings: Crossings | None


def knob_of(plan: Plan, spool: RecordingSpool) -> KnobFound:
    """Which value is best, in each arm; and where two arms cross by the mean frame."""
    slots = places_of(spool)
    sides = [_free(levels) for levels in levels_of(plan, spool).values()]
    found = [
        knob(
            [one.value for one in levels],
            [knob_figure(f, [one.figures[f] for one in levels], [one.slots for one in levels], slots) for f in FIGURES],
        )
        for levels in sides
    ]
    names = _names(plan)
    return KnobFound(names, found, _crossings(sides, slots) if len(sides) == 2 else None)


def _crossings(sides: list[list[LevelRuns]], slots: int) -> Crossings | None:
    shared = sorted(set.intersection(*({one.value for one in levels} for levels in sides)))
    if len(shared) < 2:
        return None
    arms = []
    for levels in sides:
        own = [one for one in levels if one.value in shared]
        arms.append(ArmRuns(shared, [one.figures["mean_ms"] for one in own], [one.slots for one in own]))
    return two_knobs(shared, arms[0], arms[1], slots)[1]


@dataclass(frozen=True)
class RampFound:
    names: list[str]
    arms: list[RampArm]
    two: TwoRamps | None
    budget_ms: float


def _budget(plan: Plan) -> float:
    """What frames may take, ms. Raises :class:`NoRuns` without a target."""
    if plan.policy.budget_ms is None:
        raise NoRuns("a ramp needs a budget: the scenario has no target")
    return plan.policy.budget_ms


def _ramps(plan: Plan, spool: RecordingSpool) -> tuple[dict[str, list[LevelRuns]], float]:
    """The levels of each line, and the budget that they are read by, ms. Raises :class:`NoRuns` without a target, and under two levels."""
    budget_ms = _budget(plan)
    lines = levels_of(plan, spool)
    if sum(bool(one.slots) for levels in lines.values() for one in levels) < 2:
        raise NoRuns("under two levels have a complete run")
    return lines, budget_ms


def ramp_of(plan: Plan, spool: RecordingSpool) -> RampFound:
    """What the budget carries by the mean frame. Raises :class:`NoRuns`."""
    lines, budget_ms = _ramps(plan, spool)
    sides = list(lines.values())
    arms, two = ramp_arms(sides, "mean_ms", places_of(spool), budget_ms)
    return RampFound(_names(plan), arms, two, budget_ms)


@dataclass(frozen=True)
class LegsFound:
    ramp: LegRamp
    left_out: int
    budget_ms: float


def leg_ramp_of(plan: Plan, spool: RecordingSpool) -> LegsFound:
    """What the budget carries by the mean frame, of runs that hold every load. Raises :class:`NoRuns`."""
    budget_ms = _budget(plan)
    read = legs_of(plan, spool)
    whole = [legs for legs in read if legs is not None]
    if not whole:
        raise NoRuns("no complete run holds every load in a leg that is named by it")
    return LegsFound(ramp_of_legs(whole, "mean_ms", budget_ms), len(read) - len(whole), budget_ms)


def print_leg_ramp(console: Console, plan: Plan, found: LegsFound) -> None:
    unit, ramp = _setting(plan), found.ramp
    console.print(f"\n{legs_wording.sentence(ramp, 'mean_ms', unit)}", highlight=False, style="bold")
    if paper := legs_wording.paper(ramp, found.budget_ms, unit):
        console.print(paper, highlight=False)
    rows = zip(ramp.loads, ramp.level_ms, strict=True)
    console.print(_table((unit, "mean ms"), [(wording.load(x), f"{ms:.3f}") for x, ms in rows]))
    for line in legs_wording.notes(ramp, found.left_out):
        console.print(line, highlight=False, style="dim")


def leg_ramp_document(found: LegsFound) -> dict[str, Any]:
    """The account as one JSON object."""
    carried = found.ramp.capacity
    return {
        "budget_ms": found.budget_ms,
        "in_one_run": True,
        "confounded": found.ramp.confounded,
        "runs": int(found.ramp.values_ms.shape[0]),
        "capacity": {"value": carried.value, "low": carried.low, "high": carried.high},
        "levels": [
            {"load": x, "asked": asked, "ms": float(ms)}
            for x, asked, ms in zip(found.ramp.loads, found.ramp.asked, found.ramp.level_ms, strict=True)
        ],
    }


@dataclass(frozen=True)
class TradeFound:
    trade: Trade
    arms: list[RampArm]
    budget_ms: float


def trade_of(plan: Plan, spool: RecordingSpool) -> TradeFound:
    """What the budget carries at each richness by the mean frame. Raises :class:`NoRuns`."""
    lines, budget_ms = _ramps(plan, spool)
    richness = sorted(lines, key=float)
    arms, found = recorded_trade(
        [float(rich) for rich in richness], [lines[rich] for rich in richness], "mean_ms", places_of(spool), budget_ms
    )
    return TradeFound(found, arms, budget_ms)


def _richness(plan: Plan) -> str:
    return str(plan.raw["sweep"]["richness"]["name"])


def print_trade(console: Console, plan: Plan, found: TradeFound) -> None:
    unit, richness = _setting(plan), _richness(plan)
    trade = found.trade
    console.print(f"\n{trade_wording.sentence(trade, 'mean_ms', unit, richness)}", highlight=False, style="bold")
    rows: list[tuple[str, ...]] = [
        (f"{rich:g}", wording.capacity_words(one, unit))
        for rich, one in zip(trade.richness, trade.capacities, strict=True)
    ]
    console.print(_table((richness, "the budget carries"), rows))
    console.print(trade_wording.factor_sentence(trade, unit, richness), highlight=False)
    notes = [
        f"At {rich:g} {richness}: {said}"
        for rich, arm in zip(trade.richness, found.arms, strict=True)
        for said in wording.ramp_notes(arm)
    ]
    for line in (trade_wording.note(trade), *notes):
        console.print(line, highlight=False, style="dim")


def trade_document(found: TradeFound) -> dict[str, Any]:
    """The account as one JSON object."""
    trade = found.trade
    return {
        "budget_ms": found.budget_ms,
        "carried": [
            {"richness": rich, "value": one.value, "low": one.low, "high": one.high}
            for rich, one in zip(trade.richness, trade.capacities, strict=True)
        ],
        "straight": trade.straight,
        "per_richness_ms": None
        if trade.per_richness is None
        else {"value": trade.per_richness.value, "low": trade.per_richness.low, "high": trade.per_richness.high},
        "lack_of_fit": trade.lack_of_fit,
    }


def print_ramp(console: Console, plan: Plan, found: RampFound) -> None:
    unit = _setting(plan)
    if found.names:
        carried: list[Capacity] = [arm.capacity for arm in found.arms]
        ratio = ratio_of_capacities(carried[0], carried[1])
        said = two_wording.capacities_sentence(found.names, carried, ratio, "mean_ms", unit)
        console.print(f"\n{said}", highlight=False, style="bold")
    for i, arm in enumerate(found.arms):
        _print_arm(console, arm, found.budget_ms, unit, found.names[i] if found.names else "")
    if found.two is not None:
        first = found.arms[0].capacity.bracket
        level = first[1] if first else found.two.before.loads.size - 1
        at = float(found.two.before.loads[level])
        console.print(f"\n{two_wording.unit_sentence(found.two.per_unit(level), at, unit)}", highlight=False)
        for one in found.two.equal:
            word = "" if one.shown else ", not shown"
            console.print(
                f"At {wording.load(one.load)}: {one.ms.value:+.3f} ms ({100 * one.share:+.1f} %){word}", highlight=False
            )
        if said := two_wording.apart_sentence(found.two):
            console.print(said, highlight=False, style="dim")


def _print_arm(console: Console, arm: RampArm, budget_ms: float, unit: str, name: str) -> None:
    said = wording.ramp_sentence(arm, "mean_ms", unit)
    console.print(f"\n{name}: {said}" if name else f"\n{said}", highlight=False, style="bold")
    levels = arm.levels
    if levels is not None:
        carried = arm.capacity
        cost = unit_cost(levels, carried.bracket[0] if carried.bracket else levels.loads.size - 2)
        if paper := wording.paper(levels, carried, cost, budget_ms, unit):
            console.print(paper, highlight=False)
        rows = zip(levels.loads, levels.ms, levels.fit.runs, strict=True)
        console.print(
            _table((unit, "mean ms", "runs"), [(wording.load(float(x)), f"{ms:.3f}", str(n)) for x, ms, n in rows])
        )
        for line in (*wording.cost_rows(cost, levels, unit), wording.growth_sentence(growth(levels))):
            console.print(line, highlight=False, style="dim")
    for line in wording.ramp_notes(arm):
        console.print(line, highlight=False, style="dim")


def _table(heads: tuple[str, ...], rows: list[tuple[str, ...]]) -> Table:
    table = Table(box=None, pad_edge=False, header_style="bold", padding=(0, 2, 0, 0))
    for head in heads:
        table.add_column(head, justify="right", no_wrap=True)
    for row in rows:
        table.add_row(*row)
    return table


def print_knob(console: Console, plan: Plan, found: KnobFound) -> None:
    setting = _setting(plan)
    for i, one in enumerate(found.sides):
        said = wording.knob_sentence(one, setting)
        console.print(f"\n{found.names[i]}: {said}" if found.names else f"\n{said}", highlight=False, style="bold")
        heads = (setting, "mean ms", "loses at most", "slowest 1 %", "loses at most")
        console.print(
            _table(heads, [
                (f"{value:g}", *(text for f in one.figures for text in (f"{f.level_ms[i]:.3f}", wording.lost_words(f, i))))
                for i, value in enumerate(one.values)
            ])
        )  # fmt: skip
    if found.names:
        values = list(found.sides[0].values)
        console.print(
            two_wording.crossing_sentence(found.crossings, found.names, setting, values), highlight=False, style="bold"
        )


def ramp_document(found: RampFound) -> dict[str, Any]:
    """The account as one JSON object."""
    return {
        "budget_ms": found.budget_ms,
        "arms": [
            {
                **({"name": found.names[i]} if found.names else {}),
                "capacity": {"value": arm.capacity.value, "low": arm.capacity.low, "high": arm.capacity.high},
                "ceiling": None
                if arm.ceiling is None
                else {"load": arm.ceiling.load, "reason": arm.ceiling.reason, "failures": arm.ceiling.failures},
                "levels": []
                if arm.levels is None
                else [
                    {"load": float(x), "asked": asked, "ms": float(ms)}
                    for x, asked, ms in zip(arm.levels.loads, arm.asked, arm.levels.ms, strict=True)
                ],
                "held": list(arm.held),
                "findings": [] if arm.placed is None else [code for code, _ in arm.placed.said],
            }
            for i, arm in enumerate(found.arms)
        ],
    }


def _knob_side(found: Knob) -> dict[str, Any]:
    return {
        "call": found.call,
        "chosen": [found.values[i] for i in found.chosen],
        "figures": {
            one.figure: {
                "ms": one.level_ms.tolist(),
                "inside": list(one.inside),
                "lost_ln": list(one.lost),
                "flat_ln": one.flat,
            }
            for one in found.figures
        },
    }


def knob_document(found: KnobFound) -> dict[str, Any]:
    """The account as one JSON object."""
    if not found.names:
        return _knob_side(found.sides[0])
    proven = [] if found.crossings is None else found.crossings.proven
    return {
        "arms": {name: _knob_side(side) for name, side in zip(found.names, found.sides, strict=True)},
        "crossings": [{"value": c.value, "low": c.low, "high": c.high} for c in proven],
    }


def cores_of(plan: Plan, spool: RecordingSpool) -> list[Scaling]:
    """What more cores bring, in each figure."""
    levels = _free(next(iter(levels_of(plan, spool).values())))
    cores = [int(one.value) for one in levels]
    slots = places_of(spool)
    return [
        scaling(f, cores, [one.figures[f] for one in levels], [one.slots for one in levels], slots) for f in FIGURES
    ]


def print_cores(console: Console, found: list[Scaling]) -> None:
    for one in found:
        console.print(f"\n{cores_wording.sentence(one)}", highlight=False, style="bold")
        heads = ("cores", "ms", "times as fast", "of each core")
        console.print(
            _table(heads, [
                (str(s.cores), f"{s.ms:.3f}", cores_wording.speed_words(s), cores_wording.efficiency_words(s))
                for s in one.speed_ups
            ])
        )  # fmt: skip
        for line in (cores_wording.law_sentence(one), *cores_wording.notes(one, [], None)):
            console.print(line, highlight=False, style="dim")


def cores_document(found: list[Scaling]) -> dict[str, Any]:
    """The account as one JSON object."""
    return {
        one.figure: {
            "speed_ups": [
                {"cores": s.cores, "ms": s.ms, "speed_up": s.speed_up, "low": s.low, "high": s.high, "above": s.above}
                for s in one.speed_ups
            ],
            "law": None
            if one.law is None
            else {"serial": one.law.serial, "overhead": one.law.overhead, "lack_of_fit": one.law.lack_of_fit},
        }
        for one in found
    }
