"""A sentence and a remedy for every finding."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from vigilant.core import Finding

from .figures import FIGURE_TEXTS

_TEXTS: dict[str, tuple[str, str]] = {
    "spread-unknown": (
        "One arm has a single run ({before} before, {after} after): the spread from run to run is unknown.",
        "Record at least {recommended} runs an arm.",
    ),
    "too-few-runs": (
        "{before} runs before and {after} after: fewer than the recommended {recommended} an arm.",
        "Record more runs; two an arm see next to nothing.",
    ),
    "order-unknown": (
        "The order of recording is unknown, so drift over time cannot be told from the change.",
        "State the order, or record interleaved.",
    ),
    "order-confounded": (
        "One arm was recorded after the other: no test can tell the change from heat or drift.",
        "Record the arms interleaved, in random pairs.",
    ),
    "target-missing": (
        "No target rate was set, so lateness was left out: {dropped}.",
        "Give the target rate.",
    ),
    "lengths-unlike": (
        "Runs are of unlike length, from {shortest_s} to {longest_s} s.",
        "Record runs of one length.",
    ),
    "conditions-differ": (
        "Conditions that must match differ: {differences}.",
        "Record again under one sheet of conditions, or mark the condition as the change itself.",
    ),
    "condition-one-side": (
        "Known on one side only: {differences}.",
        "Note the condition on both sides.",
    ),
    "cap-one-side": (
        "One arm is held by a refresh cap, the other is not: {caps}.",
        "Record both arms with the cap off: expect tearing, and switch it on again for players.",
    ),
    "caps-differ": (
        "The arms are held by different caps: {caps}.",
        "Record both arms with the cap off: expect tearing, and switch it on again for players.",
    ),
    "held-by-cap": (
        "Both arms are held by a refresh cap ({caps}): the mean says nothing about the work.",
        "Record with the cap off (expect tearing; switch it on again for players), or report a waiting lane.",
    ),
    "figure-missing": (
        "A figure chosen to carry the verdict is not in every run: {figures}.",
        "Choose figures that the runs have.",
    ),
    "runs-failed": (
        "{failed} of {total} runs did not complete: {outcomes}.",
        "Look at the tail of the subject's output; failed runs keep their place in the order.",
    ),
    "played-by-hand": (
        "Played by hand: runs differ by {spread_percent} % from one to the next, the player included.",
        "A scripted course sees smaller changes with fewer runs.",
    ),
    "crash-rates-differ": (
        "The arms fail at unlike rates: {before_failed} of {before_tried} attempts before, {after_failed} of"
        " {after_tried} after (p {p}).",
        "Mend the crashes first; what is left of an arm may be its easy runs.",
    ),
    "frames-measured-unlike": (
        "A frame is not the same thing on both sides: {before} before, {after} after.",
        "Measure both arms the same way.",
    ),
    "simulated-against-real": (
        "One arm ran in real time, the other on a simulated clock: {before} before, {after} after.",
        "Record both arms in real time.",
    ),
    "same-run-both-sides": (
        "The same run stands on both sides: {both}.",
        "Leave it out of one of them; a run cannot be held against itself.",
    ),
    "stretches-shared": (
        "{one} and {other} share {percent} % of their stretches, frame by frame: one looks like a copy of the other.",
        "Look where the runs come from; a run that was trimmed or joined from another counts once.",
    ),
    "part-timed": (
        "In {runs} of {total} runs the frames add up to {percent} % of the time that the run took by the recorder's"
        " clock: only part of each frame's work was timed.",
        "Time from the start of one frame to the start of the next, so that the frames fill the run.",
    ),
    "clocks-disagree": (
        "In {runs} runs two clocks tell unlike lengths, up to {percent} % apart.",
        "Find out which clock is right before trusting either.",
    ),
    "build-not-release": (
        "Not a release build: {builds}.",
        "Measure what players get: a release build outside the editor.",
    ),
    "observers-attached": (
        "Attached while recording: {observers}.",
        "Record without it, or record its cost with and without it.",
    ),
    "window-not-in-front": (
        "In {runs} of {total} runs the window was not in front and visible throughout.",
        "Keep the window in front; a system slows what nobody looks at.",
    ),
    "other-work": (
        "Other work on the machine took {median_percent} % of a core in the typical run, {most_percent} % in the worst.",
        "Close what else runs, or let the recorder wait for a quiet machine.",
    ),
    "timer-coarse": (
        "The clock ticks in steps of {step_ms} ms: percentiles are taken from the counts of its steps.",
        "Use a finer clock, or judge by the mean.",
    ),
    "never-settled": (
        "In {runs} of {total} runs {counter} never became steady, so they count from the warm-up on.",
        "Lengthen the run, or loosen the settle rule for both arms.",
    ),
    "unit-unlike": (
        "By the second clock the frame times are in {unit}, not in ms.",
        "State the unit and read the files again.",
    ),
    "unit-suspect": (
        "A typical frame of {typical_ms} ms is not what frames last: is the unit right?",
        "State the unit and read the files again.",
    ),
    "rate-given-as-time": (
        "The values around {typical} have their long tail below, as rates do and times do not.",
        "If these are frames a second, turn them into times first.",
    ),
    "warm-up-left-in": (
        "In {runs} of {total} runs a slow start was left in, up to {longest_s} s long.",
        "Leave out at least the first {wanted_s} s as warm-up, on both sides, and compare again.",
    ),
    "drift": (
        "The runs drift with their place in the session, by {percent} % from first to last.",
        "Let the machine reach its heat, and give it time to cool between runs.",
    ),
    "odd-run": (
        "A run is unlike the others of its arm: {odd}.",
        "Look at the run; leave it out only for a reason that is not its figure.",
    ),
    "witness-missing": (
        "A witness of equal work is not in every run: {witnesses}.",
        "Report it as a counter on both sides.",
    ),
    "work-unlike": (
        "The arms did not do the same work: {unlike}.",
        "Make the work alike, or name it as the change itself.",
    ),
    "quantile-at-edge": (
        "Unstable here, between the body of the frames and the pauses: {figures}.",
        "See the slowest 1 %, or record longer runs.",
    ),
    "guard-missing": (
        "A guard is not stated by every run, or not above zero: {guards}.",
        "Let the subject report it as a figure or a counter.",
    ),
    "guard-not-shown": (
        "Neither shown to be kept nor to be worse: {guards}.",
        "Record more runs, or widen the guard's margin.",
    ),
    "lanes-over-frame": (
        "In {runs} of {total} runs lane {lane} adds up to more time than its frames took, to {percent} % of it.",
        "Check what the lane times, and in which unit, before reading anything from it.",
    ),
    "parts-over-whole": (
        "In {runs} of {total} runs the parts {steps} add up to {percent} % of {whole}, which they lie in.",
        "Look for parts that overlap or are timed twice, or that run on several cores at once.",
    ),
    "stated-differs": (
        "What a run states does not agree with its frames: {stated}.",
        "Find out which of the two is measured otherwise before relying on either.",
    ),
    "scenario-versions-differ": (
        "The runs belong to different versions of the scenario: {versions}.",
        "Record both arms with one version.",
    ),
}


def _differences(items: Any) -> str:
    def side(values: Any) -> str:
        return " or ".join(map(str, values)) if values else "unknown"

    return "; ".join(f"{i['condition']} ({side(i['before'])} before, {side(i['after'])} after)" for i in items)


def _cap(period: Any) -> str:
    return "no cap" if period is None else f"{1000.0 / period:.4g} fps"


def _facts(evidence: Mapping[str, Any]) -> dict[str, str]:
    facts: dict[str, str] = {}
    for key, value in evidence.items():
        if key == "differences":
            facts[key] = _differences(value)
        elif key in ("dropped", "figures", "guards"):
            facts[key] = ", ".join(FIGURE_TEXTS[v].label if v in FIGURE_TEXTS else str(v) for v in value)
        elif key == "unlike":
            facts[key] = "; ".join(
                f"{i['witness']} {'+' if i['percent'] > 0 else '-'}{abs(i['percent']):.2g} %" for i in value
            )
        elif key == "both":
            facts[key] = "; ".join(f"{i['before']} before, {i['after']} after" for i in value)
        elif key == "odd":
            facts[key] = "; ".join(
                f"run {i['run']} {i['arm']}, {abs(i['percent']):.2g} % {'slower' if i['percent'] > 0 else 'faster'}"
                for i in value
            )
        elif isinstance(value, (list, tuple)):
            facts[key] = ", ".join(map(str, value))
        elif isinstance(value, float):
            facts[key] = f"{value:.3g}"
        else:
            facts[key] = str(value)
    if "before_ms" in evidence:
        facts["caps"] = f"{_cap(evidence['before_ms'])} before, {_cap(evidence['after_ms'])} after"
    return facts


def finding_sentence(finding: Finding) -> str:
    """What was found, with its values. Unknown codes raise KeyError: every code has its text."""
    return _TEXTS[finding.code][0].format_map(_facts(finding.evidence))


def finding_remedy(finding: Finding) -> str:
    """What to do about it."""
    return _TEXTS[finding.code][1].format_map(_facts(finding.evidence))
