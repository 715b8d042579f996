"""What late frames go with is looked for by a job: of long runs it takes seconds."""

from __future__ import annotations

from typing import Any

from vigilant.server.entries.models import Comparison
from vigilant.server.jobs import services as jobs

from .leaves import kept_leaf, leaf_of

GOES_WITH = "find what goes with late frames"
LEAF = "goes with"


def found_or_begun(comparison: Comparison, of: str) -> dict[str, Any]:
    """What was found and kept, or the job that looks for it."""
    found = kept_leaf(comparison, LEAF, {"of": of})
    if found is not None:
        return {"found": found, "job": None}
    job = jobs.start(GOES_WITH, f"{comparison.pk} {of}", comparison.book)
    return {"found": kept_leaf(comparison, LEAF, {"of": of}), "job": job}


def look(subject: str) -> None:
    key, of = subject.split(" ")
    comparison = Comparison.objects.select_related("scenario_version").get(pk=int(key))
    leaf_of(comparison, LEAF, {"of": of})
