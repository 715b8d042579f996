"""Live views: what a recorder reports, as it comes."""

from __future__ import annotations

from uuid import UUID

from django.http import HttpRequest, HttpResponseBase

from vigilant.server.auth import books_of
from vigilant.server.runs.models import Recording
from vigilant.server.streaming import Hub, Report, answer, event

from .models import Live
from .services import jobs_of


def _newest(recordings: list[UUID]) -> list[tuple[UUID, Report]]:
    """The newest reports, each with the recording's own state and that of the job behind it, in two queries."""
    found = Live.objects.filter(recording__in=recordings).select_related("recording")
    behind = jobs_of(recordings)
    return [(live.recording_id, _report(live, behind.get(str(live.recording_id), ""))) for live in found]


def _report(live: Live, job: str) -> Report:
    state = f"{live.recording.state} {live.recording.control} {job}".strip()
    body = {"number": live.number, "recording": state, **live.state}
    return f"{live.number} {state}", event("report", body, live.number)


def _may_read(request: HttpRequest, recording_id: UUID) -> bool:
    return Recording.objects.filter(pk=recording_id, book__in=books_of(request)).exists()  # type: ignore[arg-type]


_hub = Hub(_newest)


async def events(request: HttpRequest, recording_id: UUID) -> HttpResponseBase:
    """``text/event-stream`` of reports: ``id`` is the report's number, data its state as JSON."""
    return await answer(request, _hub, recording_id, _may_read, "recording")
