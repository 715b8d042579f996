"""What two rigs of a book take for the same known work: the recorder's calibration load, and the book's own calibration scenarios."""

from __future__ import annotations

import math

from vigilant.core.carrying import NORMAL, Factor, Yardstick, factor_of, timed
from vigilant.server.runs.models import Run, RunFigures
from vigilant.server.scenarios.models import Rig, ScenarioVersion

#: The kind of a scenario that is recorded on rigs to set them side by side.
CALIBRATION = "calibration"
LOAD = "the calibration load"
#: So many runs of a rig are read, the newest.
RUNS_READ = 20


def factor_between(book_id: int, here: Rig, alias: str) -> Factor | None:
    """How many times as long the named rig takes as this one; None where no work of both is known."""
    known = [one for one in (_load(book_id, here, alias), _scenario(book_id, here, alias)) if one is not None]
    return factor_of(known) if known else None


def _load(book_id: int, here: Rig, alias: str) -> Yardstick | None:
    there = Rig.objects.filter(book=book_id, alias=alias).exclude(speed=None).order_by("-id").first()
    if there is None or here.speed is None or there.speed["load"] != here.speed["load"]:
        return None
    error = math.hypot(there.speed["log_error"], here.speed["log_error"])
    return Yardstick(LOAD, math.log(there.speed["ms"] / here.speed["ms"]), NORMAL * error)


def _scenario(book_id: int, here: Rig, alias: str) -> Yardstick | None:
    """The newest calibration scenario that both rigs recorded."""
    versions = ScenarioVersion.objects.filter(scenario__book=book_id, definition__kind=CALIBRATION).select_related(
        "scenario"
    )
    for version in versions.order_by("-id"):
        found = timed(f"the scenario {version.scenario.name}", _means(version, here.alias), _means(version, alias))
        if found is not None:
            return found
    return None


def _means(version: ScenarioVersion, alias: str) -> list[float]:
    rigs = list(Rig.objects.filter(book=version.scenario.book_id, alias=alias).values_list("pk", flat=True))
    runs = Run.objects.filter(scenario_version=version, rig__in=rigs, state=Run.State.COMPLETE, excluded_at=None)
    # Keys alone first, of one table: an index has them in this order, and whole rows are long.
    newest = list(runs.order_by("-started_at").values_list("pk", flat=True)[:RUNS_READ])
    figures = RunFigures.objects.in_bulk(newest)
    return [float(figures[key].values["mean_ms"]) for key in newest if key in figures]


def known_rigs(book_id: int, here: Rig) -> list[str]:
    """Other rigs of the book that something is known of beside this one."""
    aliases = Rig.objects.filter(book=book_id).exclude(alias__in=("", here.alias)).values_list("alias", flat=True)
    return [alias for alias in sorted(set(aliases)) if factor_between(book_id, here, alias) is not None]
