"""Laps over HTTP: kept from files, read as an account, joined to an entry."""

from __future__ import annotations

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import generics, serializers, status
from rest_framework.request import Request
from rest_framework.response import Response

from vigilant.formats import limits
from vigilant.server.auth import Recorder
from vigilant.server.books.models import name_of
from vigilant.server.fields import Listed, Number, Text
from vigilant.server.throttles import CostThrottle
from vigilant.server.views import BookView

from . import services
from .models import LapSheet


class LapSheetLineSerializer(serializers.ModelSerializer):
    versions = serializers.SerializerMethodField()
    entry = serializers.IntegerField(source="entry.number", allow_null=True, default=None)
    by = serializers.SerializerMethodField()
    path = serializers.SerializerMethodField()

    class Meta:
        model = LapSheet
        fields = ("id", "name", "versions", "entry", "by", "made_at", "path")
        read_only_fields = fields

    def get_versions(self, sheet: LapSheet) -> list[str]:
        return [sheet.before["name"] or "before", sheet.after["name"] or "after"]

    def get_by(self, sheet: LapSheet) -> str:
        return name_of(sheet.made_by) if sheet.made_by else ""

    def get_path(self, sheet: LapSheet) -> str:
        return f"/{sheet.book.slug}/laps/{sheet.pk}"


class LapFileSerializer(serializers.Serializer):
    """The text of one file: a process as an emitter wrote it, or a table with items, repeats and seconds."""

    name = Text(limits.FILE_NAME)
    text = Text(limits.LAP_BYTES, trim_whitespace=False)


class LapVersionSerializer(serializers.Serializer):
    name = Text(limits.NAME, allow_blank=True, default="")
    files = Listed(LapFileSerializer(), limits.LAP_PROCESSES, min_length=1)


class LapSheetInSerializer(serializers.Serializer):
    name = Text(limits.NAME)
    before = LapVersionSerializer()
    after = LapVersionSerializer()


class LapsView(BookView, generics.ListAPIView):
    """The laps of a book, the newest first; keep those of two versions. A recorder may deliver them."""

    serializer_class = LapSheetLineSerializer
    queryset = LapSheet.objects.none()
    recorders_may = ("POST",)

    def get_queryset(self):
        return LapSheet.objects.filter(book=self.book).select_related("entry", "made_by", "book")

    @extend_schema(request=LapSheetInSerializer, responses={201: LapSheetLineSerializer})
    def post(self, request: Request, book: str) -> Response:
        form = LapSheetInSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        values = form.validated_data
        user = None if isinstance(request.user, Recorder) else request.user
        made = services.keep(self.book, values["name"], values, user)
        return Response(LapSheetLineSerializer(made).data, status.HTTP_201_CREATED)


class LapSizeSerializer(serializers.Serializer):
    """One size; ``share`` is after over before, less 1, with its 95 % interval."""

    items = serializers.CharField()
    before = serializers.CharField()
    after = serializers.CharField()
    change = serializers.CharField(allow_blank=True)
    shown = serializers.BooleanField(help_text="by Holm over the sizes")
    share = serializers.FloatField(allow_null=True)
    low = serializers.FloatField(allow_null=True)
    high = serializers.FloatField(allow_null=True)


class LapLineSerializer(serializers.Serializer):
    name = serializers.CharField()
    before = serializers.CharField()
    after = serializers.CharField()
    change = serializers.CharField()


class LapFrameSerializer(serializers.Serializer):
    """What it would mean in an entry's frame, behind what the entry measured."""

    entry = serializers.IntegerField()
    title = serializers.CharField()
    measured = serializers.CharField()
    sentence = serializers.CharField()
    matters = serializers.CharField()
    apart = serializers.CharField()
    counter = serializers.CharField(allow_blank=True)
    calls = serializers.FloatField(allow_null=True)
    items = serializers.FloatField()


class LapSheetSerializer(serializers.Serializer):
    """Two versions of a routine, timed by itself."""

    sheet = LapSheetLineSerializer()
    versions = serializers.ListField(child=serializers.CharField())
    processes = serializers.ListField(child=serializers.IntegerField())
    sentence = serializers.CharField()
    void = serializers.BooleanField()
    sizes = LapSizeSerializer(many=True)
    sizes_lapped = serializers.ListField(child=serializers.FloatField())
    lines = LapLineSerializer(many=True)
    notes = serializers.ListField(child=serializers.CharField())
    frame = LapFrameSerializer(allow_null=True)


class LapJoinSerializer(serializers.Serializer):
    """Of which entry's frames the routine is part: calls a frame by a counter, or as a number, at so many items."""

    entry = serializers.IntegerField(min_value=1, max_value=2**31)
    counter = Text(limits.NAME, allow_blank=True, default="")
    calls = Number(0, limits.COUNT, allow_null=True, default=None)
    items = Number(0, limits.COUNT)


class LapSheetView(BookView):
    """One sheet of laps; join it to an entry, or leave it out for good."""

    throttle_classes = (CostThrottle,)
    throttle_scope = "leaves"

    def _sheet(self, key: int) -> LapSheet:
        kept = LapSheet.objects.filter(book=self.book)
        return get_object_or_404(kept.select_related("book", "made_by", "entry__comparison__scenario_version"), pk=key)

    @extend_schema(operation_id="lap_sheet", responses=LapSheetSerializer)
    def get(self, request: Request, book: str, key: int) -> Response:
        return Response(LapSheetSerializer(services.page(self._sheet(key))).data)

    @extend_schema(operation_id="join_laps", request=LapJoinSerializer, responses=LapSheetSerializer)
    def put(self, request: Request, book: str, key: int) -> Response:
        form = LapJoinSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        sheet = self._sheet(key)
        services.join(sheet, **form.validated_data)
        return Response(LapSheetSerializer(services.page(sheet)).data)

    @extend_schema(operation_id="drop_laps", responses={204: None})
    def delete(self, request: Request, book: str, key: int) -> Response:
        self._sheet(key).delete()
        return Response(status=status.HTTP_204_NO_CONTENT)
