"""The shapes of the leaves."""

from __future__ import annotations

from rest_framework import serializers

from vigilant.server.entries.models import Comparison
from vigilant.server.entries.shapes import FigureSerializer
from vigilant.server.runs.models import ArmLabel


def _values(**more):
    """One number a bin; null where there is none."""
    return serializers.ListField(child=serializers.FloatField(allow_null=True), **more)


class SectionSerializer(serializers.Serializer):
    """A leg each time it is entered, in seconds of the mean course."""

    name = serializers.CharField(allow_blank=True)
    from_s = serializers.FloatField()
    to_s = serializers.FloatField()


class ArmAlongSerializer(serializers.Serializer):
    """Time a frame in each bin: the typical run, the lowest and the highest; and how many late frames all runs had."""

    typical_ms = _values()
    low_ms = _values()
    high_ms = _values()
    late = serializers.ListField(child=serializers.IntegerField())


class StretchSerializer(serializers.Serializer):
    leg = serializers.CharField(allow_blank=True)
    from_s = serializers.FloatField()
    to_s = serializers.FloatField()
    least_ms = serializers.FloatField()
    most_ms = serializers.FloatField()
    said = serializers.CharField()


class BesideSerializer(serializers.Serializer):
    name = serializers.CharField()
    kind = serializers.CharField(help_text="lane or counter")
    before = _values()
    after = _values()


class TypicalSerializer(serializers.Serializer):
    before = serializers.UUIDField()
    after = serializers.UUIDField()


class TickSerializer(serializers.Serializer):
    """A share of the frames, and where it lies on the axis."""

    share = serializers.FloatField()
    at = serializers.FloatField()


class QuantilesSerializer(serializers.Serializer):
    """The difference at each quantile, after less before, with the band that holds for all at once; ``at`` is the axis."""

    share = _values()
    at = _values()
    before_ms = _values()
    difference_ms = _values()
    low_ms = _values(allow_null=True)
    high_ms = _values(allow_null=True)


class OverBudgetSerializer(serializers.Serializer):
    times = serializers.IntegerField()
    figure = FigureSerializer()


class SpreadSerializer(serializers.Serializer):
    """Both distributions on an axis (``at``, 0 to 1) whose tail is stretched: frame times that a share does not exceed."""

    judged = serializers.BooleanField()
    sentence = serializers.CharField()
    at = _values()
    shares = _values()
    before_ms = _values()
    after_ms = _values()
    ticks = TickSerializer(many=True)
    budget_ms = serializers.FloatField(allow_null=True)
    quantiles = QuantilesSerializer(allow_null=True)
    over = OverBudgetSerializer(many=True)


class NaiveReadingSerializer(serializers.Serializer):
    """A common wrong reading: both arms, what it would have claimed, and what is wrong with it."""

    name = serializers.CharField()
    label = serializers.CharField()
    unit = serializers.CharField()
    before = serializers.CharField()
    after = serializers.CharField()
    claimed = serializers.CharField()
    better = serializers.BooleanField()
    why = serializers.CharField()


class NaiveSerializer(serializers.Serializer):
    readings = NaiveReadingSerializer(many=True)
    rates = serializers.CharField()


class LegRowSerializer(serializers.Serializer):
    """A leg with its figures; none where only one arm has it. ``untested`` says of a figure why it has no p."""

    name = serializers.CharField()
    before = serializers.IntegerField(help_text="runs before that have it")
    after = serializers.IntegerField()
    figures = serializers.DictField(child=FigureSerializer())
    untested = serializers.DictField(child=serializers.CharField())


class StretchLeftOutSerializer(serializers.Serializer):
    """A stretch that does not count (warm-up, loading, menus): how many runs of each arm have it, and what of it is
    compared, each by itself; nothing where one arm alone has it."""

    name = serializers.CharField()
    before = serializers.IntegerField()
    after = serializers.IntegerField()
    figures = FigureSerializer(many=True)


class DriftSerializer(serializers.Serializer):
    """The mean frame's growth from the first slot of the session to the last, as a share, with its interval."""

    share = serializers.FloatField()
    low = serializers.FloatField()
    high = serializers.FloatField()
    said = serializers.CharField()


class BlockSerializer(serializers.Serializer):
    """Slots ``first`` up to and with ``last``, from 0, that hold each arm equally often: the change within them."""

    first = serializers.IntegerField()
    last = serializers.IntegerField()
    runs = serializers.IntegerField()
    share = serializers.FloatField()


class CountsSerializer(serializers.Serializer):
    before = serializers.IntegerField()
    after = serializers.IntegerField()


class WithoutSerializer(serializers.Serializer):
    """The result without the runs set aside; ``verdict`` null where an arm is left without any."""

    runs = CountsSerializer()
    verdict = serializers.ChoiceField(Comparison.Verdict.choices, allow_null=True)
    stamp = serializers.CharField(allow_blank=True)
    sentence = serializers.CharField()
    mean = FigureSerializer(allow_null=True)


class RunsLeafSerializer(serializers.Serializer):
    drift = DriftSerializer(allow_null=True)
    blocks = BlockSerializer(many=True)
    said = serializers.CharField(allow_blank=True)
    without = WithoutSerializer(allow_null=True)


class CourseSerializer(serializers.Serializer):
    judged = serializers.BooleanField(help_text="false where nothing can be said of the change: void, or apart in time")
    sentence = serializers.CharField()
    notes = serializers.ListField(child=serializers.CharField())
    by = serializers.CharField(help_text="leg, position or time")
    sections = SectionSerializer(many=True)
    edges_s = serializers.ListField(child=serializers.FloatField())
    before = ArmAlongSerializer()
    after = ArmAlongSerializer()
    difference_ms = _values()
    band_low_ms = _values(allow_null=True)
    band_high_ms = _values(allow_null=True)
    stretches = StretchSerializer(many=True)
    columns = serializers.ListField(child=serializers.CharField())
    beside = BesideSerializer(many=True)
    typical = TypicalSerializer()
    budget_ms = serializers.FloatField(allow_null=True)
    legs = LegRowSerializer(many=True)
    left_out = StretchLeftOutSerializer(many=True)
    said = serializers.DictField(child=serializers.ListField(child=serializers.CharField()))


class RunOfStuttersSerializer(serializers.Serializer):
    id = serializers.UUIDField()
    arm = serializers.ChoiceField(ArmLabel.choices)
    stutters = serializers.IntegerField()


class RecurringPlaceSerializer(serializers.Serializer):
    """A place where stutters recur: in how many runs of each arm."""

    at = serializers.FloatField()
    at_s = serializers.FloatField()
    leg = serializers.CharField(allow_blank=True)
    before = serializers.IntegerField()
    after = serializers.IntegerField()
    p_value = serializers.FloatField()
    differs = serializers.BooleanField()
    said = serializers.CharField()


class StutterRowSerializer(serializers.Serializer):
    run = serializers.IntegerField(help_text="number of ``runs``")
    frame = serializers.IntegerField()
    at = serializers.FloatField(allow_null=True, help_text="0 to 1 of the course; null where not all runs were")
    at_s = serializers.FloatField(help_text="seconds of its run")
    leg = serializers.CharField(allow_blank=True)
    size_ms = serializers.FloatField()
    longest_ms = serializers.FloatField()
    recurring = serializers.IntegerField(allow_null=True, help_text="number of ``places``")
    stood_out = serializers.CharField(allow_blank=True, help_text="the lane that took most over its median there")


class RateSerializer(serializers.Serializer):
    all = serializers.FloatField()
    not_recurring = serializers.FloatField()


class StutterRatesSerializer(serializers.Serializer):
    before = RateSerializer()
    after = RateSerializer()


class RegularSerializer(serializers.Serializer):
    """An arm whose stutters come at a period."""

    arm = serializers.ChoiceField(ArmLabel.choices)
    said = serializers.CharField()


class StuttersSerializer(serializers.Serializer):
    judged = serializers.BooleanField()
    sentence = serializers.CharField()
    length_s = serializers.FloatField()
    by = serializers.CharField(help_text="leg, position or time")
    sections = SectionSerializer(many=True)
    runs = RunOfStuttersSerializer(many=True)
    places = RecurringPlaceSerializer(many=True)
    stutters = StutterRowSerializer(many=True)
    count = serializers.IntegerField()
    figures = serializers.DictField(child=FigureSerializer())
    shape = FigureSerializer(many=True)
    regular = RegularSerializer(many=True)
    rates = StutterRatesSerializer()


class RemarkSerializer(serializers.Serializer):
    """What a leaf found."""

    leaf = serializers.CharField()
    said = serializers.CharField()


class LaneWordsSerializer(serializers.Serializer):
    before = serializers.CharField()
    after = serializers.CharField()
    difference = serializers.CharField()
    column = serializers.CharField(help_text="saved or spent")
    interval = serializers.CharField(allow_blank=True)


class _ChangeSerializer(serializers.Serializer):
    """Mean ms a frame over all frames of both arms; the difference is after less before with its 95 % interval."""

    name = serializers.CharField()
    before_ms = serializers.FloatField()
    after_ms = serializers.FloatField()
    d_ms = serializers.FloatField()
    low_ms = serializers.FloatField(allow_null=True)
    high_ms = serializers.FloatField(allow_null=True)
    p_value = serializers.FloatField(allow_null=True)
    said = serializers.CharField(allow_blank=True)
    shown = serializers.BooleanField(help_text="whether the runs show that it is less, or more")


class LaneChangeSerializer(_ChangeSerializer):
    """A lane of both arms."""

    role = serializers.CharField()
    words = LaneWordsSerializer()


class LimitWordsSerializer(serializers.Serializer):
    share = serializers.CharField()
    interval = serializers.CharField(allow_blank=True)


class LimitShareSerializer(serializers.Serializer):
    """Null where no lane limits the arm's frames alone, or none can be told to."""

    share = serializers.FloatField(allow_null=True)
    low = serializers.FloatField(allow_null=True)
    high = serializers.FloatField(allow_null=True)
    words = LimitWordsSerializer()


class LimitSerializer(serializers.Serializer):
    """A lane that limits frames, or what else frames are: balanced, paced, explained by no lane."""

    name = serializers.CharField()
    lane = serializers.BooleanField()
    before = LimitShareSerializer()
    after = LimitShareSerializer()


class HeadroomSerializer(serializers.Serializer):
    arm = serializers.CharField(help_text="before or after")
    said = serializers.CharField()
    mean_ms = serializers.FloatField(allow_null=True)
    mean_half = serializers.FloatField(allow_null=True)
    p99_ms = serializers.FloatField(allow_null=True)
    p99_half = serializers.FloatField(allow_null=True)
    worst_mean_ms = serializers.FloatField(allow_null=True)
    refused = serializers.CharField(allow_blank=True)


class FrameMeansSerializer(serializers.Serializer):
    before_ms = serializers.FloatField()
    after_ms = serializers.FloatField()


class PartWordsSerializer(LaneWordsSerializer):
    calls = serializers.CharField(allow_blank=True)
    us_a_call = serializers.CharField(allow_blank=True)
    each = serializers.CharField(allow_blank=True, help_text="cost of each of what the part handled")
    share = serializers.CharField(allow_blank=True)
    split = serializers.CharField(allow_blank=True)


class CallsAndCostSerializer(serializers.Serializer):
    """What of the difference more or fewer calls make, and what dearer or cheaper ones, ms a frame."""

    calls_ms = serializers.FloatField()
    cost_ms = serializers.FloatField()
    calls_half = serializers.FloatField(allow_null=True)
    cost_half = serializers.FloatField(allow_null=True)


class PartChangeSerializer(_ChangeSerializer):
    """A part of both arms under what it lies in (``depth``); *rest* closes a level."""

    lane = serializers.CharField(allow_blank=True)
    path = serializers.ListField(child=serializers.CharField())
    depth = serializers.IntegerField()
    kind = serializers.CharField()
    about = serializers.CharField(allow_blank=True, help_text="its kind across lanes, as it or a part around it says")
    split = CallsAndCostSerializer(allow_null=True)
    words = PartWordsSerializer()


class PartRunSerializer(serializers.Serializer):
    run = serializers.UUIDField()
    arm = serializers.CharField(help_text="before or after")
    ms = serializers.FloatField()


class PartThenSerializer(serializers.Serializer):
    """What a part took in another entry of the same scenario and rig, ms a frame over whole runs."""

    number = serializers.IntegerField()
    title = serializers.CharField()
    before_ms = serializers.FloatField(allow_null=True)
    after_ms = serializers.FloatField(allow_null=True)


class PartPageSerializer(serializers.Serializer):
    """One part: both arms, each run, along the course between ``edges_s``, and over entries."""

    judged = serializers.BooleanField()
    lane = serializers.CharField(allow_blank=True)
    path = serializers.ListField(child=serializers.CharField())
    sentence = serializers.CharField(allow_blank=True)
    before_ms = serializers.FloatField()
    after_ms = serializers.FloatField()
    words = PartWordsSerializer()
    shown = serializers.BooleanField()
    said = serializers.CharField(allow_blank=True)
    runs = PartRunSerializer(many=True)
    edges_s = serializers.ListField(child=serializers.FloatField())
    along_before = serializers.ListField(child=serializers.FloatField(allow_null=True))
    along_after = serializers.ListField(child=serializers.FloatField(allow_null=True))
    legs = SectionSerializer(many=True)
    history = PartThenSerializer(many=True)


class RowChangeSerializer(_ChangeSerializer):
    """A row of an account of both arms, under what it lies in (``depth``)."""

    lane = serializers.CharField(allow_blank=True)
    kind = serializers.CharField()
    depth = serializers.IntegerField()
    words = LaneWordsSerializer()


class CoreWordsSerializer(LaneWordsSerializer):
    busy = serializers.CharField()
    least = serializers.CharField(allow_blank=True)
    chain = serializers.CharField(allow_blank=True)


class CoreTimeSerializer(_ChangeSerializer):
    """Processor time added up over cores, core-ms a frame; ``busy`` cores on average before and after, of ``cores``."""

    sampled = serializers.BooleanField()
    busy = serializers.ListField(child=serializers.FloatField())
    cores = serializers.IntegerField(allow_null=True)
    words = CoreWordsSerializer()


class KindSerializer(serializers.Serializer):
    """Parts of one kind over all lanes, and what is hidden while they are shown alone."""

    name = serializers.CharField()
    said = serializers.CharField()


class WaitSerializer(serializers.Serializer):
    """A lane that waits for another, as the runs report it: a description, and no test."""

    lane = serializers.CharField()
    on = serializers.CharField()
    before_ms = serializers.FloatField()
    after_ms = serializers.FloatField()
    before_share = serializers.FloatField()
    after_share = serializers.FloatField()
    over = serializers.FloatField()
    said = serializers.CharField()


class MachineSerializer(serializers.Serializer):
    """What the recorder read of the machine, of both arms."""

    name = serializers.CharField()
    unit = serializers.CharField()
    said = serializers.CharField()


class WhereTimeGoesSerializer(serializers.Serializer):
    """Where the time goes. ``moved`` says that another lane limits after."""

    judged = serializers.BooleanField()
    sentence = serializers.CharField(allow_blank=True)
    overlap = serializers.CharField(allow_blank=True)
    notes = serializers.ListField(child=serializers.CharField())
    lanes = LaneChangeSerializer(many=True)
    cores = CoreTimeSerializer(many=True)
    waits = WaitSerializer(many=True)
    machine = MachineSerializer(many=True)
    frame = FrameMeansSerializer()
    limits = LimitSerializer(many=True)
    headroom = HeadroomSerializer(many=True)
    budget_ms = serializers.FloatField(allow_null=True)
    moved = serializers.BooleanField()
    parts = PartChangeSerializer(many=True)
    kinds = KindSerializer(many=True)
    part_notes = serializers.ListField(child=serializers.CharField())
    shares = serializers.ListField(child=serializers.CharField(), help_text="where a share misleads")
    carried = RowChangeSerializer(many=True, help_text="what each row carries of the frame; they add up to it")
    carried_sentence = serializers.CharField(allow_blank=True)
