"""An entry whole: its result, runs, conditions and goals."""

from __future__ import annotations

from typing import Any

from drf_spectacular.utils import extend_schema_field
from rest_framework import serializers

from vigilant.server.books.models import name_of
from vigilant.server.entries import deciding, results
from vigilant.server.entries.models import Comparison, ComparisonRun, Correction, Decision, Entry, EntryReference
from vigilant.server.entries.shapes import ResultSerializer
from vigilant.server.evidence import remarks
from vigilant.server.evidence.shapes import RemarkSerializer
from vigilant.server.goals.services import goals_of, judged
from vigilant.server.goals.shapes import GoalLineSerializer
from vigilant.server.runs.models import ArmLabel, FigureValue, Outcome, Recording, Slot

from .lines import DecisionSerializer, EntryLineSerializer

DOT_FIGURES = ("mean_ms", "slowest_1pct_ms", "late_share", "stutters_per_min", "p50_ms", "p95_ms", "p99_ms")


def goal_lines(entry: Entry) -> list[dict[str, Any]]:
    """The goals of the entry's scenario against the arm that stands: after, or before where it was dropped."""
    comparison = entry.comparison
    if comparison is None or comparison.verdict == Comparison.Verdict.VOID:
        return []
    decisions = list(entry.decisions.all())
    dropped = bool(decisions) and decisions[0].choice == Decision.Choice.DROPPED
    goals = goals_of(comparison.scenario_version.scenario_id)
    return judged(comparison, "before" if dropped else "after", goals) if goals else []


def recording_of(entry: Entry) -> str | None:
    if entry.comparison is not None:
        return str(entry.comparison.recording_id) if entry.comparison.recording_id else None
    planned = Recording.objects.filter(book=entry.book_id, plan__entry__number=entry.number)
    found = planned.exclude(state=Recording.State.REFUSED).order_by("-received_at").values_list("pk", flat=True).first()
    return str(found) if found else None


def sheets(entry: Entry) -> list[dict[str, Any]]:
    """Both arms' conditions, side by side; values that vary within an arm are all named."""
    if entry.comparison is None:
        return []
    values: dict[str, dict[str, set[str]]] = {}
    used = ComparisonRun.objects.filter(arm__comparison=entry.comparison)
    for arm, facts in used.values_list("arm__label", "run__conditions__facts"):
        for key, value in facts.items():
            values.setdefault(key, {"before": set(), "after": set()})[arm].add(value)
    policy = entry.comparison.scenario_version.definition.get("policy", {})
    rules = dict.fromkeys(policy.get("may_differ", ()), "may differ") | dict.fromkeys(
        policy.get("change", ()), "the change itself"
    )
    return [
        {
            "key": key,
            "before": " or ".join(sorted(sides["before"])) or "not known",
            "after": " or ".join(sorted(sides["after"])) or "not known",
            "rule": rules.get(key, "must match"),
            "differs": sides["before"] != sides["after"] or len(sides["before"]) > 1,
        }
        for key, sides in sorted(values.items())
    ]


_DESIGNS = {
    "position": "interleaved",
    "order-unknown": "order unknown",
    "order-confounded": "one arm after the other",
    "single": "one run in an arm",
}


def caption(entry: Entry) -> str:
    """ "Entry 13: 8 + 8 runs of 120 s, interleaved, recorded 12 June 2026"."""
    if entry.comparison is None:
        return f"Entry {entry.number}: nothing recorded yet"
    comparison = entry.comparison
    seconds = entry.comparison.scenario_version.definition.get("duration_s")
    length = f" of {seconds:g} s" if seconds else ""
    when = f", recorded {entry.recorded_at.day} {entry.recorded_at:%B %Y}" if entry.recorded_at else ""
    counts = comparison.ledger_line["runs"]
    design = _DESIGNS.get(comparison.result.get("design", ""), "order unknown")
    return f"Entry {entry.number}: {counts['before']} + {counts['after']} runs{length}, {design}{when}"


def dots(entry: Entry) -> list[dict[str, Any]]:
    """Every run of an entry in recorded order, failed slots included."""
    if entry.comparison is None:
        return []
    rested = ComparisonRun.objects.filter(arm__comparison=entry.comparison)
    used = list(rested.values_list("position", "arm__label", "run_id"))
    values: dict[Any, dict[str, float]] = {}
    kept = FigureValue.objects.filter(run__in=[u[2] for u in used], leg="", figure__in=DOT_FIGURES)
    for run, figure, value in kept.values_list("run_id", "figure", "value"):
        values.setdefault(run, {})[figure] = value
    counted = {run for _, _, run in used}
    rows = [_dot(position, arm, run, "complete", "", True, values.get(run)) for position, arm, run in used]
    if entry.comparison.recording_id:
        slots = list(Slot.objects.filter(recording_id=entry.comparison.recording_id))
        own = {s.arm for s in slots if s.run_uuid in counted}
        rows += [
            _dot(s.position, "before" if s.arm == "before" else "after", s.run_uuid, s.outcome, s.detail, False, None)
            for s in slots
            if s.run_uuid not in counted and s.arm in own and s.outcome != Outcome.PLANNED
        ]
    return sorted(rows, key=lambda row: (row["position"], row["arm"]))


def _dot(
    position: int, arm: str, run: Any, outcome: str, detail: str, counted: bool, values: dict[str, Any] | None
) -> dict[str, Any]:
    figures = {name: (values or {}).get(name) for name in DOT_FIGURES}
    return {
        "position": position, "arm": arm, "run": str(run), "outcome": outcome, "detail": detail, "counted": counted,
        "figures": figures,
    }  # fmt: skip


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


class CorrectionSerializer(serializers.ModelSerializer):
    """What the entry said before."""

    by = serializers.SerializerMethodField()

    class Meta:
        model = Correction
        fields = ("title", "why", "expected", "by", "corrected_at")
        read_only_fields = fields

    def get_by(self, correction: Correction) -> str:
        return name_of(correction.corrected_by)


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


#: The same from the other side.
_BACK = {"supersedes": "superseded by", "repeats": "repeated by", "depends on": "needed by"}


class EntrySerializer(EntryLineSerializer):
    note = serializers.CharField()
    references = serializers.SerializerMethodField()
    remarks = serializers.SerializerMethodField()
    withdrawal = serializers.SerializerMethodField()
    aside = serializers.SerializerMethodField()
    corrections = serializers.SerializerMethodField()
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
                  "dots", "previous", "next", "budget_ms", "goals", "recording", "sheets", "corrections", "withdrawal", "aside", "remarks", "note", "references")  # fmt: skip

    @extend_schema_field(WithdrawalSerializer(allow_null=True))
    def get_withdrawal(self, entry: Entry):
        if entry.withdrawn_at is None:
            return None
        return {"at": entry.withdrawn_at, "by": name_of(entry.withdrawn_by), "why": entry.withdrawn_why}

    @extend_schema_field(AsideSerializer(many=True))
    def get_aside(self, entry: Entry):
        """Its runs that were set aside since: the verdict is of all of them."""
        if entry.comparison is None:
            return []
        found = ComparisonRun.objects.filter(arm__comparison=entry.comparison, run__excluded_at__isnull=False)
        rows = found.values_list("run_id", "arm__label", "run__excluded_at", "run__excluded_why")
        return [{"run": run, "arm": arm, "at": at, "why": why} for run, arm, at, why in rows]

    @extend_schema_field(CorrectionSerializer(many=True))
    def get_corrections(self, entry: Entry):
        found = entry.corrections.select_related("corrected_by")
        return CorrectionSerializer(found, many=True).data

    @extend_schema_field(ReferenceSerializer(many=True))
    def get_references(self, entry: Entry):
        own = [(r, r.other, False) for r in entry.references.select_related("other")]
        back = EntryReference.objects.filter(other=entry).select_related("entry").order_by("relation", "entry__number")
        return [
            {
                "relation": r.relation,
                "number": other.number,
                "title": other.title,
                "back": is_back,
                "said": _BACK[r.relation] if is_back else r.relation,
            }
            for r, other, is_back in [*own, *((r, r.entry, True) for r in back)]
        ]

    def get_locked(self, entry: Entry) -> bool:
        return entry.locked_at is not None

    @extend_schema_field(HeldSerializer)
    def get_held(self, entry: Entry):
        expectation, sentence = deciding.held_expectation(entry)
        return {"expectation": expectation, "sentence": sentence}

    @extend_schema_field(ResultSerializer(allow_null=True))
    def get_result(self, entry: Entry):
        return results.result_of(entry.comparison)

    @extend_schema_field(RemarkSerializer(many=True))
    def get_remarks(self, entry: Entry):
        """What its leaves found; nothing while they are looked into."""
        return remarks.of(entry.comparison)

    @extend_schema_field(EarlierResultSerializer(many=True))
    def get_earlier(self, entry: Entry):
        return results.earlier_of(entry.comparison)

    def get_caption(self, entry: Entry) -> str:
        return caption(entry)

    def get_budget_ms(self, entry: Entry) -> float | None:
        target = self.get_target_fps(entry)
        return 1000.0 / target if target else None

    @extend_schema_field(GoalLineSerializer(many=True))
    def get_goals(self, entry: Entry):
        return goal_lines(entry)

    def get_recording(self, entry: Entry) -> str | None:
        """The recording the entry comes from, or the one planned for it."""
        return recording_of(entry)

    @extend_schema_field(SheetSerializer(many=True))
    def get_sheets(self, entry: Entry):
        """What the conditions of both arms say, side by side."""
        return sheets(entry)

    @extend_schema_field(RunDotSerializer(many=True))
    def get_dots(self, entry: Entry):
        return dots(entry)

    def _beside(self, entry: Entry, **lookup: int) -> int | None:
        order = "number" if "number__gt" in lookup else "-number"
        found = Entry.objects.filter(book_id=entry.book_id, **lookup).order_by(order).first()
        return found.number if found else None

    def get_previous(self, entry: Entry) -> int | None:
        return self._beside(entry, number__lt=entry.number)

    def get_next(self, entry: Entry) -> int | None:
        return self._beside(entry, number__gt=entry.number)
