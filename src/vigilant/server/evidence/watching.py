"""The leaf that is watched: both arms' recorded intervals over one stretch of the course; and blind trials of them."""

from __future__ import annotations

import secrets
from collections.abc import Mapping
from typing import Any

import numpy as np
from django.utils import timezone

from vigilant.core.evidence.blind import blind_result, drawn_sides
from vigilant.server.books.models import LogLine
from vigilant.server.database import in_transaction
from vigilant.server.entries.models import Comparison, Entry
from vigilant.server.problems import conflict, unprocessable
from vigilant.wording import evidence as wording

from .leaves import leaf_of
from .models import BlindTrial
from .rested import rested

#: Seconds that are watched at a time, at most, and the frames of an arm that come along.
MOST_S, MOST_FRAMES = 20.0, 20_000
#: Where nothing else is asked for, so long.
USUAL_S = 8.0


def stretch_of(comparison: Comparison, from_s: float, to_s: float | None) -> dict[str, Any]:
    """The frames of both typical runs between two places of the course (seconds of the mean course): what each took,
    in order. Raises a problem for a stretch that is none."""
    course = leaf_of(comparison, "course", {"with": "", "position": ""})
    stand = rested(comparison)
    length_s = stand.placing.length_s
    to_s = min(length_s, from_s + USUAL_S if to_s is None else to_s)
    if not 0 <= from_s < to_s or to_s - from_s > MOST_S + 1e-9:
        raise unprocessable(
            "no-stretch",
            f"From {from_s:g} to {to_s:g} s is no stretch of a course of {length_s:.1f} s; {MOST_S:g} s are watched at most.",
        )
    arms = {}
    for arm in ("before", "after"):
        number = next(i for i, run in enumerate(stand.runs) if str(run.pk) == course["typical"][arm])
        at = stand.placing.at[number] * length_s
        frames = stand.views[number].x[(at >= from_s) & (at < to_s)]
        if not 0 < frames.size <= MOST_FRAMES:
            raise unprocessable("no-stretch", f"The typical run {arm} has {frames.size:,} frames there; {MOST_FRAMES:,} at most are watched.")  # fmt: skip
        arms[arm] = {"run": course["typical"][arm], "frame_ms": [round(float(ms), 4) for ms in frames]}
    return {
        "from_s": from_s,
        "to_s": to_s,
        "length_s": length_s,
        "sections": course["sections"],
        "target_fps": stand.policy.target_fps,
        **arms,
    }


def _looked_for(comparison: Comparison) -> str:
    """The arm that the runs say is the better one."""
    return "before" if comparison.verdict == Comparison.Verdict.REGRESSION else "after"


@in_transaction
def begin_trial(entry: Entry, user: Any, from_s: float, to_s: float, presentations: int) -> BlindTrial:
    """A trial with its sides drawn; nobody is told them before it is over."""
    seed = secrets.randbits(62)
    sides = drawn_sides(presentations, np.random.default_rng(seed))
    assert entry.comparison is not None
    return BlindTrial.objects.create(
        entry=entry, person=user, seed=seed, from_s=from_s, to_s=to_s, sides=list(sides),
        looked_for=_looked_for(entry.comparison),
    )  # fmt: skip


@in_transaction
def answer_trial(trial: BlindTrial, user: Any, number: int, side: str) -> BlindTrial:
    """Keep the answer to presentation ``number`` (from 0); the last one ends the trial. The same answer again is the
    same. Raises a problem out of turn, by somebody else, and after the end."""
    trial = _own(trial, user)
    if number < len(trial.answers) and trial.answers[number] == side:
        return trial
    if trial.ended_at is not None:
        raise conflict("trial-over", "This trial is over; begin another.")
    if number != len(trial.answers):
        raise conflict("answer-out-of-turn", f"Presentation {len(trial.answers) + 1} is to be answered next.")
    trial.answers = [*trial.answers, side]
    if len(trial.answers) == len(trial.sides):
        _end(trial)
    trial.save()
    return trial


@in_transaction
def end_trial(trial: BlindTrial, user: Any) -> BlindTrial:
    """Broken off: what was answered counts."""
    trial = _own(trial, user)
    if trial.ended_at is None:
        _end(trial)
        trial.save()
    return trial


def _own(trial: BlindTrial, user: Any) -> BlindTrial:
    trial = BlindTrial.objects.select_for_update().select_related("entry__book", "person").get(pk=trial.pk)
    if trial.person_id != user.pk:
        raise conflict("trial-of-another", "Somebody else began this trial, and answers it.")
    return trial


def _end(trial: BlindTrial) -> None:
    trial.ended_at = timezone.now()
    said = result_of(trial)["said"]
    LogLine.write("blind trial", f"entry {trial.entry.number}: {said}", by=trial.person, book=trial.entry.book)


def result_of(trial: BlindTrial) -> Mapping[str, Any]:
    """What a trial that is over says."""
    found = blind_result(tuple(trial.sides), tuple(trial.answers), trial.looked_for)
    return {
        "hits": found.hits,
        "answers": found.answers,
        "p_value": found.p_value,
        "looked_for": trial.looked_for,
        "said": wording.blind_sentence(found, trial.looked_for),
    }
