"""What workers do for entries."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any
from uuid import UUID

from vigilant.core import CORE_VERSION
from vigilant.server.jobs import services as jobs
from vigilant.server.jobs.models import Job
from vigilant.server.jobs.sweeping import swept

from . import comparing, results, side_by_side

#: So many comparisons are put in the queue at a time to be made anew.
AT_A_TIME = 50


@jobs.handles(comparing.COMPARE)
def compare_recording(work: jobs.Work, subject: str, arguments: Mapping[str, Any]) -> dict[str, Any]:
    return results.delivered(comparing.compare_delivered(UUID(subject), work))


@jobs.handles(comparing.COMPARE_STORED)
def compare_stored(work: jobs.Work, subject: str, arguments: Mapping[str, Any]) -> dict[str, Any]:
    return results.delivered(comparing.compare_stored(work, arguments))


@jobs.handles(side_by_side.SIDE_BY_SIDE)
def set_side_by_side(work: jobs.Work, subject: str, arguments: Mapping[str, Any]) -> dict[str, Any]:
    book = Job.objects.select_related("book").get(pk=work.job).book
    work.at(0.1, f"reading and comparing {len(arguments['wanted'])} arms")
    return side_by_side.compare_arms(book, **arguments)


@jobs.handles(comparing.RECOMPUTE, heavy=True)
def recompute(work: jobs.Work, subject: str, arguments: Mapping[str, Any]) -> None:
    comparing.recompute(int(subject))


@swept
def outdated() -> None:
    """After an upgrade; one that cannot be made anew is not tried again by every sweep."""
    for comparison in comparing.outdated(untried=True)[:AT_A_TIME]:
        jobs.start(comparing.RECOMPUTE, comparison, core=CORE_VERSION)
