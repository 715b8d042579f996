"""The shapes of a result: its figures, findings and what stands beside them."""

from __future__ import annotations

from rest_framework import serializers

from vigilant.server.fields import Number, Whole

from .models import Comparison


class WordsSerializer(serializers.Serializer):
    label = serializers.CharField()
    definition = serializers.CharField()
    unit = serializers.CharField()
    change = serializers.CharField()
    interval = serializers.CharField(allow_blank=True)
    of = serializers.CharField(allow_blank=True)
    before = serializers.CharField()
    after = serializers.CharField()
    difference = serializers.CharField()
    column = serializers.ChoiceField(("saved", "spent", ""))
    decimals = serializers.IntegerField()
    low = serializers.CharField(allow_null=True)
    high = serializers.CharField(allow_null=True)
    margin = serializers.CharField(allow_blank=True, default="")


class FigureSerializer(serializers.Serializer):
    """One figure over both arms, in its unit; ``d``, ``se`` and ``margin`` are on the scale that it is tested on."""

    name = serializers.CharField()
    unit = serializers.CharField()
    higher_is_better = serializers.BooleanField()
    before = serializers.FloatField()
    after = serializers.FloatField()
    difference = serializers.FloatField()
    ci_low = serializers.FloatField(allow_null=True)
    ci_high = serializers.FloatField(allow_null=True)
    raw_before = serializers.FloatField()
    raw_after = serializers.FloatField()
    ratio = serializers.FloatField(allow_null=True)
    d = serializers.FloatField()
    se = serializers.FloatField(allow_null=True)
    df = serializers.FloatField(allow_null=True)
    margin = serializers.FloatField()
    margin_low = serializers.FloatField()
    margin_high = serializers.FloatField()
    smallest_visible = serializers.FloatField(allow_null=True)
    p_value = serializers.FloatField(allow_null=True)
    inside = serializers.BooleanField()
    call = serializers.CharField()
    primary = serializers.BooleanField()
    words = WordsSerializer()


class FindingSerializer(serializers.Serializer):
    code = serializers.CharField()
    severity = serializers.ChoiceField(("void", "warn", "note"))
    evidence = serializers.DictField(help_text="the numbers that the sentence tells")
    sentence = serializers.CharField()
    remedy = serializers.CharField()


class BandSerializer(serializers.Serializer):
    """Differences over all quantiles, in ms; no band with three runs an arm or fewer."""

    at = serializers.ListField(child=serializers.FloatField())
    before_ms = serializers.ListField(child=serializers.FloatField())
    difference_ms = serializers.ListField(child=serializers.FloatField())
    low_ms = serializers.ListField(child=serializers.FloatField(), allow_null=True)
    high_ms = serializers.ListField(child=serializers.FloatField(), allow_null=True)


class WorkSerializer(serializers.Serializer):
    witness = serializers.CharField()
    leg = serializers.CharField(allow_blank=True)
    amount = serializers.ChoiceField(["same", "less", "more", "unknown"])
    amount_ms = serializers.FloatField()
    cost_ms = serializers.FloatField()
    sentence = serializers.CharField()


class OutlookSerializer(serializers.Serializer):
    """What further runs of this spread would see of a figure: per count of runs an arm."""

    figure = serializers.CharField()
    label = serializers.CharField()
    spread = serializers.CharField()
    runs = serializers.ListField(child=serializers.IntegerField())
    visible = serializers.ListField(child=serializers.CharField())
    chance = serializers.ListField(child=serializers.FloatField())
    needed = serializers.IntegerField(allow_null=True)
    needed_said = serializers.CharField()
    margin = serializers.CharField()
    sentence = serializers.CharField()


class NetSerializer(serializers.Serializer):
    """An arm's mean frame less the empty arm's, ms, and what that is of the first arm's."""

    arm = serializers.CharField()
    ms = serializers.FloatField()
    low = serializers.FloatField(allow_null=True)
    high = serializers.FloatField(allow_null=True)
    ratio = serializers.FloatField(allow_null=True)
    ratio_low = serializers.FloatField(allow_null=True)
    ratio_high = serializers.FloatField(allow_null=True)


class PlaceOfArmSerializer(serializers.Serializer):
    """The places among all arms of a recording that significant differences leave one of them."""

    figure = serializers.CharField()
    arm = serializers.CharField()
    best = serializers.IntegerField()
    worst = serializers.IntegerField()


class LookedSerializer(serializers.Serializer):
    """The last look of a recording that goes on until it is decided: pairs so far, and most of them."""

    pairs = serializers.IntegerField()
    most = serializers.IntegerField()


class ResultSerializer(serializers.Serializer):
    """The whole result; ``document`` is the version of this shape, ``blank`` is there for a test without a change."""

    document = serializers.IntegerField()
    verdict = serializers.ChoiceField(Comparison.Verdict.choices)
    reasons = serializers.ListField(child=serializers.CharField())
    stamp = serializers.CharField()
    sentence = serializers.CharField()
    material = serializers.BooleanField(allow_null=True)
    runs_needed = serializers.IntegerField(allow_null=True)
    design = serializers.CharField()
    sessions = serializers.IntegerField()
    minutes = serializers.FloatField()
    caps_ms = serializers.DictField(child=serializers.FloatField(allow_null=True))
    timer_step_ms = serializers.FloatField()
    target_fps = serializers.FloatField(allow_null=True)
    alpha = serializers.FloatField()
    look = LookedSerializer(allow_null=True)
    blank = serializers.BooleanField(required=False)
    primaries = serializers.ListField(child=serializers.CharField())
    runs = serializers.DictField(child=serializers.IntegerField())
    frames = serializers.DictField(child=serializers.IntegerField())
    figures = serializers.DictField(child=FigureSerializer())
    guards = serializers.DictField(child=FigureSerializer())
    unstable = serializers.ListField(child=serializers.CharField())
    band = BandSerializer(allow_null=True)
    work = WorkSerializer(many=True)
    outlook = OutlookSerializer(many=True)
    net = NetSerializer(many=True, required=False)
    ranks = PlaceOfArmSerializer(many=True, required=False)
    method = serializers.ListField(child=serializers.CharField())
    findings = FindingSerializer(many=True)
    core_version = serializers.CharField()


class DeliveredSerializer(serializers.Serializer):
    """Where what came of a recording is read: an entry with its verdict, or an account of its own."""

    path = serializers.CharField()
    number = serializers.IntegerField(required=False)
    verdict = serializers.ChoiceField(Comparison.Verdict.choices, required=False)
    sentence = serializers.CharField(required=False)


class LookSerializer(serializers.Serializer):
    """One look of a recording that goes on until it is decided."""

    pairs = Whole(1, 1000)
    most = Whole(1, 1000)
    level = Number(0, 1)
    verdict = serializers.ChoiceField(choices=Comparison.Verdict.choices)


class ArmOfRunsSerializer(serializers.Serializer):
    name = serializers.CharField()
    runs = serializers.ListField(child=serializers.UUIDField())
    frames = serializers.IntegerField()
    scenario = serializers.CharField()
    rig = serializers.CharField()


class PairSerializer(serializers.Serializer):
    """Two of the arms by their place, and what their comparison says."""

    before = serializers.IntegerField()
    after = serializers.IntegerField()
    result = ResultSerializer()


class ArmsSerializer(serializers.Serializer):
    """Several arms in one family; ``sessions`` counts the recordings they come from, 0 for an unknown order."""

    arms = ArmOfRunsSerializer(many=True)
    empty = serializers.IntegerField(allow_null=True)
    sessions = serializers.IntegerField()
    pairs = PairSerializer(many=True)
    ranks = PlaceOfArmSerializer(many=True)
    net = NetSerializer(many=True)


class ChainStepSerializer(serializers.Serializer):
    number = serializers.IntegerField()
    title = serializers.CharField()
    factors = serializers.ListField(child=serializers.CharField(allow_blank=True))


class RemainderWordsSerializer(serializers.Serializer):
    product = serializers.CharField()
    total = serializers.CharField()
    remainder = serializers.CharField()
    interval = serializers.CharField(allow_blank=True)
    meaning = serializers.CharField()


class RemainderSerializer(serializers.Serializer):
    figure = serializers.CharField()
    label = serializers.CharField()
    product = serializers.FloatField()
    total = serializers.FloatField()
    remainder = serializers.FloatField()
    low = serializers.FloatField(allow_null=True)
    high = serializers.FloatField(allow_null=True)
    words = RemainderWordsSerializer()


class ChainSerializer(serializers.Serializer):
    """A chain of entries and how far its product misses the total; factors in the order of the rows."""

    steps = ChainStepSerializer(many=True)
    total = serializers.IntegerField(allow_null=True)
    rows = RemainderSerializer(many=True)
