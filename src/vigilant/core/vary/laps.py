"""Laps: a routine timed by itself, so many items a call; what it costs fixed and per item in two versions, whether it did its work,
and whether what it saves matters in the frame.

The process, freshly started, is the unit of evidence: samples of one process are no repeats. Formulas: docs/statistics.md, *Laps*.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Literal

import numpy as np

from vigilant.core.errors import InvalidComparison
from vigilant.core.levels import even, holm
from vigilant.core.scales import LOG_VARIANCE
from vigilant.core.series import FloatArray
from vigilant.core.timer import timer_step_ms

from .cells import Contrast, student

#: A warm-up is looked for from so many samples; the last share of them is what it is held against; it is at most so long.
WARM_FROM, WARM_BY, MOST_WARM = 8, 0.6, 0.4
WARM_D, WARM_SHARE = 2.0, 0.03
MAD = 1.4826
#: A sample shorter than so many steps of its clock is averaged, not halved; a step over this share of a sample is coarse; under two
#: steps there is no number.
FEW_STEPS, COARSE, LEAST_STEPS = 20.0, 0.01, 2.0
#: The step of a clock is seen in so many samples.
STEP_FROM = 20
HUBER, LEAST_SCALE, ROUNDS = 1.345, 0.0005, 50
#: Sizes that a line is drawn through, and how far apart they must be.
LINE_SIZES, LINE_RANGE = 3, 4.0
NO_LINE = 0.10
FLAT, TOO_FAST_S = 0.1, 0.2e-9
RECOMMENDED = 5
#: No lap is longer, nor on more items.
MOST = 1e9
Matters = Literal["matters", "does not matter", "cannot be told"]


@dataclass(frozen=True, eq=False)
class Process:
    """What one process recorded, in its order: ``items`` (n,) a call, ``repeats`` (n,) calls a sample, ``seconds`` (n,) of the sample,
    and the ``checksum`` of each result ("" where there is none)."""

    items: FloatArray
    repeats: FloatArray
    seconds: FloatArray
    checksum: tuple[str, ...] = ()

    def check(self) -> None:
        """Raises :class:`InvalidComparison` for what are no laps."""
        shapes = {self.items.shape, self.repeats.shape, self.seconds.shape}
        if len(shapes) != 1 or self.items.ndim != 1 or not self.items.size:
            raise InvalidComparison("a lap has its items, repeats and seconds, and a process one lap or more")
        if self.checksum and len(self.checksum) != self.items.size:
            raise InvalidComparison("checksums are one a lap, or none")
        values = np.concatenate([self.items, self.repeats, self.seconds])
        if not bool(np.isfinite(values).all()) or bool((self.items <= 0).any()) or bool((self.seconds < 0).any()):
            raise InvalidComparison("items of a lap are more than 0, seconds 0 or more")
        if bool((values > MOST).any()):
            raise InvalidComparison(f"items, repeats and seconds are at most {MOST:g}, got {float(values.max()):g}")
        if bool((self.repeats < 1).any()):
            raise InvalidComparison(f"a lap is repeated once or more, got {float(self.repeats.min()):g}")

    @property
    def step_s(self) -> float:
        """The step of the clock that the samples show; 0 where it is fine, or too few of them say."""
        return timer_step_ms(1000.0 * self.seconds) / 1000.0 if self.seconds.size >= STEP_FROM else 0.0


def warm_up(ln_s: FloatArray) -> int | None:
    """How many leading samples are warm-up; None where it never settles, so that nothing is cut."""
    n = ln_s.size
    if n < WARM_FROM:
        return 0
    last = ln_s[n - round(WARM_BY * n) :]
    middle = float(np.median(last))
    bar = middle + max(WARM_D * MAD * float(np.median(np.abs(last - middle))), WARM_SHARE)
    over = ln_s > bar
    cut = 0
    while cut + 1 < n and over[cut] and over[cut + 1]:
        cut += 1
    cut += 1 if cut else 0
    return None if cut > MOST_WARM * n else cut


@dataclass(frozen=True, eq=False)
class Version:
    """A version's value at each size: ``seconds`` (processes, sizes) a call; NaN under two steps of the clock. ``cut`` is the warm-up
    at each size, ``lines`` (processes, 2) seconds fixed and per item (None without sizes enough), ``residual`` the largest relative
    one."""

    sizes: FloatArray
    seconds: FloatArray
    cut: tuple[int, ...]
    never_settled: tuple[float, ...]
    coarse: Mapping[float, int]
    lines: FloatArray | None
    residual: float


def version_of(processes: Sequence[Process], sizes: FloatArray, cuts: Sequence[int], never: Sequence[float]) -> Version:
    """The values of a version after its warm-up."""
    values = np.full((len(processes), sizes.size), np.nan)
    coarse: dict[float, int] = {}
    for p, process in enumerate(processes):
        step = process.step_s
        for i, size in enumerate(sizes.tolist()):
            own = np.flatnonzero(process.items == size)[cuts[i] :]
            if not own.size:
                raise InvalidComparison(f"a process has no lap of {size:g} items after its warm-up")
            sample, calls = process.seconds[own], process.repeats[own]
            typical = float(np.median(sample))
            if step and typical < LEAST_STEPS * step:
                coarse[size] = max(coarse.get(size, 1), _repeats(step, typical, float(calls.mean())))
                continue
            if step and step / typical > COARSE:
                coarse[size] = max(coarse.get(size, 1), _repeats(step, typical, float(calls.mean())))
            a_call = sample / calls
            few = bool(step) and typical < FEW_STEPS * step
            values[p, i] = float(a_call.mean()) if few else math.exp(float(np.median(np.log(a_call[a_call > 0]))))
    lines, residual = None, 0.0
    if sizes.size >= LINE_SIZES and sizes[-1] >= LINE_RANGE * sizes[0] and bool(np.isfinite(values).all()):
        fitted = [robust_line(sizes, own) for own in values]
        lines = np.array(fitted)
        at = lines[:, :1] + lines[:, 1:] * sizes
        residual = float(np.abs(values / at - 1.0).max())
    return Version(sizes, values, tuple(cuts), tuple(never), coarse, lines, residual)


def _repeats(step: float, typical: float, calls: float) -> int:
    """Calls a sample with which a step is a hundredth of it."""
    return math.ceil(100.0 * step / max(typical / calls, step / 1000.0))


def robust_line(x: FloatArray, t: FloatArray) -> tuple[float, float]:
    """t = a + b x by weights h / fit^2, h Huber's (1964) on the relative residuals."""
    design = np.column_stack([np.ones(x.size), x])
    h: FloatArray = np.ones(x.size)
    fit: FloatArray = t
    found: FloatArray = np.zeros(2)
    for _ in range(ROUNDS):
        w = h / fit**2
        last, found = found, np.linalg.solve(design.T @ (w[:, None] * design), design.T @ (w * t)).astype(np.float64)
        done = bool(np.allclose(last, found, rtol=1e-12, atol=0.0))
        fit = np.maximum(design @ found, 1e-3 * t)
        relative = (t - fit) / fit
        scale = max(MAD * float(np.median(np.abs(relative))), LEAST_SCALE)
        off = np.abs(relative) / scale
        h = (HUBER / np.maximum(off, HUBER)).astype(np.float64)
        if done:
            break
    return float(found[0]), float(found[1])


@dataclass(frozen=True)
class AtSize:
    """At one size: seconds a call in both versions, and ln of after over before (None under two steps of the clock)."""

    items: float
    before_s: float | None
    after_s: float | None
    change: Contrast | None
    shown: bool


@dataclass(frozen=True)
class WorkDone:
    """``elasticity`` d ln t / d ln items over the processes of one version; ``flat`` that the time does not follow the items;
    ``too_fast`` that an item takes less than anything does."""

    elasticity: Contrast
    flat: bool
    too_fast: bool


Checked = Literal["same", "differs", "not checked"]


@dataclass(frozen=True, eq=False)
class Laps:
    """Two versions of a routine. ``fixed`` and ``per_item`` are after less before, seconds; ``levels`` those of each version by
    themselves (before, after). None where nothing can be tested, or no line was drawn."""

    before: Version
    after: Version
    sizes: tuple[AtSize, ...]
    fixed: Contrast | None
    per_item: Contrast | None
    levels: tuple[tuple[Contrast, Contrast] | None, tuple[Contrast, Contrast] | None]
    work: tuple[WorkDone | None, WorkDone | None]
    checked: Checked
    processes: tuple[int, int] = field(default=(0, 0))

    @property
    def void(self) -> bool:
        """Two versions that give different results are not compared."""
        return self.checked == "differs"


def laps(before: Sequence[Process], after: Sequence[Process], alpha: float = 0.05) -> Laps:
    """Compare two versions by the processes of each. Raises :class:`InvalidComparison` for sizes that differ between them and for what
    are no laps."""
    if not before or not after:
        raise InvalidComparison("laps of both versions are needed")
    for process in (*before, *after):
        process.check()
    sizes = np.unique(before[0].items)
    for process in (*before, *after):
        if not np.array_equal(np.unique(process.items), sizes):
            raise InvalidComparison(
                f"every process laps the same sizes; one has {np.unique(process.items).tolist()}, another {sizes.tolist()}"
            )
    cuts, never = _cuts(before, after, sizes)
    first, second = (version_of(p, sizes, cuts, never) for p in (before, after))
    found = [_at_size(first, second, i) for i in range(sizes.size)]
    yes = holm(
        [1.0 if s.change is None or s.change.p_value is None else s.change.p_value for s in found], even(alpha).of
    )
    at_sizes = tuple(AtSize(s.items, s.before_s, s.after_s, s.change, y) for s, y in zip(found, yes, strict=True))
    fixed = per_item = None
    if first.lines is not None and second.lines is not None:
        fixed, per_item = (welch(first.lines[:, i], second.lines[:, i]) for i in (0, 1))
    return Laps(
        first,
        second,
        at_sizes,
        fixed,
        per_item,
        (_levels(first), _levels(second)),
        (_work(first), _work(second)),
        _checked(before, after, sizes),
        (len(before), len(after)),
    )


def _cuts(before: Sequence[Process], after: Sequence[Process], sizes: FloatArray) -> tuple[list[int], list[float]]:
    """At each size the larger of the two versions' median warm-ups; and the sizes that never settle in some process."""
    cuts, never = [], []
    for size in sizes.tolist():
        medians = []
        for processes in (before, after):
            found = []
            for process in processes:
                own = process.items == size
                positive = np.maximum(process.seconds[own] / process.repeats[own], 1e-12)
                cut = warm_up(np.log(positive))
                if cut is None:
                    never.append(size)
                found.append(cut or 0)
            medians.append(int(np.median(found)))
        cuts.append(max(medians))
    return cuts, sorted(set(never))


def welch(before: FloatArray, after: FloatArray, floor: float = 0.0) -> Contrast:
    """after less before by Welch over the processes; a value alone with one process in either."""
    value = float(after.mean() - before.mean())
    if before.size < 2 or after.size < 2:
        return Contrast(value)
    parts = [(max(float(v.var(ddof=1)), floor) / v.size, v.size - 1) for v in (before, after)]
    variance = sum(v for v, _ in parts)
    if variance <= 0:
        return Contrast(value)
    return student(value, math.sqrt(variance), variance**2 / sum(v**2 / df for v, df in parts))


def _at_size(first: Version, second: Version, i: int) -> AtSize:
    before, after = first.seconds[:, i], second.seconds[:, i]
    known = bool(np.isfinite(before).all() and np.isfinite(after).all())
    levels = [None if not np.isfinite(v).all() else math.exp(float(np.log(v).mean())) for v in (before, after)]
    change = welch(np.log(before), np.log(after), LOG_VARIANCE) if known else None
    return AtSize(float(first.sizes[i]), levels[0], levels[1], change, False)


def _mean(values: FloatArray) -> Contrast:
    """The mean over processes by Student's t."""
    if values.size < 2:
        return Contrast(float(values.mean()))
    se = float(values.std(ddof=1)) / math.sqrt(values.size)
    return student(float(values.mean()), max(se, 1e-300), values.size - 1.0)


def _levels(version: Version) -> tuple[Contrast, Contrast] | None:
    return None if version.lines is None else (_mean(version.lines[:, 0]), _mean(version.lines[:, 1]))


def _work(version: Version) -> WorkDone | None:
    """None with one size, or where some value is under the clock."""
    if version.sizes.size < 2 or not bool(np.isfinite(version.seconds).all()):
        return None
    x = np.log(version.sizes)
    slopes = np.array([float(np.polyfit(x, np.log(own), 1)[0]) for own in version.seconds])
    found = _mean(slopes)
    # One process shows no interval, but a time that stands still is seen without one.
    flat = (found.high if found.high is not None else found.value) < FLAT
    return WorkDone(found, flat, bool(version.seconds[:, -1].mean() / version.sizes[-1] < TOO_FAST_S))


def _checked(before: Sequence[Process], after: Sequence[Process], sizes: FloatArray) -> Checked:
    """Whether both versions gave the same results at every size."""
    if not all(p.checksum and all(p.checksum) for p in (*before, *after)):
        return "not checked"
    for size in sizes.tolist():
        found = {
            c for p in (*before, *after) for c, items in zip(p.checksum, p.items.tolist(), strict=True) if items == size
        }
        if len(found) > 1:
            return "differs"
    return "same"


@dataclass(frozen=True)
class InFrame:
    """What the frame would save if a call cost in it what it costs in the lap: ``ms`` a frame (negative: saved), ``share`` of the
    budget, and whether that matters against a margin of the mean frame."""

    call_ms: Contrast
    calls: float
    ms: Contrast
    budget_ms: float
    margin_ms: float

    @property
    def share(self) -> float:
        return self.ms.value / self.budget_ms

    @property
    def matters(self) -> Matters:
        if self.ms.low is None or self.ms.high is None:
            return "cannot be told"
        least = min(abs(self.ms.low), abs(self.ms.high)) if self.ms.low * self.ms.high > 0 else 0.0
        most = max(abs(self.ms.low), abs(self.ms.high))
        if least > self.margin_ms:
            return "matters"
        return "does not matter" if most < self.margin_ms else "cannot be told"


def in_frame(found: Laps, items: float, calls: FloatArray | float, budget_ms: float, margin_ms: float) -> InFrame:
    """A saving of a call at the frame's own size, times ``calls`` (R,) a frame, one mean a run, or so many as is stated. Between sizes
    by the lines. Raises :class:`InvalidComparison` beyond the sizes that were lapped."""
    call = _call_ms(found, items)
    stated = isinstance(calls, float)
    measured = np.array([calls]) if isinstance(calls, float) else calls
    c = float(measured.mean())
    d, se_d = call.value, call.se
    value = c * d
    if se_d is None or call.df is None or (measured.size < 2 and not stated):
        return InFrame(call, c, Contrast(value), budget_ms, margin_ms)
    se_c = 0.0 if stated else float(measured.std(ddof=1)) / math.sqrt(measured.size)
    a, b = (c * se_d) ** 2, (d * se_c) ** 2
    variance = a + b + (se_c * se_d) ** 2
    if variance <= 0:  # no call, or times without any spread
        return InFrame(call, c, Contrast(value), budget_ms, margin_ms)
    df = call.df if stated else (a + b) ** 2 / (a**2 / call.df + b**2 / (measured.size - 1))
    return InFrame(call, c, student(value, math.sqrt(variance), df), budget_ms, margin_ms)


def _call_ms(found: Laps, items: float) -> Contrast:
    sizes = found.before.sizes
    at = np.flatnonzero(sizes == items)
    if at.size:
        before, after = (1000.0 * v.seconds[:, int(at[0])] for v in (found.before, found.after))
    elif found.before.lines is None or found.after.lines is None or not sizes[0] <= items <= sizes[-1]:
        raise InvalidComparison(
            f"{items:g} items were not lapped; there are {', '.join(f'{s:g}' for s in sizes)}, and nothing is said beyond them"
        )
    else:
        before, after = (
            1000.0 * (v.lines[:, 0] + v.lines[:, 1] * items) for v in (found.before, found.after) if v.lines is not None
        )
    if not bool(np.isfinite(before).all() and np.isfinite(after).all()):
        raise InvalidComparison(f"at {items:g} items a lap is under two steps of its clock: no number")
    return welch(before, after)
