"""Do the numbers close? Lanes against their frames, and what a run states against its own frames."""

from collections.abc import Iterator

import numpy as np

from ..finding import Finding
from ..summary import RunView, Summary, summarize_view
from .evidence import Evidence

#: Sums may miss by so much.
TOLERANCE = 0.01
_COMPARABLE = ("frames", "seconds", "mean_ms", "rate_fps", "p50_ms", "p95_ms", "p99_ms", "worst_ms")


def check(evidence: Evidence) -> Iterator[Finding]:
    views = evidence.arms.views
    over = [worst for v in views if (worst := _lane_over(v)) is not None]
    if over:
        lane, share = max(over, key=lambda found: found[1])
        facts = {"lane": lane, "runs": len(over), "total": len(views), "percent": 100.0 * share}
        yield Finding("lanes-over-frame", "warn", facts)
    stated = {name: off for v in views for name, off in _stated(v).items()}
    if stated:
        yield Finding("stated-differs", "warn", {"stated": [f"{n} ({s:g} stated, {x:.4g} by its frames)" for n, (s, x) in stated.items()]})  # fmt: skip


def _lane_over(view: RunView) -> tuple[str, float] | None:
    """The lane whose times add up to more than the frames they lie in, and by what share."""
    total = float(view.series.frame_ms.sum())
    shares = {name: float(np.nansum(values)) / total for name, values in view.series.lanes.items()}
    name = max(shares, key=lambda n: shares[n], default=None)
    return None if name is None or shares[name] <= 1.0 + TOLERANCE else (name, shares[name])


def _stated(view: RunView) -> dict[str, tuple[float, float]]:
    """Figures that the run states by our names, where its own frames say otherwise: (stated, measured)."""
    series = view.series
    named = {n: series.figures[n] for n in _COMPARABLE if n in series.figures}
    found: dict[str, tuple[float, float]] = {}
    if named:
        summary: Summary = summarize_view(view)
        for name, value in named.items():
            measured = float(getattr(summary, name))
            if abs(value - measured) > TOLERANCE * abs(measured):
                found[name] = (value, measured)
    return found
