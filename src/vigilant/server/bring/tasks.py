"""What workers do with files."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any
from uuid import UUID

from vigilant.server.jobs import services as jobs

from . import bringing, looking, receiving


@jobs.handles(receiving.LOOK, needed=True)
def look_at_file(work: jobs.Work, subject: str, arguments: Mapping[str, Any]) -> None:
    looking.look_at(UUID(subject))


@jobs.handles(bringing.BRING)
def bring_in(work: jobs.Work, subject: str, arguments: Mapping[str, Any]) -> dict[str, Any]:
    return bringing.bring(work, arguments)
