"""What must hold, and where it was found to stand."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from vigilant.server.entries.models import Comparison
from vigilant.server.runs.models import ArmLabel
from vigilant.server.scenarios.models import Scenario


class Goal(models.Model):
    """A figure that must hold over some legs, at some load, on some rig. Its thresholds are its moves."""

    scenario = models.ForeignKey(Scenario, models.CASCADE, related_name="goals")
    figure = models.CharField(max_length=120)
    legs = models.JSONField(default=list)
    load = models.CharField(max_length=40, blank=True)
    rig = models.CharField(max_length=80, blank=True)
    created_at = models.DateTimeField(auto_now_add=True)
    dropped_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ("id",)

    @property
    def closing(self) -> GoalClosing | None:
        """The newest closing, where the goal was not moved since."""
        closings, moves = list(self.closings.all()), list(self.moves.all())
        if closings and (not moves or closings[0].closed_at >= moves[0].moved_at):
            return closings[0]
        return None


class GoalMove(models.Model):
    """A threshold, who set it and why; the newest counts, older ones stay."""

    goal = models.ForeignKey(Goal, models.CASCADE, related_name="moves")
    threshold = models.FloatField()
    reason = models.TextField(blank=True)
    moved_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="+")
    moved_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("-id",)


class GoalClosing(models.Model):
    """Good enough for now: who said so, why, and what was left to try. It holds until the goal is moved."""

    goal = models.ForeignKey(Goal, models.CASCADE, related_name="closings")
    why = models.TextField()
    left = models.JSONField(default=list)
    closed_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="+")
    closed_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("-id",)


class GoalReading(models.Model):
    """One arm's level of a goal's figure, whatever the threshold; ``level`` None where it cannot be told."""

    goal = models.ForeignKey(Goal, models.CASCADE, related_name="readings")
    comparison = models.ForeignKey(Comparison, models.CASCADE, related_name="goal_readings")
    arm = models.CharField(max_length=12, choices=ArmLabel.choices)
    level = models.JSONField(null=True)
    why = models.CharField(max_length=200, blank=True)
    core_version = models.CharField(max_length=16)

    class Meta:
        constraints = (models.UniqueConstraint(fields=("goal", "comparison", "arm"), name="goal_reading"),)
