"""Laps in words: what a call takes in two versions, fixed and per item, whether the work was done, and whether it matters."""

from __future__ import annotations

import math
from collections.abc import Sequence

from vigilant.core.vary import Contrast, Laps
from vigilant.core.vary.laps import NO_LINE, RECOMMENDED, AtSize, InFrame, WorkDone

from .change import decimals_for, number, percent


def time_words(seconds: float | None) -> str:
    """ "12.2 µs": with the unit that gives one to three digits before the point; "under two steps" where there is no number."""
    if seconds is None:
        return "under two steps of its clock"
    for unit, of in (("s", 1.0), ("ms", 1e-3), ("µs", 1e-6), ("ns", 1e-9)):
        if seconds >= of or unit == "ns":
            value = seconds / of
            return f"{number(value, 2 if value < 10 else 1 if value < 100 else 0)} {unit}"
    return ""


def items_words(items: float) -> str:
    return number(items, 0 if items == round(items) else 2)


def change_words(one: AtSize) -> str:
    """ "10.9 % less (6.3 to 15.4)"."""
    change = one.change
    if change is None:
        return ""
    value = percent(math.expm1(change.value))
    if change.low is None or change.high is None:
        return value
    low, high = math.expm1(change.low), math.expm1(change.high)
    if low <= 0 <= high:
        return f"{value} ({percent(low)} to {percent(high)})"
    near, far = sorted((abs(low), abs(high)))
    word = "more" if low > 0 else "less"
    return (
        f"{number(100 * abs(math.expm1(change.value)), 1)} % {word} ({number(100 * near, 1)} to {number(100 * far, 1)})"
    )


def sentence(found: Laps) -> str:
    """What is shown, and at which sizes: the gain at one size never speaks for another."""
    if found.void:
        return "The two versions give different results: they are not compared."
    if min(found.processes) < 2:
        return "One process of a version shows a time and no evidence: start each version anew, five times."
    shown = [one for one in found.sizes if one.shown and one.change is not None]
    if not shown:
        return "At no size is a difference shown."
    at = _listed([items_words(one.items) for one in shown])
    ways = {one.change.value > 0 for one in shown if one.change is not None}
    if len(ways) > 1:
        return f"Dearer at some sizes and cheaper at others: {_both(shown)}."
    word = "dearer" if ways == {True} else "cheaper"
    rest = len(found.sizes) - len(shown)
    if not rest:
        return f"A call is {word} at every size that was lapped."
    other = "other" if rest == 1 else f"other {rest}"
    return f"A call is {word} at {at} items; at the {other} nothing is shown."


def _both(shown: Sequence[AtSize]) -> str:
    sides = (("dearer", True), ("cheaper", False))
    said = []
    for word, more in sides:
        at = [items_words(one.items) for one in shown if one.change is not None and (one.change.value > 0) == more]
        said.append(f"{word} at {_listed(at)}")
    return ", ".join(said)


def _listed(names: Sequence[str]) -> str:
    return names[0] if len(names) == 1 else f"{', '.join(names[:-1])} and {names[-1]}"


def line_rows(found: Laps) -> list[dict[str, str]]:
    """Fixed and per item: each version's, and the difference."""
    rows: list[dict[str, str]] = []
    if max(found.before.residual, found.after.residual) > NO_LINE:
        return rows
    for i, (name, change) in enumerate((("fixed, a call", found.fixed), ("each item", found.per_item))):
        levels = [None if pair is None else pair[i] for pair in found.levels]
        if levels[0] is None or levels[1] is None or change is None:
            continue
        rows.append({
            "name": name,
            "before": _level(levels[0]),
            "after": _level(levels[1]),
            "change": _difference(change),
        })  # fmt: skip
    return rows


def _level(found: Contrast) -> str:
    if found.low is None or found.high is None:
        return time_words(found.value)
    return f"{_signed(found.value)} ({_signed(found.low)} to {_signed(found.high)})"


def _signed(seconds: float) -> str:
    return f"-{time_words(-seconds)}" if seconds < 0 else time_words(seconds)


def _difference(found: Contrast) -> str:
    if found.low is None or found.high is None:
        return _signed(found.value)
    if found.low <= 0 <= found.high:
        return f"cannot be told apart ({_signed(found.low)} to {_signed(found.high)})"
    word = "more" if found.low > 0 else "less"
    near, far = sorted((abs(found.low), abs(found.high)))
    return f"{time_words(abs(found.value))} {word} ({time_words(near)} to {time_words(far)})"


def notes(found: Laps) -> list[str]:
    """What is to be known before a time is believed."""
    said = []
    if found.checked == "differs":
        said.append("Results differ between the versions at one size and seed: the work was not the same.")
    if found.checked == "not checked":
        said.append(
            "No checksum says that both versions gave the same results: whether the work was done is not known."
        )
    for name, work in zip(("before", "after"), found.work, strict=True):
        said += _work_notes(name, work)
    for version in (found.before, found.after):
        if version.residual > NO_LINE:
            said.append(
                "A straight line does not fit some process within 10 %: the times at each size stand, and nothing is said of fixed and per item."
            )
            break
    if never := sorted({*found.before.never_settled, *found.after.never_settled}):
        said.append(
            f"At {_listed([items_words(n) for n in never])} items the times never settle: nothing was taken off as warm-up."
        )
    elif cut := max(found.before.cut, default=0):
        said.append(f"Warm-up: up to {cut} samples of each process were taken off, of both versions alike.")
    coarse = {**found.before.coarse, **found.after.coarse}
    if coarse:
        size, repeats = max(coarse.items(), key=lambda row: row[1])
        said.append(
            f"A step of the clock is over 1 % of a sample: at {items_words(size)} items repeat a call {number(repeats, 0)} times."
        )
    if 2 <= min(found.processes) < RECOMMENDED:
        said.append(
            f"{min(found.processes)} processes; {RECOMMENDED} of each version are recommended: all may miss a state that a process can be in."
        )
    return said


def _work_notes(name: str, work: WorkDone | None) -> list[str]:
    if work is None:
        return []
    if work.too_fast:
        return [f"{name}: an item takes less than 0.2 ns, which nothing does: the work was left out."]
    if work.flat:
        return [
            f"{name}: the time does not follow the items. Either the work was left out, or a fixed cost hides it: lap more items."
        ]
    return []


def frame_sentence(found: InFrame, items: float) -> str:
    """What a frame would save if a call cost in it what it costs in the lap."""
    calls = number(found.calls, 0 if found.calls >= 10 or found.calls == round(found.calls) else 2)
    head = f"With {calls} {'call' if found.calls == 1 else 'calls'} a frame of {items_words(items)} items"
    if found.ms.low is None or found.ms.high is None:
        return f"{head} the frame would change by {number(found.ms.value, 3)} ms, without an interval."
    half = (found.ms.high - found.ms.low) / 2
    digits = decimals_for(half, 4)
    if found.ms.low <= 0 <= found.ms.high:
        ends = f"{number(-found.ms.low, digits)} ms saved to {number(found.ms.high, digits)} spent"
        body = f"what the frame would save cannot be told from nothing ({ends})"
    else:
        near, far = sorted((abs(found.ms.low), abs(found.ms.high)))
        word = "save" if found.ms.value < 0 else "spend"
        share = number(100 * abs(found.share), 1 if abs(found.share) >= 0.01 else 2)
        body = f"the frame would {word} {number(abs(found.ms.value), digits)} ms ({number(near, digits)} to {number(far, digits)}), {share} % of the budget"
    verdict = {
        "matters": "that matters",
        "does not matter": f"that does not matter: it is under {number(found.margin_ms, 2)} ms",
        "cannot be told": "whether that matters cannot be told",
    }[found.matters]
    return f"{head} {body}: {verdict}, if a call costs in the frame what it costs in the lap."
