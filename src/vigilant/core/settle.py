"""When a run has settled: by a counter that stops changing, as well as by the clock."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from .errors import InvalidPolicy
from .numbers import is_number
from .series import FrameSeries


@dataclass(frozen=True)
class Settle:
    """Steady once ``counter`` changes by less than ``within`` (a share of its level) for ``for_s`` seconds."""

    counter: str
    within: float = 0.01
    for_s: float = 2.0

    def __post_init__(self) -> None:
        if not isinstance(self.counter, str) or not self.counter:
            raise InvalidPolicy(f"settle needs the name of a counter, got {self.counter!r}")
        for name in ("within", "for_s"):
            value = getattr(self, name)
            if not is_number(value) or not 0 < value < 1e4:
                raise InvalidPolicy(f"settle: {name} must be a positive number, got {value!r}")


def settled_s(series: FrameSeries, rule: Settle) -> float | None:
    """Seconds from the start of the recording at which the rule first holds; None if it never does.

    The rule holds at frame i when over the next ``for_s`` seconds the counter's range is below
    ``within`` times the larger of its values there; missing values hold nothing up and prove nothing.
    O(n) by two monotone queues.
    """
    values = series.counters.get(rule.counter)
    if values is None:
        return None
    starts = np.cumsum(series.frame_ms) - series.frame_ms
    known = np.flatnonzero(np.isfinite(values))
    if known.size == 0:
        return None
    y, t = values[known].tolist(), starts[known].tolist()
    wanted = rule.for_s * 1000.0
    last = t[-1] + float(series.frame_ms[known[-1]])
    low: list[int] = []
    high: list[int] = []
    first_low = first_high = start = 0
    for i, value in enumerate(y):
        while len(low) > first_low and y[low[-1]] >= value:
            low.pop()
        low.append(i)
        while len(high) > first_high and y[high[-1]] <= value:
            high.pop()
        high.append(i)
        while _unsteady(y[low[first_low]], y[high[first_high]], rule.within):
            start += 1
            first_low += low[first_low] < start
            first_high += high[first_high] < start
        end = t[i + 1] if i + 1 < len(t) else last
        if end - t[start] >= wanted:
            return float(t[start]) / 1000.0
    return None


def _unsteady(low: float, high: float, within: float) -> bool:
    return high - low >= within * max(abs(low), abs(high)) and high > low
