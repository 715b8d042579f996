"""Which entries of a book are asked for, and in what order."""

from __future__ import annotations

from django.core.validators import RegexValidator
from django.db.models import OuterRef, Q, QuerySet, Subquery
from django_filters import rest_framework as filters

from vigilant.server.entries.models import Comparison, Decision, Entry
from vigilant.server.filtering import Chosen, Order, Words, contains

from .book_lines import LAST, PATTERN, keys, last_line


class EntryFilter(filters.FilterSet):
    """``find`` looks in titles, reasons, notes and numbers; ``decision`` is of the newest one, ``none`` for none."""

    find = Words(method="found")
    verdict = Chosen(choices=Comparison.Verdict.choices, field_name="comparison__verdict")
    decision = Chosen(choices=[*Decision.Choice.choices, ("none", "none yet")], method="decided")
    line = filters.CharFilter(
        method="of_line",
        help_text="a scenario and a rig, or last; entries without runs belong to every line",
        validators=[RegexValidator(f"{PATTERN}|^{LAST}$")],
    )
    recorded = filters.BooleanFilter("comparison", "isnull", exclude=True)
    open = filters.BooleanFilter(method="undecided", help_text="only entries without a decision, not withdrawn")
    label = Words("labels__name", lookup_expr="exact", help_text="filed under this label")
    withdrawn = filters.BooleanFilter("withdrawn_at", "isnull", exclude=True)
    scenario = filters.NumberFilter("comparison__scenario_version__scenario")
    rig = filters.NumberFilter("comparison__rig")
    build = Words(method="of_build", help_text="a build of either arm, by name")
    person = Words("decisions__decided_by__username", distinct=True)
    since = filters.IsoDateTimeFilter("recorded_at", "gte")
    until = filters.IsoDateTimeFilter("recorded_at", "lte")
    ordering = Order(
        fields={
            "number": "number",
            "title": "title",
            "recorded_at": "recorded_at",
            "comparison__verdict": "verdict",
            "comparison__scenario_version__scenario__name": "scenario",
            "comparison__rig__alias": "rig",
        },
        last="-number",
    )

    class Meta:
        model = Entry
        fields = ()

    def found(self, entries: QuerySet, name: str, text: str) -> QuerySet:
        where = contains(text, "title", "why", "note")
        if text.isdecimal() and len(text) < 10:
            where |= Q(number=int(text))
        return entries.filter(where)

    def decided(self, entries: QuerySet, name: str, chosen: list[str]) -> QuerySet:
        newest = Decision.objects.filter(entry=OuterRef("pk")).order_by("-pk").values("choice")[:1]
        where = Q(newest_choice__in=chosen)
        if "none" in chosen:
            where |= Q(newest_choice=None, comparison__isnull=False)
        return entries.annotate(newest_choice=Subquery(newest)).filter(where) if chosen else entries

    def of_line(self, entries: QuerySet, name: str, line: str) -> QuerySet:
        if line == LAST:
            line = last_line(self.request.parser_context["view"].book)
        if not line:
            return entries
        scenario, rig = keys(line)
        return entries.filter(Q(comparison=None) | Q(balance__scenario=scenario, balance__rig=rig))

    def undecided(self, entries: QuerySet, name: str, only: bool) -> QuerySet:
        return entries.filter(decisions=None, withdrawn_at=None) if only else entries

    def of_build(self, entries: QuerySet, name: str, text: str) -> QuerySet:
        found = Comparison.objects.filter(arms__runs__run__build__label__contains=text)
        return entries.filter(comparison__in=found.values("pk"))
