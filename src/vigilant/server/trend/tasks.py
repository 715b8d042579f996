"""A finished recording is held against the lines that it belongs to."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any
from uuid import UUID

from vigilant.server.jobs import services as jobs
from vigilant.server.jobs.sweeping import swept
from vigilant.server.runs.ingest import recording_finished
from vigilant.server.runs.models import Recording

from . import build_runs
from .alarms import read_recording
from .models import BuildPlace

#: The kind of job that holds what a recording brought against its lines.
READ_LINE = "read the line"


@jobs.handles(READ_LINE)
def read_line(work: jobs.Work, subject: str, arguments: Mapping[str, Any]) -> None:
    read_recording(Recording.objects.select_related("scenario_version__scenario__book", "rig").get(pk=UUID(subject)))


def _begin(recording: Recording, **_: Any) -> None:
    labels = recording.slots.exclude(run=None).values_list("run__build__label", flat=True)
    if BuildPlace.objects.filter(book=recording.book_id, name__in=set(labels)).exists():
        jobs.start(READ_LINE, recording.pk, recording.book)


@swept
def rows_of_builds() -> None:
    """So that no page has to: after an upgrade, and while runs come."""
    build_runs.read_some()


recording_finished.connect(_begin, weak=False, dispatch_uid="trend")
