"""Inventories over HTTP: what a build is made of, in the book's own totals, and what changed between two builds."""

from __future__ import annotations

from typing import Any

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import generics, serializers, status
from rest_framework.request import Request
from rest_framework.response import Response

from vigilant.formats import limits
from vigilant.server.books.models import name_of
from vigilant.server.fields import Number, Text
from vigilant.server.problems import unprocessable
from vigilant.server.throttles import CostThrottle
from vigilant.server.views import BookView

from . import services
from .models import Inventory, Total


class InventoryLineSerializer(serializers.ModelSerializer):
    build = serializers.CharField(source="build.label")
    revision = serializers.CharField(source="build.revision")
    by = serializers.SerializerMethodField()

    class Meta:
        model = Inventory
        fields = ("id", "build", "revision", "name", "stated_by_run", "kinds", "by", "made_at")
        read_only_fields = fields

    def get_by(self, inventory: Inventory) -> str:
        return name_of(inventory.made_by) if inventory.made_by else ""


class InventoryInSerializer(serializers.Serializer):
    """A file's text, of a build: a table with columns kind and count, and what a piece weighs in further ones."""

    build = Text(limits.LABEL)
    name = Text(limits.FILE_NAME)
    text = Text(limits.INVENTORY_BYTES, trim_whitespace=False)


class InventoriesView(BookView, generics.ListAPIView):
    """The inventories of a book, the newest first; add one from a file."""

    serializer_class = InventoryLineSerializer
    queryset = Inventory.objects.none()

    def get_queryset(self):
        return Inventory.objects.filter(book=self.book).select_related("build", "made_by").defer("items")

    @extend_schema(request=InventoryInSerializer, responses={201: InventoryLineSerializer})
    def post(self, request: Request, book: str) -> Response:
        form = InventoryInSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        made = services.take_from_file(self.book, **form.validated_data, user=request.user)
        return Response(InventoryLineSerializer(made).data, status.HTTP_201_CREATED)


class ItemWordsSerializer(serializers.Serializer):
    count = serializers.CharField()
    a_piece = serializers.CharField()
    total = serializers.CharField()
    share = serializers.CharField(allow_blank=True)


class ItemRowSerializer(serializers.Serializer):
    kind = serializers.CharField()
    rank = serializers.IntegerField()
    share = serializers.FloatField(allow_null=True, help_text="null where what a piece weighs is not told")
    words = ItemWordsSerializer()


class ItemChangeWordsSerializer(serializers.Serializer):
    before = serializers.CharField(allow_blank=True)
    after = serializers.CharField(allow_blank=True)
    less = serializers.CharField(allow_blank=True)
    more = serializers.CharField(allow_blank=True)
    from_count = serializers.CharField(allow_blank=True)
    from_weight = serializers.CharField(allow_blank=True)
    note = serializers.CharField(allow_blank=True)


class ItemChangeSerializer(serializers.Serializer):
    kind = serializers.CharField()
    words = ItemChangeWordsSerializer()


class OfferedTotalSerializer(serializers.Serializer):
    name = serializers.CharField()
    formula = serializers.CharField()
    own = serializers.BooleanField(help_text="whether the book set it itself")


class InventorySerializer(serializers.Serializer):
    """An inventory in one total; ``changes`` where it is held against another."""

    inventory = InventoryLineSerializer()
    against = InventoryLineSerializer(allow_null=True)
    totals = OfferedTotalSerializer(many=True)
    total = serializers.CharField()
    formula = serializers.CharField()
    sentence = serializers.CharField()
    sum = serializers.CharField()
    rows = ItemRowSerializer(many=True)
    untold = serializers.CharField(allow_blank=True)
    limit = serializers.CharField(allow_blank=True)
    over = serializers.BooleanField()
    set = serializers.CharField(allow_blank=True)
    counter = serializers.CharField(allow_blank=True)
    changes = ItemChangeSerializer(many=True, allow_null=True)
    change = serializers.CharField(allow_blank=True)
    unchanged = serializers.CharField(allow_blank=True)


class InventoryView(BookView):
    """One inventory, its kinds ranked in one of its totals."""

    throttle_classes = (CostThrottle,)
    throttle_scope = "leaves"

    @extend_schema(
        operation_id="inventory", responses=InventorySerializer,
        parameters=[OpenApiParameter("total", str), OpenApiParameter("against", int)],
    )  # fmt: skip
    def get(self, request: Request, book: str, key: int) -> Response:
        kept = Inventory.objects.filter(book=self.book).select_related("book", "build", "made_by")
        inventory = get_object_or_404(kept, pk=key)
        asked = request.query_params.get("against", "")
        if asked and (not asked.isdecimal() or len(asked) > 17):
            raise unprocessable("against-unreadable", f"against must be a number, got {asked[:20]!r}.")
        against = get_object_or_404(kept, pk=int(asked)) if asked else None
        found = services.page(inventory, request.query_params.get("total", ""), against)
        return Response(InventorySerializer({"inventory": inventory, "against": against, **found}).data)


class TotalSerializer(serializers.ModelSerializer):
    by = serializers.SerializerMethodField()

    class Meta:
        model = Total
        fields = ("name", "formula", "most", "counter", "reason", "by", "set_at")
        read_only_fields = fields

    def get_by(self, total: Total) -> str:
        return name_of(total.set_by)


class TotalInSerializer(serializers.Serializer):
    """What a piece weighs by arithmetic over its units; an empty formula ends the total."""

    name = Text(limits.NAME)
    formula = Text(limits.PATTERN, allow_blank=True)
    most = Number(0, limits.COUNT, allow_null=True, default=None)
    counter = Text(limits.NAME, allow_blank=True, default="")
    reason = Text(limits.REASON)


class TotalsView(BookView):
    """The totals of the book's own; set one, change it, or end it, for a reason."""

    def _all(self) -> Any:
        return TotalSerializer(services.totals_of(self.book), many=True).data

    @extend_schema(operation_id="totals", responses=TotalSerializer(many=True))
    def get(self, request: Request, book: str) -> Response:
        return Response(self._all())

    @extend_schema(operation_id="set_total", request=TotalInSerializer, responses=TotalSerializer(many=True))
    def post(self, request: Request, book: str) -> Response:
        form = TotalInSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        services.set_total(self.book, form.validated_data, request.user)
        return Response(self._all())
