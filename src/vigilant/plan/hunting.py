"""Arms that are builds: those of a hunt, both ends first, further ones as they are chosen; and the one of a line."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import TYPE_CHECKING, Any

from vigilant.formats.errors import PlanError

from .armref import ArmRef
from .tables import MOST_ARMS

if TYPE_CHECKING:
    from .model import Plan

#: How the subject, and the command that builds it, are told which build it is.
BUILD, BUILD_VARIABLE = "{build}", "VIGILANT_BUILD"


def ends(given: Sequence[Mapping[str, Any]], hunt: Mapping[str, Any], where: str) -> list[dict[str, Any]]:
    """The good and the bad end, of the one arm that is given. Raises :class:`PlanError`."""
    builds = hunt["builds"]
    if len(given) != 1 or given[0].get("empty") or given[0].get("page") or given[0].get("listen"):
        raise PlanError(f"{where}: a hunt has one [[arm]], which the recorder starts")
    if len(set(builds)) < len(builds):
        twice = next(build for i, build in enumerate(builds) if build in builds[:i])
        raise PlanError(f"{where}: [hunt] builds name {twice} twice")
    return [_of_build(given[0], builds, place) for place in (0, len(builds) - 1)]


def _of_build(base: Mapping[str, Any], builds: Sequence[str], place: int) -> dict[str, Any]:
    return {**_built(base, builds[place]), "value": float(place)}


def _built(base: Mapping[str, Any], build: str) -> dict[str, Any]:
    return {**base, "name": build, "env": {**base.get("env", {}), BUILD_VARIABLE: build}}


def of_one_build(given: Sequence[Mapping[str, Any]], line: Mapping[str, Any], where: str) -> list[dict[str, Any]]:
    """The one arm of a recording for a line, named after its build and told which it is. Raises :class:`PlanError`."""
    if len(given) != 1 or given[0].get("empty"):
        raise PlanError(f"{where}: one build for its line has one [[arm]]; there are {len(given)}")
    return [_built(given[0], line["build"])]


def with_build(plan: Plan, place: int) -> tuple[Plan, str]:
    """The plan with one build more, and its label. Raises :class:`PlanError` where it has as many arms as there may be."""
    if len(plan.arms) >= MOST_ARMS:
        raise PlanError(f"this hunt recorded {len(plan.arms)} builds; {MOST_ARMS} are the most")
    label = ArmRef.at(len(plan.arms)).label
    builds = plan.raw["hunt"]["builds"]
    table = _of_build(plan.raw["arm"][0], builds, place)
    first = plan.arms[0]
    arm = replace(
        first,
        label=label,
        name=builds[place],
        value=float(place),
        env={**first.env, BUILD_VARIABLE: builds[place]},
    )
    return replace(plan, arms=(*plan.arms, arm), raw={**plan.raw, "arm": [*plan.raw["arm"], table]}), label
