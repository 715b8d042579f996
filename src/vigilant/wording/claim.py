"""A spoken sentence held against the data: "a fifth faster", "2.2x", "40 % fewer stutters", "13 ms is 77 fps"."""

from __future__ import annotations

import math
import re
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Literal

from vigilant.core import FigureResult

from .change import decimals_for, number, percent
from .figures import text_of

Bound = Literal["", "at least", "at most"]
State = Literal["holds", "at least that much", "does not hold", "cannot be told", "not understood"]

#: So much of a sentence is read, in characters; claims are short.
MOST_READ = 200
_FRACTIONS = {
    "half": 1 / 2, "third": 1 / 3, "quarter": 1 / 4, "fifth": 1 / 5, "sixth": 1 / 6, "seventh": 1 / 7,
    "eighth": 1 / 8, "ninth": 1 / 9, "tenth": 1 / 10,
}  # fmt: skip
_TIMES = {"twice": 2.0, "thrice": 3.0, "double": 2.0, "doubled": 2.0}
_FIGURES = (
    ("stutter", "stutters_per_min"), ("late", "late_share"), ("freeze", "freezes_per_min"),
    ("slowest second", "slowest_second_fps"), ("slowest 1", "slowest_1pct_ms"), ("slowest", "slowest_1pct_ms"),
    ("99.9", "p999_ms"), ("99th", "p99_ms"), ("95th", "p95_ms"), ("90th", "p90_ms"), ("median", "p50_ms"),
    ("jitter", "jitter_ms"),
)  # fmt: skip
# Sentences are read with single spaces, and no pattern repeats anything without a bound: reading takes
# time in proportion to the sentence.
_NUMBER = r"(?<![\d.,])(\d{1,12}(?:[.,]\d{1,12})?)(?!\d)"
_RATE = r"(?:fps|frames (?:a|per) second|frames)"
#: Words that make a claim a bound, longest first so that "no more than" is not read as "more than".
_BOUND_WORDS: tuple[tuple[str, Bound], ...] = (
    ("no more than", "at most"), ("not more than", "at most"), ("at most", "at most"), ("up to", "at most"),
    ("less than", "at most"), ("under", "at most"), ("no less than", "at least"), ("at least", "at least"),
    ("more than", "at least"), ("over", "at least"),
)  # fmt: skip
_BOUNDS = tuple((re.compile(rf"\b{words}\b(?= (?:\d|an?\b|one\b|half|twice))"), bound) for words, bound in _BOUND_WORDS)
_FROM_TO = re.compile(rf"\bfrom {_NUMBER} ?(?:ms|{_RATE})? to {_NUMBER} ?(ms|{_RATE})(?!\w)")
_RANGE = re.compile(rf"{_NUMBER} ?(?:to|-|\u2013|and) ?{_NUMBER}(?= ?(?:ms|%|per|x|times|\u00d7|fps|frames))")
_MS, _FPS = re.compile(rf"{_NUMBER} ?ms\b"), re.compile(rf"{_NUMBER} ?fps\b")
_SLOWEST_SHARE = re.compile(rf"slowest {_NUMBER} ?%")
_PER_CENT = re.compile(rf"{_NUMBER} ?(?:%|per ?cent)")
_FRACTION = re.compile(r"\b(?:(one|a|two|three) )?(half|third|quarter|fifth|sixth|seventh|eighth|ninth|tenth)s?\b")
_TIMES_AS = re.compile(rf"{_NUMBER} ?(?:x\b|\u00d7|times)")
_MS_CHANGE = re.compile(rf"{_NUMBER} ?ms(?: a frame)? (less|more|shorter|longer|faster|slower|saved)")
_MS_COST = re.compile(rf"\bcosts? (?:us )?(?:about )?{_NUMBER} ?ms\b")
_RATE_CHANGE = re.compile(
    rf"{_NUMBER} {_RATE}(?: (?:a|per) second)? (less|fewer|lower|slower|lost|more|higher|faster|gained)"
)
_RATE_COST = re.compile(rf"\b(costs?|loses?|lost|gains?|gained|another) (?:us )?(?:about )?{_NUMBER} {_RATE}")
_FEWER = ("less", "fewer", "lower", "slower", "lost", "loses", "lose", "cost", "costs")


def _words(*words: str) -> re.Pattern[str]:
    return re.compile(rf"\b(?:{'|'.join(words)})\b")


_SMALLER = _words("slower", "fewer", "less")
_TIME_ITSELF = _words("slower", "longer", "the time", "as long", "as much time")
_FASTER = _words("faster", "quicker", "higher rate", "more frames", "more fps", "higher")
_SLOWER, _LESS, _MORE = _words("slower"), _words("less", "fewer", "shorter", "lower", "saved", "down"), _words("more", "longer", "up")  # fmt: skip
_OF_THE = _words("the")
_TIMES_WORDS = tuple((_words(word), factor) for word, factor in _TIMES.items())


#: A level that a sentence names is met within this share of it.
_SAME_LEVEL = 0.02


@dataclass(frozen=True)
class Claim:
    """Claimed of ``figure``: after / before as ``ratio``, or after - before as ``difference`` in its unit.

    ``bound``: so much "at least" or "at most" in that direction; ``to`` is the other end of a range;
    ``stood`` the level before that a sentence names, and half a unit of its last digit.
    """

    text: str
    figure: str
    ratio: float | None = None
    difference: float | None = None
    bound: Bound = ""
    to: Claim | None = None
    stood: tuple[float, float] | None = None

    def wanted(self, before: float) -> float:
        """The difference claimed, in the figure's unit."""
        return self.difference if self.difference is not None else before * ((self.ratio or 1.0) - 1.0)

    def region(self, before: float) -> tuple[float, float]:
        """Least and greatest difference that the claim allows."""
        wanted = self.wanted(before)
        if self.to is not None:
            low, high = sorted((wanted, self.to.wanted(before)))
            return low, high
        if self.bound == "at least":
            return (wanted, math.inf) if wanted > 0 else (-math.inf, wanted)
        if self.bound == "at most":
            return (-math.inf, wanted) if wanted > 0 else (wanted, math.inf)
        return wanted, wanted


@dataclass(frozen=True)
class Answer:
    """``sentence`` says what the data show, with the arithmetic."""

    state: State
    sentence: str


def _value(text: str) -> float:
    return float(text.replace(",", "."))


def _said(text: str) -> str:
    """What is read of a sentence: lower case, single spaces, no more than :data:`MOST_READ` characters."""
    return " ".join(text[:MOST_READ].lower().split())


def _half_digit(said: str) -> float:
    """What was said was rounded: half a unit of its last digit."""
    return 0.5 * 10.0 ** -len(said.replace(",", ".").partition(".")[2])


def _pair(text: str) -> Answer | None:
    """A rate and a time set equal: pure arithmetic."""
    found_ms, found_fps = _MS.search(text), _FPS.search(text)
    if not found_ms or not found_fps:
        return None
    ms, fps = _value(found_ms[1]), _value(found_fps[1])
    if not ms or not fps:
        return Answer("not understood", "Neither a time nor a rate can be zero.")
    exact = 1000.0 / ms
    said = found_fps[1] if found_ms.start() < found_fps.start() else found_ms[1]
    decimals = len(said.replace(",", ".").partition(".")[2])
    off = abs(exact - fps) if said == found_fps[1] else abs(1000.0 / fps - ms)
    holds = off <= _half_digit(said) + 1e-9
    sentence = (
        f"1000 / {ms:g} ms = {number(exact, decimals + 1)} fps, and 1000 / {fps:g} fps = {number(1000.0 / fps, 2)} ms."
    )
    return Answer("holds" if holds else "does not hold", sentence)


def _figure(text: str) -> str:
    return next((name for word, name in _FIGURES if word in text), "mean_ms")


def _share(text: str) -> float | None:
    """A share of 0..1 (or above) said as per cent or as a fraction; a figure's own name is none."""
    text = _SLOWEST_SHARE.sub("slowest", text)
    if found := _PER_CENT.search(text):
        return _value(found[1]) / 100.0
    if found := _FRACTION.search(text):
        return {"two": 2.0, "three": 3.0}.get(found[1] or "", 1.0) * _FRACTIONS[found[2]]
    return None


def read_claim(text: str) -> Claim | None:
    """What a sentence claims of before and after; None where it is not understood. "2 to 3 ms less" is a
    range, "at least a tenth faster" a bound, "from 50 to 58 fps" two levels."""
    said = _said(text)
    if found := _FROM_TO.search(said):
        before, after = _value(found[1]), _value(found[2])
        figure = "rate_fps" if found[3] != "ms" else _figure(said)
        if before <= 0 or after <= 0:
            return None
        return Claim(text, figure, ratio=after / before, stood=(before, _half_digit(found[1])))
    for words, bound in _BOUNDS:
        # "less than 10 %" bounds a number; the direction is said elsewhere.
        if found := words.search(said):
            claim = _read(f"{said[: found.start()]}{said[found.end() + 1 :]}")
            return None if claim is None else replace(claim, text=text, bound=bound)
    if found := _RANGE.search(said):
        ends = [_read(said[: found.start()] + found[i] + said[found.end() :]) for i in (1, 2)]
        return None if ends[0] is None else replace(ends[0], text=text, to=ends[1])
    return _read(said)


def _read(said: str) -> Claim | None:
    """A sentence with one number.

    "faster" and "higher" speak of the rate, "slower" of the rate too, "less", "fewer", "shorter" of
    the figure itself; "x times" is a ratio of rates; a number of frames is one of frames a second.
    """
    figure = _figure(said)
    time_like = figure.endswith("_ms")
    times = _TIMES_AS.search(said)
    ratio = _value(times[1]) if times else next((v for word, v in _TIMES_WORDS if word.search(said)), None)
    if ratio is not None and ratio > 0:
        # "2x" of a time is a ratio of rates, unless the words speak of the time itself.
        grows = bool(_TIME_ITSELF.search(said)) if time_like else not _SMALLER.search(said)
        return Claim(said, figure, ratio=ratio if grows else 1.0 / ratio)
    if found := _MS_CHANGE.search(said):
        size = _value(found[1])
        return Claim(said, figure, difference=size if found[2] in ("more", "longer", "slower") else -size)
    if found := _MS_COST.search(said):
        return Claim(said, figure, difference=_value(found[1]))
    if figure == "mean_ms":
        if found := _RATE_CHANGE.search(said):
            size = _value(found[1])
            return Claim(said, "rate_fps", difference=-size if found[2] in _FEWER else size)
        if found := _RATE_COST.search(said):
            size = _value(found[2])
            return Claim(said, "rate_fps", difference=-size if found[1] in _FEWER else size)
    share = _share(said)
    if share is None:
        return None
    if _FASTER.search(said):
        return Claim(said, figure, ratio=1.0 / (1.0 + share) if time_like else 1.0 + share)
    if _SLOWER.search(said) and share < 1.0:
        return Claim(said, figure, ratio=1.0 / (1.0 - share) if time_like else 1.0 - share)
    if _LESS.search(said):
        return Claim(said, figure, ratio=1.0 - share)
    if _MORE.search(said):
        return Claim(said, figure, ratio=1.0 + share)
    if _OF_THE.search(said):
        return Claim(said, figure, ratio=share)
    return None


def check_claim(text: str, verdict: str, figures: Mapping[str, FigureResult]) -> Answer:
    """Hold a sentence against a comparison's verdict and figures, with its arithmetic and the figure's interval.

    A size or a range holds where the interval of the data meets it and is narrow enough to speak: it
    must not include "no change" as well. Where the whole interval lies beyond a claimed improvement,
    on the better side, it is *at least that much*. A bound holds where the whole interval keeps it.
    """
    arithmetic = _pair(_said(text))
    if arithmetic is not None:
        return arithmetic
    claim = read_claim(text)
    if claim is None:
        said = (
            'Say it like "a fifth faster", "2.2x", "40 % fewer stutters", "1.5 ms less", "from 50 to 58 fps" or'
            ' "13 ms is 77 fps".'
        )
        return Answer("not understood", said)
    result = figures.get(claim.figure)
    label = text_of(claim.figure).label
    if result is None:
        return Answer("cannot be told", f"These runs have no {label.lower()}.")
    if verdict == "void":
        return Answer("cannot be told", "The runs are not comparable, so no size of a change follows from them.")
    return _judged(claim, result, label)


def _judged(claim: Claim, result: FigureResult, label: str) -> Answer:
    before, after = result.before, result.after
    if before <= 0:
        return Answer("cannot be told", f"{label} was zero before: nothing can be a share of it.")
    wanted, (least, most) = claim.wanted(before), claim.region(before)
    unit = text_of(result.name).unit
    scale = 100.0 if result.unit == "share" else 1.0
    low, high = result.ci_low, result.ci_high
    width = None if low is None or high is None else (high - low) / 2.0 * scale
    decimals = decimals_for(width, 3)

    def said(value: float) -> str:
        return f"{number(scale * value, decimals)} {unit}".strip()

    ends = [wanted] if claim.to is None else [wanted, claim.to.wanted(before)]
    levels, changes = " or ".join(said(before + w) for w in ends), " to ".join(percent(w / before) for w in ends)
    claimed = f"Claimed: {said(before)} to {levels} ({changes})."
    if claim.bound:
        claimed = f"Claimed: a change of {claim.bound} {said(wanted)} ({percent(wanted / before)})."
    shown = f"{label} went from {said(before)} to {said(after)} ({percent(after / before - 1.0)}"
    if result.unit == "ms" and after > 0:
        shown += f" time, {percent(before / after - 1.0)} rate, {before / after:.3g} times as fast"
    if low is None or high is None:
        return Answer("cannot be told", f"{claimed} {shown}), but these runs give no interval.")
    shown += f"; 95 % interval {percent(low / before)} to {percent(high / before)})."
    if claim.bound:
        return Answer(*_bounded(f"{claimed} {shown}", low >= least and high <= most, high < least or low > most))
    if claim.stood is not None:
        level, rounded = claim.stood
        if abs(before - level) > max(rounded, (high - low) / 2.0, _SAME_LEVEL * level):
            more = f"It stood at {said(before)} before, not at {said(level)}."
            return Answer("does not hold", f"{claimed} {shown} {more}")
    better = 1.0 if result.higher_is_better else -1.0
    # "No change" inside the interval: the data allow the claim and its absence alike.
    if low <= most and high >= least:
        state: State = "cannot be told" if low <= 0.0 <= high and not least <= 0.0 <= most else "holds"
    elif better * wanted > 0 and (low > most if better > 0 else high < least):
        state = "at least that much"
    else:
        state = "does not hold"
    short = wanted * (after - before) > 0 and (least > high if wanted > 0 else most < low)
    more = {
        "holds": "The claim lies inside the interval." if claim.to is None else "The interval meets the range.",
        "at least that much": "At least that much: the whole interval lies beyond the claim, on the better side.",
        "does not hold": f"The claim lies outside the interval{', on the side of too much' if short else ''}.",
        "cannot be told": "The interval includes the claim, and no change at all.",
    }[state]
    return Answer(state, f"{claimed} {shown} {more}")


def _bounded(said: str, kept: bool, broken: bool) -> tuple[State, str]:
    if kept:
        return "holds", f"{said} The whole interval keeps the bound."
    if broken:
        return "does not hold", f"{said} The whole interval lies beyond the bound."
    return "cannot be told", f"{said} The interval reaches over the bound."
