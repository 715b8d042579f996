"""What lines need of the runs of each build, kept as a row for each way that it was recorded, and read anew where a run changed.

A line over a thousand builds then reads a thousand rows, not the figures of every run. A row is believed only while its mark is the one it
was read at: whoever changes which runs count, or their figures, sets another mark in the same transaction.
"""

from __future__ import annotations

import hashlib
import uuid
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any
from uuid import UUID

import numpy as np
import numpy.typing as npt
from django.db.models import Q

from vigilant.core.figures import FIGURES
from vigilant.core.trend import FOLLOWED, RunValues
from vigilant.server.books.models import Book
from vigilant.server.runs.figures import runs_changed
from vigilant.server.runs.models import Run, RunFigures
from vigilant.server.scenarios.models import Scenario

from .models import BuildRuns

#: What runs of one row have in common, as columns of :class:`Run` and of :class:`BuildRuns`.
WAY = ("scenario_version_id", "build_id", "rig_id", "conditions_id")
#: A run: its id and its recording's (zeros: none), when it started, and of its figures what a line needs; NaN: it has it not.
FIELDS = (*FOLLOWED, "frames", "seconds", "late_frames", "timer_step_ms", "cap_ms")
RUN = np.dtype([("run", "V16"), ("recording", "V16"), ("started", "f8"), *((name, "f8") for name in FIELDS)])
#: What a body begins with: bodies of other columns are not believed.
MADE_OF = hashlib.sha256(repr(RUN.descr).encode()).digest()[:16]
#: Rows that are read anew with one statement.
AT_ONCE = 200


@dataclass(frozen=True, eq=False)
class Runs:
    """Runs that count, as rows of :data:`RUN` (n,), the earliest first."""

    rows: npt.NDArray[Any]

    def __len__(self) -> int:
        return int(self.rows.size)

    @property
    def sessions(self) -> int:
        return int(np.unique(self.rows["recording"]).size)

    def of(self, recording: UUID) -> Runs:
        return Runs(self.rows[self.rows["recording"] == np.void(recording.bytes)])

    @property
    def first(self) -> tuple[float, bytes]:
        """When the earliest started; by its id among those of one moment."""
        return float(self.rows["started"][0]), bytes(self.rows["run"][0])

    @property
    def held(self) -> bool:
        """Whether a refresh cap held most of them."""
        return 2 * int((~np.isnan(self.rows["cap_ms"])).sum()) > self.rows.size

    def having(self, figure: str) -> Runs:
        """Those that have a figure as a line takes it: a time is above 0."""
        value = self.rows[figure]
        return Runs(self.rows[value > 0 if FIGURES[figure].unit == "ms" else ~np.isnan(value)])

    def values(self, figure: str) -> RunValues:
        own = self.rows
        return RunValues(own[figure], own["frames"], own["seconds"], np.nan_to_num(own["late_frames"]), own["timer_step_ms"])  # fmt: skip

    def ids(self) -> list[UUID]:
        return [UUID(bytes=bytes(one)) for one in self.rows["run"]]

    @staticmethod
    def together(some: Sequence[Runs]) -> Runs:
        return some[0] if len(some) == 1 else Runs(np.concatenate([one.rows for one in some]))


@dataclass(frozen=True, eq=False)
class RecordedWay:
    """The runs of a build that were recorded one way, and how many are left out of them."""

    version: int
    build: int
    rig: int
    conditions: int
    runs: Runs
    broken: int
    aside: int


def recorded_ways(scenario: Scenario, builds: Iterable[int]) -> list[RecordedWay]:
    """Of every way that runs of these ``builds`` were recorded, those with the earliest run first; with none that counts, last."""
    rows = list(BuildRuns.objects.filter(scenario_version__scenario=scenario, build__in=list(builds)))
    stale = [row for row in rows if row.read_at != row.changed or _kept(row) is None]
    for start in range(0, len(stale), AT_ONCE):
        _read(stale[start : start + AT_ONCE])
    found = []
    for row in rows:
        kept = _kept(row)
        assert kept is not None
        found.append(RecordedWay(*(getattr(row, key) for key in WAY), Runs(kept), row.broken, row.aside))
    return sorted(found, key=lambda way: (not len(way.runs), way.runs.first if len(way.runs) else ()))


def _kept(row: BuildRuns) -> npt.NDArray[Any] | None:
    """The runs of a row; None where they were kept with other figures than lines have now."""
    body = bytes(row.body or b"")
    return np.frombuffer(body, RUN, offset=len(MADE_OF)) if body.startswith(MADE_OF) else None


def _read(rows: Sequence[BuildRuns]) -> None:
    """Read these rows' runs anew, and keep them unless they changed meanwhile: their marks were read before."""
    by_way = {tuple(getattr(row, key) for key in WAY): row for row in rows}
    among = Q(**{f"{key}__in": {getattr(row, key) for row in rows} for key in WAY})
    runs = Run.objects.filter(among, state__in=(Run.State.COMPLETE, Run.State.BROKEN))
    counts: dict[tuple[int, ...], Counter[str]] = {way: Counter() for way in by_way}
    for *way, state, aside in runs.values_list(*WAY, "state", "excluded_at"):
        if (own := counts.get(tuple(way))) is not None:
            own["broken"] += state == Run.State.BROKEN
            own["aside"] += aside is not None
    counted = runs.filter(state=Run.State.COMPLETE, excluded_at=None, figures__isnull=False)
    taken: dict[tuple[int, ...], list[tuple[Any, ...]]] = {way: [] for way in by_way}
    found = counted.order_by("started_at", "pk").values_list(*WAY, "pk", "slot__recording", "started_at")
    chosen = [row for row in found if tuple(row[:4]) in by_way]
    figures = dict(RunFigures.objects.filter(run__in=[row[4] for row in chosen]).values_list("run", "values"))
    for *way, run, recording, started in chosen:
        if run in figures:  # it may have gone between
            at = started.timestamp() if started else 0.0
            taken[tuple(way)].append((run.bytes, recording.bytes if recording else bytes(16), at, *_numbers(figures[run])))  # fmt: skip
    for way, row in by_way.items():
        row.body, row.read_at = MADE_OF + np.array(taken[way], dtype=RUN).tobytes(), row.changed
        row.broken, row.aside = counts[way]["broken"], counts[way]["aside"]
        BuildRuns.objects.filter(pk=row.pk, changed=row.changed).update(
            body=row.body, read_at=row.read_at, broken=row.broken, aside=row.aside
        )


def _numbers(figures: Mapping[str, Any]) -> list[float]:
    return [np.nan if (value := figures.get(name)) is None else float(value) for name in FIELDS]


def _mark(runs: Sequence[Run], **_: Any) -> None:
    """Another mark on the rows of these runs. In the transaction that changes them: whoever reads a row meanwhile keeps nothing in it."""
    ways = sorted({tuple(getattr(run, key) for key in WAY) for run in runs})
    BuildRuns.objects.bulk_create(
        [BuildRuns(changed=uuid.uuid4(), **dict(zip(WAY, way, strict=True))) for way in ways],
        update_conflicts=True,
        update_fields=["changed"],
    )


def mark_all(book: Book) -> None:
    """Every row of a book is read anew: its runs came past the services."""
    ways = Run.objects.filter(book=book).order_by().values(*WAY).distinct()
    _mark([Run(**way) for way in ways])


runs_changed.connect(_mark, weak=False, dispatch_uid="trend")
