"""Purging over HTTP, for owners: first what it would do, then done by its name."""

from __future__ import annotations

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from vigilant.formats import limits
from vigilant.server.books.models import Member
from vigilant.server.database import in_transaction
from vigilant.server.fields import Listed, Text
from vigilant.server.runs import aside
from vigilant.server.views import BookView

from . import purging
from .api import one


class EntryPurgeInSerializer(serializers.Serializer):
    """``confirmed`` is the name that the answer without it gave."""

    confirmed = Text(limits.LABEL, allow_blank=True, default="")
    with_runs = serializers.BooleanField(default=False)


class RunsPurgeInSerializer(serializers.Serializer):
    confirmed = Text(limits.LABEL, allow_blank=True, default="")
    runs = Listed(serializers.UUIDField(), limits.ARM_RUNS, min_length=1)


class PurgeSerializer(serializers.Serializer):
    """What goes, or went; ``name`` confirms it, ``stays`` names what does not, ``hinders`` says why it cannot be."""

    name = serializers.CharField()
    goes = serializers.ListField(child=serializers.CharField())
    hinders = serializers.ListField(child=serializers.CharField())
    stays = serializers.ListField(child=serializers.CharField())


class PurgeView(BookView):
    readers = writers = Member.Role.OWNER


class EntryPurgeView(PurgeView):
    """Delete a withdrawn entry; without ``confirmed`` nothing is deleted, and the answer says what would be."""

    @extend_schema(request=EntryPurgeInSerializer, responses=PurgeSerializer)
    def post(self, request: Request, book: str, number: int) -> Response:
        form = EntryPurgeInSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        asked, entry = form.validated_data, one(self.book, number)
        if not asked["confirmed"]:
            return Response(PurgeSerializer(purging.of_entry(entry, asked["with_runs"])).data)
        return Response(PurgeSerializer(purging.purge_entry(entry, **asked, user=request.user)).data)


class RunsPurgeView(PurgeView):
    """Delete runs that are set aside and that no entry rests on; likewise."""

    @extend_schema(request=RunsPurgeInSerializer, responses=PurgeSerializer)
    def post(self, request: Request, book: str) -> Response:
        form = RunsPurgeInSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        ids, confirmed = form.validated_data["runs"], form.validated_data["confirmed"]
        if not confirmed:
            found = in_transaction(aside.of_book)(self.book, ids)
            return Response(PurgeSerializer(purging.of_runs(found)).data)
        return Response(PurgeSerializer(purging.purge_runs(self.book, ids, confirmed, request.user)).data)
