"""Every list of the API comes in pages."""

from __future__ import annotations

from typing import Any

from django.db.models import QuerySet
from rest_framework.pagination import PageNumberPagination
from rest_framework.request import Request


class Pages(PageNumberPagination):
    """The keys of a page are found first and its rows after them: sorting whole rows of a thousand entries
    takes longer than everything else of an answer."""

    page_size = 100
    page_size_query_param = "page_size"
    max_page_size = 1000

    def paginate_queryset(self, queryset: QuerySet, request: Request, view: Any = None) -> list[Any] | None:
        keys = super().paginate_queryset(queryset.values_list("pk", flat=True), request, view)
        if keys is None:
            return None
        rows = {row.pk: row for row in queryset.filter(pk__in=keys).order_by()}
        return [rows[key] for key in keys if key in rows]
