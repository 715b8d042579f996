"""Which runs are asked for, and in what order."""

from __future__ import annotations

from django.db.models import QuerySet
from django_filters import rest_framework as filters

from vigilant.server.books.models import Book
from vigilant.server.filtering import Chosen, Order, Words, contains

from .models import Outcome, Run


class RunFilter(filters.FilterSet):
    """``find`` looks in the names of scenarios, builds and rigs."""

    book = filters.CharFilter(method="of_book")
    find = Words(method="found")
    state = Chosen(choices=Run.State.choices)
    outcome = Chosen(choices=Outcome.choices)
    scenario = filters.NumberFilter("scenario_version__scenario")
    version = filters.NumberFilter("scenario_version__number")
    rig = filters.NumberFilter("rig")
    build = Words("build__label", "contains")
    since = filters.IsoDateTimeFilter("started_at", "gte")
    until = filters.IsoDateTimeFilter("started_at", "lte")
    aside = filters.BooleanFilter("excluded_at", "isnull", exclude=True, help_text="set aside, or not")
    thinned = filters.BooleanFilter(
        "thinned_at", "isnull", exclude=True, help_text="its frames went by a rule, or are there"
    )
    ordering = Order(
        fields={
            "started_at": "started_at",
            "mean_ms": "mean_ms",
            "frames": "frames",
            "seconds": "seconds",
            "outcome": "outcome",
            "scenario_version__scenario__name": "scenario",
            "build__label": "build",
            "rig__alias": "rig",
        },
        last="id",
    )

    class Meta:
        model = Run
        fields = ()

    def of_book(self, runs: QuerySet, name: str, slug: str) -> QuerySet:
        # By its key: with the name joined to every run no index counts them.
        return runs.filter(book=Book.objects.filter(slug=slug).values_list("pk", flat=True).first())

    def found(self, runs: QuerySet, name: str, text: str) -> QuerySet:
        return runs.filter(contains(text, "scenario_version__scenario__name", "build__label", "rig__alias"))
