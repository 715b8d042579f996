"""Readings are taken by workers: when a goal is set, and when something new was compared."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from vigilant.server.entries.comparing import comparison_kept
from vigilant.server.entries.models import Comparison
from vigilant.server.jobs import services as jobs

from . import services


@jobs.handles(services.READ_GOALS)
def read_goals(work: jobs.Work, subject: str, arguments: Mapping[str, Any]) -> None:
    services.read_all(int(subject), work)


def _read(comparison: Comparison, **_: Any) -> None:
    scenario = comparison.scenario_version.scenario
    if scenario.goals.filter(dropped_at=None).exists():
        services.begin_reading(scenario)


comparison_kept.connect(_read, weak=False, dispatch_uid="goals")
