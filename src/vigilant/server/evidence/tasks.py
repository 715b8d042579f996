"""What leaves find is looked for once, when an entry is made: remarks under its sentence."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from vigilant.core import CORE_VERSION
from vigilant.server.entries.comparing import comparison_kept
from vigilant.server.entries.models import Comparison
from vigilant.server.jobs import services as jobs
from vigilant.server.jobs.sweeping import swept

from . import remarks


@jobs.handles(remarks.REMARKS)
def find_remarks(work: jobs.Work, subject: str, arguments: Mapping[str, Any]) -> None:
    remarks.find(int(subject))


def _begin(comparison: Comparison, **_: Any) -> None:
    jobs.start(remarks.REMARKS, comparison.pk, comparison.book, core=CORE_VERSION)


@swept
def unlooked() -> None:
    """Entries of before there were leaves, or of an earlier core; one that failed is not tried by every sweep."""
    tried = jobs.over(remarks.REMARKS, core=CORE_VERSION)
    for comparison in remarks.unlooked():
        if str(comparison.pk) not in tried:
            _begin(comparison)


comparison_kept.connect(_begin, weak=False, dispatch_uid="evidence")
