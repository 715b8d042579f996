"""A run's frames and the core's figures of them are stored, and computed anew under a newer core."""

from __future__ import annotations

from dataclasses import asdict
from uuid import UUID

from django.db import transaction
from django.dispatch import Signal

from vigilant.core import CORE_VERSION, CoreError, FrameSeries
from vigilant.core.summary import RunFrames, figure_values, leg_summaries, summarize_view
from vigilant.formats.run import ReadRun

from .models import FigureValue, Run, RunFigures
from .plans import policy_of
from .store import read_series, write_series

#: Sent with ``run`` and what was ``read`` of it, within the transaction that stores its frames.
run_stored = Signal()
#: Sent with ``runs``, within the transaction that changes which runs count or what their figures are.
runs_changed = Signal()
MOST_STUTTERS = 200


def store_read_run(run: Run, read: ReadRun) -> None:
    """Write a run's frames, legs and figures. The caller saves the run."""
    series = read.series
    run.frames = int(series.frame_ms.size)
    run.seconds = float(series.frame_ms.sum()) / 1000.0
    run.noted = {
        "figures": dict(series.figures),
        "skipped": dict(read.skipped),
        "zero_frames": read.zero_frames,
        "stated_s": series.stated_s,
    }
    run.marks = [{"index": m.index, "name": m.name, "play": m.play} for m in series.marks]
    write_series(run, series)
    store_figures(run, series)
    run_stored.send(sender=Run, run=run, read=read)


@transaction.atomic
def keep_read_run(run: Run, read: ReadRun, state: str) -> None:
    """Keep a run that came whole, in this state; its row may be there."""
    store_read_run(run, read)
    run.state = state
    run.save()
    runs_changed.send(sender=Run, runs=[run])


def store_figures(run: Run, series: FrameSeries) -> None:
    """Compute and keep the core's figures; a run with no frame left to judge keeps none."""
    policy = policy_of(run.scenario_version.definition)
    try:
        view = RunFrames(series, policy)
        summary = summarize_view(view)
    except CoreError as error:
        run.detail = run.detail or str(error)
        return
    legs = {"": summary, **leg_summaries(series, policy)}
    FigureValue.objects.filter(run=run).delete()
    FigureValue.objects.bulk_create(
        FigureValue(run=run, leg=leg, figure=name, value=value, core_version=CORE_VERSION)
        for leg, found in legs.items()
        for name, value in figure_values(found).items()
    )
    events = view.stutter()
    largest = sorted(range(len(events)), key=lambda i: -events.size_ms[i])[:MOST_STUTTERS]
    index = view.played.index
    made = RunFigures(
        run=run,
        core_version=CORE_VERSION,
        target_fps=policy.target_fps,
        values={
            **summary.__dict__,
            "few_beyond": list(summary.few_beyond),
            "work": dict(summary.work),
            "regular": None if summary.regular is None else asdict(summary.regular),
        },
        stutters=[
            {
                "first": int(index[events.first[i]]),
                "worst": int(index[events.worst[i]]),
                "size_ms": float(events.size_ms[i]),
                "longest_ms": float(events.longest_ms[i]),
            }
            for i in sorted(largest)
        ],
    )
    kept = ("core_version", "target_fps", "values", "stutters")
    RunFigures.objects.bulk_create([made], update_conflicts=True, update_fields=kept)


def outdated() -> list[UUID]:
    """Runs whose figures an earlier core made, and whose frames are there to make them anew."""
    found = RunFigures.objects.exclude(core_version=CORE_VERSION).filter(run__thinned_at=None)
    return list(found.values_list("run_id", flat=True))


def recompute_figures(run_id: UUID) -> None:
    """The figures of a stored run under this core."""
    run = Run.objects.select_related("scenario_version", "conditions").get(pk=run_id)
    series = read_series(run)
    with transaction.atomic():
        store_figures(run, series)
        runs_changed.send(sender=Run, runs=[run])
