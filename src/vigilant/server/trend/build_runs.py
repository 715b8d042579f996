"""What lines need of the runs of each build, kept as a row for each way that it was recorded, and read anew where a run changed.

A line over a thousand builds then reads a thousand rows, not the figures of every run. A row is believed only while its mark is the one it
was read at: whoever changes which runs count, or their figures, sets another mark in the same transaction.
"""

from __future__ import annotations

import hashlib
import secrets
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any
from uuid import UUID

import numpy as np
import numpy.typing as npt
from django.db.models import Q, QuerySet

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
        return len(set(self.rows["recording"].tolist()))

    def of(self, recording: UUID) -> Runs:
        return Runs(self.rows[self.rows["recording"] == np.void(recording.bytes)])

    @property
    def first(self) -> tuple[float, bytes]:
        """When the earliest started; by its id among those of one moment."""
        return float(self.rows["started"][0]), bytes(self.rows["run"][0])

    def have(self, figure: str) -> npt.NDArray[np.bool_]:
        """Which have a figure (n,) as a line takes it: a time is above 0."""
        value = self.rows[figure]
        found: npt.NDArray[np.bool_] = value > 0 if FIGURES[figure].unit == "ms" else ~np.isnan(value)
        return found

    def having(self, figure: str) -> Runs:
        return Runs(self.rows[self.have(figure)])

    def values(self, figure: str) -> RunValues:
        own = self.rows
        return RunValues(
            own[figure], own["frames"], own["seconds"], np.nan_to_num(own["late_frames"]), own["timer_step_ms"]
        )

    def ids(self) -> list[UUID]:
        packed = self.rows["run"].tobytes()
        return [UUID(bytes=packed[at : at + 16]) for at in range(0, len(packed), 16)]

    @staticmethod
    def together(some: Sequence[Runs]) -> Runs:
        return some[0] if len(some) == 1 else Runs(np.frombuffer(b"".join([one.rows.tobytes() for one in some]), RUN))


@dataclass(frozen=True, eq=False)
class RecordedWay:
    """The runs of a build that were recorded one way, whether a refresh cap held most of them, and how many are left out."""

    version: int
    build: int
    rig: int
    conditions: int
    runs: Runs
    held: bool
    broken: int
    aside: int


@dataclass(frozen=True, slots=True)
class _Row:
    pk: int
    changed: int
    read_at: int | None
    way: tuple[int, ...]
    held: bool
    broken: int
    aside: int
    body: bytes | None

    def kept(self) -> RecordedWay | None:
        """What it holds; None where a run changed since, and where it holds other figures than lines have now."""
        if self.read_at != self.changed or self.body is None or not self.body.startswith(MADE_OF):
            return None
        return RecordedWay(
            *self.way, Runs(np.frombuffer(self.body, RUN, offset=len(MADE_OF))), self.held, self.broken, self.aside
        )


def _rows(found: QuerySet[BuildRuns]) -> list[_Row]:
    told = found.values_list("pk", "changed", "read_at", *WAY, "held", "broken", "aside", "body")
    return [_Row(pk, changed, read_at, tuple(rest[:4]), *rest[4:]) for pk, changed, read_at, *rest in told]


def recorded_ways(scenario: Scenario, builds: Iterable[int]) -> list[RecordedWay]:
    """Of every way that runs of these ``builds`` were recorded, those with the earliest run first; with none that counts, last."""
    wanted = set(builds)
    rows = [row for row in _rows(BuildRuns.objects.filter(scenario_version__scenario=scenario)) if row.way[1] in wanted]
    found, stale = [], []
    for row in rows:
        if (way := row.kept()) is None:
            stale.append(row)
        else:
            found.append(way)
    for start in range(0, len(stale), AT_ONCE):
        found += _read(stale[start : start + AT_ONCE])
    return sorted(found, key=lambda way: (not len(way.runs), way.runs.first if len(way.runs) else ()))


def read_some() -> int:
    """Read rows anew before a page asks for them; how many there were."""
    rows = _rows(BuildRuns.objects.filter(read_at=None).order_by("pk")[:AT_ONCE])
    return len(_read(rows)) if rows else 0


def _read(rows: Sequence[_Row]) -> list[RecordedWay]:
    """The runs of these rows as they are, kept in them unless they changed meanwhile: their marks were read before."""
    ways = {row.way for row in rows}
    among = Q(**{f"{key}__in": {row.way[i] for row in rows} for i, key in enumerate(WAY)})
    runs = Run.objects.filter(among, state__in=(Run.State.COMPLETE, Run.State.BROKEN))
    broken, aside = Counter[tuple[int, ...]](), Counter[tuple[int, ...]]()
    for *way, state, excluded_at in runs.values_list(*WAY, "state", "excluded_at"):
        broken[tuple(way)] += state == Run.State.BROKEN
        aside[tuple(way)] += excluded_at is not None
    counted = runs.filter(state=Run.State.COMPLETE, excluded_at=None, figures__isnull=False).order_by(
        "started_at", "pk"
    )
    told = counted.values_list(*WAY, "pk", "slot__recording", "started_at")
    chosen = [(way, *row[4:]) for row in told if (way := tuple(row[:4])) in ways]
    figures = dict(RunFigures.objects.filter(run__in=[run for _, run, *_ in chosen]).values_list("run", "values"))
    taken: dict[tuple[int, ...], list[tuple[Any, ...]]] = {way: [] for way in ways}
    for way, run, recording, started in chosen:
        if run in figures:  # it may have gone between
            at = started.timestamp() if started else 0.0
            taken[way].append((run.bytes, recording.bytes if recording else bytes(16), at, *_numbers(figures[run])))
    found = []
    for row in rows:
        made = np.array(taken[row.way], dtype=RUN)
        told = {
            "held": 2 * int((~np.isnan(made["cap_ms"])).sum()) > made.size,
            "broken": broken[row.way],
            "aside": aside[row.way],
        }
        BuildRuns.objects.filter(pk=row.pk, changed=row.changed).update(
            read_at=row.changed, body=MADE_OF + made.tobytes(), **told
        )
        found.append(RecordedWay(*row.way, Runs(made), **told))
    return found


def _numbers(figures: Mapping[str, Any]) -> list[float]:
    return [np.nan if (value := figures.get(name)) is None else float(value) for name in FIELDS]


def _mark(runs: Sequence[Run], **_: Any) -> None:
    """Another mark on the rows of these runs. In the transaction that changes them: whoever reads a row meanwhile keeps nothing in it."""
    ways = sorted({tuple(getattr(run, key) for key in WAY) for run in runs})
    BuildRuns.objects.bulk_create(
        [BuildRuns(changed=secrets.randbits(63), read_at=None, **dict(zip(WAY, way, strict=True))) for way in ways],
        update_conflicts=True,
        update_fields=["changed", "read_at"],
    )


def mark_all(book: Book) -> None:
    """Every row of a book is read anew: its runs came past the services."""
    ways = Run.objects.filter(book=book).order_by().values(*WAY).distinct()
    _mark([Run(**way) for way in ways])


runs_changed.connect(_mark, weak=False, dispatch_uid="trend")
