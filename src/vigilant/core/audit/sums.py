"""Do the numbers close? Lanes against their frames, parts against what they lie in, and what a run
states (figures, a lane's share) against its own frames."""

from collections.abc import Iterator

import numpy as np

from ..finding import Finding
from ..series import FrameSeries
from ..summary import RunFrames, Summary, summarize_view
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
    steps = [found for v in views if (found := _steps_over(v.series)) is not None]
    if steps:
        inner, outer, share = max(steps, key=lambda s: s[2])
        facts = {"steps": inner, "whole": outer, "runs": len(steps), "total": len(views), "percent": 100.0 * share}
        yield Finding("parts-over-whole", "warn", facts)
    stated = {name: off for v in views for name, off in _stated(v).items()}
    if stated:
        yield Finding("stated-differs", "warn", {"stated": [f"{n} ({s:g} stated, {x:.4g} by its frames)" for n, (s, x) in stated.items()]})  # fmt: skip


def _lane_over(view: RunFrames) -> tuple[str, float] | None:
    """The lane whose times add up to more than the frames they lie in, and by what share."""
    total = float(view.series.frame_ms.sum())
    shares = {name: float(np.nansum(values)) / total for name, values in view.series.lanes.items()}
    name = max(shares, key=lambda n: shares[n], default=None)
    return None if name is None or shares[name] <= 1.0 + TOLERANCE else (name, shares[name])


def _steps_over(series: FrameSeries) -> tuple[str, str, float] | None:
    """The parts that add up to more than the part, lane or frame they lie in: (parts, whole, share)."""
    own: dict[tuple[str, tuple[str, ...]], float] = {}
    for part in series.parts:
        own[part.lane, part.path] = own.get((part.lane, part.path), 0.0) + part.ms
    sums: dict[tuple[str, tuple[str, ...]], float] = {}
    for (lane, path), ms in own.items():
        sums[lane, path[:-1]] = sums.get((lane, path[:-1]), 0.0) + ms
    frames = float(series.frame_ms.sum())
    worst = None
    for (lane, outer), inside in sums.items():
        # The outermost lie in their lane, or in the frame; a part that was not timed itself cannot be held to.
        whole = own.get((lane, outer))
        if not outer:
            whole = float(np.nansum(series.lanes[lane])) if lane in series.lanes else frames
        if whole and inside > (1.0 + TOLERANCE) * whole and (worst is None or inside / whole > worst[2]):
            names = ", ".join(path[-1] for (of, path) in own if of == lane and path[:-1] == outer)
            worst = (
                names,
                " / ".join(outer) or (f"lane {lane}" if lane in series.lanes else "the frame"),
                inside / whole,
            )
    return worst


def _lane_shares(series: FrameSeries) -> dict[str, float]:
    """Every lane's share of the frames it has a value in, by the name a run may state it."""
    shares = {}
    for name, values in series.lanes.items():
        known = np.isfinite(values)
        if known.any():
            shares[f"{name}_share"] = float(values[known].sum() / series.frame_ms[known].sum())
    return shares


def _stated(view: RunFrames) -> dict[str, tuple[float, float]]:
    """Figures that the run states by our names, where its own frames say otherwise: (stated, measured)."""
    series = view.series
    named = {n: series.figures[n] for n in _COMPARABLE if n in series.figures}
    found: dict[str, tuple[float, float]] = {}
    for name, measured in _lane_shares(series).items():
        value = series.figures.get(name)
        if value is not None and abs(value - measured) > TOLERANCE:
            found[name] = (value, measured)
    if named:
        summary: Summary = summarize_view(view)
        for name, value in named.items():
            measured = float(getattr(summary, name))
            if abs(value - measured) > TOLERANCE * abs(measured):
                found[name] = (value, measured)
    return found
