"""A comparison's result is kept in numbers, read back, and replaced when it is computed anew."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any
from uuid import UUID

from vigilant.core import CORE_VERSION, ComparisonResult, FigureResult
from vigilant.core.stored import Unreadable, from_document, to_document
from vigilant.server.books.models import Book
from vigilant.server.runs.models import FrameChunk, Recording, Run
from vigilant.server.runs.store import require_frames

from .ledger_line import ledger_line
from .models import Comparison, ComparisonArm, ComparisonRun, EarlierResult


@dataclass(frozen=True)
class Made:
    """A result that was just computed, the runs it rests on, and what is kept beside the core's numbers."""

    before: Sequence[Run]
    after: Sequence[Run]
    order: Sequence[str | None] | None
    result: ComparisonResult
    more: Mapping[str, Any] = field(default_factory=dict)
    blank: bool = False

    def document(self) -> dict[str, Any]:
        return {**to_document(self.result), **self.more}

    def values(self) -> dict[str, Any]:
        """The columns of a comparison that follow from the result."""
        document = self.document()
        return {
            "verdict": self.result.verdict,
            "result": document,
            "ledger_line": ledger_line(document),
            "blank": self.blank,
            "core_version": CORE_VERSION,
            "fingerprint": _fingerprint([*self.before, *self.after], self.order),
        }


def _fingerprint(runs: Sequence[Run], order: Any) -> str:
    sums = dict.fromkeys((run.pk for run in runs), "")
    chunks = FrameChunk.objects.filter(run__in=runs).order_by("run_id", "column", "number")
    for run_id, checksum in chunks.values_list("run_id", "checksum"):
        sums[run_id] += checksum
    return hashlib.sha256(repr(([sums[r.pk] for r in runs], order)).encode()).hexdigest()


def keep(book: Book, made: Made, recording: Recording | None = None, made_by: UUID | None = None) -> Comparison:
    """Store a new comparison with its arms, by a job or of a recording. Raises a problem where frames of its runs went meanwhile."""
    runs = [*made.before, *made.after]
    # Locked, so that no rule takes the frames of what an entry is about to rest on.
    require_frames(Run.objects.select_for_update().filter(pk__in=[run.pk for run in runs]).order_by("pk"))
    comparison = Comparison.objects.create(
        book=book,
        scenario_version=max((run.scenario_version for run in runs), key=lambda v: v.pk),
        rig=runs[-1].rig,
        recording=recording,
        made_by=made_by,
        order=None if made.order is None else list(made.order),
        **made.values(),
    )
    for label, arm_runs in (("before", made.before), ("after", made.after)):
        arm = ComparisonArm.objects.create(comparison=comparison, label=label)
        slots = [i for i, name in enumerate(made.order) if name == label] if made.order else range(len(arm_runs))
        ComparisonRun.objects.bulk_create(
            ComparisonRun(arm=arm, run=run, position=position) for run, position in zip(arm_runs, slots, strict=True)
        )
    return comparison


def replace(comparison: Comparison, made: Made) -> None:
    """Put a result of this core in the place of an earlier one, which stays beside it."""
    EarlierResult.objects.create(
        comparison=comparison,
        core_version=comparison.core_version,
        verdict=comparison.verdict,
        result=comparison.result,
    )
    for name, value in made.values().items():
        setattr(comparison, name, value)
    comparison.save()


def stored(comparison: Comparison) -> ComparisonResult | None:
    """The result as the core made it; None where it cannot be read any more and waits to be made anew."""
    try:
        return from_document({"verdict": comparison.verdict, **comparison.result})
    except Unreadable:
        return None


def kept_figures(comparison: Comparison) -> dict[str, FigureResult]:
    """The figures of a stored comparison as the core gave them; none of one that cannot be read."""
    made = stored(comparison)
    return dict(made.figures) if made else {}
