"""The shapes of the ledger: its lines, an entry whole, the presenting."""

from __future__ import annotations

from functools import cached_property
from typing import get_args

from drf_spectacular.utils import extend_schema_field
from rest_framework import serializers

from vigilant.core.stored import figure_result
from vigilant.formats import limits
from vigilant.server.fields import Listed, Number, Text, Whole
from vigilant.server.runs.models import ArmLabel, Outcome
from vigilant.wording import STAMPS, amount
from vigilant.wording.change import number
from vigilant.wording.claim import State

from . import deciding, presenting
from .models import Comparison, Decision, Entry

_MOST_DECIMALS = 2


class EarlierSerializer(serializers.Serializer):
    """A threshold the goal had before, and how the same runs stand under it."""

    threshold = serializers.CharField()
    state = serializers.CharField()
    until = serializers.DateTimeField()
    reason = serializers.CharField()


class GoalLineSerializer(serializers.Serializer):
    goal = serializers.IntegerField()
    sentence = serializers.CharField()
    state = serializers.ChoiceField(("met", "not met", "unclear", "extrapolated", "other rig", "not judged"))
    said = serializers.CharField()
    level = serializers.CharField()
    interval = serializers.CharField()
    distance = serializers.CharField()
    remark = serializers.CharField()
    pending = serializers.BooleanField()
    earlier = EarlierSerializer(many=True)


class StandingRowSerializer(serializers.Serializer):
    label = serializers.CharField()
    value = serializers.CharField()
    unit = serializers.CharField()
    beside = serializers.CharField()
    definition = serializers.CharField()


class StandingPointSerializer(serializers.Serializer):
    entry = serializers.IntegerField()
    mean_ms = serializers.FloatField()
    slowest_1pct_ms = serializers.FloatField(allow_null=True)


class StandingSerializer(serializers.Serializer):
    scenario = serializers.CharField()
    version = serializers.IntegerField(allow_null=True)
    rig = serializers.CharField()
    target_fps = serializers.FloatField(allow_null=True)
    budget_ms = serializers.FloatField(allow_null=True)
    rows = StandingRowSerializer(many=True)
    sentence = serializers.CharField()
    questions = serializers.CharField()
    points = StandingPointSerializer(many=True)
    goals = GoalLineSerializer(many=True)


class SheetSerializer(serializers.Serializer):
    """One condition: what the runs of each arm say, and whether it must match."""

    key = serializers.CharField()
    before = serializers.CharField()
    after = serializers.CharField()
    rule = serializers.ChoiceField(("must match", "may differ", "the change itself"))
    differs = serializers.BooleanField()


class WordsSerializer(serializers.Serializer):
    label = serializers.CharField()
    definition = serializers.CharField()
    unit = serializers.CharField()
    change = serializers.CharField()
    interval = serializers.CharField()
    before = serializers.CharField()
    after = serializers.CharField()
    difference = serializers.CharField()
    column = serializers.ChoiceField(("saved", "spent", ""))
    decimals = serializers.IntegerField()
    low = serializers.CharField(allow_null=True)
    high = serializers.CharField(allow_null=True)
    margin = serializers.CharField(allow_blank=True, default="")


class FigureSerializer(serializers.Serializer):
    name = serializers.CharField()
    unit = serializers.CharField()
    higher_is_better = serializers.BooleanField()
    before = serializers.FloatField()
    after = serializers.FloatField()
    difference = serializers.FloatField()
    ci_low = serializers.FloatField(allow_null=True)
    ci_high = serializers.FloatField(allow_null=True)
    margin_low = serializers.FloatField()
    margin_high = serializers.FloatField()
    p_value = serializers.FloatField(allow_null=True)
    inside = serializers.BooleanField()
    call = serializers.CharField()
    primary = serializers.BooleanField()
    words = WordsSerializer()


class FindingSerializer(serializers.Serializer):
    code = serializers.CharField()
    severity = serializers.ChoiceField(("void", "warn", "note"))
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
    """An arm's mean frame less the empty arm's, ms."""

    arm = serializers.CharField()
    ms = serializers.FloatField()
    low = serializers.FloatField(allow_null=True)
    high = serializers.FloatField(allow_null=True)


class PlaceOfArmSerializer(serializers.Serializer):
    """The places among all arms of a recording that significant differences leave one of them."""

    figure = serializers.CharField()
    arm = serializers.CharField()
    best = serializers.IntegerField()
    worst = serializers.IntegerField()


class ResultSerializer(serializers.Serializer):
    """The whole result; what was compared by an earlier core may lack the keys that are not required."""

    verdict = serializers.ChoiceField(Comparison.Verdict.choices)
    stamp = serializers.CharField()
    sentence = serializers.CharField()
    material = serializers.BooleanField(allow_null=True)
    runs_needed = serializers.IntegerField(allow_null=True)
    design = serializers.CharField()
    primaries = serializers.ListField(child=serializers.CharField())
    runs = serializers.DictField(child=serializers.IntegerField())
    frames = serializers.DictField(child=serializers.IntegerField())
    figures = serializers.DictField(child=FigureSerializer())
    guards = serializers.DictField(child=FigureSerializer(), required=False)
    unstable = serializers.ListField(child=serializers.CharField(), required=False)
    band = BandSerializer(allow_null=True, required=False)
    work = WorkSerializer(many=True, required=False)
    outlook = OutlookSerializer(many=True, required=False)
    net = NetSerializer(many=True, required=False)
    ranks = PlaceOfArmSerializer(many=True, required=False)
    method = serializers.ListField(child=serializers.CharField(), required=False)
    findings = FindingSerializer(many=True)
    core_version = serializers.CharField()


class DecisionSerializer(serializers.ModelSerializer):
    by = serializers.SerializerMethodField()

    class Meta:
        model = Decision
        fields = ("choice", "why", "by", "decided_at", "expectation")
        read_only_fields = ("decided_at",)

    def get_by(self, decision: Decision) -> str:
        return decision.decided_by.get_full_name() or decision.decided_by.get_username()


class StripSerializer(serializers.Serializer):
    """An interval strip, in the figure's unit, as differences after - before."""

    difference = serializers.FloatField()
    ci_low = serializers.FloatField(allow_null=True)
    ci_high = serializers.FloatField(allow_null=True)
    margin_low = serializers.FloatField()
    margin_high = serializers.FloatField()


STRIP = tuple(StripSerializer().fields)


class EntryLineSerializer(serializers.ModelSerializer):
    """A line of the ledger, of presenting.entries_of."""

    scenario = serializers.SerializerMethodField()
    version = serializers.SerializerMethodField()
    rig = serializers.SerializerMethodField()
    target_fps = serializers.SerializerMethodField()
    runs = serializers.SerializerMethodField()
    verdict = serializers.SerializerMethodField()
    stamp = serializers.SerializerMethodField()
    remark = serializers.SerializerMethodField()
    mean = serializers.SerializerMethodField()
    saved = serializers.SerializerMethodField()
    spent = serializers.SerializerMethodField()
    decision = serializers.SerializerMethodField()
    blank = serializers.SerializerMethodField()
    standing_ms = serializers.SerializerMethodField()
    unaccounted = serializers.SerializerMethodField()

    class Meta:
        model = Entry
        fields = ("number", "title", "recorded_at", "after_the_fact", "scenario", "version", "rig", "target_fps",
                  "runs", "verdict", "stamp", "remark", "mean", "saved", "spent", "decision", "blank",
                  "standing_ms", "unaccounted")  # fmt: skip
        read_only_fields = fields

    @cached_property
    def _decision(self) -> DecisionSerializer:
        """One for all lines: making it takes longer than using it."""
        return DecisionSerializer()

    @cached_property
    def _said(self) -> dict[int, tuple[str, str]]:
        return {}

    def _size(self, entry: Entry) -> tuple[str, str]:
        """The column of a line's mean frame (saved or spent) and what stands in it."""
        if entry.pk not in self._said:
            kept = entry.comparison.ledger_line["mean"] if entry.comparison else None
            mean = figure_result("mean_ms", kept) if kept else None
            words = amount(mean) if mean else None
            self._said[entry.pk] = ("", "")
            if mean is not None and words is not None:
                decimals = min(_MOST_DECIMALS, words.decimals)
                self._said[entry.pk] = words.column, number(abs(mean.difference), decimals)
        return self._said[entry.pk]

    def get_scenario(self, entry: Entry) -> str:
        return entry.comparison.scenario_version.scenario.name if entry.comparison else ""

    def get_version(self, entry: Entry) -> int | None:
        return entry.comparison.scenario_version.number if entry.comparison else None

    def get_rig(self, entry: Entry) -> str:
        return str(entry.comparison.rig) if entry.comparison else ""

    def get_target_fps(self, entry: Entry) -> float | None:
        return entry.comparison.scenario_version.target_fps if entry.comparison else None

    def get_runs(self, entry: Entry) -> str:
        return presenting.runs_said(entry.comparison) if entry.comparison else ""

    @extend_schema_field(serializers.ChoiceField(Comparison.Verdict.choices, allow_null=True))
    def get_verdict(self, entry: Entry):
        return entry.comparison.verdict if entry.comparison else None

    def get_stamp(self, entry: Entry) -> str:
        return STAMPS[entry.comparison.verdict] if entry.comparison else ""

    def get_remark(self, entry: Entry) -> str:
        return presenting.remark(entry)

    @extend_schema_field(StripSerializer(allow_null=True))
    def get_mean(self, entry: Entry):
        mean = entry.comparison.ledger_line["mean"] if entry.comparison else None
        return {key: mean.get(key) for key in STRIP} if mean else None

    def get_saved(self, entry: Entry) -> str:
        column, size = self._size(entry)
        return size if column == "saved" else ""

    def get_spent(self, entry: Entry) -> str:
        column, size = self._size(entry)
        return size if column == "spent" else ""

    @extend_schema_field(DecisionSerializer(allow_null=True))
    def get_decision(self, entry: Entry):
        decisions = list(entry.decisions.all())
        return self._decision.to_representation(decisions[0]) if decisions else None

    def get_blank(self, entry: Entry) -> bool:
        """One build as both arms: nothing to decide."""
        return entry.comparison is not None and entry.comparison.blank

    def get_standing_ms(self, entry: Entry) -> str:
        line = getattr(entry, "balance", None)
        return number(line.mean_ms, 2) if line and line.mean_ms is not None else ""

    def get_unaccounted(self, entry: Entry) -> str:
        line = getattr(entry, "balance", None)
        return presenting.unaccounted_sentence(line) if line else ""


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


class EntrySerializer(EntryLineSerializer):
    why = serializers.CharField()
    expected = serializers.CharField()
    locked = serializers.SerializerMethodField()
    held = serializers.SerializerMethodField()
    result = serializers.SerializerMethodField()
    earlier = serializers.SerializerMethodField()
    caption = serializers.SerializerMethodField()
    decisions = DecisionSerializer(many=True)
    dots = serializers.SerializerMethodField()
    previous = serializers.SerializerMethodField()
    next = serializers.SerializerMethodField()
    budget_ms = serializers.SerializerMethodField()
    goals = serializers.SerializerMethodField()
    recording = serializers.SerializerMethodField()
    sheets = serializers.SerializerMethodField()

    class Meta(EntryLineSerializer.Meta):
        fields = (*EntryLineSerializer.Meta.fields, "why", "expected", "locked", "held", "result", "earlier", "caption", "decisions",
                  "dots", "previous", "next", "budget_ms", "goals", "recording", "sheets")  # fmt: skip

    def get_locked(self, entry: Entry) -> bool:
        return entry.locked_at is not None

    @extend_schema_field(HeldSerializer)
    def get_held(self, entry: Entry):
        expectation, sentence = deciding.held_expectation(entry)
        return {"expectation": expectation, "sentence": sentence}

    @extend_schema_field(ResultSerializer(allow_null=True))
    def get_result(self, entry: Entry):
        return presenting.result_of(entry.comparison)

    @extend_schema_field(EarlierResultSerializer(many=True))
    def get_earlier(self, entry: Entry):
        return presenting.earlier_of(entry.comparison)

    def get_caption(self, entry: Entry) -> str:
        return presenting.caption(entry)

    def get_budget_ms(self, entry: Entry) -> float | None:
        target = self.get_target_fps(entry)
        return 1000.0 / target if target else None

    @extend_schema_field(GoalLineSerializer(many=True))
    def get_goals(self, entry: Entry):
        return presenting.goal_lines(entry)

    def get_recording(self, entry: Entry) -> str | None:
        """The recording the entry comes from, or the one planned for it."""
        return presenting.recording_of(entry)

    @extend_schema_field(SheetSerializer(many=True))
    def get_sheets(self, entry: Entry):
        """What the conditions of both arms say, side by side."""
        return presenting.sheets(entry)

    @extend_schema_field(RunDotSerializer(many=True))
    def get_dots(self, entry: Entry):
        return presenting.dots(entry)

    def _beside(self, entry: Entry, **lookup: int) -> int | None:
        order = "number" if "number__gt" in lookup else "-number"
        found = Entry.objects.filter(book_id=entry.book_id, **lookup).order_by(order).first()
        return found.number if found else None

    def get_previous(self, entry: Entry) -> int | None:
        return self._beside(entry, number__lt=entry.number)

    def get_next(self, entry: Entry) -> int | None:
        return self._beside(entry, number__gt=entry.number)


class EntryInSerializer(serializers.Serializer):
    title = Text(limits.TITLE)
    why = Text(limits.REASON, allow_blank=True, default="")
    expected = Text(limits.EXPECTED, allow_blank=True, default="")


class DecisionInSerializer(serializers.Serializer):
    choice = serializers.ChoiceField(Decision.Choice.choices)
    expectation = serializers.ChoiceField(Decision.Expectation.choices, allow_blank=True, default="")
    why = Text(limits.REASON, allow_blank=True, default="")


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
        return attrs


class DeliveredSerializer(serializers.Serializer):
    number = serializers.IntegerField()
    path = serializers.CharField()
    verdict = serializers.ChoiceField(Comparison.Verdict.choices)
    sentence = serializers.CharField()


class EntryPageSerializer(serializers.Serializer):
    count = serializers.IntegerField()
    next = serializers.CharField(allow_null=True)
    previous = serializers.CharField(allow_null=True)
    results = EntryLineSerializer(many=True)


class ClaimSerializer(serializers.Serializer):
    say = Text(limits.CLAIM)


class ClaimAnswerSerializer(serializers.Serializer):
    state = serializers.ChoiceField(list(get_args(State)))
    sentence = serializers.CharField()


class LookSerializer(serializers.Serializer):
    """One look of a recording that goes on until it is decided."""

    pairs = Whole(1, 1000)
    most = Whole(1, 1000)
    level = Number(0, 1)
    verdict = serializers.ChoiceField(choices=Comparison.Verdict.choices)


class CompleteRecordingSerializer(serializers.Serializer):
    stopped = serializers.BooleanField(default=False)
    looks = LookSerializer(many=True, default=list, max_length=limits.ARM_RUNS)
