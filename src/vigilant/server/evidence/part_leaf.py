"""One part of the work on a page: both arms, over the course and over runs, in late frames, its bound, and over entries."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from vigilant.core.evidence.place import bin_edges, bin_numbers
from vigilant.core.series import FloatArray
from vigilant.core.work import Key, PartsOfRun, part_changes, parts_of_run
from vigilant.server.entries.models import Comparison, Entry
from vigilant.server.problems import unprocessable
from vigilant.server.runs.models import ArmLabel, RunPart
from vigilant.server.runs.store import read_parts
from vigilant.wording import lanes as wording

from .arm_work import arms_work
from .rested import Rested, columns_of, rested

#: Points along the course, and so many of the newest entries in the history.
BINS, ENTRIES = 60, 60


def part_leaf(comparison: Comparison, key: Key) -> dict[str, Any]:
    """The page of a part. Raises a problem for one that no run has."""
    stand = rested(comparison, [name for name in columns_of(comparison) if name.startswith("lane:")])
    totals: list[PartsOfRun] = []
    along: list[FloatArray] = []
    for arm in arms_work(stand):
        for number, view in enumerate(arm.views):
            rows = read_parts(arm.runs[number])
            if rows is None:
                raise unprocessable("no-parts", "A run of this comparison reports no parts a frame at a time.")
            totals.append(parts_of_run(view, rows))
            along.append(arm.laid(number, rows).get(key, np.zeros(view.n)))
    row = next((r for r in part_changes(totals, stand.design) if (r.lane, r.path) == key and r.kind != "rest"), None)
    if row is None:
        raise unprocessable("part-unknown", "No run of this comparison has this part.")
    kb = stand.design.k_before
    return {
        "judged": stand.judged,
        "lane": key[0],
        "path": list(key[1]),
        "sentence": wording.part_page_sentence(row) if stand.judged else "",
        "before_ms": row.before.ms,
        "after_ms": row.after.ms,
        "words": wording.part_words(row),
        "shown": stand.judged and row.p_value is not None and row.p_value <= wording.ALPHA,
        "said": wording.part_sentence(row) if stand.judged else "",
        "runs": [
            {"run": str(run.pk), "arm": "before" if i < kb else "after", "ms": float(ms.mean())}
            for i, (run, ms) in enumerate(zip(stand.runs, along, strict=True))
        ],
        **_course(stand, along, kb),
        "history": _history(comparison, key),
    }


def _course(stand: Rested, along: Sequence[FloatArray], kb: int) -> dict[str, Any]:
    """Mean ms of the part along the course, of each arm; None where no frame is."""
    edges, _ = bin_edges(stand.placing, BINS)
    bins, count_of = bin_numbers(stand.placing, edges), edges.size - 1
    arms: dict[str, list[float | None]] = {}
    for label, of in (("before", range(kb)), ("after", range(kb, len(along)))):
        total, count = np.zeros(count_of), np.zeros(count_of)
        for i in of:
            known = bins[i] >= 0
            total += np.bincount(bins[i][known], np.nan_to_num(along[i][known]), count_of)
            count += np.bincount(bins[i][known], minlength=count_of)
        arms[label] = [float(t / n) if n else None for t, n in zip(total, count, strict=True)]
    length = stand.placing.length_s
    return {
        "edges_s": [float(edge) * length for edge in edges],
        "along_before": arms["before"],
        "along_after": arms["after"],
        "legs": [{"name": s.name, "from_s": s.start * length, "to_s": s.stop * length} for s in stand.placing.sections],
    }


def _history(comparison: Comparison, key: Key) -> list[dict[str, Any]]:
    """What the part took in the entries of this scenario on this rig, by the totals of their runs: ms a frame over whole
    runs, warm-up and all."""
    entries = Entry.objects.filter(
        book=comparison.book_id,
        comparison__rig=comparison.rig_id,
        comparison__scenario_version__scenario=comparison.scenario_version.scenario_id,
    ).order_by("-number")[:ENTRIES]
    of = {entry.comparison_id: entry for entry in entries}
    rows = RunPart.objects.filter(
        run__comparison_runs__arm__comparison__in=of, lane=key[0], run__frames__gt=0
    ).values_list(
        "run__comparison_runs__arm__comparison", "run__comparison_runs__arm__label", "ms", "run__frames", "path"
    )
    found: dict[tuple[int, str], list[float]] = {}
    for comparison_id, arm, ms, frames, path in rows:
        if tuple(path) == key[1] and comparison_id in of:
            found.setdefault((comparison_id, arm), []).append(ms / frames)
    return [
        {
            "number": entry.number,
            "title": entry.title,
            "before_ms": _mean(found.get((comparison_id, ArmLabel.BEFORE), [])),
            "after_ms": _mean(found.get((comparison_id, ArmLabel.AFTER), [])),
        }
        for comparison_id, entry in reversed(of.items())
        if (comparison_id, ArmLabel.BEFORE) in found or (comparison_id, ArmLabel.AFTER) in found
    ]


def _mean(values: Sequence[float]) -> float | None:
    return float(np.mean(values)) if values else None
