"""What workers do with runs."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import timedelta
from typing import Any
from uuid import UUID

from django.utils import timezone

from vigilant.core import CORE_VERSION
from vigilant.server.jobs import services as jobs
from vigilant.server.jobs.models import Job
from vigilant.server.jobs.sweeping import swept

from . import closing, figures
from .models import Run

#: The kind of job that makes the figures of a run anew, with the core that it makes them for.
FIGURES = "figures of run"

#: A recorder that lost its server goes on by itself within minutes; a day covers a night without power.
PATIENCE_H = 24.0
#: So many runs are put in the queue at a time to have their figures made anew.
AT_A_TIME = 50


@jobs.handles(closing.CLOSE_RUN, needed=True)
def close_run(work: jobs.Work, subject: str, arguments: Mapping[str, Any]) -> None:
    closing.close_run(UUID(subject), arguments["frames"], arguments["given_up"])


@jobs.handles(FIGURES, heavy=True)
def figures_of_run(work: jobs.Work, subject: str, arguments: Mapping[str, Any]) -> None:
    figures.recompute_figures(UUID(subject))


@swept
def unreached() -> None:
    closing.close_unreached(timezone.now() - timedelta(hours=PATIENCE_H))


@swept
def unclosed() -> None:
    """Runs whose closing was given up: they are broken, with everything kept, and nothing waits for them."""
    left = Run.objects.filter(state=Run.State.CLOSING).values_list("pk", flat=True)
    for run in left:
        last = Job.objects.filter(kind=closing.CLOSE_RUN, subject=str(run)).order_by("-created_at").first()
        if last is not None and last.active is None:
            closing.give_up_closing(run, (last.problem or {}).get("detail", "its job ended"))


@swept
def outdated() -> None:
    """After an upgrade; a run whose figures cannot be made anew is not tried again by every sweep."""
    found = figures.outdated()
    tried = jobs.over(FIGURES, core=CORE_VERSION) if found else set()
    for run in [run for run in found if str(run) not in tried][:AT_A_TIME]:
        jobs.start(FIGURES, run, core=CORE_VERSION)
