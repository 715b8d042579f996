"""What is asked of the ledger, checked."""

from __future__ import annotations

from rest_framework import serializers

from vigilant.formats import limits
from vigilant.server.fields import Listed, Text, Whole
from vigilant.server.runs.models import ArmLabel

from .chain import MOST_STEPS
from .models import Decision, EntryReference
from .shapes import LookSerializer


class EntryInSerializer(serializers.Serializer):
    title = Text(limits.TITLE)
    why = Text(limits.REASON, allow_blank=True, default="")
    expected = Text(limits.EXPECTED, allow_blank=True, default="")


class CorrectionInSerializer(serializers.Serializer):
    """What is to be said instead; what is not named stays."""

    title = Text(limits.TITLE, required=False)
    why = Text(limits.REASON, allow_blank=True, required=False)
    expected = Text(limits.EXPECTED, allow_blank=True, required=False)


class WithdrawalInSerializer(serializers.Serializer):
    withdrawn = serializers.BooleanField()
    why = Text(limits.REASON)


class ReferenceInSerializer(serializers.Serializer):
    relation = serializers.ChoiceField(EntryReference.Relation.choices)
    number = Whole(1, 2**31 - 1)


class FilingInSerializer(serializers.Serializer):
    """What is to stand in the place of an entry's note, labels and references."""

    note = Text(limits.REASON, allow_blank=True, default="")
    labels = Listed(Text(limits.ENTRY_LABEL), limits.ENTRY_LABELS, default=list)
    references = ReferenceInSerializer(many=True, default=list, max_length=limits.REFERENCES)


class DecisionInSerializer(serializers.Serializer):
    choice = serializers.ChoiceField(Decision.Choice.choices)
    expectation = serializers.ChoiceField(Decision.Expectation.choices, allow_blank=True, default="")
    why = Text(limits.REASON, allow_blank=True, default="")
    only_if = Text(limits.REASON, allow_blank=True, default="")


class ComparisonInSerializer(serializers.Serializer):
    title = Text(limits.TITLE)
    before = Listed(serializers.UUIDField(), limits.ARM_RUNS, min_length=1)
    after = Listed(serializers.UUIDField(), limits.ARM_RUNS, min_length=1)
    order = Listed(
        serializers.ChoiceField(ArmLabel.choices, allow_null=True), limits.SLOTS, allow_null=True, default=None
    )

    def validate(self, attrs):
        for arm in ("before", "after"):
            if twice := [run for run in attrs[arm] if attrs[arm].count(run) > 1]:
                raise serializers.ValidationError(f"Run {twice[0]} is named twice {arm}; it counts once.")
            if attrs["order"] is not None and attrs["order"].count(arm) != len(attrs[arm]):
                raise serializers.ValidationError(
                    f"The order names {attrs['order'].count(arm)} runs {arm}; there are {len(attrs[arm])}."
                )
        return attrs


class ClaimSerializer(serializers.Serializer):
    say = Text(limits.CLAIM)


class CompleteRecordingSerializer(serializers.Serializer):
    stopped = serializers.BooleanField(default=False)
    looks = LookSerializer(many=True, default=list, max_length=limits.ARM_RUNS)


class ArmInSerializer(serializers.Serializer):
    """An arm: one side of an entry, or single runs."""

    entry = Whole(1, 2**31 - 1, allow_null=True, default=None)
    side = serializers.ChoiceField(("before", "after"), default="after")
    runs = Listed(serializers.UUIDField(), limits.ARM_RUNS, default=list)

    def validate(self, attrs):
        if (attrs["entry"] is None) == (not attrs["runs"]):
            raise serializers.ValidationError("An arm is one side of an entry, or runs: one of them.")
        if len(set(attrs["runs"])) < len(attrs["runs"]):
            raise serializers.ValidationError("A run is in an arm once; one is named twice.")
        return attrs


class ArmsInSerializer(serializers.Serializer):
    arms = ArmInSerializer(many=True, min_length=2, max_length=9)
    against = serializers.ChoiceField(("reference", "all"), default="reference")
    empty = Whole(0, 8, allow_null=True, default=None)

    def validate(self, attrs):
        if attrs["empty"] is not None and attrs["empty"] >= len(attrs["arms"]):
            raise serializers.ValidationError("The empty arm is one of the arms.")
        return attrs


class ChainInSerializer(serializers.Serializer):
    entry = Listed(Whole(1, 2**31 - 1), MOST_STEPS)
    total = Whole(1, 2**31 - 1, allow_null=True, default=None)
