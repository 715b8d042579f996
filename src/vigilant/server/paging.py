"""Every list of the API comes in pages."""

from __future__ import annotations

import hashlib
from typing import Any

from django.core.cache import cache
from django.core.exceptions import EmptyResultSet
from django.core.paginator import Page, Paginator
from django.db.models import QuerySet
from django.utils.functional import cached_property
from rest_framework.pagination import PageNumberPagination
from rest_framework.request import Request

#: Lists longer than this are counted once in :data:`COUNTED_S` by each process: a count reads all of them, and the newest come first.
MANY, COUNTED_S = 10_000, 5


class Counted(Paginator):
    """A list whose first page has room left is as long as that page: it is not counted by another query."""

    def page(self, number: int | str) -> Page:
        if str(number) != "1":
            return super().page(number)
        first = list(self.object_list[: self.per_page])
        if len(first) < self.per_page:
            self.count = len(first)
        return self._get_page(first, 1, self)

    @cached_property
    def count(self) -> int:
        try:
            asked = str(self.object_list.query)
        except EmptyResultSet:
            return 0
        key = f"count-{hashlib.blake2b(asked.encode(), digest_size=16).hexdigest()}"
        known: int | None = cache.get(key)
        if known is None:
            known = self.object_list.count()
            if known > MANY:
                cache.set(key, known, COUNTED_S)
        return known


class Pages(PageNumberPagination):
    """The keys of a page are found first and its rows after them: sorting whole rows of a thousand entries
    takes longer than everything else of an answer."""

    page_size = 100
    page_size_query_param = "page_size"
    max_page_size = 1000
    django_paginator_class = Counted

    def paginate_queryset(self, queryset: QuerySet, request: Request, view: Any = None) -> list[Any] | None:
        keys = super().paginate_queryset(queryset.values_list("pk", flat=True), request, view)
        if keys is None:
            return None
        rows = {row.pk: row for row in queryset.filter(pk__in=keys).order_by()}
        return [rows[key] for key in keys if key in rows]
