"""Goals are set, moved and dropped; every entry is held against them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict
from itertools import pairwise
from typing import Any

from django.db.models import Prefetch
from django.utils import timezone

from vigilant.core import CORE_VERSION, CoreError
from vigilant.core.goals import ArmLevel, arm_level, carried_over, check_figure, judge
from vigilant.core.sheet import LOAD
from vigilant.server.database import in_transaction
from vigilant.server.entries.models import Comparison
from vigilant.server.jobs import services as jobs
from vigilant.server.problems import conflict, unprocessable
from vigilant.server.runs.models import ArmLabel, Run
from vigilant.server.runs.plans import policy_of
from vigilant.server.runs.store import read_every
from vigilant.server.scenarios.models import Scenario
from vigilant.server.seals.services import seal
from vigilant.wording.carrying import carrying_words
from vigilant.wording.goals import STATES, goal_sentence, level_words, threshold

from .carrying import factor_between
from .models import Goal, GoalClosing, GoalMove, GoalReading

#: The kind of job that reads a scenario's goals from its comparisons.
READ_GOALS = "read goals"
#: So many of the newest runs say which legs a scenario has.
RUNS_LOOKED_AT = 20


def goals_of(scenario: Scenario | int) -> list[Goal]:
    """The goals that stand, with their moves."""
    moves = Prefetch("moves", GoalMove.objects.select_related("moved_by"))
    closings = Prefetch("closings", GoalClosing.objects.select_related("closed_by"))
    return list(Goal.objects.filter(scenario=scenario, dropped_at=None).prefetch_related(moves, closings))


@in_transaction
def set_goal(scenario: Scenario, data: dict[str, Any], user: Any) -> Goal:
    """A new goal with its first threshold. Raises a problem for a figure no goal can be set on."""
    try:
        check_figure(data["figure"])
    except CoreError as error:
        raise unprocessable("goal-invalid", str(error)) from error
    _check_legs(scenario, data["legs"])
    goal = Goal.objects.create(
        scenario=scenario, figure=data["figure"], legs=data["legs"], load=data["load"], rig=data["rig"]
    )
    seal("set", goal)
    _move(goal, data["threshold"], data["reason"], user)
    begin_reading(scenario)
    return goal


def _check_legs(scenario: Scenario, legs: Sequence[str]) -> None:
    """A goal is set on legs that the scenario or one of its runs has, as soon as there are any. Raises a problem."""
    known: set[str] = set()
    for definition in scenario.versions.values_list("definition", flat=True):
        known |= {str(leg["name"]) for leg in definition.get("legs", []) if isinstance(leg, dict) and "name" in leg}
    runs = Run.objects.filter(scenario_version__scenario=scenario, state=Run.State.COMPLETE).order_by("-received_at")
    for marks in runs.values_list("marks", flat=True)[:RUNS_LOOKED_AT]:
        known |= {str(mark["name"]) for mark in marks}
    strange = [leg for leg in legs if leg not in known]
    if known and strange:
        raise unprocessable(
            "leg-unknown",
            f"No run of this scenario has a leg {strange[0]!r}; there are: {', '.join(sorted(known)[:20])}.",
        )


@in_transaction
def move_goal(goal: Goal, threshold_: float, reason: str, user: Any) -> None:
    """Another threshold, with its reason; the old one stays in the history."""
    if not reason.strip():
        raise unprocessable("reason-missing", "A goal is moved for a reason; say which.")
    newest = goal.moves.first()
    if newest is not None and newest.threshold == threshold_:
        raise conflict("goal-unmoved", "The goal stands there already.")
    _move(goal, threshold_, reason, user)


def _move(goal: Goal, threshold_: float, reason: str, user: Any) -> None:
    seal("set", GoalMove.objects.create(goal=goal, threshold=threshold_, reason=reason, moved_by=user))


@in_transaction
def close_goal(goal: Goal, why: str, left: Sequence[dict[str, Any]], user: Any) -> None:
    """Good enough for now, with what is left to try. Raises a problem for one that is closed."""
    if goal.closing is not None:
        raise conflict("goal-closed", "The goal is closed already; moving it opens it again.")
    seal("closed", GoalClosing.objects.create(goal=goal, why=why, left=list(left), closed_by=user))


@in_transaction
def drop_goal(goal: Goal) -> None:
    if Goal.objects.filter(pk=goal.pk, dropped_at=None).update(dropped_at=timezone.now()):
        seal("dropped", goal)


def _arm_runs(comparison: Comparison, arm: str) -> list[Run]:
    found = Run.objects.filter(comparison_runs__arm__comparison=comparison, comparison_runs__arm__label=arm)
    return list(found.select_related("conditions").order_by("comparison_runs__position"))


def readings(comparison: Comparison, arm: str, goals: Sequence[Goal]) -> dict[int, GoalReading]:
    """The readings of an arm by goal, as far as they were taken."""
    kept = GoalReading.objects.filter(comparison=comparison, arm=arm, goal__in=goals)
    return {r.goal_id: r for r in kept}


def take_readings(comparison: Comparison, goals: Sequence[Goal]) -> None:
    """Read every goal from both arms of a comparison, where this core has not."""
    for arm in ArmLabel.values:
        now = GoalReading.objects.filter(comparison=comparison, arm=arm, core_version=CORE_VERSION, goal__in=goals)
        missing = [g for g in goals if g.pk not in set(now.values_list("goal_id", flat=True))]
        if missing:
            _take(comparison, arm, missing)


def _take(comparison: Comparison, arm: str, goals: Sequence[Goal]) -> None:
    series = read_every(_arm_runs(comparison, arm))
    policy = policy_of(comparison.scenario_version.definition)
    for goal in goals:
        level, why = None, ""
        if goal.load and any(s.conditions.get(LOAD, goal.load) != goal.load for s in series):
            why = f"recorded at another load than {goal.load}"
        else:
            try:
                level = arm_level(series, policy, goal.figure, goal.legs)
            except CoreError as error:
                why = str(error)
            why = why or ("" if level else "the runs do not have this figure or these legs")
        GoalReading.objects.update_or_create(
            goal=goal,
            comparison=comparison,
            arm=arm,
            defaults={"level": asdict(level) if level else None, "why": why[:200], "core_version": CORE_VERSION},
        )


def begin_reading(scenario: Scenario) -> None:
    """A job reads the goals of a scenario from all that was compared, the newest first."""
    jobs.start(READ_GOALS, scenario.pk, scenario.book)


def read_all(scenario_id: int, work: jobs.Work) -> None:
    goals = goals_of(scenario_id)
    compared = Comparison.objects.filter(scenario_version__scenario=scenario_id, entry__isnull=False)
    keys = list(compared.exclude(verdict=Comparison.Verdict.VOID).order_by("-pk").values_list("pk", flat=True))
    for i, key in enumerate(keys if goals else []):
        work.at(i / len(keys), f"reading {len(goals)} goals, comparison {i + 1} of {len(keys)}")
        take_readings(Comparison.objects.select_related("scenario_version").get(pk=key), goals)


def judged(comparison: Comparison, arm: str, goals: Sequence[Goal]) -> list[dict[str, Any]]:
    """Every goal against one arm of a comparison, under its present and its earlier thresholds."""
    kept = readings(comparison, arm, goals)
    lines = []
    for goal in goals:
        moves = list(goal.moves.all())
        now = moves[0].threshold
        line: dict[str, Any] = {
            "goal": goal.pk,
            "sentence": goal_sentence(goal.figure, now, goal.legs, goal.load, goal.rig),
            "level": "",
            "interval": "",
            "distance": "",
            "remark": "",
            "value": None,
            "low": None,
            "high": None,
            "pending": False,
            "closed": "" if goal.closing is None else f"good enough for now: {goal.closing.why}",
            "earlier": [],
        }
        reading = kept.get(goal.pk)
        state = "not judged"
        if reading is None:
            line |= {"remark": "its runs are being read", "pending": True}
        elif reading.level is None:
            line["remark"] = reading.why
        else:
            state, level, line["remark"] = _state(comparison, goal, ArmLevel(**reading.level), now)
            line |= {**level_words(level, now), "value": level.value, "low": level.low, "high": level.high}
            line["earlier"] = [
                {
                    "threshold": threshold(goal.figure, move.threshold),
                    "state": _state(comparison, goal, ArmLevel(**reading.level), move.threshold)[0],
                    "until": newer.moved_at,
                    "reason": newer.reason,
                }
                for newer, move in pairwise(moves)
            ]
        lines.append({**line, "state": state, "said": STATES[state]})
    return lines


def _state(comparison: Comparison, goal: Goal, level: ArmLevel, at: float) -> tuple[str, ArmLevel, str]:
    """A result of another rig than the goal's is never "met": it is carried over, and said to be."""
    if not goal.rig or goal.rig == comparison.rig.alias:
        return judge(level, at), level, ""
    factor = factor_between(comparison.book_id, comparison.rig, goal.rig)
    if factor is None:
        return "other rig", level, f"measured on {comparison.rig}; no calibration load of both rigs is known"
    try:
        moved = carried_over(level, factor.ratio, factor.log_error)
    except CoreError:
        return "other rig", level, f"measured on {comparison.rig}; this figure cannot be carried over"
    said = f"{carrying_words(factor, str(comparison.rig))}; under it the goal would be {judge(moved, at)}"
    return "extrapolated", moved, said
