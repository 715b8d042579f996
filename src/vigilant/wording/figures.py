"""Names and definitions of the figures."""

from __future__ import annotations

from dataclasses import dataclass

from vigilant.core import FIGURES
from vigilant.core.policy import DEFAULT_PRIMARIES


@dataclass(frozen=True)
class FigureText:
    """``label`` for tables, ``noun`` inside a sentence, ``definition`` exact, ``unit`` after the number."""

    label: str
    noun: str
    definition: str
    unit: str


_UNITS = {"ms": "ms", "fps": "fps", "share": "%", "per_min": "a minute", "stated": ""}


def _quantile(name: str, label: str, p: str) -> tuple[str, str, str]:
    return label, f"the {label[0].lower() + label[1:]}", (
        f"The frame time that {p} of a run's frames do not exceed, interpolated linearly between neighbours;"
        " where the clock is coarse, a comparison takes it from the counts of the clock's steps."
    )  # fmt: skip


_TEXTS: dict[str, tuple[str, str, str]] = {
    "mean_ms": ("Mean frame", "a frame", "Total time of the run divided by its number of frames."),
    "rate_fps": ("Mean rate", "the mean rate", "Frames divided by time; never a mean of momentary rates."),
    "p50_ms": _quantile("p50_ms", "Median", "half"),
    "p75_ms": _quantile("p75_ms", "75th percentile", "75 %"),
    "p90_ms": _quantile("p90_ms", "90th percentile", "90 %"),
    "p95_ms": _quantile("p95_ms", "95th percentile", "95 %"),
    "p99_ms": _quantile("p99_ms", "99th percentile", "99 %"),
    "p999_ms": _quantile("p999_ms", "99.9th percentile", "99.9 %"),
    "slowest_1pct_ms": ("Slowest 1 %", "the slowest 1 % of frames", "Mean of the slowest hundredth of a run's frames."),
    "slowest_01pct_ms": (
        "Slowest 0.1 %", "the slowest 0.1 % of frames", "Mean of the slowest thousandth of a run's frames."
    ),
    "worst_ms": ("Worst frame", "the worst frame", "The longest frame: one frame, never a headline."),
    "best_ms": ("Best frame", "the best frame", "The shortest frame: one frame, never a headline."),
    "late_share": (
        "Late frames",
        "the share of late frames",
        "Share of frames over the budget by more than 5 % of it (and more than one step of the timer).",
    ),
    "overrun_share": (
        "Time over budget", "the time over budget", "Summed excess over the budget, as a share of the run's time."
    ),
    "stutters_per_min": (
        "Stutters a minute",
        "the number of stutters",
        "Frames more than 75 % of the before arm's median level and more than 4 ms above the median of the 31 frames "
        "around them; those closer than 4 frames count once. Both arms get the same allowance.",
    ),
    "stutter_share": (
        "Time in stutters", "the time in stutters", "Summed excess of stutters over their neighbourhood, as a share."
    ),
    "freezes_per_min": (
        "Freezes a minute", "the number of freezes", "Stutters with a frame over 20 budgets and over 0.3 s."
    ),
    "jitter_ms": (
        "Frame-to-frame jitter", "the frame-to-frame jitter", "Median of the difference between a frame and the next."
    ),
    "slowest_second_fps": (
        "Slowest second", "the slowest second", "Fewest frames in any second that begins at a frame."
    ),
}  # fmt: skip


def _texts() -> dict[str, FigureText]:
    made = {}
    for name, kind in FIGURES.items():
        label, noun, definition = _TEXTS[name.removeprefix("work_")]
        if kind.work:
            label, noun = f"{label}, work only", f"{noun}, waiting left out,"
            definition += " Taken on the frame less its waiting lane."
        made[name] = FigureText(label, noun, definition, _UNITS[kind.unit])
    return made


FIGURE_TEXTS: dict[str, FigureText] = _texts()


def text_of(name: str) -> FigureText:
    """The texts of a figure, or of a guard that the runs state by its own name."""
    stated = FigureText(name, name, "What each run states of it, or the counter's mean over the frames that count.", "")
    return FIGURE_TEXTS.get(name, stated)


#: Offered first where the figures that carry a verdict, or a goal's figure, are chosen.
_FOR_VERDICT = (
    "mean_ms", "p50_ms", "p99_ms", "slowest_1pct_ms", "late_share", "overrun_share", "stutters_per_min",
    "slowest_second_fps",
)  # fmt: skip
_FOR_GOAL = (
    "slowest_second_fps", "late_share", "p99_ms", "p95_ms", "slowest_1pct_ms", "stutters_per_min", "worst_ms", "mean_ms",
)  # fmt: skip


def figure_choices() -> list[dict[str, object]]:
    """The figures a person chooses from: how they are called, which way is better, and in what unit a
    margin or a threshold is typed (``scale`` times the stored number)."""
    names = list(dict.fromkeys((*_FOR_VERDICT, *_FOR_GOAL)))
    return [
        {
            "name": name,
            "label": FIGURE_TEXTS[name].label,
            "definition": FIGURE_TEXTS[name].definition,
            "unit": FIGURE_TEXTS[name].unit,
            "margin_unit": {"share": "points", "per_min": "a minute"}.get(FIGURES[name].unit, "%"),
            "margin_scale": 1.0 if FIGURES[name].unit == "per_min" else 100.0,
            "threshold_scale": 100.0 if FIGURES[name].unit == "share" else 1.0,
            "limit": "at least" if FIGURES[name].higher_is_better else "at most",
            "usual": name in DEFAULT_PRIMARIES,
            "for_verdict": name in _FOR_VERDICT,
            "for_goal": name in _FOR_GOAL,
        }
        for name in names
    ]
