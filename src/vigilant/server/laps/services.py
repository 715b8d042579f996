"""Laps kept in a book, read as an account, and joined to the entry whose frames the routine is part of."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np

from vigilant.core import CoreError
from vigilant.core.result import FigureResult
from vigilant.core.series import FloatArray, counter_mean, played
from vigilant.core.vary import Contrast, Laps, Process, in_frame, laps
from vigilant.formats import FormatError, limits
from vigilant.formats.laps import as_rows, of_rows, read_laps
from vigilant.server.books.models import Book
from vigilant.server.database import in_transaction
from vigilant.server.entries.keeping import stored
from vigilant.server.entries.models import ArmLabel, Entry
from vigilant.server.problems import conflict, unprocessable
from vigilant.server.runs.models import Run
from vigilant.server.runs.plans import policy_of
from vigilant.server.runs.store import read_many
from vigilant.wording import laps as wording
from vigilant.wording.change import number

from .models import LapSheet

SIDES = ("before", "after")


@in_transaction
def keep(book: Book, name: str, sides: Mapping[str, Mapping[str, Any]], user: Any) -> LapSheet:
    """Keep the laps of two versions. Raises a problem for files that are none, and for versions that cannot be set against each
    other."""
    if LapSheet.objects.filter(book=book).count() >= limits.LAP_SHEETS:
        raise conflict("laps-too-many", f"A book keeps at most {limits.LAP_SHEETS} sheets of laps.")
    read = {side: _read(sides[side]) for side in SIDES}
    made = LapSheet(book=book, name=name, before=read["before"], after=read["after"], made_by=user)
    account_of(made)
    made.save()
    return made


def _read(side: Mapping[str, Any]) -> dict[str, Any]:
    processes: list[Process] = []
    version = str(side.get("name") or "")
    seen: dict[str, str] = {}
    for file in side["files"]:
        text, source = file["text"], file["name"]
        if (size := len(text.encode())) > limits.LAP_BYTES:
            raise unprocessable("file-too-large", f"{source} has {size:,} bytes; {limits.LAP_BYTES:,} are allowed.")
        if text in seen:
            raise unprocessable("file-twice", f"{source} is {seen[text]} once more: one process cannot count twice.")
        seen[text] = source
        try:
            found = read_laps(text, source)
        except FormatError as error:
            raise unprocessable(error.code, str(error), line=error.line) from error
        processes += found.processes
        version = version or found.version
    if len(processes) > limits.LAP_PROCESSES:
        raise unprocessable(
            "laps-too-many", f"{len(processes)} processes of a version; {limits.LAP_PROCESSES} are allowed."
        )
    return {"name": version, "processes": [as_rows(p) for p in processes]}


def account_of(sheet: LapSheet) -> Laps:
    """Raises a problem for laps that cannot be set against each other."""
    sides = [[of_rows(rows) for rows in side["processes"]] for side in (sheet.before, sheet.after)]
    try:
        return laps(sides[0], sides[1])
    except CoreError as error:
        raise unprocessable(error.code, str(error)) from error


@in_transaction
def join(sheet: LapSheet, entry: int, counter: str, calls: float | None, items: float) -> None:
    """Say of which entry's frames the routine is part. Raises a problem where that cannot be told."""
    found = Entry.objects.filter(book=sheet.book, number=entry).select_related("comparison__scenario_version").first()
    if found is None or found.comparison is None:
        raise unprocessable("entry-unrecorded", f"There is no entry {entry} with a verdict in this book.")
    if bool(counter) == (calls is not None):
        raise unprocessable(
            "calls-unknown", "Say the counter that counts the calls a frame, or how many they are: one of them."
        )
    sheet.entry, sheet.counter, sheet.calls, sheet.items = found, counter, calls, items
    _frame(sheet, account_of(sheet))
    sheet.save(update_fields=["entry", "counter", "calls", "items"])


def page(sheet: LapSheet) -> dict[str, Any]:
    """The sheet as its page shows it."""
    found = account_of(sheet)
    names = [sheet.before["name"] or "before", sheet.after["name"] or "after"]
    return {
        "sheet": sheet,
        "versions": names,
        "processes": list(found.processes),
        "sentence": wording.sentence(found),
        "void": found.void,
        "sizes": [
            {
                "items": wording.items_words(one.items),
                "before": wording.time_words(one.before_s),
                "after": wording.time_words(one.after_s),
                "change": wording.change_words(one),
                "shown": one.shown,
                **_ends(one.change),
            }
            for one in found.sizes
        ],
        "sizes_lapped": found.before.sizes.tolist(),
        "lines": wording.line_rows(found),
        "notes": wording.notes(found),
        "frame": _frame(sheet, found) if sheet.entry_id else None,
    }


def _ends(change: Contrast | None) -> dict[str, float | None]:
    """After over before, less 1, with its interval."""
    ends = (None, None, None) if change is None else (change.value, change.low, change.high)
    return {
        key: None if one is None else math.expm1(one) for key, one in zip(("share", "low", "high"), ends, strict=True)
    }


def _frame(sheet: LapSheet, found: Laps) -> dict[str, Any]:
    """What it would mean in the frame of the entry, behind what the entry measured itself."""
    entry = sheet.entry
    assert entry is not None
    assert sheet.items is not None
    core = stored(entry.comparison) if entry.comparison else None
    if entry.comparison is None or core is None:
        raise unprocessable("entry-unrecorded", f"Entry {entry.number} has no verdict any more.")
    mean = core.figures["mean_ms"]
    target = entry.comparison.scenario_version.target_fps
    budget_ms = 1000.0 / target if target else mean.before
    calls = sheet.calls if sheet.calls is not None else _calls(entry, sheet.counter)
    try:
        told = in_frame(found, sheet.items, calls, budget_ms, abs(mean.margin_low))
    except CoreError as error:
        raise unprocessable(error.code, str(error)) from error
    return {
        "entry": entry.number,
        "title": entry.title,
        "measured": _measured(entry, mean),
        "sentence": wording.frame_sentence(told, sheet.items),
        "matters": told.matters,
        "apart": _apart(mean, told.ms.value),
        "counter": sheet.counter,
        "calls": sheet.calls,
        "items": sheet.items,
    }


def _calls(entry: Entry, counter: str) -> FloatArray:
    """Calls a frame, one mean a run of the entry's first arm."""
    assert entry.comparison is not None
    arm = entry.comparison.arms.get(label=ArmLabel.BEFORE)
    runs: Sequence[Run] = [r.run for r in arm.runs.select_related("run")]
    policy = policy_of(entry.comparison.scenario_version.definition)
    means = [
        counter_mean(series, played(series, policy.trim_s).index, counter) for _, series in read_many(runs, [counter])
    ]
    if not means or any(m is None for m in means):
        raise unprocessable("counter-missing", f"The counter {counter} is not in every run of entry {entry.number}.")
    return np.array(means, dtype=np.float64)


def _measured(entry: Entry, mean: FigureResult) -> str:
    if mean.ci_low is None or mean.ci_high is None:
        return f"Entry {entry.number} measured {number(mean.difference, 3)} ms of the mean frame, without an interval."
    low, high = mean.ci_low, mean.ci_high
    if low <= 0 <= high:
        ends = f"{number(-low, 2)} saved to {number(high, 2)} spent"
    else:
        ends = " to ".join(number(end, 2) for end in sorted((abs(low), abs(high))))
    word = "saved" if mean.difference < 0 else "spent"
    return f"Entry {entry.number} measured the frame itself: {number(abs(mean.difference), 2)} ms {word} of the mean ({ends})."


def _apart(mean: FigureResult, told_ms: float) -> str:
    return f"The laps differ from that by {number(abs(told_ms - mean.difference), 2)} ms; what was measured in the frame stands."
