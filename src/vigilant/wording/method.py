"""What was actually done, with the numbers, so that a statistician can do it again by hand."""

from __future__ import annotations

from vigilant.core import FIGURES, ComparisonResult, FigureResult
from vigilant.core.scales import COUNT, LATE, LOG, SHARE

from .figures import text_of

_SCALES = {
    LOG: "the natural logarithm",
    LATE: "ln((c + 0.5) / (n - c + 0.5)) of c late among n frames",
    SHARE: "sqrt(1000 share)",
    COUNT: "2 sqrt(c / T + 3 / (8 Tbar)) of c events in T minutes",
}
_DESIGNS = {
    "position": (
        "The order was recorded. Each figure was fitted by least squares on the place in the session"
        " ({terms}) and the arm; d is the arm's coefficient."
    ),
    "order-unknown": "The order of the runs is unknown: the arms were compared by Welch's test.",
    "order-confounded": "One arm was recorded after the other: nothing was tested.",
    "single": "An arm has a single run: nothing was tested.",
}


def method_text(comparison: ComparisonResult) -> list[str]:
    """Paragraphs: what was compared, how it was tested, how the verdict follows, and each primary's numbers."""
    before, after = comparison.runs
    terms = "constant, linear and quadratic" if min(before, after) >= 4 else "constant and linear"
    if comparison.sessions > 1:
        terms = f"a constant and a slope for each of {comparison.sessions} sessions"
    lines = [
        f"The unit of evidence is the run: {before} before and {after} after, {comparison.frames[0]:,} and"
        f" {comparison.frames[1]:,} frames. Every run gives one value a figure."
        + (f" The clock's step is {comparison.timer_step_ms:g} ms." if comparison.timer_step_ms else ""),
        _DESIGNS[comparison.design].format(terms=terms),
        _family(comparison),
    ]
    lines += [
        _numbers(comparison.figures[n])
        for n in comparison.primaries
        if n in comparison.figures and comparison.figures[n].se is not None
    ]
    if comparison.guards:
        names = ", ".join(text_of(n).label for n in comparison.guards)
        lines.append(f"Guards, one-sided with Holm's procedure over them: {names}.")
    if comparison.unstable:
        names = ", ".join(text_of(n).label for n in comparison.unstable)
        lines.append(f"Not tested, since they lie between the body of the frames and the pauses: {names}.")
    lines.append(
        "A run's variance is never taken below its floor: for times 0.05 % of the figure or a twentieth of the clock's"
        " step, for counts what chance alone gives events as rare as these. Definitions and measured error rates:"
        " docs/statistics.md."
    )
    return lines


def _family(comparison: ComparisonResult) -> str:
    labels = ", ".join(text_of(n).label for n in comparison.primaries)
    text = f"Chosen beforehand: {labels}. "
    if comparison.look is not None:
        pairs, most = comparison.look
        text += (
            f"The recording goes on until it is decided, with looks from 4 to {most} pairs; after {pairs} a figure on its own"
            f" is tested at {100 * comparison.alpha:.3g} %, so that all looks together stay at 5 %. "
        )
    return text + (
        "No material change is tried first: every one of them must lie inside its margin by two one-sided tests."
        " Else Holm's procedure over them decides which are better or worse; all other figures are exploratory."
    )


def _numbers(result: FigureResult) -> str:
    scale = _SCALES[FIGURES[result.name].scale]
    p = "p below 0.0001" if result.p_value is not None and result.p_value < 0.0001 else f"p = {result.p_value:.4f}"
    return (
        f"{text_of(result.name).label}, on {scale}: d = {result.d:.5g}, standard error {result.se:.3g},"
        f" {result.df:.3g} degrees of freedom, {p}, margin {result.margin:.3g}; call: {result.call}."
    )
