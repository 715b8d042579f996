"""Switching off one at a time: the arms that a plan's switches make."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from vigilant.formats.errors import PlanError

from .tables import MOST_ARMS


def with_arms(raw: Mapping[str, Any], where: str = "plan") -> dict[str, Any]:
    """The tables of a plan with the arms of its switches: the one arm it gives has everything on; each switch adds an
    arm where it alone is off, and one where it is cured. A plan without switches comes back as it is. Expects tables
    that were checked. Raises :class:`PlanError`."""
    switches = raw.get("switch") or []
    if not switches:
        return dict(raw)
    given = list(raw.get("arm") or [])
    played = [arm for arm in given if not arm.get("empty")]
    if len(played) != 1:
        raise PlanError(f"{where}: with switches a plan has one [[arm]], everything on; there are {len(played)}")
    if bare := [s["name"] for s in switches if not s.get("off") and not s.get("cure")]:
        raise PlanError(f"{where}: switch {bare[0]} says neither what is added when it is off nor a cure")
    made = [made for table in switches for made in _arms_of(played[0], table)]
    arms = [{"name": "everything on", **played[0]}, *made, *(arm for arm in given if arm.get("empty"))]
    if len(arms) > MOST_ARMS:
        raise PlanError(f"{where}: these switches make {len(arms)} arms; {MOST_ARMS} are the most")
    return {**{key: table for key, table in raw.items() if key != "switch"}, "arm": arms}


def _arms_of(on: Mapping[str, Any], switch: Mapping[str, Any]) -> list[dict[str, Any]]:
    """The arms of one switch. A command takes what is added at its end, a subject among its arguments."""
    name, key = switch["name"], "command" if on.get("command") else "arguments"
    ways = (("off", f"{name} off", switch.get("off")), ("cures", f"{name} cured", switch.get("cure")))
    return [{**on, "name": said, key: [*on.get(key, []), *added], way: name} for way, said, added in ways if added]


def is_screening(arms: Sequence[Mapping[str, Any]]) -> bool:
    """Whether the arms of a plan switch something off, or cure it, one at a time."""
    return any(arm.get("off") or arm.get("cures") for arm in arms if isinstance(arm, dict))


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
