"""Filters that lists share: texts with a limit, several choices at once, an order that is always whole."""

from __future__ import annotations

from collections.abc import Mapping
from functools import reduce
from operator import or_
from typing import Any

from django import forms
from django.db.models import CharField, Q, QuerySet, TextField
from django.db.models.functions import Lower
from django_filters import rest_framework as filters

from vigilant.formats import limits

for field in (CharField, TextField):
    field.register_lookup(Lower)


class Words(filters.CharFilter):
    """A text of at most a title's length."""

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, max_length=limits.TITLE, **kwargs)


def contains(text: str, *fields: str) -> Q:
    """Rows where one of the fields holds the text, whatever its case (the collation tells it apart)."""
    return reduce(or_, (Q(**{f"{field}__lower__contains": text.lower()}) for field in fields))


class _Several(forms.MultipleChoiceField):
    """Choices repeated, or in one text with commas between."""

    def to_python(self, value: Any) -> list[str]:
        return [part for text in value or () for part in str(text).split(",") if part]


class Chosen(filters.MultipleChoiceFilter):
    """One or several of the choices; others are refused."""

    field_class = _Several


class Order(filters.OrderingFilter):
    """An order by what is named, and always by ``last`` after it: pages of one list never overlap."""

    def __init__(self, fields: Mapping[str, str], last: str) -> None:
        self.last = last
        super().__init__(fields=fields)

    def filter(self, rows: QuerySet, value: Any) -> QuerySet:
        wanted = [self.get_ordering_value(param) for param in value or () if param]
        return rows.order_by(*wanted, self.last) if wanted else rows
