"""What a comparison is judged by: chosen before recording."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from .errors import InvalidPolicy
from .figures import FIGURES
from .guards import Guard, guards_of
from .legs import Leg, legs_of
from .numbers import is_number
from .settle import Settle

DEFAULT_PRIMARIES = ("mean_ms", "slowest_1pct_ms", "late_share", "stutters_per_min")


@dataclass(frozen=True)
class Policy:
    """Target, primaries, margins and which conditions must match.

    ``margins`` replaces a figure's default: a share of the figure for times and rates, points
    (0..1) for shares, events a minute for stutters. A condition named in no list must match.
    ``witnesses`` are counters that prove both arms did the same work, ``guards`` side figures that must
    not get worse; with ``settle`` a run counts
    from where it is steady, and ``legs`` are the course's.
    Raises :class:`InvalidPolicy`.
    """

    target_fps: float | None = None
    primaries: tuple[str, ...] = DEFAULT_PRIMARIES
    margins: Mapping[str, float] = field(default_factory=dict)
    late_tolerance: float = 0.05
    trim_s: float = 0.0
    alpha: float = 0.05
    must_match: tuple[str, ...] = ()
    may_differ: tuple[str, ...] = ()
    change: tuple[str, ...] = ()
    seed: int = 0
    witnesses: tuple[str, ...] = ()
    guards: Sequence[Guard | str | Mapping[str, Any]] = ()
    settle: Settle | Mapping[str, Any] | None = None
    legs: Sequence[Leg | Mapping[str, Any]] = ()

    def __post_init__(self) -> None:
        for name in ("primaries", "must_match", "may_differ", "change", "witnesses"):
            value = getattr(self, name)
            if not isinstance(value, (list, tuple)) or not all(isinstance(v, str) for v in value):
                raise InvalidPolicy(f"{name} must be a list of names, got {value!r}")
            object.__setattr__(self, name, tuple(value))
        object.__setattr__(self, "legs", legs_of(self.legs))
        object.__setattr__(self, "guards", guards_of(self.guards))
        both = [g.name for g in self.checked_guards if g.name in self.primaries]
        if both:
            raise InvalidPolicy(f"{both[0]} cannot be a primary and a guard")
        if isinstance(self.settle, Mapping):
            try:
                object.__setattr__(self, "settle", Settle(**self.settle))
            except TypeError as error:
                raise InvalidPolicy(f"settle takes counter, within and for_s: {error}") from error
        elif self.settle is not None and not isinstance(self.settle, Settle):
            raise InvalidPolicy(f"settle must be a table with counter, within and for_s, got {self.settle!r}")
        if self.target_fps is not None and not (is_number(self.target_fps) and 0 < self.target_fps < 100_000):
            raise InvalidPolicy(f"target_fps must be a number between 0 and 100,000, got {self.target_fps!r}")
        if not 0 < self.alpha < 0.5:
            raise InvalidPolicy(f"alpha must lie between 0 and 0.5, got {self.alpha!r}")
        if not is_number(self.trim_s) or not 0 <= self.trim_s < 1e6:
            raise InvalidPolicy(f"the warm-up must be seconds from 0 to below 1,000,000, got {self.trim_s!r}")
        if not is_number(self.late_tolerance) or not 0 <= self.late_tolerance < 10:
            raise InvalidPolicy(
                f"late_tolerance must be a share of the budget from 0 to below 10, got {self.late_tolerance!r}"
            )
        if not isinstance(self.margins, Mapping):
            raise InvalidPolicy(f"margins must be a table of figures, got {self.margins!r}")
        if not self.primaries or len(set(self.primaries)) != len(self.primaries):
            raise InvalidPolicy(f"primaries must be distinct and at least one, got {self.primaries!r}")
        for figure in (*self.primaries, *self.margins):
            if figure not in FIGURES:
                raise InvalidPolicy(f"unknown figure {figure!r}; known: {', '.join(FIGURES)}")
        for figure, margin in self.margins.items():
            if not is_number(margin) or not 0 < margin < 1e6:
                raise InvalidPolicy(f"the margin of {figure} must be a positive number, got {margin!r}")

    @property
    def checked_guards(self) -> tuple[Guard, ...]:
        return tuple(g for g in self.guards if isinstance(g, Guard))

    @property
    def budget_ms(self) -> float | None:
        """1000 / target rate, exactly; None without a target."""
        return None if self.target_fps is None else 1000.0 / self.target_fps
