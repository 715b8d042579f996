"""What is asked of files, checked, and how they are shown."""

from __future__ import annotations

from drf_spectacular.utils import extend_schema_field
from rest_framework import serializers

from vigilant.core.series import LANE_ROLES
from vigilant.formats import limits
from vigilant.formats.file_reading import FIRST_FRAME
from vigilant.formats.reading import OF_FRAMES, Holds, Kind
from vigilant.formats.run import UNIT_MS
from vigilant.server.fields import Listed, Number, SheetField, Text, Whole
from vigilant.server.runs.models import ArmLabel

from .models import BroughtFile, SavedReading
from .ordering import BY

_KINDS = [kind.value for kind in Kind]
_HOLDS = [holds.value for holds in Holds]
#: Of lanes; of a frame's number what the first frame's is.
_ROLES = [*LANE_ROLES, "none", *FIRST_FRAME]


def _pattern() -> serializers.CharField:
    """By which rows are found in lines, in RE2's syntax with named groups; a space in it counts."""
    return serializers.CharField(max_length=limits.PATTERN, allow_blank=True, trim_whitespace=False, default="")


#: What a file holds of frames, as it is chosen.
FRAME_KINDS = [(kind.value, kind.value) for kind in OF_FRAMES]


class FileInSerializer(serializers.Serializer):
    id = serializers.UUIDField()
    name = Text(limits.FILE_NAME)
    folder = Text(limits.FILE_NAME, allow_blank=True, default="")
    size = Whole(1, limits.FILE_BYTES)


class ColumnSaidSerializer(serializers.Serializer):
    """What a column is: its unit for times, stamps and lanes, its role for lanes and numbers of frames."""

    unit = serializers.ChoiceField(list(UNIT_MS), required=False, allow_blank=True)
    role = serializers.ChoiceField(_ROLES, required=False, allow_blank=True)
    called = Text(limits.NAME, required=False, allow_blank=True)

    def get_fields(self):
        return {"is": serializers.ChoiceField(_KINDS), **super().get_fields()}


class ReadingSerializer(serializers.Serializer):
    """A reading as its TOML holds it (docs/formats.md)."""

    vigilant_reading = Whole(1, 1, default=1)
    name = Text(limits.NAME, allow_blank=True, default="")
    holds = serializers.ChoiceField(_HOLDS, default=Holds.RUNS.value)
    pattern = _pattern()
    rows = Text(
        limits.NAME, allow_blank=True, default="", help_text="keys of JSON, parted by points, under which rows stand"
    )
    parted_by = serializers.CharField(
        max_length=8, allow_blank=True, trim_whitespace=False, default="", help_text="what parts the path of a part"
    )
    columns = SheetField(child=ColumnSaidSerializer())


class AskedSerializer(serializers.Serializer):
    """What is said of a file: the column of the frames and what it holds, or a whole reading."""

    column = Text(limits.KEY, required=False, allow_null=True)
    kind = serializers.ChoiceField(FRAME_KINDS, required=False, allow_null=True)
    unit = serializers.ChoiceField(list(UNIT_MS), required=False, allow_null=True)
    reading = ReadingSerializer(required=False, allow_null=True)
    keep_valid = serializers.BooleanField(default=False)
    holds = serializers.ChoiceField(
        _HOLDS, default=Holds.RUNS.value, help_text="runs, readings at a rate of their own, or work inside frames"
    )
    pattern = _pattern()
    rows = Text(limits.NAME, allow_blank=True, default="")


class AskedOfFilesSerializer(AskedSerializer):
    files = Listed(serializers.UUIDField(), limits.FILES, min_length=1)


class SeenColumnSerializer(serializers.Serializer):
    name = serializers.CharField()
    unit = serializers.CharField()
    role = serializers.CharField()
    why = serializers.CharField()
    doubt = serializers.CharField()
    first = serializers.ListField(child=serializers.CharField())

    def get_fields(self):
        return {"is": serializers.ChoiceField(_KINDS), **super().get_fields()}


class SeenRunSerializer(serializers.Serializer):
    name = serializers.CharField()
    arm = serializers.CharField()
    frames = serializers.IntegerField()
    seconds = serializers.FloatField()
    mean_ms = serializers.FloatField()
    slowest_1pct_ms = serializers.FloatField()
    legs = serializers.ListField(child=serializers.CharField())
    lanes = serializers.ListField(child=serializers.CharField())
    counters = serializers.ListField(child=serializers.CharField())
    gaps = serializers.DictField(child=serializers.DictField(child=serializers.IntegerField()))
    started = serializers.CharField()
    from_s = serializers.FloatField()
    to_s = serializers.FloatField()
    lows = serializers.ListField(child=serializers.FloatField())
    highs = serializers.ListField(child=serializers.FloatField())


class SeenSamplesSerializer(serializers.Serializer):
    """Readings beside runs."""

    count = serializers.IntegerField()
    from_s = serializers.FloatField()
    to_s = serializers.FloatField()
    names = serializers.ListField(child=serializers.CharField())


class SeenWorkSerializer(serializers.Serializer):
    """Work inside frames: how many pieces, or samples, of how many parts; the largest by name."""

    by = serializers.ChoiceField(["stamps", "frames", "samples"])
    count = serializers.IntegerField()
    parts = serializers.IntegerField()
    names = serializers.ListField(child=serializers.CharField())
    lanes = serializers.ListField(child=serializers.CharField())
    runs = serializers.ListField(child=serializers.CharField())
    from_s = serializers.FloatField(allow_null=True)
    to_s = serializers.FloatField(allow_null=True)


class FileProblemSerializer(serializers.Serializer):
    code = serializers.CharField()
    detail = serializers.CharField()
    line = serializers.IntegerField(allow_null=True)


class LookAtFileSerializer(serializers.Serializer):
    """What a file would become."""

    stream = serializers.BooleanField()
    made = serializers.ListField(child=serializers.CharField())
    first_lines = serializers.ListField(child=serializers.CharField())
    columns = SeenColumnSerializer(many=True)
    recognised = serializers.CharField()
    said = serializers.CharField()
    doubt = serializers.CharField()
    runs = SeenRunSerializer(many=True)
    holds = serializers.ChoiceField(_HOLDS)
    pattern = serializers.CharField()
    rows = serializers.CharField()
    parted_by = serializers.CharField()
    samples = SeenSamplesSerializer(allow_null=True)
    work = SeenWorkSerializer(allow_null=True)
    left_out = serializers.IntegerField()
    left_lines = serializers.ListField(child=serializers.CharField())
    problem = FileProblemSerializer(allow_null=True)


class BroughtFileSerializer(serializers.ModelSerializer):
    state = serializers.ChoiceField(BroughtFile.State.choices)
    look = LookAtFileSerializer(allow_null=True)
    problem = FileProblemSerializer(allow_null=True)
    asked = AskedSerializer()

    class Meta:
        model = BroughtFile
        fields = ("id", "name", "folder", "size", "received", "next_piece", "sha256", "state", "asked", "look",
                  "problem", "created_at")  # fmt: skip
        read_only_fields = fields


class RunInFileSerializer(serializers.Serializer):
    name = serializers.CharField()
    arm = serializers.CharField()
    frames = serializers.IntegerField()
    mean_ms = serializers.FloatField()
    started = serializers.CharField()


class FileLineSerializer(serializers.ModelSerializer):
    """A file in the list: its runs in short, how many answers it waits for, and what its columns are called."""

    state = serializers.ChoiceField(BroughtFile.State.choices)
    problem = serializers.SerializerMethodField()
    runs = serializers.SerializerMethodField()
    open = serializers.SerializerMethodField()
    holds = serializers.SerializerMethodField()
    columns = serializers.SerializerMethodField()

    class Meta:
        model = BroughtFile
        fields = ("id", "name", "folder", "size", "received", "state", "problem", "runs", "open", "holds", "columns")
        read_only_fields = fields

    @extend_schema_field(FileProblemSerializer(allow_null=True))
    def get_problem(self, file: BroughtFile):
        return file.problem or (file.look or {}).get("problem")

    @extend_schema_field(RunInFileSerializer(many=True))
    def get_runs(self, file: BroughtFile):
        return RunInFileSerializer((file.look or {}).get("runs", []), many=True).data

    def get_open(self, file: BroughtFile) -> int:
        look = file.look or {}
        return bool(look.get("doubt")) + sum(bool(c["doubt"]) for c in look.get("columns", []))

    @extend_schema_field(serializers.ChoiceField(_HOLDS))
    def get_holds(self, file: BroughtFile) -> str:
        return file.holds

    def get_columns(self, file: BroughtFile) -> list[str]:
        return [c["name"] for c in (file.look or {}).get("columns", [])]


class FileOfRunSerializer(serializers.Serializer):
    file = serializers.UUIDField()
    arm = serializers.ChoiceField(ArmLabel.choices, allow_blank=True, default="")
    build = Text(limits.LABEL, allow_blank=True, default="")


class BringSerializer(serializers.Serializer):
    """Files that become runs; an entry too where there is a title."""

    files = Listed(FileOfRunSerializer(), limits.FILES, min_length=1)
    scenario = Text(limits.LABEL)
    target_fps = Number(0.001, 99_999, allow_null=True, default=None)
    rig = Text(limits.ALIAS)
    conditions = SheetField(default=dict)
    order = serializers.ChoiceField(BY, default="unknown")
    title = Text(limits.TITLE, allow_blank=True, default="")


class SavedReadingSerializer(serializers.ModelSerializer):
    document = serializers.SerializerMethodField()

    class Meta:
        model = SavedReading
        fields = ("name", "document", "saved_at")

    @extend_schema_field(ReadingSerializer)
    def get_document(self, saved: SavedReading):
        return saved.document
