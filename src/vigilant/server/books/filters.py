"""Which lines of the log are asked for."""

from __future__ import annotations

from django.db.models import QuerySet
from django_filters import rest_framework as filters

from vigilant.server.filtering import Words, contains

from .models import LogLine


class LogFilter(filters.FilterSet):
    """``find`` looks in what was done, to what, and by whom."""

    find = Words(method="found")
    since = filters.IsoDateTimeFilter("at", "gte")
    until = filters.IsoDateTimeFilter("at", "lte")

    class Meta:
        model = LogLine
        fields = ()

    def found(self, lines: QuerySet, name: str, text: str) -> QuerySet:
        return lines.filter(contains(text, "what", "text", "by_name"))
