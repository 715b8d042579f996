"""A chain of entries: what its steps make together, and how far that misses the way from first to last."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict
from typing import Any
from uuid import UUID

from vigilant.core import CoreError, FigureResult, chain_remainder, compare
from vigilant.server.books.models import Book
from vigilant.server.problems import unprocessable
from vigilant.server.runs.models import Run
from vigilant.server.runs.plans import policy_of
from vigilant.server.runs.store import read_every
from vigilant.wording import FIGURE_TEXTS
from vigilant.wording.chain import factor, remainder_words

from .keeping import kept_figures
from .models import Comparison, Entry
from .stored_arms import recorded_order, runs_by_id, usable

FIGURES = ("mean_ms", "p50_ms", "p95_ms", "p99_ms", "slowest_1pct_ms")
MOST_STEPS = 40


def chain(book: Book, numbers: Sequence[int], total: int | None) -> dict[str, Any]:
    """The steps in the order given against entry ``total``, or against the first one's before and the
    last one's after. Raises a problem for what is no chain."""
    if not 2 <= len(numbers) <= MOST_STEPS or len(set(numbers)) < len(numbers) or total in numbers:
        raise unprocessable("chain-steps", f"A chain has 2 to {MOST_STEPS} different steps, and a total beside them.")
    steps = [_step(book, number) for number in numbers]
    whole = None if total is None else _step(book, total)
    lines = {(c.scenario_version_id, c.rig_id) for c in (*steps, *([whole] if whole else []))}
    if len(lines) > 1:
        raise unprocessable("chain-unlike", "The steps of a chain are of one version of a scenario, on one rig.")
    runs = [_runs(c) for c in (*steps, *([whole] if whole else []))]
    apart = len(set().union(*runs)) == sum(len(r) for r in runs)
    figures = kept_figures(whole) if whole else _first_to_last(book, steps[0], steps[-1])
    of_steps = [kept_figures(c) for c in steps]
    names = [n for n in FIGURES if all(n in kept for kept in (*of_steps, figures))]
    return {
        "steps": [
            {
                "number": c.entry.number,
                "title": c.entry.title,
                "factors": [factor(kept[name]) for name in names],
            }
            for c, kept in zip(steps, of_steps, strict=True)
        ],
        "total": total,
        "rows": [_row(n, [kept[n] for kept in of_steps], figures[n], apart, total is not None) for n in names],
    }


def _step(book: Book, number: int) -> Comparison:
    entry = (
        Entry.objects.filter(book=book, number=number)
        .select_related("comparison__scenario_version__scenario", "comparison__rig")
        .first()
    )
    if entry is None or entry.comparison is None:
        raise unprocessable("chain-steps", f"Entry {number} has no verdict, so it is no step.")
    if entry.withdrawn_at is not None:
        raise unprocessable("chain-steps", f"Entry {number} is withdrawn, so it is no step.")
    if entry.comparison.verdict == Comparison.Verdict.VOID:
        raise unprocessable("chain-steps", f"Entry {number} is void, so it is no step.")
    if entry.comparison.blank:
        raise unprocessable("chain-steps", f"Entry {number} is a blank test, so it is no step.")
    return entry.comparison


def _runs(comparison: Comparison, label: str = "") -> set[UUID]:
    arms = comparison.arms.filter(label=label) if label else comparison.arms.all()
    return set(arms.values_list("runs__run_id", flat=True))


def _first_to_last(book: Book, first: Comparison, last: Comparison) -> dict[str, FigureResult]:
    before, after = (runs_by_id(book, list(_runs(c, side))) for c, side in ((first, "before"), (last, "after")))
    arms: dict[str, list[Run]] = {"before": before, "after": after}
    recorded = recorded_order(arms)
    policy = policy_of(usable([*before, *after]).definition)
    arms = recorded.arms if recorded else arms
    try:
        made = compare(
            read_every(arms["before"]),
            read_every(arms["after"]),
            policy,
            recorded.order if recorded else None,
            sessions=recorded.sessions if recorded else None,
        )
    except CoreError as error:
        raise unprocessable(error.code, str(error)) from error
    return dict(made.figures)


def _row(name: str, steps: Sequence[FigureResult], total: FigureResult, apart: bool, measured: bool) -> dict[str, Any]:
    # First and last without a recording of their own are runs of the steps.
    found = chain_remainder(steps, total, apart and measured)
    shared = not apart or (not measured and total.se is not None)
    return {
        **asdict(found),
        "label": FIGURE_TEXTS[name].label,
        "words": remainder_words(found, not shared, measured),
    }
