"""The shapes of accounts of recordings that vary something."""

from __future__ import annotations

from rest_framework import serializers

from vigilant.formats import limits
from vigilant.plan import PlanTables
from vigilant.server.bench.api import RecordingLineSerializer
from vigilant.server.evidence.shapes import LaneWordsSerializer
from vigilant.server.fields import Text
from vigilant.server.tables import tables_field


class SwitchRowSerializer(serializers.Serializer):
    """A switch: what the frame saves while it alone is off, ms with its 95 % interval (negative: it gets dearer)."""

    name = serializers.CharField()
    rank = serializers.IntegerField(help_text="1 saves most; those not told apart share a rank")
    saved_ms = serializers.FloatField()
    low_ms = serializers.FloatField(allow_null=True)
    high_ms = serializers.FloatField(allow_null=True)
    p_value = serializers.FloatField(allow_null=True)
    shown = serializers.BooleanField(help_text="by Holm over all switches and cures")
    change = serializers.CharField(help_text="the frame while it is off, in per cent")
    words = LaneWordsSerializer()


class CureRowSerializer(serializers.Serializer):
    """A cheaper way of a feature: what it saves net of its own price."""

    name = serializers.CharField()
    of = serializers.CharField()
    saved_ms = serializers.FloatField()
    low_ms = serializers.FloatField(allow_null=True)
    high_ms = serializers.FloatField(allow_null=True)
    shown = serializers.BooleanField()
    price = serializers.CharField()
    words = LaneWordsSerializer()


class SwitchedFigureSerializer(serializers.Serializer):
    """The account in one figure; ``sum`` is what all switches save one by one, ``total`` what everything off saves."""

    figure = serializers.CharField()
    name = serializers.CharField()
    sentence = serializers.CharField()
    on_ms = serializers.FloatField()
    switches = SwitchRowSerializer(many=True)
    cures = CureRowSerializer(many=True)
    sum = LaneWordsSerializer()
    total = LaneWordsSerializer(allow_null=True)
    gap = serializers.CharField(allow_blank=True)
    notes = serializers.ListField(child=serializers.CharField())
    tested = serializers.BooleanField()


class SwitchedArmSerializer(serializers.Serializer):
    label = serializers.CharField()
    name = serializers.CharField()
    runs = serializers.ListField(child=serializers.UUIDField())


class SwitchedSerializer(serializers.Serializer):
    """What each feature costs while all others are on: a screening, no credit."""

    recording = RecordingLineSerializer()
    figures = SwitchedFigureSerializer(many=True)
    arms = SwitchedArmSerializer(many=True)


class CreditSerializer(serializers.Serializer):
    """A change: its credit, ms (negative: saved) with its 95 % interval; ``main`` is its mean effect over the configurations, which is
    what is tested."""

    name = serializers.CharField()
    ms = serializers.FloatField()
    low_ms = serializers.FloatField(allow_null=True)
    high_ms = serializers.FloatField(allow_null=True)
    main = LaneWordsSerializer()
    share = serializers.CharField()
    p_value = serializers.FloatField(allow_null=True)
    shown = serializers.BooleanField(help_text="by Holm over the changes")
    words = LaneWordsSerializer()


class InteractionSerializer(serializers.Serializer):
    """What two changes do together beyond both; pairs that the design cannot tell apart are one."""

    name = serializers.CharField()
    ms = serializers.FloatField()
    low_ms = serializers.FloatField(allow_null=True)
    high_ms = serializers.FloatField(allow_null=True)
    shown = serializers.BooleanField()
    said = serializers.CharField()
    words = LaneWordsSerializer()


class ConfigurationSerializer(serializers.Serializer):
    name = serializers.CharField()
    ms = serializers.FloatField()


class UntangledFigureSerializer(serializers.Serializer):
    """The account in one figure; the credits add up to ``total``, but for ``gap``."""

    figure = serializers.CharField()
    name = serializers.CharField()
    sentence = serializers.CharField()
    off_ms = serializers.FloatField()
    credits = CreditSerializer(many=True)
    interactions = InteractionSerializer(many=True)
    total = LaneWordsSerializer(allow_null=True)
    gap = serializers.CharField(allow_blank=True)
    notes = serializers.ListField(child=serializers.CharField())
    configurations = ConfigurationSerializer(many=True)


class UntangledSerializer(serializers.Serializer):
    """Which of several changes helped, and by how much."""

    recording = RecordingLineSerializer()
    changes = serializers.ListField(child=serializers.CharField())
    figures = UntangledFigureSerializer(many=True)
    arms = SwitchedArmSerializer(many=True)


class MixedPartSerializer(serializers.Serializer):
    """A load by itself: the frame with it alone, and what that is over the empty scene."""

    name = serializers.CharField()
    ms = serializers.FloatField()
    net_ms = serializers.FloatField()


class MixtureFigureSerializer(serializers.Serializer):
    """The account in one figure: ``sum_ms`` is the empty scene and what each part adds to it, ``beyond`` what all together take more."""

    figure = serializers.CharField()
    name = serializers.CharField()
    sentence = serializers.CharField()
    call = serializers.CharField()
    empty_ms = serializers.FloatField()
    parts = MixedPartSerializer(many=True)
    sum_ms = serializers.FloatField()
    together_ms = serializers.FloatField()
    beyond_ms = serializers.FloatField()
    low_ms = serializers.FloatField(allow_null=True)
    high_ms = serializers.FloatField(allow_null=True)
    beyond = LaneWordsSerializer()
    notes = serializers.ListField(child=serializers.CharField())


class MixtureSerializer(serializers.Serializer):
    """Whether several loads take together what they take one by one."""

    recording = RecordingLineSerializer()
    parts = serializers.ListField(child=serializers.CharField())
    figures = MixtureFigureSerializer(many=True)
    arms = SwitchedArmSerializer(many=True)


class RunPointSerializer(serializers.Serializer):
    run = serializers.UUIDField()
    ms = serializers.FloatField()


class LevelPointSerializer(serializers.Serializer):
    """A value that was recorded: what was fitted there, and each of its runs."""

    value = serializers.FloatField()
    ms = serializers.FloatField()
    runs = RunPointSerializer(many=True)


class KnobFigureSerializer(serializers.Serializer):
    """A figure over a knob's values: which are in its best set, and what another loses at most."""

    figure = serializers.CharField()
    name = serializers.CharField()
    flat = serializers.CharField(allow_blank=True)
    points = LevelPointSerializer(many=True)
    inside = serializers.ListField(child=serializers.BooleanField())
    lost = serializers.ListField(child=serializers.CharField(allow_blank=True))


class KnobArmSerializer(serializers.Serializer):
    """One arm over the values; ``name`` is empty where there is only one."""

    name = serializers.CharField(allow_blank=True)
    sentence = serializers.CharField()
    call = serializers.CharField()
    figures = KnobFigureSerializer(many=True)


class IntervalSerializer(serializers.Serializer):
    """A value with its 95 % interval; an open end is null."""

    value = serializers.FloatField(allow_null=True)
    low = serializers.FloatField(allow_null=True)
    high = serializers.FloatField(allow_null=True)


class CrossingsSerializer(serializers.Serializer):
    """Where two arms cross in one figure."""

    figure = serializers.CharField()
    sentence = serializers.CharField()
    proven = IntervalSerializer(many=True)


class KnobSerializer(serializers.Serializer):
    """Which value of a knob is best; of two arms, where they cross."""

    recording = RecordingLineSerializer()
    name = serializers.CharField()
    sentence = serializers.CharField()
    arms = KnobArmSerializer(many=True)
    crossings = CrossingsSerializer(many=True)
    notes = serializers.ListField(child=serializers.CharField())


class CapacitySerializer(IntervalSerializer):
    said = serializers.CharField()


class RampPointSerializer(LevelPointSerializer):
    """A level where it really stood; ``asked`` is what was asked for."""

    asked = serializers.FloatField()


class RampArmSerializer(serializers.Serializer):
    """One arm of a ramp; ``name`` is empty where there is only one. ``band`` are rows of load, fitted ms and the ends of its 95 % band;
    ``held`` the levels that a refresh cap holds, which are in no fit."""

    name = serializers.CharField(allow_blank=True)
    sentence = serializers.CharField()
    paper = serializers.CharField(allow_blank=True)
    capacity = CapacitySerializer()
    points = RampPointSerializer(many=True)
    held = LevelPointSerializer(many=True)
    band = serializers.ListField(
        child=serializers.ListField(child=serializers.FloatField(), min_length=4, max_length=4)
    )
    costs = serializers.ListField(child=serializers.CharField())
    growth = serializers.CharField(allow_blank=True)
    confirm = serializers.ListField(
        child=serializers.FloatField(), help_text="loads of fresh passes that would confirm it"
    )
    notes = serializers.ListField(child=serializers.CharField())


class TradeArmSerializer(RampArmSerializer):
    """The ramp at one richness; its capacity holds together with those at all others."""

    richness = serializers.FloatField()


class TradeFigureSerializer(serializers.Serializer):
    """What the budget carries at each richness, by one figure; ``factor`` says whether richness has a price."""

    figure = serializers.CharField()
    name = serializers.CharField()
    budget_ms = serializers.FloatField()
    sentence = serializers.CharField()
    factor = serializers.CharField()
    note = serializers.CharField()
    arms = TradeArmSerializer(many=True)


class TradeSerializer(serializers.Serializer):
    """Few rich against many simple: ``unit`` is what is loaded, ``richness`` how rich each of it is."""

    recording = RecordingLineSerializer()
    unit = serializers.CharField()
    richness = serializers.CharField()
    figures = TradeFigureSerializer(many=True)


class EqualLoadSerializer(serializers.Serializer):
    """What the second arm takes more at one load, ms."""

    load = serializers.FloatField()
    ms = serializers.FloatField()
    low_ms = serializers.FloatField(allow_null=True)
    high_ms = serializers.FloatField(allow_null=True)
    shown = serializers.BooleanField(help_text="by Holm over the loads")
    change = serializers.CharField()
    words = LaneWordsSerializer()


class TwoRampsSerializer(serializers.Serializer):
    """What two arms differ by: a unit, and at equal load."""

    unit = serializers.CharField()
    apart = serializers.CharField(allow_blank=True)
    equal = EqualLoadSerializer(many=True)


class RampFigureSerializer(serializers.Serializer):
    """A figure over the load, and the load at which it meets the budget."""

    figure = serializers.CharField()
    name = serializers.CharField()
    budget_ms = serializers.FloatField()
    sentence = serializers.CharField()
    elsewhere = serializers.ListField(
        child=serializers.CharField(), help_text="what another rig would carry, if one was asked for"
    )
    arms = RampArmSerializer(many=True)
    two = TwoRampsSerializer(allow_null=True)


class StepSerializer(serializers.Serializer):
    """What a ramp that chooses its levels did after so many runs."""

    runs = serializers.IntegerField()
    half_pct = serializers.FloatField(allow_null=True, help_text="half of the capacity's interval, in per cent of it")
    loads = serializers.ListField(child=serializers.FloatField())
    sentence = serializers.CharField()


class RampSerializer(serializers.Serializer):
    """How much load the budget carries; ``steps`` say how levels were chosen, where they were; ``rigs`` are others that it can be carried
    over to. ``in_one_run``: levels are legs of each run."""

    recording = RecordingLineSerializer()
    unit = serializers.CharField()
    counter = serializers.CharField(allow_blank=True)
    in_one_run = serializers.BooleanField()
    rigs = serializers.ListField(child=serializers.CharField())
    steps = StepSerializer(many=True)
    figures = RampFigureSerializer(many=True)


class CoresRowSerializer(serializers.Serializer):
    """What so many cores bring against the fewest; ``core_ms`` is the processor time of a frame, ``clock_mhz`` and ``power_w`` what the
    machine did meanwhile, null where it was not sampled. ``schedule`` holds the time against what any order of the work could do."""

    cores = serializers.IntegerField()
    ms = serializers.FloatField()
    speed_up = serializers.FloatField()
    low = serializers.FloatField(allow_null=True)
    high = serializers.FloatField(allow_null=True)
    said = serializers.CharField()
    efficiency = serializers.CharField()
    core_ms = serializers.FloatField(allow_null=True)
    clock_mhz = serializers.FloatField(allow_null=True)
    power_w = serializers.FloatField(allow_null=True)
    schedule = serializers.CharField(allow_blank=True)


class CoresFigureSerializer(serializers.Serializer):
    figure = serializers.CharField()
    name = serializers.CharField()
    sentence = serializers.CharField()
    law = serializers.CharField()
    chain = serializers.CharField(allow_blank=True)
    points = LevelPointSerializer(many=True)
    rows = CoresRowSerializer(many=True)
    notes = serializers.ListField(child=serializers.CharField())


class CoresSerializer(serializers.Serializer):
    """What more cores bring."""

    recording = RecordingLineSerializer()
    figures = CoresFigureSerializer(many=True)
    notes = serializers.ListField(child=serializers.CharField())


class HuntedBuildSerializer(serializers.Serializer):
    """A build that was recorded; ``after`` is the chance that it lies after the step."""

    place = serializers.IntegerField()
    build = serializers.CharField()
    ms = serializers.FloatField()
    runs = RunPointSerializer(many=True)
    after = serializers.FloatField()


class HuntFigureSerializer(serializers.Serializer):
    """``chances`` of each build, the good end first, that the step begins with it; ``first`` to ``last`` hold 95 % of them; ``next`` is the
    build to be recorded next, while it goes on."""

    figure = serializers.CharField()
    name = serializers.CharField()
    sentence = serializers.CharField()
    builds = serializers.ListField(child=serializers.CharField())
    chances = serializers.ListField(child=serializers.FloatField())
    first = serializers.IntegerField()
    last = serializers.IntegerField()
    next = serializers.CharField(allow_null=True)
    recorded = HuntedBuildSerializer(many=True)
    notes = serializers.ListField(child=serializers.CharField())


class HuntSerializer(serializers.Serializer):
    """With which build a change begins."""

    recording = RecordingLineSerializer()
    figures = HuntFigureSerializer(many=True)


class MatrixCellSerializer(serializers.Serializer):
    """A cell in one figure: after over before, less 1, with its plain interval; ``called`` by Holm over the cells. ``why`` it is in no
    test, where it is not."""

    window = serializers.CharField(allow_blank=True)
    tier = serializers.CharField(allow_blank=True)
    rig = serializers.CharField(allow_blank=True)
    recording = serializers.UUIDField(allow_null=True)
    state = serializers.CharField(allow_blank=True)
    said = serializers.CharField(allow_blank=True)
    share = serializers.FloatField(allow_null=True)
    low = serializers.FloatField(allow_null=True)
    high = serializers.FloatField(allow_null=True)
    called = serializers.BooleanField()
    tied = serializers.BooleanField(help_text="cannot be told from the worst")
    why = serializers.CharField(allow_blank=True)


class MatrixFigureSerializer(serializers.Serializer):
    figure = serializers.CharField()
    name = serializers.CharField()
    sentence = serializers.CharField()
    worst = serializers.CharField(allow_blank=True)
    notes = serializers.ListField(child=serializers.CharField())
    cells = MatrixCellSerializer(many=True)


class MatrixSerializer(serializers.Serializer):
    """One change over window sizes, tiers and rigs."""

    recording = RecordingLineSerializer()
    title = serializers.CharField()
    windows = serializers.ListField(child=serializers.CharField(allow_blank=True))
    tiers = serializers.ListField(child=serializers.CharField(allow_blank=True))
    rigs = serializers.ListField(child=serializers.CharField(allow_blank=True))
    figures = MatrixFigureSerializer(many=True)


class AxisInSerializer(serializers.Serializer):
    """Values of an axis, and what is added to the arguments of both arms for each ({value})."""

    values = serializers.ListField(child=Text(limits.NAME), max_length=16, default=list)
    arguments = serializers.ListField(child=Text(limits.ARGUMENT), max_length=limits.ARGUMENTS, default=list)


class MatrixInSerializer(serializers.Serializer):
    """A plan of two arms, over window sizes, tiers and the recorders of rigs ("" is recorded by a command)."""

    plan = tables_field(PlanTables)
    windows = AxisInSerializer(default=dict)
    tiers = AxisInSerializer(default=dict)
    rigs = serializers.ListField(child=Text(limits.ALIAS, allow_blank=True), max_length=16, default=list)


class CellInSerializer(serializers.Serializer):
    """Which cell of a matrix."""

    window = Text(limits.NAME, allow_blank=True, default="")
    tier = Text(limits.NAME, allow_blank=True, default="")
    rig = Text(limits.ALIAS, allow_blank=True, default="")


class MatrixPlannedSerializer(serializers.Serializer):
    """The recordings of its cells; the sheet is read by any of them."""

    recordings = serializers.ListField(child=serializers.UUIDField())
