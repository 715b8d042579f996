"""A comparison as plain numbers that last, and back: what is stored now is read by every later core.

The document holds no sentence. Its keys are only ever added to: a reader of tomorrow fills in what
an older document lacks, and leaves out what it does not know.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import asdict, fields
from typing import Any

import numpy as np

from .band import QuantileBand
from .figures import FIGURES
from .finding import Finding
from .result import ComparisonResult, FigureResult
from .series import FloatArray
from .work import WorkShare

#: Raised when a key changes its meaning, which so far none has.
DOCUMENT_VERSION = 2


#: What a figure that was tested has all of.
_TESTED = ("se", "df", "p_value")


class Unreadable(ValueError):
    """A stored result lacks what nothing can stand in for; it has to be computed anew."""


def to_document(comparison: ComparisonResult) -> dict[str, Any]:
    """The numbers of a comparison as JSON values, finite or None; levels in ms, shares 0..1."""
    before, after = comparison.runs
    return {
        "document": DOCUMENT_VERSION,
        "verdict": comparison.verdict,
        "reasons": list(comparison.reasons),
        "material": comparison.material,
        "runs_needed": comparison.runs_needed,
        "design": comparison.design,
        "sessions": comparison.sessions,
        "primaries": list(comparison.primaries),
        "runs": {"before": before, "after": after},
        "frames": {"before": comparison.frames[0], "after": comparison.frames[1]},
        "minutes": comparison.minutes,
        "caps_ms": {"before": comparison.caps[0], "after": comparison.caps[1]},
        "timer_step_ms": comparison.timer_step_ms,
        "target_fps": comparison.target_fps,
        "alpha": comparison.alpha,
        "figures": {name: asdict(r) for name, r in comparison.figures.items()},
        "guards": {name: asdict(r) for name, r in comparison.guards.items()},
        "unstable": list(comparison.unstable),
        "look": None if comparison.look is None else {"pairs": comparison.look[0], "most": comparison.look[1]},
        "band": band_document(comparison.band),
        "work": [asdict(share) for share in comparison.work],
        "findings": [finding_row(f) for f in comparison.findings],
    }


def finding_row(finding: Finding) -> dict[str, Any]:
    """A finding as JSON values; :func:`finding_of` takes it."""
    return {"code": finding.code, "severity": finding.severity, "evidence": dict(finding.evidence)}


def finding_of(row: Mapping[str, Any]) -> Finding:
    return Finding(row.get("code", ""), row.get("severity", "note"), row.get("evidence") or {})


def band_document(band: QuantileBand | None) -> dict[str, Any] | None:
    """Differences over all quantiles in ms, with the level before them."""
    if band is None:
        return None

    def ms(d: FloatArray | None) -> list[float] | None:
        return None if d is None else (band.before_ms * np.expm1(d)).tolist()

    return {
        "at": band.at.tolist(),
        "before_ms": band.before_ms.tolist(),
        "difference_ms": ms(band.d),
        "low_ms": ms(band.low),
        "high_ms": ms(band.high),
    }


def from_document(document: Mapping[str, Any]) -> ComparisonResult:
    """The comparison that a stored document holds. Raises :class:`Unreadable` without a verdict or a mean frame."""
    figures = _figures(document.get("figures"))
    verdict = document.get("verdict")
    if not verdict or "mean_ms" not in figures:
        raise Unreadable("a stored result without a verdict or a mean frame")
    sides = _Sides(document)
    look = document.get("look")
    named = document.get("primaries")
    primaries = tuple(n for n, r in figures.items() if r.primary) if named is None else tuple(named)
    reasons = document.get("reasons")
    if reasons is None:
        reasons = [n for n in primaries if n in figures] or ["mean_ms"]
    return ComparisonResult(
        verdict=verdict,
        reasons=tuple(reasons),
        design=document.get("design") or "order-unknown",
        findings=tuple(finding_of(f) for f in document.get("findings") or () if f.get("code")),
        figures=figures,
        primaries=primaries,
        caps=sides.of("caps_ms", None),
        runs=sides.of("runs", 0),
        frames=sides.of("frames", 0),
        minutes=document.get("minutes") or 2.0 * sum(sides.of("runs", 0)),
        timer_step_ms=document.get("timer_step_ms") or 0.0,
        target_fps=document.get("target_fps"),
        alpha=document.get("alpha") or 0.05,
        material=document.get("material"),
        runs_needed=document.get("runs_needed"),
        guards=_figures(document.get("guards")),
        unstable=tuple(document.get("unstable") or ()),
        look=(look["pairs"], look["most"]) if look else None,
        band=_band(document.get("band")),
        work=tuple(share for row in document.get("work") or () if (share := _work(row))),
        sessions=document.get("sessions") or 1,
    )


class _Sides:
    """Values kept by side."""

    def __init__(self, document: Mapping[str, Any]) -> None:
        self.document = document

    def of(self, key: str, otherwise: Any) -> tuple[Any, Any]:
        kept = self.document.get(key) or {}
        return kept.get("before", otherwise), kept.get("after", otherwise)


def _figures(kept: Mapping[str, Mapping[str, Any]] | None) -> dict[str, FigureResult]:
    found = {name: figure_result(name, row) for name, row in (kept or {}).items()}
    return {name: result for name, result in found.items() if result is not None}


def figure_result(name: str, row: Mapping[str, Any]) -> FigureResult | None:
    """One figure from its stored numbers; None without both levels."""
    before, after = row.get("before"), row.get("after")
    if before is None or after is None:
        return None
    kind = FIGURES.get(name)
    otherwise: dict[str, Any] = {
        "name": name,
        "unit": kind.unit if kind else "stated",
        "higher_is_better": kind.higher_is_better if kind else False,
        "difference": after - before,
        "raw_before": before,
        "raw_after": after,
        "d": 0.0,
        "margin": 0.0,
        "margin_low": 0.0,
        "margin_high": 0.0,
        "inside": False,
        "call": "unclear",
        "primary": False,
    }
    if any(key not in row for key in _TESTED):
        row = {**row, **dict.fromkeys(_TESTED)}
    return FigureResult(**{f.name: row.get(f.name, otherwise.get(f.name)) for f in fields(FigureResult)})


def _work(row: Mapping[str, Any]) -> WorkShare | None:
    named: dict[str, Any] = {f.name: row.get(f.name) for f in fields(WorkShare)}
    needed = ("witness", "amount", "change", "amount_ms", "cost_ms")
    if any(named[key] is None for key in needed):
        return None
    return WorkShare(**(named | {"leg": named["leg"] or ""}))


def _band(kept: Mapping[str, Any] | None) -> QuantileBand | None:
    at, before, difference = ((kept or {}).get(key) for key in ("at", "before_ms", "difference_ms"))
    if kept is None or at is None or before is None or difference is None:
        return None
    level = np.asarray(before, dtype=np.float64)

    def log(ms: Any) -> FloatArray | None:
        return None if ms is None else np.log1p(np.asarray(ms, dtype=np.float64) / level)

    d = log(difference)
    assert d is not None
    return QuantileBand(np.asarray(at, dtype=np.float64), level, d, log(kept.get("low_ms")), log(kept.get("high_ms")))


#: Keys of a kept result that are not the core's of two arms: what a recording of several says of them all.
BESIDE = ("net", "ranks", "sessions_of_slots")


def differences(said: Any, found: Any, share: float = 0.0, place: str = "") -> Iterator[tuple[str, Any, Any]]:
    """Where a kept result differs from one made anew: the place by its keys, what each holds there. Numbers agree where
    they differ by at most ``share`` of the larger (0: to the bit); None stands for what one of them lacks."""
    if isinstance(said, Mapping) and isinstance(found, Mapping):
        for key in sorted({*said, *found}):
            if place or key not in BESIDE:
                at = f"{place}.{key}" if place else str(key)
                yield from differences(said.get(key), found.get(key), share, at)
    elif isinstance(said, list) and isinstance(found, list) and len(said) == len(found):
        for i, (one, other) in enumerate(zip(said, found, strict=True)):
            yield from differences(one, other, share, f"{place}[{i}]")
    elif not _same(said, found, share):
        yield place, said, found


def _same(said: Any, found: Any, share: float) -> bool:
    numbers = all(isinstance(v, (int, float)) and not isinstance(v, bool) for v in (said, found))
    if numbers and share > 0:
        return bool(abs(said - found) <= share * max(abs(said), abs(found)))
    return bool(said == found)
