"""Stored results in words."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from vigilant.core.verdict import CHANGED
from vigilant.server.runs.models import Recording
from vigilant.wording import FIGURE_TEXTS, STAMPS, comparison_document
from vigilant.wording.outlook import blank_sentence

from .keeping import stored
from .models import Comparison, Entry


def result_of(comparison: Comparison | None) -> dict[str, Any] | None:
    """A stored result, in numbers and words; None where there is none, or none that can be read any more."""
    core = stored(comparison) if comparison else None
    if comparison is None or core is None:
        return None
    document = comparison_document(core, comparison.core_version)
    for key in ("net", "ranks"):
        if key in comparison.result:
            kept = comparison.result[key]
            document[key] = in_words(kept) if key == "ranks" else kept
    if comparison.blank:
        said = blank_sentence(core.runs, core.verdict in CHANGED)
        document |= {"blank": True, "sentence": f"{said} {document['sentence']}"}
    return document


def delivered(made: Entry | Recording) -> dict[str, Any]:
    """What a recorder is told of the entry that its recording became, or of the account that it has."""
    if isinstance(made, Recording):
        return {"path": f"/{made.book.slug}/{made.account}/{made.pk}"}
    entry = made
    result = result_of(entry.comparison)
    assert result is not None
    path = f"/{entry.book.slug}/entries/{entry.number}"
    return {"number": entry.number, "path": path, "verdict": result["verdict"], "sentence": result["sentence"]}


def earlier_of(comparison: Comparison | None) -> list[dict[str, Any]]:
    """What earlier cores made of the same runs, newest first; ``changed`` where their verdict was another."""
    if comparison is None:
        return []
    return [
        {
            "core_version": e.core_version,
            "verdict": e.verdict,
            "stamp": STAMPS[e.verdict],
            "replaced_at": e.replaced_at,
            "changed": e.verdict != comparison.verdict,
        }
        for e in comparison.earlier.defer("result")
    ]


def in_words(places: Sequence[Mapping[str, Any]]) -> list[dict[str, Any]]:
    """The places with their figures' labels."""
    return [
        {**p, "figure": FIGURE_TEXTS[p["figure"]].label if p["figure"] in FIGURE_TEXTS else p["figure"]} for p in places
    ]
