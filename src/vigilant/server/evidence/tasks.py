"""What leaves find is looked for once, when an entry is made: remarks under its sentence."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from vigilant.core import CORE_VERSION
from vigilant.server.entries.comparing import comparison_kept
from vigilant.server.entries.models import Comparison
from vigilant.server.jobs import services as jobs
from vigilant.server.jobs.sweeping import swept
from vigilant.server.runs.models import Run
from vigilant.server.runs.stills import still_kept

from . import goes, remarks, stills


@jobs.handles(stills.REMARKS)
def find_remarks(work: jobs.Work, subject: str, arguments: Mapping[str, Any]) -> None:
    remarks.find(int(subject))


@jobs.handles(goes.GOES_WITH, heavy=True)
def find_what_goes(work: jobs.Work, subject: str, arguments: Mapping[str, Any]) -> None:
    goes.look(subject)


def _begin(comparison: Comparison, **_: Any) -> None:
    stills.begin(comparison)


def _pictures_came(run: Run, **_: Any) -> None:
    """Later than the comparison of their run."""
    for comparison in Comparison.objects.filter(arms__runs__run=run, entry__isnull=False).select_related("book"):
        stills.begin(comparison)


@swept
def unlooked() -> None:
    """Entries of before there were leaves, or of an earlier core; one that failed is not tried by every sweep."""
    tried = jobs.over(stills.REMARKS, core=CORE_VERSION)
    for comparison in remarks.unlooked():
        if str(comparison.pk) not in tried:
            _begin(comparison)


comparison_kept.connect(_begin, weak=False, dispatch_uid="evidence")
still_kept.connect(_pictures_came, weak=False, dispatch_uid="evidence")
