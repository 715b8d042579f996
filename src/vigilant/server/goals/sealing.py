"""What of goals is sealed."""

from __future__ import annotations

from typing import Any

from vigilant.server.seals.services import Kind, sealed_kind

from .models import Goal, GoalClosing, GoalMove


def _goal(goal: Goal) -> dict[str, Any]:
    return {
        "scenario": goal.scenario.name,
        "figure": goal.figure,
        "legs": goal.legs,
        "load": goal.load,
        "rig": goal.rig,
        "created_at": goal.created_at,
        "dropped_at": goal.dropped_at,
    }


def _move(move: GoalMove) -> dict[str, Any]:
    return {
        "goal": move.goal_id,
        "threshold": move.threshold,
        "reason": move.reason,
        "by": move.moved_by.username,
        "at": move.moved_at,
    }


def _closing(closing: GoalClosing) -> dict[str, Any]:
    return {
        "goal": closing.goal_id,
        "why": closing.why,
        "left": closing.left,
        "by": closing.closed_by.username,
        "at": closing.closed_at,
    }


sealed_kind(Kind(Goal, "scenario__book", lambda g: f"goal {g.pk}", _goal, ("scenario__book",)))
sealed_kind(
    Kind(GoalMove, "goal__scenario__book", lambda m: f"threshold {m.pk} of goal {m.goal_id}", _move,
         ("goal__scenario__book", "moved_by"))
)  # fmt: skip
sealed_kind(
    Kind(GoalClosing, "goal__scenario__book", lambda c: f"closing {c.pk} of goal {c.goal_id}", _closing,
         ("goal__scenario__book", "closed_by"))
)  # fmt: skip
