"""The arms that a plan's switches make: each feature off alone, or the combinations of a design."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, Literal

from vigilant.core.errors import CoreError
from vigilant.core.vary import configurations
from vigilant.formats.errors import PlanError

from .hunting import ends, of_one_build
from .sweeps import VALUES, arguments_key, check_in_one_run, in_one_run, swept
from .tables import COMBINED, MOST_ARMS, TOGETHER

#: What comes of a recording: an entry (""), or an account of its own.
Account = Literal["", "switched", "untangled", "mixture", "ramp", "trade", "knob", "cores", "matrix", "hunt", "line"]
#: Loads of a mixture.
MOST_PARTS = 8


def with_arms(raw: Mapping[str, Any], where: str = "plan") -> dict[str, Any]:
    """The tables of a plan with the arms of its switches: the one arm it gives has everything on; each switch adds an
    arm where it alone is off, and one where it is cured. A plan without switches comes back as it is. Expects tables
    that were checked. Raises :class:`PlanError`."""
    switches, sweep = raw.get("switch") or [], raw.get("sweep")
    if raw.get("hunt"):
        if switches or sweep:
            raise PlanError(f"{where}: a plan hunts, or it sweeps or switches")
        there = any(arm.get("value") is not None for arm in raw.get("arm") or [])
        if raw.get("line"):
            raise PlanError(f"{where}: a plan hunts, or it records one build for its line")
        return dict(raw) if there else {**raw, "arm": ends(list(raw.get("arm") or []), raw["hunt"], where)}
    if raw.get("line"):
        if switches or sweep:
            raise PlanError(f"{where}: one build for its line is neither swept nor switched")
        return {**raw, "arm": of_one_build(list(raw.get("arm") or []), raw["line"], where)}
    if sweep and any(arm.get("value") is not None for arm in raw.get("arm") or []):
        sweep = None  # its arms are made already
    if switches and raw.get("sweep"):
        raise PlanError(f"{where}: a plan has switches or a sweep, not both")
    if not switches and not sweep:
        return dict(raw)
    given = list(raw.get("arm") or [])
    played = [arm for arm in given if not arm.get("empty")]
    if sweep and sweep.get("in_one_run"):
        check_in_one_run(given, sweep, where)
        told = any(VALUES in argument for argument in given[0].get(arguments_key(given[0]), []))
        return dict(raw) if told else {**raw, "arm": [in_one_run(given[0], sweep)]}
    if sweep and len(played) in (1, 2):
        return {**raw, "arm": [*swept(played, sweep, where), *(arm for arm in given if arm.get("empty"))]}
    if len(played) != 1:
        most = "one [[arm]], or two" if sweep else "one [[arm]]"
        raise PlanError(f"{where}: with switches or a sweep a plan has {most}; there are {len(played)}")
    names = [s["name"] for s in switches]
    if len(set(names)) < len(names):
        raise PlanError(f"{where}: two switches have one name: {', '.join(names)}")
    ways = {COMBINED: _combined, TOGETHER: _together}
    way = ways.get((raw.get("recording") or {}).get("switches", ""), _alone)
    made = way(played[0], switches, where)
    arms = [*made, *(arm for arm in given if arm.get("empty"))]
    if len(arms) > MOST_ARMS:
        raise PlanError(f"{where}: these switches make {len(arms)} arms; {MOST_ARMS} are the most")
    return {**{key: table for key, table in raw.items() if key != "switch"}, "arm": arms}


def _alone(base: Mapping[str, Any], switches: Sequence[Mapping[str, Any]], where: str) -> list[dict[str, Any]]:
    """Everything on, and each switch off, or cured, alone."""
    if bare := [s["name"] for s in switches if not s.get("off") and not s.get("cure")]:
        raise PlanError(f"{where}: switch {bare[0]} says neither what is added when it is off nor a cure")
    return [{"name": "everything on", **base}, *(made for table in switches for made in _arms_of(base, table))]


def _combined(base: Mapping[str, Any], switches: Sequence[Mapping[str, Any]], where: str) -> list[dict[str, Any]]:
    """An arm for each configuration of the design, none of the changes first."""
    if bare := [s["name"] for s in switches if not s.get("on") and not s.get("off")]:
        raise PlanError(f"{where}: change {bare[0]} says neither what is added when it is on nor when it is off")
    try:
        configs = configurations(len(switches))
    except CoreError as error:
        raise PlanError(f"{where}: {error}") from error
    return _configured(base, switches, configs)


def _together(base: Mapping[str, Any], switches: Sequence[Mapping[str, Any]], where: str) -> list[dict[str, Any]]:
    """An arm without any of the loads, one with each by itself, and one with all."""
    if bare := [s["name"] for s in switches if not s.get("on")]:
        raise PlanError(f"{where}: load {bare[0]} says nothing that is added while it is there")
    _check_parts(len(switches), where)
    return _configured(base, switches, scenes(len(switches)))


def _check_parts(count: int, where: str) -> None:
    if not 2 <= count <= MOST_PARTS:
        raise PlanError(f"{where}: a mixture has from 2 to {MOST_PARTS} loads, got {count}")


def scenes(parts: int) -> list[tuple[bool, ...]]:
    """The scenes of a mixture: nothing, each part by itself, all of them."""
    alone = [tuple(i == part for i in range(parts)) for part in range(parts)]
    return [(False,) * parts, *alone, (True,) * parts]


def _configured(
    base: Mapping[str, Any], switches: Sequence[Mapping[str, Any]], configs: Sequence[tuple[bool, ...]]
) -> list[dict[str, Any]]:
    """An arm for each configuration."""
    arms = []
    for config in configs:
        on = [s["name"] for s, one in zip(switches, config, strict=True) if one]
        added = [a for s, one in zip(switches, config, strict=True) for a in _added(s, one)]
        arms.append(
            {
                **base,
                "name": " + ".join(on) or "none of them",
                arguments_key(base): [*base.get(arguments_key(base), []), *added],
                "on": on,
            }
        )
    return arms


def _added(switch: Mapping[str, Any], on: bool) -> Sequence[str]:
    """What a change adds: where it says what it adds when it is on, nothing when it is off."""
    if switch.get("on"):
        return switch["on"] if on else []
    return [] if on else switch["off"]


def _arms_of(on: Mapping[str, Any], switch: Mapping[str, Any]) -> list[dict[str, Any]]:
    """The arms of one switch."""
    name, key = switch["name"], arguments_key(on)
    ways = (("off", f"{name} off", switch.get("off")), ("cures", f"{name} cured", switch.get("cure")))
    return [{**on, "name": said, key: [*on.get(key, []), *added], way: name} for way, said, added in ways if added]


def account_of(plan: Mapping[str, Any]) -> Account:
    """What account comes of a plan (its tables); "" of those that make entries."""
    listed = plan.get("arm")
    tables = [arm for arm in listed if isinstance(arm, dict)] if isinstance(listed, list) else []
    for own in ("hunt", "line"):
        if isinstance(plan.get(own), dict):
            return own
    sweep = plan.get("sweep")
    if isinstance(sweep, dict) and sweep.get("in_one_run"):
        return "ramp"
    if any(arm.get("value") is not None for arm in tables):
        of = sweep.get("of") if isinstance(sweep, dict) else ""
        if any(arm.get("richness") is not None for arm in tables):
            return "trade"
        return "ramp" if of == "load" else "cores" if of == "cores" else "knob"
    if any(arm.get("on") is not None for arm in tables):
        recording = plan.get("recording")
        way = recording.get("switches") if isinstance(recording, dict) else ""
        return "mixture" if way == TOGETHER else "untangled"
    if any(arm.get("off") or arm.get("cures") for arm in tables):
        return "switched"
    return "matrix" if isinstance(plan.get("cell"), dict) else ""


def check_combined(arms: Sequence[Any], together: bool, where: str) -> None:
    """What the arms (as :class:`vigilant.plan.model.Arm`) of changes in combinations must be: those of a design, each once; of loads
    alone and ``together`` those of a mixture. Raises :class:`PlanError`."""
    played = [arm for arm in arms if arm.label != "empty"]
    if any(arm.on is None or arm.off or arm.cures for arm in played):
        raise PlanError(f"{where}: of changes in combinations every arm says which are on")
    names = list(dict.fromkeys(name for arm in played for name in arm.on))
    found = [tuple(name in arm.on for name in names) for arm in played]
    if together:
        _check_parts(len(names), where)
    try:
        wanted = scenes(len(names)) if together else configurations(len(names))
    except CoreError as error:
        raise PlanError(f"{where}: {error}") from error
    if sorted(found) != sorted(wanted) or any(found[0]):
        raise PlanError(f"{where}: the arms are not the combinations of {', '.join(names)}, none of them first")


def check_screening(arms: Sequence[Any], where: str) -> None:
    """What the arms (as :class:`vigilant.plan.model.Arm`) of a screening must be: one with everything on, first, and every
    other that plays one switch away from it. Raises :class:`PlanError`."""
    first, *others = [arm for arm in arms if arm.label != "empty"]
    if first.off or first.cures:
        raise PlanError(f"{where}: the first arm has everything on; {first.name} is {first.off or first.cures} off")
    seen: set[tuple[str, str]] = set()
    for arm in others:
        if bool(arm.off) == bool(arm.cures):
            raise PlanError(f"{where}: arm {arm.name} of a screening has one switch off, or cured")
        if (arm.off, arm.cures) in seen:
            raise PlanError(f"{where}: two arms have {arm.off or arm.cures} {'off' if arm.off else 'cured'}")
        seen.add((arm.off, arm.cures))
