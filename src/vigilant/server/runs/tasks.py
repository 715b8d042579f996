"""What workers do with runs."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import timedelta
from typing import Any
from uuid import UUID

from django.utils import timezone

from vigilant.server.jobs import services as jobs
from vigilant.server.jobs.sweeping import swept

from . import ingest

#: A recorder that lost its server goes on by itself within minutes; a day covers a night without power.
PATIENCE_H = 24.0
#: So many runs are put in the queue at a time to have their figures made anew.
AT_A_TIME = 50


@jobs.handles(ingest.CLOSE_RUN)
def close_run(work: jobs.Work, subject: str, arguments: Mapping[str, Any]) -> None:
    ingest.close_run(UUID(subject), arguments["frames"], arguments["given_up"])


@jobs.handles("figures of run")
def figures_of_run(work: jobs.Work, subject: str, arguments: Mapping[str, Any]) -> None:
    ingest.recompute_figures(UUID(subject))


@swept
def unreached() -> None:
    ingest.close_unreached(timezone.now() - timedelta(hours=PATIENCE_H))


@swept
def outdated() -> None:
    for run in ingest.outdated()[:AT_A_TIME]:
        jobs.start("figures of run", run)
