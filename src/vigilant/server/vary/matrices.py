"""Matrices: planned over window sizes, tiers and rigs, recorded a cell at a time, and read as one sheet."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from itertools import product
from typing import Any

from django.db.models import Q

from vigilant.core import ComparisonResult
from vigilant.core.vary import MatrixCell as Tested
from vigilant.core.vary import matrix
from vigilant.plan.sweeps import arguments_key
from vigilant.server.bench.services import plan_recording
from vigilant.server.books.models import Book
from vigilant.server.database import in_transaction
from vigilant.server.entries.keeping import stored
from vigilant.server.entries.models import Comparison
from vigilant.server.problems import conflict, unprocessable
from vigilant.server.runs.models import Recording
from vigilant.wording import matrix as wording
from vigilant.wording.change import percent

from .models import EarlierCell, Matrix, MatrixCell

#: Cells of one matrix, and figures that it is read by.
MOST_CELLS = 48
FIGURES = ("mean_ms", "slowest_1pct_ms", "p99_ms")
VALUE = "{value}"


@in_transaction
def plan_matrix(
    book: Book,
    raw: Mapping[str, Any],
    windows: Mapping[str, Any],
    tiers: Mapping[str, Any],
    rigs: Sequence[str],
    user: Any,
) -> Matrix:
    """Plan a recording for every cell: the plan's two arms with what a window size and a tier add to their arguments, asked of each
    rig's recorder ("" of none). Raises a problem; then nothing is planned."""
    axes = [_axis("window", windows), _axis("tier", tiers), list(rigs) or [""]]
    if len(set(axes[2])) < len(axes[2]):
        raise unprocessable("axis-twice", "A rig is named twice.")
    count = math.prod(map(len, axes))
    if not 2 <= count <= MOST_CELLS:
        raise unprocessable("cells-many", f"These make {count} cells; from 2 to {MOST_CELLS} are planned.")
    title = str((raw.get("entry") or {}).get("title") or "Does it hold everywhere?")
    made = Matrix.objects.create(book=book, title=title, windows=axes[0], tiers=axes[1], rigs=axes[2], made_by=user)
    for window, tier, rig in product(*axes):
        cell = MatrixCell(matrix=made, window=window, tier=tier, rig=rig)
        plan = cell_plan(raw, window, windows.get("arguments", []), tier, tiers.get("arguments", []), title)
        cell.recording = plan_recording(book, plan, rig, user)
        cell.save()
    return made


def _axis(name: str, axis: Mapping[str, Any]) -> list[str]:
    values = [str(v) for v in axis.get("values") or []]
    if not values:
        return [""]
    if len(set(values)) < len(values):
        raise unprocessable("axis-twice", f"A {name} is named twice: {', '.join(values)}.")
    if not any(VALUE in argument for argument in axis.get("arguments") or []):
        raise unprocessable("axis-unsaid", f"The arguments of a {name} must hold {VALUE} somewhere.")
    return values


def cell_plan(
    raw: Mapping[str, Any],
    window: str,
    window_arguments: Sequence[str],
    tier: str,
    tier_arguments: Sequence[str],
    title: str,
) -> dict[str, Any]:
    """The plan of one cell: its arms started so, and its conditions say so."""
    added = [a.replace(VALUE, window) for a in (window_arguments if window else ())]
    added += [a.replace(VALUE, tier) for a in (tier_arguments if tier else ())]
    arms = []
    for arm in raw.get("arm") or []:
        key = arguments_key(arm)
        arms.append({**arm, key: [*(arm.get(key) or []), *added]})
    told = {key: value for key, value in (("window", window), ("tier", tier)) if value}
    entry = {**{k: v for k, v in (raw.get("entry") or {}).items() if k != "number"}, "title": title}
    return {
        **raw,
        "arm": arms,
        "cell": {"window": window, "tier": tier},
        "conditions": {**(raw.get("conditions") or {}), **told},
        "entry": entry,
    }


def sheet_of(recording: Recording) -> Matrix:
    """The matrix that a recording is, or was, a cell of. Raises a problem for one that is none."""
    cells = MatrixCell.objects.filter(Q(recording=recording) | Q(earlier__recording=recording)).select_related("matrix")
    cell = cells.first()
    if cell is None:
        raise unprocessable("no-account", "This recording is no cell of a matrix.")
    return cell.matrix


@in_transaction
def plan_again(recording: Recording, cell_key: Mapping[str, str], user: Any) -> Recording:
    """Plan a cell of the recording's matrix once more, as it was planned before; the new recording takes the place of the one before,
    which stays in the book. Raises a problem for a cell that is not there, or is still being recorded."""
    sheet = sheet_of(recording)
    cell = sheet.cells.select_for_update().filter(**cell_key).first()
    if cell is None:
        raise unprocessable("cell-missing", "This matrix has no such cell.")
    before = cell.recording
    if before is None:
        raise conflict("cell-gone", "The recording of this cell was purged, and its plan with it.")
    if before.state in (Recording.State.PLANNED, Recording.State.RECORDING):
        raise conflict("cell-open", "This cell is planned, or being recorded, already.")
    EarlierCell.objects.create(cell=cell, recording=before)
    cell.recording = plan_recording(sheet.book, before.plan, cell.rig, user)
    cell.save()
    return cell.recording


def matrix_account(recording: Recording) -> dict[str, Any]:
    """The sheet that a recording is a cell of. Raises a problem for one that is none."""
    sheet = sheet_of(recording)
    cells = list(sheet.cells.select_related("recording__scenario_version__scenario"))
    kept = {c.recording_id: c for c in Comparison.objects.filter(recording__in=[c.recording_id for c in cells])}
    results = {c.pk: stored(kept[c.recording_id]) if c.recording_id in kept else None for c in cells}
    return {
        "title": sheet.title,
        "windows": sheet.windows,
        "tiers": sheet.tiers,
        "rigs": sheet.rigs,
        "figures": [_figure(cells, results, figure) for figure in FIGURES],
    }


def _figure(cells: Sequence[MatrixCell], results: Mapping[int, ComparisonResult | None], figure: str) -> dict[str, Any]:
    told = [_cell(cell, results[cell.pk], figure) for cell in cells]
    tested = [(i, Tested(row["d"], row["se"], row["df"])) for i, row in enumerate(told) if row["why"] == ""]
    found = matrix([cell for _, cell in tested]) if len(tested) > 1 else None
    if found is not None:
        for (i, _), call, tied in zip(tested, found.calls, found.tied, strict=True):
            told[i] |= {"called": call.called, "tied": tied, "low": math.expm1(call.low), "high": math.expm1(call.high)}
    names = [str(cells[i]) or "the only cell" for i, _ in tested]
    return {
        "figure": figure,
        "name": wording.FIGURES[figure],
        "sentence": wording.sentence(found, names, len(cells)),
        "worst": wording.worst_sentence(found, names),
        "notes": wording.notes(found, len(tested), len(cells)),
        "cells": [{key: value for key, value in row.items() if key not in ("d", "se", "df")} for row in told],
    }


def _cell(cell: MatrixCell, result: ComparisonResult | None, figure: str) -> dict[str, Any]:
    """A cell in one figure; ``why`` says what keeps it out of the sheet's tests."""
    recording = cell.recording
    row: dict[str, Any] = {
        "window": cell.window, "tier": cell.tier, "rig": cell.rig,
        "recording": None if recording is None else str(recording.pk),
        "state": "" if recording is None else recording.state,
        "said": "", "share": None, "low": None, "high": None, "called": False, "tied": False, "why": "",
    }  # fmt: skip
    if result is None:
        return row | {
            "why": wording.missing(
                None if recording is None else recording.state, recording.remark if recording else ""
            )
        }
    if result.verdict == "void":
        return row | {"why": f"void: {', '.join(result.reasons)}"}
    if any(cap is not None for cap in result.caps):
        return row | {"why": "held by a refresh cap"}
    found = result.figures.get(figure)
    if found is None or found.se is None or found.df is None or not found.se > 0:
        return row | {"why": "too few runs to test"}
    return row | {
        "d": found.d,
        "se": found.se,
        "df": found.df,
        "share": math.expm1(found.d),
        "said": percent(math.expm1(found.d)),
    }
