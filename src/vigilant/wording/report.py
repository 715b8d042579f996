"""A comparison as one JSON object, numbers and words together: what the command line prints, the
server stores and the screens show."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

import numpy as np

from vigilant.core import CORE_VERSION, Comparison, FigureResult
from vigilant.core.band import QuantileBand
from vigilant.core.series import FloatArray

from .change import amount, figure_change, interval_words
from .figures import text_of
from .findings import finding_remedy, finding_sentence
from .method import method_text
from .outlook import outlook_document
from .verdict import STAMPS, verdict_sentence
from .work import work_sentence


def figure_document(result: FigureResult, target_fps: float | None) -> dict[str, Any]:
    """One figure: the numbers, and under ``words`` how they are written."""
    text = text_of(result.name)
    return {
        **asdict(result),
        "words": {
            "label": text.label,
            "definition": text.definition,
            "unit": text.unit,
            "change": figure_change(result, target_fps),
            "interval": interval_words(result),
            **asdict(amount(result)),
        },
    }


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


def comparison_document(comparison: Comparison) -> dict[str, Any]:
    """Verdict, sentence, reasons, figures, findings and what they rest on; finite numbers or None only."""
    return {
        "verdict": comparison.verdict,
        "stamp": STAMPS[comparison.verdict],
        "sentence": verdict_sentence(comparison),
        "reasons": list(comparison.reasons),
        "material": comparison.material,
        "runs_needed": comparison.runs_needed,
        "design": comparison.design,
        "sessions": comparison.sessions,
        "primaries": list(comparison.primaries),
        "runs": {"before": comparison.runs[0], "after": comparison.runs[1]},
        "frames": {"before": comparison.frames[0], "after": comparison.frames[1]},
        "minutes": comparison.minutes,
        "caps_ms": {"before": comparison.caps[0], "after": comparison.caps[1]},
        "timer_step_ms": comparison.timer_step_ms,
        "target_fps": comparison.target_fps,
        "alpha": comparison.alpha,
        "figures": {name: figure_document(r, comparison.target_fps) for name, r in comparison.figures.items()},
        "guards": {name: figure_document(r, comparison.target_fps) for name, r in comparison.guards.items()},
        "unstable": list(comparison.unstable),
        "look": None if comparison.look is None else {"pairs": comparison.look[0], "most": comparison.look[1]},
        "band": band_document(comparison.band),
        "work": [{**asdict(share), "sentence": work_sentence(share)} for share in comparison.work],
        "outlook": outlook_document(comparison),
        "method": method_text(comparison),
        "findings": [
            {
                "code": f.code,
                "severity": f.severity,
                "sentence": finding_sentence(f),
                "remedy": finding_remedy(f),
                "evidence": dict(f.evidence),
            }
            for f in comparison.findings
        ],
        "core_version": CORE_VERSION,
    }
