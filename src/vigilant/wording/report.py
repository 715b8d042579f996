"""A comparison as one JSON object, numbers and words together: what the command line prints and the screens show."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from vigilant.core import CORE_VERSION, ComparisonResult, FigureResult
from vigilant.core.stored import to_document

from .change import amount, figure_change
from .figures import text_of
from .findings import finding_remedy, finding_sentence
from .method import method_text
from .outlook import outlook_document
from .verdict import STAMPS, verdict_sentence
from .work import work_sentence


def figure_document(result: FigureResult, target_fps: float | None) -> dict[str, Any]:
    """One figure: the numbers, and under ``words`` how they are written."""
    return _in_words(asdict(result), result, target_fps)


def _in_words(numbers: dict[str, Any], result: FigureResult, target_fps: float | None) -> dict[str, Any]:
    text = text_of(result.name)
    return {
        **numbers,
        "words": {
            "label": text.label,
            "definition": text.definition,
            "unit": text.unit,
            "change": figure_change(result, target_fps),
            **asdict(amount(result)),
        },
    }


def comparison_document(comparison: ComparisonResult, core_version: str = CORE_VERSION) -> dict[str, Any]:
    """The numbers (core.stored), and in words the stamp, the sentence, the method and what each figure and
    finding says. ``core_version`` is the core's that made them."""
    target = comparison.target_fps
    document = to_document(comparison)
    return {
        **document,
        "stamp": STAMPS[comparison.verdict],
        "sentence": verdict_sentence(comparison),
        "figures": {name: _in_words(document["figures"][name], r, target) for name, r in comparison.figures.items()},
        "guards": {name: _in_words(document["guards"][name], r, target) for name, r in comparison.guards.items()},
        "work": [
            {**kept, "sentence": work_sentence(share)}
            for kept, share in zip(document["work"], comparison.work, strict=True)
        ],
        "outlook": outlook_document(comparison),
        "method": method_text(comparison),
        "findings": [
            {**kept, "sentence": finding_sentence(f), "remedy": finding_remedy(f)}
            for kept, f in zip(document["findings"], comparison.findings, strict=True)
        ],
        "core_version": core_version,
    }
