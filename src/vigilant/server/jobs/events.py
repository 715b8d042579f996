"""How far a job is, as it goes."""

from __future__ import annotations

from uuid import UUID

from django.http import HttpRequest, HttpResponseBase

from vigilant.server.auth import books_of
from vigilant.server.streaming import Hub, Report, answer, event

from .api import JobSerializer
from .models import Job


def _newest(jobs: list[UUID]) -> list[tuple[UUID, Report]]:
    return [(job.pk, _report(job)) for job in Job.objects.filter(pk__in=jobs).defer("arguments")]


def _report(job: Job) -> Report:
    told_apart = f"{job.state} {job.progress} {job.message} {job.cancel_asked} {job.attempts}"
    return told_apart, event("job", JobSerializer(job).data)


def _may_read(request: HttpRequest, job_id: UUID) -> bool:
    return Job.objects.filter(pk=job_id, book__in=books_of(request)).exists()  # type: ignore[arg-type]


_hub = Hub(_newest)


async def events(request: HttpRequest, job_id: UUID) -> HttpResponseBase:
    """``text/event-stream`` of a job, whenever something of it changes."""
    return await answer(request, _hub, job_id, _may_read, "job")
