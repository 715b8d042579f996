"""Guards: side figures that must not get worse (memory, load time, draws).

A guard's value of a run is a figure of the frames, else what the run stated by that name, else the
counter's mean over the frames that count. It is compared on its logarithm by the comparison's own
design, one-sided.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from .errors import InvalidPolicy
from .figures import FIGURES
from .numbers import is_number
from .series import FrameSeries, IntArray, counter_mean

MARGIN = 0.05


@dataclass(frozen=True)
class Guard:
    """``margin`` is the share of the before level that a guard may get worse and still count as kept.

    For a figure of the frames the registry says which way is better and what the margin is.
    """

    name: str
    higher_is_better: bool = False
    margin: float | None = None

    def __post_init__(self) -> None:
        if not isinstance(self.name, str) or not self.name:
            raise InvalidPolicy(f"a guard needs a name, got {self.name!r}")
        if not isinstance(self.higher_is_better, bool):
            raise InvalidPolicy(f"guard {self.name!r}: higher_is_better must be true or false")
        if self.margin is not None and not (is_number(self.margin) and 0 < self.margin < 1e6):
            raise InvalidPolicy(f"the margin of guard {self.name!r} must be positive, got {self.margin!r}")


def guards_of(raw: Sequence[Guard | str | Mapping[str, Any]]) -> tuple[Guard, ...]:
    """Checked guards from names and tables. Raises :class:`InvalidPolicy`."""
    if not isinstance(raw, (list, tuple)):
        raise InvalidPolicy(f"guards must be a list, got {raw!r}")
    try:
        made = [g if isinstance(g, Guard) else Guard(g) if isinstance(g, str) else Guard(**g) for g in raw]
    except TypeError as error:
        raise InvalidPolicy(f"a guard has a name, higher_is_better and margin: {error}") from error
    names = [g.name for g in made]
    if len(set(names)) != len(names):
        raise InvalidPolicy(f"guards must be distinct, got {', '.join(names)}")
    for guard in made:
        if guard.name in FIGURES and guard.higher_is_better:
            raise InvalidPolicy(f"guard {guard.name!r} is a figure; which way is better is known")
    return tuple(made)


def stated_value(series: FrameSeries, index: IntArray, name: str) -> float | None:
    """What a run says of a guard that is no figure of its frames; None where it says nothing.

    ``index`` are the frames that count.
    """
    if name in series.figures:
        return series.figures[name]
    return counter_mean(series, index, name)
