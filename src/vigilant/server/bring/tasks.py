"""What workers do with files."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import timedelta
from typing import Any
from uuid import UUID

from django.utils import timezone

from vigilant.server.jobs import services as jobs
from vigilant.server.jobs.models import Job
from vigilant.server.jobs.sweeping import swept

from . import bringing, looking, receiving
from .models import BroughtFile

#: So long a file waits to be brought in.
KEPT_DAYS = 30
#: So many are forgotten in one sweep.
AT_A_TIME = 20


@jobs.handles(receiving.LOOK, needed=True, heavy=True)
def look_at_file(work: jobs.Work, subject: str, arguments: Mapping[str, Any]) -> None:
    looking.look_at(UUID(subject))


@swept
def unseen() -> None:
    """Files that wait for a look without a job: one that was given up says why, any other is looked at once more."""
    for file in BroughtFile.objects.select_related("book").filter(state=BroughtFile.State.LOOKING):
        last = Job.objects.filter(kind=receiving.LOOK, subject=str(file.pk)).order_by("-created_at").first()
        if last is not None and last.state == Job.State.FAILED:
            looking.give_up(file, last.problem["detail"])
        elif last is None or last.active is None:
            jobs.start(receiving.LOOK, file.pk, file.book)


@swept
def forgotten() -> None:
    """Files that nothing came of for long: half sent, never agreed, or an archive whose files stand for it."""
    long_ago = timezone.now() - timedelta(days=KEPT_DAYS)
    old = BroughtFile.objects.filter(created_at__lt=long_ago, runs=None).exclude(state=BroughtFile.State.BROUGHT)
    for file in old[:AT_A_TIME]:
        file.delete()


@jobs.handles(bringing.BRING, heavy=True)
def bring_in(work: jobs.Work, subject: str, arguments: Mapping[str, Any]) -> dict[str, Any]:
    return bringing.bring(work, arguments)
