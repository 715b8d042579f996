"""What leaves find is looked for once, when an entry is made: remarks under its sentence."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from vigilant.server.entries.comparing import comparison_kept
from vigilant.server.entries.models import Comparison
from vigilant.server.jobs import services as jobs

from . import remarks


@jobs.handles(remarks.REMARKS)
def find_remarks(work: jobs.Work, subject: str, arguments: Mapping[str, Any]) -> None:
    remarks.find(int(subject))


def _begin(comparison: Comparison, **_: Any) -> None:
    jobs.start(remarks.REMARKS, comparison.pk, comparison.book)


comparison_kept.connect(_begin, weak=False, dispatch_uid="evidence")
