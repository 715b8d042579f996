"""What workers do for entries."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any
from uuid import UUID

from vigilant.core import CORE_VERSION
from vigilant.server.jobs import services as jobs
from vigilant.server.jobs.sweeping import swept

from . import comparing, presenting

#: So many comparisons are put in the queue at a time to be made anew.
AT_A_TIME = 50


@jobs.handles(comparing.COMPARE)
def compare_recording(work: jobs.Work, subject: str, arguments: Mapping[str, Any]) -> dict[str, Any]:
    return presenting.delivered(comparing.compare_delivered(UUID(subject), work))


@jobs.handles(comparing.RECOMPUTE)
def recompute(work: jobs.Work, subject: str, arguments: Mapping[str, Any]) -> None:
    comparing.recompute(int(subject))


@swept
def outdated() -> None:
    """After an upgrade; one that cannot be made anew is not tried again by every sweep."""
    for comparison in comparing.outdated(untried=True)[:AT_A_TIME]:
        jobs.start(comparing.RECOMPUTE, comparison, core=CORE_VERSION)
