"""For how long frames are kept, over HTTP: the rule, and what it would do now."""

from __future__ import annotations

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from vigilant.server.books.models import Member
from vigilant.server.fields import Whole
from vigilant.server.runs.models import ThinningRule
from vigilant.server.views import BookView

from . import thinning


class ThinningInSerializer(serializers.Serializer):
    """Days after which frames go: of runs set aside, since then, and of all that no entry rests on, since they were recorded; null: never."""

    aside_days = Whole(thinning.LEAST_DAYS, thinning.MOST_DAYS, allow_null=True)
    old_days = Whole(thinning.LEAST_DAYS, thinning.MOST_DAYS, allow_null=True)


class DueSerializer(serializers.Serializer):
    """Runs that would be thinned now, their frames, the bytes they take, and what is lost with them."""

    runs = serializers.IntegerField()
    frames = serializers.IntegerField()
    stored_bytes = serializers.IntegerField()
    loses = serializers.ListField(child=serializers.CharField())


class ThinningSerializer(ThinningInSerializer):
    applied_at = serializers.DateTimeField(allow_null=True)
    thinned = serializers.IntegerField(help_text="runs of the book that hold their figures alone")


class ThinningView(BookView):
    """The book's rule; owners change it."""

    readers = writers = Member.Role.OWNER

    def _answer(self, rule: ThinningRule) -> Response:
        rule.thinned = self.book.runs.exclude(thinned_at=None).count()
        return Response(ThinningSerializer(rule).data)

    @extend_schema(responses=ThinningSerializer)
    def get(self, request: Request, book: str) -> Response:
        return self._answer(thinning.rule_of(self.book))

    @extend_schema(request=ThinningInSerializer, responses=ThinningSerializer)
    def put(self, request: Request, book: str) -> Response:
        form = ThinningInSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        return self._answer(thinning.set_rule(self.book, **form.validated_data, user=request.user))


class ThinningDueView(BookView):
    """What a rule would do if it were applied now; nothing is changed."""

    readers = writers = Member.Role.OWNER

    @extend_schema(request=ThinningInSerializer, responses=DueSerializer)
    def post(self, request: Request, book: str) -> Response:
        form = ThinningInSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        return Response(DueSerializer(thinning.due(ThinningRule(book=self.book, **form.validated_data))).data)
