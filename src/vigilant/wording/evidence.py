"""What the leaves of an entry say: where on the course a change is, which leg fared worst, which stutters recur."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from typing import Any

from vigilant.core.evidence import (
    Block,
    Course,
    Drift,
    LegTable,
    NaiveReading,
    Recurrence,
    RecurringPlace,
    RegularArm,
    SequenceJudged,
    SpreadFound,
    StillsJudged,
    Stretch,
)
from vigilant.core.evidence.blind import LEAST_ANSWERS, BlindResult

from .change import decimals_for, number
from .figures import text_of

#: So many stretches are told in one sentence.
MOST_TOLD = 3
NOT_JUDGED = (
    "The arms cannot be held against each other: what was recorded is drawn, and nothing is said of the change."
)


def _ms(value: float) -> str:
    return number(abs(value), decimals_for(abs(value) / 20 or None, 2))


NOBODY_LEFT = "Without the runs set aside an arm has none left; nothing can be said."
WARM_UP = "the warm-up"
_LEFT_OUT = {"mean_ms": "a frame of it", "total_ms": "all of it", "worst_ms": "its worst frame"}


def left_out_label(figure: str) -> str:
    """What of a left-out stretch a row compares."""
    return _LEFT_OUT[figure]


def _percent(share: float) -> str:
    return number(100.0 * share, 1)


def drift_sentence(found: Drift) -> str:
    """ "From the first slot to the last a frame grew by 2.0 % (1.6 to 2.5)"."""
    low, high = _percent(found.low), _percent(found.high)
    told = found.low > 0 or found.high < 0
    way = "grew" if found.share > 0 else "shrank"
    size = f"{_percent(abs(found.share))} %"
    if not told:
        return f"No drift is told: from the first slot to the last a frame changed by {_percent(found.share)} % ({low} to {high} %)."
    ends = (low, high) if found.share > 0 else (_percent(-found.high), _percent(-found.low))
    return f"From the first slot to the last a frame {way} by {size} ({ends[0]} to {ends[1]} %); the verdict allows for it."


def blind_sentence(found: BlindResult, looked_for: str) -> str:
    """ "7 of 8 right: by guessing 1 time in 28"."""
    said = f"{found.hits} of {found.answers} took {looked_for} for the smoother one"
    if found.p_value is None:
        return f"{said}: of fewer than {LEAST_ANSWERS} answers nothing is said."
    odds = 1.0 / found.p_value
    often = f"1 time in {odds:,.0f}" if odds >= 1.95 else f"{100 * found.p_value:.0f} times in 100"
    return f"{said}: by guessing {often}."


def blocks_sentence(found: Sequence[Block]) -> str:
    """In how many blocks of the order *after* was quicker; "" of one block."""
    if len(found) < 2:
        return ""
    quicker = sum(block.share < 0 for block in found)
    return f"After was quicker in {quicker} of {len(found)} blocks, each of which holds both arms equally often."


#: Figures of stutters that are no figures of a verdict.
STUTTER_TEXTS = {
    "stutter_size_ms": {
        "label": "Size of a stutter", "unit": "ms",
        "definition": "The mean excess of a run's stutters over their neighbourhood; of the runs that have one.",
    },
    "stutter_gap_s": {
        "label": "From one to the next", "unit": "s",
        "definition": "The median time from the beginning of one stutter of a run to that of the next; of the runs that have two.",
    },
}  # fmt: skip


def regular_sentence(found: RegularArm, arm: str, stood_out: Sequence[str]) -> str:
    """ "Before, stutters come every 2.00 s in 6 of 8 runs; in most of them river stood out"."""
    every = f"{found.period:.0f} frames" if found.unit == "frames" else f"{number(found.period, 2)} s"
    said = f"{arm.capitalize()}, stutters come every {every} in {found.runs} of {found.of} runs"
    lane, times = Counter(stood_out).most_common(1)[0] if stood_out else ("", 0)
    return f"{said}; in most of them {lane} stood out." if lane and 2 * times > len(stood_out) else f"{said}."


def stretch_sentence(stretch: Stretch) -> str:
    """ "from 41 to 58 s, in rain: 1.2 to 1.8 ms less"."""
    leg = f", in {stretch.leg}" if stretch.leg else ""
    least, most = _ms(stretch.least_ms), _ms(stretch.most_ms)
    size = least if least == most else f"{least} to {most}"
    way = "less" if stretch.most_ms < 0 else "more"
    return f"from {number(stretch.from_s, 0)} to {number(stretch.to_s, 0)} s{leg}: {size} ms {way}"


_WHERE = {
    "all over": "The change is all over the distribution",
    "slowest tenth": "The change is in the slowest tenth of the frames",
    "slow half": "The change is in the slow half of the frames",
    "quick half": "The change is in the quick half of the frames",
    "some": "The change is in a part of the distribution",
}


_TH = {1: "st", 2: "nd", 3: "rd"}


def _percentile(share: float) -> str:
    """ "92nd", "99.5th"."""
    value = round(100 * share, 4)
    whole = int(value)
    ordinary = value != whole or 10 < whole < 14
    return f"{value:g}{'th' if ordinary else _TH.get(whole % 10, 'th')}"


def spread_sentence(found: SpreadFound, mean_moved: bool) -> str:
    """Where in the distribution the change is shown."""
    if found.where == "untold":
        return "Where in the distribution the change is cannot be told: four runs an arm are needed for its band."
    if found.where == "nowhere":
        though = ", though the mean frame moved" if mean_moved else ""
        return f"At no quantile is the change shown by itself{though}: the band holds for all of them at once."
    told = []
    for part in found.ranges[:MOST_TOLD]:
        where = f"at the {_percentile(part.from_share)} percentile"
        if part.to_share > part.from_share:
            where = f"from the {_percentile(part.from_share)} to the {_percentile(part.to_share)} percentile"
        least, most = sorted((abs(part.least_ms), abs(part.most_ms)))
        size = _ms(least) if _ms(least) == _ms(most) else f"{_ms(least)} to {_ms(most)}"
        told.append(f"{where} {size} ms {'less' if part.most_ms < 0 else 'more'}")
    more = len(found.ranges) - len(told)
    rest = f"; and in {more} further {'range' if more == 1 else 'ranges'}" if more else ""
    both = ", for better and for worse" if found.both_ways else ""
    still = (
        "" if found.quickest_moved or found.where == "all over" else "; the quickest tenth is not shown to have moved"
    )
    return f"{_WHERE[found.where]}{both}: {'; '.join(told)}{rest}{still}."


def course_sentence(course: Course, runs: tuple[int, int]) -> str:
    """Where along the course the change is shown."""
    if course.se is None:
        return "The difference along the course cannot be tested: the arms were not recorded so that drift can be told."
    if course.low is None:
        return f"With {min(runs)} runs in an arm the difference along the course has no band; four are needed."
    if not course.stretches:
        return (
            "Nowhere along the course is the change shown by itself: the band holds for all of it at once, and with few"
            " runs the table of legs sees more than it does."
        )
    told = [stretch_sentence(s) for s in sorted(course.stretches, key=lambda s: s.from_s - s.to_s)[:MOST_TOLD]]
    more = len(course.stretches) - len(told)
    rest = f"; and in {more} shorter {'stretch' if more == 1 else 'stretches'}" if more else ""
    return f"Shown {'; '.join(told)}{rest}."


def course_notes(course: Course) -> list[str]:
    """What limits the picture."""
    notes = []
    if course.by == "time":
        notes.append(
            "The runs have no legs: places are told by time alone, and lie a median of"
            f" {number(course.drift_s, 2)} s apart at the end."
        )
    if course.fewer:
        notes.append("That is over half a step of the picture, which has fewer steps for it.")
    if course.unshared:
        notes.append(f"Not all runs have {_listed(course.unshared)}: left out of the picture.")
    if course.by != "time":
        notes.append("The hatching goes from the lowest to the highest run: a range of runs, not an interval.")
    return notes


def _listed(names: Sequence[str]) -> str:
    shown = [name or "what lies before the first leg" for name in names[:4]]
    more = len(names) - len(shown)
    return ", ".join(shown) + (f" and {more} more" if more else "")


def legs_sentences(table: LegTable, figure: str) -> list[str]:
    """The leg that fared worst, and whether no leg got worse."""
    said = []
    text = text_of(figure)
    worst = table.worst.get(figure)
    if worst is not None:
        unit = text.unit if text.unit != "%" else "points"
        scale = 100.0 if text.unit == "%" else 1.0
        ends = [scale * end for end in (worst.ci_low, worst.ci_high)]
        digits = decimals_for((ends[1] - ends[0]) / 2)
        size = number(abs(scale * worst.difference), digits)
        way = "less" if worst.difference < 0 else "more"
        interval = f"{_signed(ends[0], digits)} to {_signed(ends[1], digits)}"
        said.append(
            f"{text.label}: {worst.name} fared worst, with {size} {unit} {way}"
            f" ({interval}; the interval is wider for being chosen among the legs)."
        )
    claim = table.no_leg_worse.get(figure)
    if claim is not None and claim.said:
        said.append("No leg got worse by its margin or more: that is shown for every leg at once.")
    elif claim is not None:
        needed = f"; {claim.runs_needed} runs an arm would settle it" if claim.runs_needed else ""
        said.append(f"That no leg got worse is not shown: {claim.leg} may have{needed}.")
    return said


def _signed(value: float, digits: int) -> str:
    text = number(value, digits)
    return text if text.startswith("-") or not any(c in "123456789" for c in text) else f"+{text}"


def place_sentence(place: RecurringPlace, at_s: float, leg: str, judged: bool = True) -> str:
    """ "the stutter at 41 s, in rain, is gone: 8 of 8 runs before, 0 of 8 after"."""
    where = f"the stutter at {number(at_s, 1)} s{f', in {leg},' if leg else ''}"
    counts = f"{place.runs[0]} of {place.of[0]} runs before, {place.runs[1]} of {place.of[1]} after"
    if not judged:
        return f"{where} recurs: {counts}"
    if not place.differs:
        return f"{where} is part of the course: {counts}"
    before, after = place.runs[0] / place.of[0], place.runs[1] / place.of[1]
    if after < before:
        return f"{where} is {'gone' if place.runs[1] == 0 else 'rarer'}: {counts}"
    return f"{where} is {'new' if place.runs[0] == 0 else 'more frequent'}: {counts}"


def recurring_sentence(found: Recurrence) -> str:
    """What recurs, and how many runs it takes."""
    needed = f"a stutter recurs where {found.needed[0]} runs of both arms, or {found.needed[1]} before or {found.needed[2]} after, have one at one place"  # fmt: skip
    dense = " They lie so dense that one place is hardly told from its neighbours." if found.dense > 0.5 else ""
    if not found.places:
        return f"No stutter recurs at one place: {needed}.{dense}"
    count = len(found.places)
    return f"{count} {'place has' if count == 1 else 'places have'} a stutter in most runs: {needed}.{dense}"


STILL_THRESHOLDS = (
    "A pixel differs where a channel differs by more than 8 of 255, or by more than 3 after a mean over 3 x 3 pixels; where runs"
    " of one arm differ by more, by twice what nine tenths of their pixels stay under."
    " Changed: over three times what runs of one arm differ by, in share or in the largest region, and over 0.01 % of the"
    " picture. The same: no more than runs of one arm do. It is a proposal; what somebody saw counts."
)
COST_STILL = "a picture of cost over the view: laid side by side, never held for a changed picture"


def _share(share: float) -> str:
    percent_ = 100.0 * share
    return f"{number(percent_, 3 if percent_ < 0.1 else 2 if percent_ < 1 else 1)} %"


def still_sentence(found: StillsJudged) -> str:
    """What the pixels say of a still."""
    if found.difference is None:
        return found.why
    if not found.difference.region:
        return "no pixel differs"
    said = f"{_share(found.difference.share)} of its pixels differ, {found.difference.region:,} in one region"
    if found.floor is None:
        return f"{said}; no arm has a second run of it to tell noise by"
    return f"{said}; between runs of one arm at most {_share(found.floor.share)}, {found.floor.region:,} in one region"


def sequence_missing(having: Sequence[str], lacking: Sequence[str]) -> str:
    """Why a sequence is not compared: the arms that have pictures of it, and those of them without a run that has all
    that both have."""
    if len(having) < 2:
        return f"only {having[0]} has it" if having else COST_STILL
    return f"no run {' or '.join(lacking)} has all of its pictures"


def sequence_sentence(found: SequenceJudged) -> str:
    """What a sequence's pictures say together."""
    if found.share is None:
        return "none of its pictures could be compared"
    counts: Counter[str] = Counter(found.pictures)
    told = ", ".join(f"{counts[state]} {state}" for state in _STATES if counts[state])
    said = f"of {len(found.pictures)} pictures {told}; on the mean {_share(found.share)} of the pixels differ"
    if found.floor is None:
        return f"{said}; no arm has a second run of it to tell noise by"
    return f"{said}, between runs of one arm at most {_share(found.floor)}"


_STATES = ("changed", "changed in motion", "to be looked at", "same", "not compared")


def stills_sentence(states: Sequence[str], sequences: int = 0) -> str:
    """How many pictures are the same; the last ``sequences`` states are of sequences."""
    if not states:
        return "No run of this entry has a still."
    counts: Counter[str] = Counter(states)
    told = [f"{counts[state]} {state}" for state in _STATES if counts[state]]
    single = len(states) - sequences
    counted = [f"{single} {'picture' if single == 1 else 'pictures'}"] if single else []
    counted += [f"{sequences} {'sequence' if sequences == 1 else 'sequences'}"] if sequences else []
    return f"{' and '.join(counted)}: {', '.join(told)}."


def still_remark(what: str, leg: str, said: str, ruling: Mapping[str, Any] | None, gain: bool) -> str:
    """A picture or a sequence that changed."""
    where = f"{what}{f', in {leg},' if leg else ''}"
    seen = f"{ruling['by']} saw: {ruling['why'].rstrip('.')}" if ruling else said
    then = "; less is shown, or something else: a gain in time is not one in the same picture" if gain else ""
    return f"the {where} changed: {seen}{then}"


#: How each naive reading is called, and what is wrong with it.
_NAIVE = {
    "momentary rates": (
        "Mean of momentary rates",
        "A quick frame counts as much as a slow one, though it fills less time; the mean rate is frames divided by time.",
    ),
    "difference of rates": (
        "Difference of the mean rates",
        "The same step in rate is another time at another level: 48 to 56 is not 148 to 156.",
    ),
    "first run": ("The first run of each arm", "One run each says nothing of how runs differ by themselves."),
    "worst frame": ("The worst frame of all runs", "It is one frame, and chance makes it."),
    "last frame": ("The last frame seen", "It is one frame: what a jumping number shows."),
    "best try": ("The best of the tries", "The more tries, the better the best: it measures how often one tried."),
    "pooled frames": (
        "All frames pooled, Welch's t",
        "Frames of a run hang together: with no change at all this calls one in 77 of 100 comparisons.",
    ),
}
NAIVE_RATES = (
    "With no change, pooled frames call one in 77 of 100 comparisons, one long run each in 55 to 88, resampled runs in 10 to"
    " 20, looking after each run in 18 (ten generators)."
)


def naive_reading(reading: NaiveReading) -> dict[str, str]:
    """A reading in words: its label, both arms, what it would have claimed, and what is wrong with it."""
    label, why = _NAIVE[reading.name]
    gap = abs(reading.after - reading.before)
    decimals = max(decimals_for(gap / 20 or None, 2), 1)
    way = ("more" if reading.after > reading.before else "less") if gap else "no difference"
    claimed = f"{number(gap, decimals)} {reading.unit} {way}" if gap else way
    if reading.p_value is not None:
        p = "p below 0.0001" if reading.p_value < 0.0001 else f"p = {reading.p_value:.4f}"
        claimed += f", {p}" + (", called significant" if reading.p_value < 0.05 else "")
    return {
        "label": label,
        "before": number(reading.before, decimals),
        "after": number(reading.after, decimals),
        "claimed": claimed,
        "why": why,
    }
