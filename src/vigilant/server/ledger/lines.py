"""The ledger's lines: what each entry says in one row."""

from __future__ import annotations

from functools import cached_property
from typing import Any

from django.db.models import Prefetch
from drf_spectacular.utils import extend_schema_field
from rest_framework import serializers

from vigilant.core.stored import figure_result
from vigilant.core.verdict import CHANGED
from vigilant.server.books.models import Book, name_of
from vigilant.server.entries.models import Balance, Comparison, Decision, Entry, EntryReference
from vigilant.wording import STAMPS, Amount, amount
from vigilant.wording.change import number

#: Of every amount in the ledger.
_DECIMALS = 2


#: What supersedes an entry, and its labels, as plain lists: most lines have neither, and a manager a line takes longer than asking.
_SUPERSEDING = Prefetch(
    "referred_by",
    EntryReference.objects.filter(relation=EntryReference.Relation.SUPERSEDES).select_related("entry"),
    to_attr="superseding",
)
_LABELS = Prefetch("labels", to_attr="labelled")


def entries_of(book: Book) -> Any:
    """Entries with all that a ledger line shows, without a query per row or the whole results."""
    return (
        Entry.objects.filter(book=book)
        .select_related("comparison", "balance")
        .defer("comparison__result", "comparison__order")
        # Few versions, rigs and people stand behind many entries: each is made once.
        .prefetch_related(
            "comparison__scenario_version__scenario", "comparison__rig", "decisions__decided_by", _LABELS, _SUPERSEDING
        )
    )


def runs_said(comparison: Comparison) -> str:
    """ "8+8": runs of both arms."""
    runs = comparison.ledger_line["runs"]
    return f"{runs['before']}+{runs['after']}"


def remark(entry: Any) -> str:
    """A few words behind the title of one of :func:`entries_of`: why it is void, or that a run did not complete."""
    comparison = entry.comparison
    if entry.withdrawn_at is not None:
        return "withdrawn"
    if over := [one.entry.number for one in entry.superseding]:
        return f"superseded by no. {max(over)}"
    if comparison is None:
        return "nothing recorded yet"
    kept = comparison.ledger_line
    if comparison.verdict == Comparison.Verdict.VOID:
        return {"cap-one-side": "one arm was capped", "caps-differ": "two different caps"}.get(kept["void"], "not comparable")  # fmt: skip
    if comparison.blank:
        return "blank test: a false alarm" if comparison.verdict in CHANGED else "blank test"
    return "a run did not complete" if kept["failed"] else "compared after the fact" if entry.after_the_fact else ""


def unaccounted_sentence(line: Balance) -> str:
    """The ledger's line for a gap."""
    if line.unaccounted_ms is None:
        return ""
    word = "spent" if line.unaccounted_ms > 0 else "saved"
    size = number(abs(line.unaccounted_ms), 2)
    return f'Unaccounted since no. {line.unaccounted_since}: {size} ms {word} between its level and this "before"'


class DecisionSerializer(serializers.ModelSerializer):
    by = serializers.SerializerMethodField()

    class Meta:
        model = Decision
        fields = ("choice", "why", "only_if", "by", "decided_at", "expectation")
        read_only_fields = ("decided_at",)

    def get_by(self, decision: Decision) -> str:
        return name_of(decision.decided_by)


class StripSerializer(serializers.Serializer):
    """An interval strip, in the figure's unit, as differences after - before."""

    difference = serializers.FloatField()
    ci_low = serializers.FloatField(allow_null=True)
    ci_high = serializers.FloatField(allow_null=True)
    margin_low = serializers.FloatField()
    margin_high = serializers.FloatField()


STRIP = tuple(StripSerializer().fields)


class EntryLineSerializer(serializers.ModelSerializer):
    """A line of the ledger, of entries_of."""

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
    interval = serializers.SerializerMethodField()
    credited = serializers.SerializerMethodField()
    decision = serializers.SerializerMethodField()
    blank = serializers.SerializerMethodField()
    withdrawn = serializers.SerializerMethodField()
    standing_ms = serializers.SerializerMethodField()
    unaccounted = serializers.SerializerMethodField()
    labels = serializers.SerializerMethodField()

    class Meta:
        model = Entry
        fields = ("number", "title", "recorded_at", "after_the_fact", "scenario", "version", "rig", "target_fps",
                  "runs", "verdict", "stamp", "remark", "mean", "saved", "spent", "interval", "credited", "decision", "blank", "withdrawn",
                  "standing_ms", "unaccounted", "labels")  # fmt: skip
        read_only_fields = fields

    @cached_property
    def _decision(self) -> DecisionSerializer:
        """One for all lines: making it takes longer than using it."""
        return DecisionSerializer()

    @cached_property
    def _said(self) -> dict[int, Amount | None]:
        return {}

    def _mean(self, entry: Entry) -> Amount | None:
        """A line's mean frame in words, with the decimals of its column."""
        if entry.pk not in self._said:
            kept = entry.comparison.ledger_line["mean"] if entry.comparison else None
            mean = figure_result("mean_ms", kept) if kept else None
            self._said[entry.pk] = amount(mean, _DECIMALS) if mean else None
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
        return runs_said(entry.comparison) if entry.comparison else ""

    @extend_schema_field(serializers.ChoiceField(Comparison.Verdict.choices, allow_null=True))
    def get_verdict(self, entry: Entry):
        return entry.comparison.verdict if entry.comparison else None

    def get_stamp(self, entry: Entry) -> str:
        return STAMPS[entry.comparison.verdict] if entry.comparison else ""

    def get_remark(self, entry: Entry) -> str:
        return remark(entry)

    @extend_schema_field(StripSerializer(allow_null=True))
    def get_mean(self, entry: Entry):
        mean = entry.comparison.ledger_line["mean"] if entry.comparison else None
        return {key: mean.get(key) for key in STRIP} if mean else None

    def get_saved(self, entry: Entry) -> str:
        mean = self._mean(entry)
        return mean.difference if mean and mean.column == "saved" else ""

    def get_spent(self, entry: Entry) -> str:
        mean = self._mean(entry)
        return mean.difference if mean and mean.column == "spent" else ""

    def get_interval(self, entry: Entry) -> str:
        """Of what the line saved or spent, in the direction of its column."""
        mean = self._mean(entry)
        return mean.interval if mean else ""

    def get_credited(self, entry: Entry) -> bool:
        """Whether the runs show what the line says was saved or spent."""
        comparison = entry.comparison
        nothing = (Comparison.Verdict.UNDECIDED, Comparison.Verdict.VOID)
        credits = comparison is not None and not comparison.blank and comparison.verdict not in nothing
        return credits and entry.withdrawn_at is None

    @extend_schema_field(DecisionSerializer(allow_null=True))
    def get_decision(self, entry: Entry):
        decisions = list(entry.decisions.all())
        return self._decision.to_representation(decisions[0]) if decisions else None

    def get_blank(self, entry: Entry) -> bool:
        """One build as both arms: nothing to decide."""
        return entry.comparison is not None and entry.comparison.blank

    def get_withdrawn(self, entry: Entry) -> bool:
        return entry.withdrawn_at is not None

    def get_standing_ms(self, entry: Entry) -> str:
        line = getattr(entry, "balance", None)
        return number(line.mean_ms, 2) if line and line.mean_ms is not None else ""

    @extend_schema_field(serializers.ListField(child=serializers.CharField()))
    def get_labels(self, entry: Entry):
        return [label.name for label in entry.labelled]

    def get_unaccounted(self, entry: Entry) -> str:
        line = getattr(entry, "balance", None)
        return unaccounted_sentence(line) if line else ""
