"""The arms that a plan's sweep makes: one for each value of a load, a knob, or a number of cores, of one arm or of two."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import TYPE_CHECKING, Any

from vigilant.formats.errors import PlanError

from .armref import ArmRef
from .tables import MOST_ARMS

if TYPE_CHECKING:
    from .model import Arm, Plan

SIDES = ("before", "after")
VALUE = "{value}"


def swept(given: Sequence[Mapping[str, Any]], sweep: Mapping[str, Any], where: str) -> list[dict[str, Any]]:
    """An arm for each value, of the one arm that is given, or of two; at each richness, where there are. Raises :class:`PlanError`."""
    _check(given, sweep, where)
    if sweep.get("richness"):
        table = sweep["richness"]
        return [
            _at(_as_rich(given[0], table, rich), sweep, value, "")
            for rich in table["values"]
            for value in sweep["values"]
        ]
    two = len(given) == 2
    return [
        _at(base, sweep, value, SIDES[i] if two else "") for i, base in enumerate(given) for value in sweep["values"]
    ]


VALUES = "{values}"


def check_in_one_run(arms: Sequence[Mapping[str, Any]], sweep: Mapping[str, Any], where: str) -> None:
    """What a plan must be whose runs play all loads: of one arm that is started here, and told the loads. Raises :class:`PlanError`."""
    if sweep["of"] != "load" or len(arms) != 1 or sweep.get("richness") or sweep.get("until_pct") is not None:
        raise PlanError(f"{where}: in one run are the loads of one arm, at one richness, none of them chosen later")
    if arms[0].get("page") or arms[0].get("listen") or arms[0].get("empty"):
        raise PlanError(f"{where}: loads in one run are told to a subject that the recorder starts")
    if not any(VALUES in argument for argument in sweep.get("arguments") or []):
        raise PlanError(
            f"{where}: [sweep] arguments must hold {VALUES} somewhere, which is filled in with a run's loads in their order"
        )
    if len(set(sweep["values"])) < len(sweep["values"]):
        raise PlanError(f"{where}: two values of the sweep are the same")


def in_one_run(arm: Mapping[str, Any], sweep: Mapping[str, Any]) -> dict[str, Any]:
    """The table of the one arm, with the arguments that its runs are told their loads by."""
    return {**arm, arguments_key(arm): [*arm.get(arguments_key(arm), []), *sweep["arguments"]]}


def _check(given: Sequence[Mapping[str, Any]], sweep: Mapping[str, Any], where: str) -> None:
    arguments, cores = sweep.get("arguments") or [], sweep["of"] == "cores"
    if not cores and not any(VALUE in argument for argument in arguments):
        raise PlanError(f"{where}: [sweep] arguments must hold {VALUE} somewhere")
    if cores and (odd := [v for v in sweep["values"] if v < 1 or v != int(v)]):
        raise PlanError(f"{where}: cores are whole numbers from 1, got {odd[0]:g}")
    if cores and (short := [base for base in given if base.get("cores") and len(base["cores"]) < max(sweep["values"])]):
        raise PlanError(
            f"{where}: arm {short[0].get('name', '')} may use {len(short[0]['cores'])} cores; the sweep goes to {max(sweep['values']):g}"
        )
    if len(given) == 2 and not all(base.get("name") for base in given):
        raise PlanError(f"{where}: of two arms that are swept each has a name")
    if sweep.get("until_pct") is None and (sweep.get("most_runs") or sweep.get("most_value")):
        raise PlanError(
            f"{where}: most_runs and most_value go with until_pct, which has levels chosen one after the other"
        )
    if sweep.get("until_pct") is not None and (sweep["of"] != "load" or len(given) != 1):
        raise PlanError(f"{where}: levels are chosen one after the other of a load of one arm")
    if sweep.get("most_value") is not None and sweep["most_value"] < max(sweep["values"]):
        raise PlanError(f"{where}: most_value {sweep['most_value']:g} is under the values that are recorded first")
    rich = sweep.get("richness")
    if rich:
        _check_richness(given, sweep, rich, where)
    made = len(given) * len(sweep["values"]) * (len(rich["values"]) if rich else 1)
    if made > MOST_ARMS - 1:
        raise PlanError(f"{where}: this sweep makes {made} arms; {MOST_ARMS - 1} are the most")


def _check_richness(
    given: Sequence[Mapping[str, Any]], sweep: Mapping[str, Any], rich: Mapping[str, Any], where: str
) -> None:
    if sweep["of"] != "load" or len(given) != 1:
        raise PlanError(f"{where}: what is ramped at each richness is a load of one arm")
    if sweep.get("until_pct") is not None:
        raise PlanError(f"{where}: levels are not chosen one after the other at several richnesses")
    if not any(VALUE in argument for argument in rich["arguments"]):
        raise PlanError(f"{where}: [sweep.richness] arguments must hold {VALUE} somewhere")
    if len(set(rich["values"])) < len(rich["values"]):
        raise PlanError(f"{where}: two values of [sweep.richness] are the same")


def _as_rich(base: Mapping[str, Any], table: Mapping[str, Any], rich: float) -> dict[str, Any]:
    """The table of the arm that is ramped at a richness."""
    return {
        **base,
        "name": f"{rich:.12g} {table['name']}",
        arguments_key(base): [*base.get(arguments_key(base), []), *_given(table, rich)],
        "richness": float(rich),
    }


def _given(table: Mapping[str, Any], value: float) -> list[str]:
    """The arguments that carry a value."""
    return [argument.replace(VALUE, f"{value:.12g}") for argument in table.get("arguments") or []]


def arguments_key(base: Mapping[str, Any]) -> str:
    """A command takes what is added at its end, a subject among its arguments."""
    return "command" if base.get("command") else "arguments"


def line_of(side: str, richness: float | None) -> str:
    """Which line of values an arm belongs to: a side of two, a richness, or "" of one alone."""
    return side if richness is None else f"{richness:.12g}"


def _at(base: Mapping[str, Any], sweep: Mapping[str, Any], value: float, side: str) -> dict[str, Any]:
    """The table of an arm at a value."""
    key = arguments_key(base)
    name = f"{value:.12g} {sweep['name']}"
    made = {
        **base,
        "name": f"{base['name']}, {name}" if side or base.get("richness") is not None else name,
        key: [*base.get(key, []), *_given(sweep, value)],
        "value": float(value),
        **({"side": side} if side else {}),
    }
    if sweep["of"] == "cores":
        made["cores"] = list(base.get("cores") or range(int(value)))[: int(value)]
    return made


def check_swept(arms: Sequence[Arm], where: str) -> None:
    """What the arms of a sweep must be: a value each, none twice on one side. Raises :class:`PlanError`."""
    played = [arm for arm in arms if arm.label != "empty"]
    if any(arm.value is None or arm.off or arm.cures or arm.on is not None for arm in played):
        raise PlanError(f"{where}: of a sweep every arm has a value")
    sides = {arm.side for arm in played}
    if sides not in ({""}, set(SIDES)):
        raise PlanError(f"{where}: of a sweep of two arms each is on one side, {' or '.join(SIDES)}")
    rich = {arm.richness for arm in played}
    if rich != {None} and (len(rich) < 2 or None in rich or sides != {""}):
        raise PlanError(f"{where}: of a load at several richnesses every arm has one, and no side")
    if len({(arm.side, arm.richness, arm.value) for arm in played}) < len(played):
        raise PlanError(f"{where}: two arms of the sweep have one value")


def with_level(plan: Plan, value: float) -> tuple[Plan, str]:
    """The plan with one level more, and its label: levels chosen one after the other are not known when it begins. Raises
    :class:`PlanError` where it has as many arms as there may be."""
    sweep = plan.raw["sweep"]
    played = [arm for arm in plan.arms if arm.label != "empty"]
    if len(plan.arms) >= MOST_ARMS:
        raise PlanError(f"this ramp has {len(plan.arms)} levels; {MOST_ARMS} are the most")
    label = ArmRef.at(len(played)).label
    first, table = played[0], next(t for t in plan.raw["arm"] if t.get("value") is not None)
    count = len(sweep["arguments"])
    key = arguments_key(table)
    bare = {**table, key: table[key][: len(table[key]) - count]}
    made = _at(bare, sweep, value, "")
    added = made[key][len(bare[key]) :]
    arm = replace(
        first,
        label=label,
        name=made["name"],
        value=float(value),
        command=(*first.command[: len(first.command) - count], *added) if first.command else (),
        arguments=tuple(made.get("arguments", [])),
    )
    tables = [t for t in plan.raw["arm"] if not t.get("empty")]
    empty = [t for t in plan.raw["arm"] if t.get("empty")]
    raw = {**plan.raw, "arm": [*tables, made, *empty]}
    return replace(plan, arms=(*played, arm, *(a for a in plan.arms if a.label == "empty")), raw=raw), label
