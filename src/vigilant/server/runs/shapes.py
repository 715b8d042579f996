"""The shapes in which runs are read: a line, a run whole, a trace, parts."""

from __future__ import annotations

from drf_spectacular.utils import extend_schema_field
from rest_framework import serializers

from vigilant.wording.run import measured_rows, run_rows

from .models import ArmLabel, Run


class RunLineSerializer(serializers.ModelSerializer):
    scenario = serializers.CharField(source="scenario_version.scenario.name")
    version = serializers.IntegerField(source="scenario_version.number")
    rig = serializers.CharField()
    build = serializers.CharField()
    mean_ms = serializers.FloatField(allow_null=True)
    aside = serializers.CharField(source="excluded_why", help_text="why it was set aside; empty where it was not")

    class Meta:
        model = Run
        fields = ("id", "scenario", "version", "rig", "build", "state", "outcome", "detail", "started_at", "frames",
                  "seconds", "mean_ms", "aside", "thinned_at")  # fmt: skip
        read_only_fields = fields


class LegSerializer(serializers.Serializer):
    index = serializers.IntegerField()
    name = serializers.CharField()
    play = serializers.BooleanField()


class RowSerializer(serializers.Serializer):
    name = serializers.CharField()
    label = serializers.CharField()
    value = serializers.CharField()
    unit = serializers.CharField()
    note = serializers.CharField()
    definition = serializers.CharField()


class StutterSerializer(serializers.Serializer):
    first = serializers.IntegerField()
    worst = serializers.IntegerField()
    size_ms = serializers.FloatField()
    longest_ms = serializers.FloatField()


class LaneSerializer(serializers.Serializer):
    name = serializers.CharField()
    role = serializers.CharField()


class PartSerializer(serializers.Serializer):
    path = serializers.ListField(child=serializers.CharField())
    lane = serializers.CharField(allow_blank=True)
    ms = serializers.FloatField()
    calls = serializers.IntegerField(help_text="0 where samples were counted")
    error_ms = serializers.FloatField(allow_null=True, help_text="standard error of ms, where samples were counted")
    kind = serializers.CharField(required=False, help_text="what it is about, wherever it is done")


class MeasuredSerializer(serializers.Serializer):
    label = serializers.CharField()
    value = serializers.CharField()


class UsedInSerializer(serializers.Serializer):
    entry = serializers.IntegerField()
    title = serializers.CharField()
    arm = serializers.ChoiceField(ArmLabel.choices)
    position = serializers.IntegerField()


class LeftOutSerializer(serializers.Serializer):
    line = serializers.IntegerField()
    reason = serializers.CharField()


class FromFileSerializer(serializers.Serializer):
    """The file that a run was brought in from; ``reading`` says what each of its columns was read as, and why."""

    file = serializers.UUIDField(source="file_id")
    name = serializers.CharField(source="file.name")
    folder = serializers.CharField(source="file.folder")
    sha256 = serializers.CharField(source="file.sha256")
    reading = serializers.JSONField()
    left_out = LeftOutSerializer(many=True)


class LegRowsSerializer(serializers.Serializer):
    """What one leg of a run came to."""

    leg = serializers.CharField()
    rows = RowSerializer(many=True)


class RunSerializer(RunLineSerializer):
    target_fps = serializers.FloatField(source="scenario_version.target_fps", allow_null=True)
    budget_ms = serializers.SerializerMethodField()
    conditions = serializers.DictField(source="conditions.facts", child=serializers.CharField())
    rig_facts = serializers.SerializerMethodField()
    legs = LegSerializer(many=True, source="marks")
    lanes = serializers.SerializerMethodField()
    counters = serializers.SerializerMethodField()
    rows = serializers.SerializerMethodField()
    leg_rows = serializers.SerializerMethodField()
    stutters = serializers.SerializerMethodField()
    used_in = serializers.SerializerMethodField()
    caption = serializers.SerializerMethodField()
    measured = serializers.SerializerMethodField()
    sources = serializers.SerializerMethodField()
    from_file = serializers.SerializerMethodField()

    class Meta(RunLineSerializer.Meta):
        fields = (*RunLineSerializer.Meta.fields, "output_tail", "target_fps", "budget_ms", "conditions", "rig_facts",
                  "legs", "lanes", "counters", "rows", "leg_rows", "stutters", "used_in", "caption", "measured", "sources",
                  "from_file")  # fmt: skip
        read_only_fields = fields

    def get_budget_ms(self, run: Run) -> float | None:
        target = run.scenario_version.target_fps
        return 1000.0 / target if target else None

    def get_rig_facts(self, run: Run) -> dict[str, str]:
        """An alias stands in for what would name the machine."""
        hidden = {"processor", "graphics", "host"} if run.rig.alias else set()
        return {k: v for k, v in run.rig.facts.items() if k not in hidden}

    @extend_schema_field(FromFileSerializer(allow_null=True))
    def get_from_file(self, run: Run):
        brought = getattr(run, "from_file", None)
        return FromFileSerializer(brought).data if brought else None

    @extend_schema_field(LaneSerializer(many=True))
    def get_lanes(self, run: Run):
        return [{"name": c.path, "role": c.role} for c in run.columns.all() if c.kind == c.Kind.LANE]

    def get_counters(self, run: Run) -> list[str]:
        return [c.path for c in run.columns.all() if c.kind == c.Kind.COUNTER]

    @extend_schema_field(RowSerializer(many=True))
    def get_rows(self, run: Run):
        figures = getattr(run, "figures", None)
        return run_rows(figures.values) if figures else []

    @extend_schema_field(LegRowsSerializer(many=True))
    def get_leg_rows(self, run: Run):
        """The figures of each leg that counts, in the order of the course."""
        found: dict[str, dict[str, float]] = {}
        for leg, figure, value in run.figure_values.exclude(leg="").values_list("leg", "figure", "value"):
            found.setdefault(leg, {})[figure] = value
        names = dict.fromkeys(mark["name"] for mark in run.marks)
        return [{"leg": leg, "rows": run_rows(found[leg])} for leg in names if leg in found]

    @extend_schema_field(StutterSerializer(many=True))
    def get_stutters(self, run: Run):
        figures = getattr(run, "figures", None)
        return figures.stutters if figures else []

    @extend_schema_field(UsedInSerializer(many=True))
    def get_used_in(self, run: Run):
        used = run.comparison_runs.select_related("arm__comparison__entry")
        return [
            {"entry": u.arm.comparison.entry.number, "title": u.arm.comparison.entry.title, "arm": u.arm.label,
             "position": u.position}
            for u in used if hasattr(u.arm.comparison, "entry")
        ]  # fmt: skip

    @extend_schema_field(MeasuredSerializer(many=True))
    def get_measured(self, run: Run):
        return measured_rows(run.measured)

    def get_sources(self, run: Run) -> str:
        """Revision of the sources and whether they were clean; empty where not known."""
        return f"{run.build.revision}, {run.build.kind}" if run.build.revision else ""

    def get_caption(self, run: Run) -> str:
        return f"{run.seconds:.0f} s, {run.frames:,} frames, {run.outcome}"


class GapsSerializer(serializers.Serializer):
    """Where a drawn column holds no number, by state: places in its list."""

    missing = serializers.ListField(child=serializers.IntegerField(), required=False)
    stale = serializers.ListField(child=serializers.IntegerField(), required=False)
    below = serializers.ListField(child=serializers.IntegerField(), required=False)


class TraceSerializer(serializers.Serializer):
    """``start_s`` (m,) and the frame's ``low`` and ``high`` in ms (m,); lanes and counters by name, their mean.

    ``step`` is 1 where every frame is drawn, and ``high`` is empty then: it is ``low``. Else each point covers so
    many frames. A value that is none is null, and where each frame is drawn ``gaps`` says what stands there.
    ``said`` tells what is drawn; ``rows`` are the figures of the stretch where every frame is at hand.
    """

    start = serializers.IntegerField()
    stop = serializers.IntegerField()
    frames = serializers.IntegerField()
    step = serializers.IntegerField()
    said = serializers.CharField()
    start_s = serializers.ListField(child=serializers.FloatField())
    low = serializers.ListField(child=serializers.FloatField())
    high = serializers.ListField(child=serializers.FloatField())
    lanes = serializers.DictField(child=serializers.ListField(child=serializers.FloatField(allow_null=True)))
    counters = serializers.DictField(child=serializers.ListField(child=serializers.FloatField(allow_null=True)))
    gaps = serializers.DictField(child=GapsSerializer())
    rows = RowSerializer(many=True)


class PartRowsSerializer(serializers.Serializer):
    """The parts of a window a frame at a time, in columns of one length; ``ms`` null where it is none, and then
    ``gaps`` says why. ``parts`` names them, with what each took over the whole run."""

    parts = PartSerializer(many=True)
    frame = serializers.ListField(child=serializers.IntegerField())
    part = serializers.ListField(child=serializers.IntegerField())
    ms = serializers.ListField(child=serializers.FloatField(allow_null=True))
    at_ms = serializers.ListField(child=serializers.FloatField(allow_null=True))
    calls = serializers.ListField(child=serializers.IntegerField())
    counts = serializers.DictField(child=serializers.ListField(child=serializers.FloatField(allow_null=True)))
    gaps = GapsSerializer()


class FramePartSerializer(serializers.Serializer):
    """A part in one frame; ``usual_ms`` is what it takes in the typical frame around it, 0 ms and no call where the frame
    lacks it."""

    path = serializers.ListField(child=serializers.CharField())
    name = serializers.CharField()
    depth = serializers.IntegerField()
    at_ms = serializers.FloatField(allow_null=True)
    ms = serializers.FloatField()
    calls = serializers.IntegerField()
    below = serializers.BooleanField()
    usual_ms = serializers.FloatField()


class FrameLaneSerializer(serializers.Serializer):
    """``state`` is missing, stale or below where there is no value; the rest is what no part names."""

    name = serializers.CharField()
    role = serializers.CharField()
    ms = serializers.FloatField(allow_null=True)
    state = serializers.CharField(allow_blank=True)
    usual_ms = serializers.FloatField(allow_null=True)
    parts = FramePartSerializer(many=True)
    rest_ms = serializers.FloatField(allow_null=True)
    usual_rest_ms = serializers.FloatField(allow_null=True)


class FrameCounterSerializer(serializers.Serializer):
    name = serializers.CharField()
    value = serializers.FloatField(allow_null=True)
    state = serializers.CharField(allow_blank=True)
    typical = serializers.FloatField(allow_null=True)


class FramePageSerializer(serializers.Serializer):
    """One frame of a run beside the typical frame around it, and the late frames and stutters next to it."""

    run = serializers.UUIDField()
    frame = serializers.IntegerField()
    frames = serializers.IntegerField()
    frame_ms = serializers.FloatField()
    typical_ms = serializers.FloatField(allow_null=True)
    counted = serializers.BooleanField()
    at_s = serializers.FloatField()
    leg = serializers.CharField(allow_blank=True)
    budget_ms = serializers.FloatField(allow_null=True)
    late = serializers.BooleanField()
    sentence = serializers.CharField()
    lanes = FrameLaneSerializer(many=True)
    parts = FramePartSerializer(many=True, help_text="of no lane that was recorded")
    counters = FrameCounterSerializer(many=True)
    late_before = serializers.IntegerField(allow_null=True)
    late_after = serializers.IntegerField(allow_null=True)
    stutter_before = serializers.IntegerField(allow_null=True)
    stutter_after = serializers.IntegerField(allow_null=True)


class RunLaneSerializer(serializers.Serializer):
    name = serializers.CharField()
    role = serializers.CharField()
    ms = serializers.FloatField(allow_null=True)


class RunPartSerializer(serializers.Serializer):
    """A part of one run: ms a frame over all its frames, its share of its lane, and in what share of frames it is."""

    lane = serializers.CharField(allow_blank=True)
    path = serializers.ListField(child=serializers.CharField())
    name = serializers.CharField()
    kind = serializers.CharField(help_text="part, or the rest that closes a level")
    depth = serializers.IntegerField()
    ms = serializers.FloatField()
    share = serializers.FloatField(allow_null=True)
    present = serializers.FloatField()
    calls = serializers.FloatField()
    us_a_call = serializers.FloatField(allow_null=True)


class RunWorkSerializer(serializers.Serializer):
    """Where the time of a stretch of a run goes."""

    frames = serializers.IntegerField()
    frame_ms = serializers.FloatField()
    sentence = serializers.CharField()
    headroom = serializers.CharField(allow_blank=True)
    lanes = RunLaneSerializer(many=True)
    parts = RunPartSerializer(many=True)
    notes = serializers.ListField(child=serializers.CharField())
