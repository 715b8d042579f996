"""The shapes of the ledger: a line of it, and an entry whole."""

from __future__ import annotations

from rest_framework import serializers

from vigilant.server.entries.models import Comparison, Decision, EntryReference
from vigilant.server.entries.shapes import ResultSerializer
from vigilant.server.evidence.shapes import RemarkSerializer
from vigilant.server.goals.shapes import GoalLineSerializer
from vigilant.server.runs.models import ArmLabel, Outcome


class DecisionSerializer(serializers.Serializer):
    choice = serializers.ChoiceField(Decision.Choice.choices)
    why = serializers.CharField(allow_blank=True)
    only_if = serializers.CharField(allow_blank=True)
    by = serializers.CharField()
    decided_at = serializers.DateTimeField()
    expectation = serializers.ChoiceField(Decision.Expectation.choices, allow_blank=True)


class StripSerializer(serializers.Serializer):
    """An interval strip, in the figure's unit, as differences after - before."""

    difference = serializers.FloatField()
    ci_low = serializers.FloatField(allow_null=True)
    ci_high = serializers.FloatField(allow_null=True)
    margin_low = serializers.FloatField()
    margin_high = serializers.FloatField()


class EntryLineSerializer(serializers.Serializer):
    """A line of the ledger."""

    number = serializers.IntegerField()
    title = serializers.CharField()
    recorded_at = serializers.DateTimeField(allow_null=True)
    after_the_fact = serializers.BooleanField()
    scenario = serializers.CharField(allow_blank=True)
    version = serializers.IntegerField(allow_null=True)
    rig = serializers.CharField(allow_blank=True)
    target_fps = serializers.FloatField(allow_null=True)
    runs = serializers.CharField(allow_blank=True, help_text="of both arms, as 8+8")
    verdict = serializers.ChoiceField(Comparison.Verdict.choices, allow_null=True)
    stamp = serializers.CharField(allow_blank=True)
    remark = serializers.CharField(allow_blank=True)
    mean = StripSerializer(allow_null=True)
    saved = serializers.CharField(allow_blank=True)
    spent = serializers.CharField(allow_blank=True)
    interval = serializers.CharField(
        allow_blank=True, help_text="of what the line saved or spent, in the direction of its column"
    )
    credited = serializers.BooleanField(help_text="whether the runs show what the line says was saved or spent")
    decision = DecisionSerializer(allow_null=True)
    blank = serializers.BooleanField(help_text="one build as both arms: nothing to decide")
    withdrawn = serializers.BooleanField()
    standing_ms = serializers.CharField(allow_blank=True)
    unaccounted = serializers.CharField(allow_blank=True)
    labels = serializers.ListField(child=serializers.CharField())


class SheetSerializer(serializers.Serializer):
    """One condition: what the runs of each arm say, and whether it must match."""

    key = serializers.CharField()
    before = serializers.CharField()
    after = serializers.CharField()
    rule = serializers.ChoiceField(("must match", "may differ", "the change itself"))
    differs = serializers.BooleanField()


class RunDotSerializer(serializers.Serializer):
    """One run of an entry in recorded order; figures by name, None for a slot that failed."""

    position = serializers.IntegerField()
    arm = serializers.ChoiceField(ArmLabel.choices)
    run = serializers.UUIDField()
    outcome = serializers.ChoiceField(Outcome.choices)
    detail = serializers.CharField()
    counted = serializers.BooleanField()
    figures = serializers.DictField(child=serializers.FloatField(allow_null=True))


class HeldSerializer(serializers.Serializer):
    """What the runs make of the expectation, read as a claim on the whole course; blank where it is none."""

    expectation = serializers.ChoiceField(Decision.Expectation.choices, allow_blank=True)
    sentence = serializers.CharField(allow_blank=True)


class EarlierResultSerializer(serializers.Serializer):
    """What an earlier method made of the same runs; ``changed`` where its verdict was another."""

    core_version = serializers.CharField()
    verdict = serializers.ChoiceField(Comparison.Verdict.choices)
    stamp = serializers.CharField()
    replaced_at = serializers.DateTimeField()
    changed = serializers.BooleanField()


class CorrectionSerializer(serializers.Serializer):
    """What the entry said before."""

    title = serializers.CharField()
    why = serializers.CharField(allow_blank=True)
    expected = serializers.CharField(allow_blank=True)
    by = serializers.CharField()
    corrected_at = serializers.DateTimeField()


class WithdrawalSerializer(serializers.Serializer):
    """That the entry is withdrawn."""

    at = serializers.DateTimeField()
    by = serializers.CharField()
    why = serializers.CharField()


class AsideSerializer(serializers.Serializer):
    """A run of the entry that was set aside after it was compared."""

    run = serializers.UUIDField()
    arm = serializers.ChoiceField(ArmLabel.choices)
    at = serializers.DateTimeField()
    why = serializers.CharField()


class ReferenceSerializer(serializers.Serializer):
    """How the entry stands to another, or (``back``) another to it; ``said`` in words from the entry's side."""

    relation = serializers.ChoiceField(EntryReference.Relation.choices)
    number = serializers.IntegerField()
    title = serializers.CharField()
    back = serializers.BooleanField()
    said = serializers.CharField()


class EntrySerializer(EntryLineSerializer):
    why = serializers.CharField(allow_blank=True)
    expected = serializers.CharField(allow_blank=True)
    locked = serializers.BooleanField()
    held = HeldSerializer()
    result = ResultSerializer(allow_null=True)
    earlier = EarlierResultSerializer(many=True)
    caption = serializers.CharField()
    decisions = DecisionSerializer(many=True)
    dots = RunDotSerializer(many=True)
    previous = serializers.IntegerField(allow_null=True)
    next = serializers.IntegerField(allow_null=True)
    budget_ms = serializers.FloatField(allow_null=True)
    goals = GoalLineSerializer(many=True)
    recording = serializers.CharField(
        allow_null=True, help_text="the recording the entry comes from, or the one planned for it"
    )
    sheets = SheetSerializer(many=True, help_text="what the conditions of both arms say, side by side")
    corrections = CorrectionSerializer(many=True)
    withdrawal = WithdrawalSerializer(allow_null=True)
    aside = AsideSerializer(many=True, help_text="its runs that were set aside since: the verdict is of all of them")
    remarks = RemarkSerializer(many=True, help_text="what its leaves found; nothing while they are looked into")
    note = serializers.CharField(allow_blank=True)
    references = ReferenceSerializer(many=True)
