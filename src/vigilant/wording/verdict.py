"""The sentence that goes with a stamp: size, certainty, and only what is true."""

from __future__ import annotations

from vigilant.core import ComparisonResult, FigureResult

from .change import amount, decimals_for, figure_change, interval_words, mean_change, number, percent
from .figures import FIGURE_TEXTS, text_of
from .findings import finding_sentence
from .work import split_sentence

STAMPS: dict[str, str] = {
    "gain": "Gain",
    "regression": "Regression",
    "trade-off": "Trade-off",
    "no material change": "No material change",
    "undecided": "Undecided",
    "void": "Void",
}


def _result(comparison: ComparisonResult, name: str) -> FigureResult:
    """A figure, or the guard of that name where it is a reason and no primary."""
    if name in comparison.guards and name not in comparison.primaries:
        return comparison.guards[name]
    return comparison.figures[name]


def _lead(comparison: ComparisonResult, names: tuple[str, ...]) -> str:
    """The first figure's change as a sentence of its own."""
    result = _result(comparison, names[0])
    if result.name == "mean_ms":
        return _mean_sentence(result, comparison.target_fps)
    text = figure_change(result, comparison.target_fps)
    return f"{text_of(result.name).label}: {text}."


def _mean_sentence(result: FigureResult, target_fps: float | None) -> str:
    row = amount(result)
    text = mean_change(result.before, result.after, row.decimals, target_fps)
    size, _, rest = text.partition(" a frame (")
    if not rest:
        return f"A frame takes as long as before to within the digits shown ({interval_words(result)})."
    return f"A frame takes {size} ({interval_words(result)}): {rest.rstrip(')')}."


def _others(comparison: ComparisonResult, names: tuple[str, ...], word: str) -> str:
    labels = [
        "the mean frame" if n == "mean_ms" else text_of(n).label.lower() if n in FIGURE_TEXTS else n for n in names
    ]
    return f" Also {word}: {', '.join(labels)}." if labels else ""


def _visible(comparison: ComparisonResult) -> str:
    mean = comparison.figures.get("mean_ms")
    if mean is None or mean.smallest_visible is None or not mean.before:
        return ""
    decimals = decimals_for(mean.smallest_visible)
    return (
        f" A change of {number(mean.smallest_visible, decimals)} ms"
        f" ({percent(mean.smallest_visible / mean.before).lstrip('+')}) or more in the mean frame"
        " would very likely have been seen."
    )


def verdict_sentence(comparison: ComparisonResult) -> str:
    """One plain statement of the verdict in ms and as a rate, true of the numbers it rests on."""
    if comparison.verdict == "void":
        reasons = [finding_sentence(f) for f in comparison.findings if f.severity == "void"]
        return "Not comparable. " + " ".join(reasons)
    text = {
        "gain": _changed,
        "regression": _changed,
        "trade-off": _trade_off,
        "no material change": _unchanged,
        "undecided": _undecided,
    }[comparison.verdict](comparison)
    if comparison.verdict in ("gain", "regression", "trade-off"):
        text += split_sentence(comparison.work)
    for finding in comparison.findings:
        if finding.code == "part-timed":
            text += f" {finding_sentence(finding)}"
    if comparison.look is not None:
        pairs, most = comparison.look
        level = f"{100 * comparison.alpha:.2g} %"
        text += f" Tested at {level} in the look after {pairs} of at most {most} pairs; 5 % over all looks."
    if comparison.design == "order-unknown":
        text = text.rstrip(".") + ", if the runs were interleaved."
    return text


def _changed(comparison: ComparisonResult) -> str:
    names = comparison.reasons
    word = "better" if comparison.verdict == "gain" else "worse"
    shown = "shown" if comparison.material else "not shown"
    guard = all(n in comparison.guards for n in names)
    if guard:
        return f"A guard got worse. {_lead(comparison, names)}{_others(comparison, names[1:], word)}"
    return f"{_lead(comparison, names)}{_others(comparison, names[1:], word)} More than the margin: {shown}."


def _trade_off(comparison: ComparisonResult) -> str:
    calls = {n: _result(comparison, n).call for n in comparison.reasons}
    better = tuple(n for n, call in calls.items() if call.startswith("better"))
    worse = tuple(n for n, call in calls.items() if call.startswith("worse"))
    return (
        f"Better: {_lead(comparison, better)}{_others(comparison, better[1:], 'better')}"
        f" Worse: {_lead(comparison, worse)}{_others(comparison, worse[1:], 'worse')}"
    )


def _unchanged(comparison: ComparisonResult) -> str:
    names = comparison.primaries
    lead = _lead(comparison, ("mean_ms",) if "mean_ms" in names else names)
    return f"{lead} Every figure chosen beforehand lies inside its margin.{_visible(comparison)}"


def _undecided(comparison: ComparisonResult) -> str:
    reason = comparison.reasons[0] if comparison.reasons else ""
    mean = comparison.figures["mean_ms"]
    if reason in ("order-confounded", "spread-unknown"):
        said = next(finding_sentence(f) for f in comparison.findings if f.code == reason)
        row = amount(mean)
        text = mean_change(mean.before, mean.after, row.decimals, comparison.target_fps)
        return f"The runs show {text}, but nothing certain can be said of it. {said}"
    if reason == "held-by-cap":
        return "The cap holds the mean frame, and these runs show no other change. " + next(
            finding_sentence(f) for f in comparison.findings if f.code == reason
        )
    open_ = tuple(
        n for n in comparison.reasons if n in comparison.figures and comparison.figures[n].call != "none seen"
    )
    labels = ", ".join(FIGURE_TEXTS[n].label.lower() for n in open_)
    text = (
        f"{_lead(comparison, ('mean_ms',))} Neither a change nor the absence of one the size of the margin is shown"
        f" (open: {labels})."
    )
    if comparison.runs_needed is not None:
        text += f" About {comparison.runs_needed} runs an arm would show a change as large as the margin."
    elif open_:
        text += " More than 500 runs an arm, or longer ones, would be needed to show a change as large as the margin."
    return text
