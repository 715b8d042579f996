"""What is asked of statements, and what is said of their links, checked."""

from __future__ import annotations

from rest_framework import serializers

from vigilant.formats import limits
from vigilant.server.books.models import name_of
from vigilant.server.fields import Text, Whole

from .models import HandOver, StatementLink

FORMS = ("html", "pdf", "markdown", "csv", "json")
KEY = 2**31 - 1


class OfSerializer(serializers.Serializer):
    """What a statement is of: ``entries`` ("4", "4-9", "1,4-9"), a goal, a hand-over, or the account of a recording."""

    entries = Text(7 * limits.STATEMENT_ENTRIES, allow_blank=True, default="")
    goal = Whole(1, KEY, allow_null=True, default=None)
    hand_over = Whole(1, KEY, allow_null=True, default=None)
    account = serializers.UUIDField(allow_null=True, default=None)


class StatementInSerializer(OfSerializer):
    paper = serializers.ChoiceField(("a4", "letter"), default="a4")


StatementInSerializer._declared_fields["as"] = serializers.ChoiceField(FORMS, default="html")


class LinkInSerializer(OfSerializer):
    days = Whole(1, 365, default=14)


class LinkSerializer(serializers.ModelSerializer):
    by = serializers.SerializerMethodField()

    class Meta:
        model = StatementLink
        fields = ("id", "title", "by", "created_at", "expires_at", "last_used", "revoked_at")
        read_only_fields = fields

    def get_by(self, link: StatementLink) -> str:
        return name_of(link.created_by)


class LinkMadeSerializer(serializers.Serializer):
    """``address`` is what shows the statement; it is in the answer this once."""

    link = LinkSerializer()
    address = serializers.CharField()


class HandOverInSerializer(serializers.Serializer):
    to = Text(limits.ALIAS)
    asked = Text(limits.REASON)
    ruled_out = Text(limits.REASON, allow_blank=True, default="")


class HandOverSerializer(serializers.ModelSerializer):
    by = serializers.SerializerMethodField()

    class Meta:
        model = HandOver
        fields = ("id", "to", "asked", "ruled_out", "by", "made_at")
        read_only_fields = fields

    def get_by(self, form: HandOver) -> str:
        return name_of(form.made_by)
