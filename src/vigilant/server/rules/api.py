"""Rules of thumb over HTTP."""

from __future__ import annotations

from typing import Any

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema, extend_schema_field
from rest_framework import serializers, status
from rest_framework.request import Request
from rest_framework.response import Response

from vigilant.formats import limits
from vigilant.server.books.models import name_of
from vigilant.server.fields import Text, Whole
from vigilant.server.views import BookView

from . import services
from .models import Rule, RuleTest


class RuleTestSerializer(serializers.ModelSerializer):
    """What a rule was held against: an entry, or a recording's account; ``path`` is where that is read."""

    entry = serializers.IntegerField(source="entry.number", allow_null=True, default=None)
    what = serializers.SerializerMethodField()
    path = serializers.SerializerMethodField()
    rig = serializers.SerializerMethodField()
    by = serializers.SerializerMethodField()
    stands = serializers.BooleanField(help_text="not by an entry that was withdrawn")

    class Meta:
        model = RuleTest
        fields = ("id", "holds", "note", "entry", "recording", "what", "path", "rig", "by", "tested_at", "stands")
        read_only_fields = fields

    def get_by(self, test: RuleTest) -> str:
        return name_of(test.tested_by)

    def get_what(self, test: RuleTest) -> str:
        if test.entry is not None:
            return f"no. {test.entry.number}, {test.entry.title}"
        assert test.recording is not None
        return test.recording.title or str(test.recording.scenario_version)

    def get_path(self, test: RuleTest) -> str:
        if test.entry is not None:
            return f"/entries/{test.entry.number}"
        assert test.recording is not None
        return f"/{test.recording.account}/{test.recording.pk}"

    def get_rig(self, test: RuleTest) -> str:
        of = test.recording if test.entry is None else test.entry.comparison
        return str(of.rig) if of is not None and of.rig is not None else ""


class RuleOfThumbSerializer(serializers.ModelSerializer):
    state = serializers.SerializerMethodField()
    test = serializers.SerializerMethodField()
    tests = RuleTestSerializer(many=True)
    by = serializers.SerializerMethodField()

    class Meta:
        model = Rule
        fields = ("id", "text", "reason", "rig", "said_on", "state", "test", "tests", "by", "made_at")
        read_only_fields = fields

    @extend_schema_field(serializers.ChoiceField(services.STATES))
    def get_state(self, rule: Rule) -> str:
        return services.state_of(rule)

    @extend_schema_field(RuleTestSerializer(allow_null=True))
    def get_test(self, rule: Rule) -> Any:
        found = services.test_of(rule)
        return None if found is None else RuleTestSerializer(found).data

    def get_by(self, rule: Rule) -> str:
        return name_of(rule.made_by)


class RuleInSerializer(serializers.Serializer):
    """What is believed, why or who says so, and when and on what rig it was found."""

    text = Text(limits.TITLE)
    reason = Text(limits.REASON)
    rig = Text(limits.ALIAS, allow_blank=True, default="")
    said_on = serializers.DateField()


class RuleTestInSerializer(serializers.Serializer):
    """By an entry's number, or by a recording that has an account."""

    entry = Whole(1, 2**31 - 1, allow_null=True, default=None)
    recording = serializers.UUIDField(allow_null=True, default=None)
    holds = serializers.BooleanField()
    note = Text(limits.REASON, allow_blank=True, default="")


class RulesView(BookView):
    """The book's rules of thumb, newest first; write another."""

    @extend_schema(operation_id="rules", responses=RuleOfThumbSerializer(many=True))
    def get(self, request: Request, book: str) -> Response:
        return Response(RuleOfThumbSerializer(services.rules_of(self.book), many=True).data)

    @extend_schema(operation_id="write_rule", request=RuleInSerializer, responses={201: RuleOfThumbSerializer})
    def post(self, request: Request, book: str) -> Response:
        form = RuleInSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        made = services.write(self.book, form.validated_data, request.user)
        return Response(RuleOfThumbSerializer(made).data, status.HTTP_201_CREATED)


class RuleView(BookView):
    """One rule."""

    def rule(self, key: int) -> Rule:
        return get_object_or_404(services.rules_of(self.book), pk=key)

    @extend_schema(operation_id="drop_rule", request=None, responses={204: None})
    def delete(self, request: Request, book: str, rule: int) -> Response:
        services.drop(self.rule(rule), request.user)
        return Response(status=status.HTTP_204_NO_CONTENT)


class RuleTestsView(RuleView):
    """Hold a rule against what was recorded here."""

    http_method_names = ("post", "options")

    @extend_schema(operation_id="test_rule", request=RuleTestInSerializer, responses={201: RuleOfThumbSerializer})
    def post(self, request: Request, book: str, rule: int) -> Response:
        form = RuleTestInSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        services.try_here(self.rule(rule), form.validated_data, request.user)
        return Response(RuleOfThumbSerializer(self.rule(rule)).data, status.HTTP_201_CREATED)
