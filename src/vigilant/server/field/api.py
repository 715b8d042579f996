"""The field over HTTP: where minutes are lost, one class, and what a book asks of its field."""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence
from datetime import date
from typing import Any

from django.db import IntegrityError, transaction
from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework import serializers, status
from rest_framework.request import Request
from rest_framework.response import Response

from vigilant.formats import limits
from vigilant.server.books.models import LogLine
from vigilant.server.fields import Listed, Number, Text, Whole
from vigilant.server.problems import conflict, unprocessable
from vigilant.server.scenarios.models import Scenario
from vigilant.server.spreadsheet import cell
from vigilant.server.views import BookView

from . import borrow, minutes, moves, one_class, readiness
from .folding import monday
from .models import ClassTable, FieldSettings, Term
from .reading import Asked, builds, goal_of


class AskedSerializer(serializers.Serializer):
    """Which sessions are read; without a build those of the newest one."""

    build = Text(limits.LABEL, default="")
    own = serializers.BooleanField(default=False)
    tier = Whole(1, 2**62, default=None, allow_null=True)
    place = Whole(1, 2**62, default=None, allow_null=True)
    since = serializers.DateField(default=None, allow_null=True)
    until = serializers.DateField(default=None, allow_null=True)


class MinutesAskedSerializer(AskedSerializer):
    """``against`` is the build that it is held against."""

    against = Text(limits.LABEL, default="")


class NamedSerializer(serializers.Serializer):
    id = serializers.IntegerField()
    name = serializers.CharField()


class FieldBuildSerializer(serializers.Serializer):
    name = serializers.CharField()
    sessions = serializers.IntegerField()


class ClassRowSerializer(serializers.Serializer):
    """A class of devices: minutes, the late share with its interval, where that stands by the goal, and what limits it."""

    id = serializers.IntegerField()
    name = serializers.CharField()
    sessions = serializers.IntegerField()
    installations = serializers.IntegerField(help_text="at least so many")
    play_minutes = serializers.FloatField()
    late_minutes = serializers.FloatField()
    late_said = serializers.CharField()
    play_said = serializers.CharField()
    share = serializers.FloatField()
    low = serializers.FloatField(allow_null=True)
    high = serializers.FloatField(allow_null=True)
    share_said = serializers.CharField()
    interval_said = serializers.CharField()
    standing = serializers.ChoiceField(("over", "within", "open"))
    standing_said = serializers.CharField()
    over_said = serializers.CharField()
    limits_said = serializers.CharField()
    notes = serializers.ListField(child=serializers.CharField())


class LabelPartSerializer(serializers.Serializer):
    name = serializers.CharField()
    labels = serializers.IntegerField()
    late = serializers.FloatField()
    late_said = serializers.CharField()
    play_said = serializers.CharField()
    share_said = serializers.CharField()
    excess_said = serializers.CharField()


class LabelSerializer(serializers.Serializer):
    name = serializers.CharField()
    only_said = serializers.CharField()
    shared_said = serializers.CharField()
    play_said = serializers.CharField()
    said = serializers.CharField()
    found = serializers.BooleanField()


class LabelAccountSerializer(serializers.Serializer):
    """Late frames by exact set of labels, which add up to all of them; and each label like with like."""

    parts = LabelPartSerializer(many=True)
    labels = LabelSerializer(many=True)


class EndingSerializer(serializers.Serializer):
    how = serializers.CharField()
    sessions = serializers.IntegerField()


class LeftEarlySerializer(serializers.Serializer):
    said = serializers.CharField()
    ratio = serializers.FloatField(allow_null=True)
    low = serializers.FloatField(allow_null=True)
    high = serializers.FloatField(allow_null=True)
    pairs = serializers.FloatField()
    endings = EndingSerializer(many=True)


class HeldAgainstSerializer(serializers.Serializer):
    """A build against another, as they are and like with like: a call, and no verdict."""

    said = serializers.CharField()
    crude = serializers.CharField()
    alike = serializers.CharField()
    mix = serializers.CharField()
    call = serializers.ChoiceField(("higher", "lower", "alike", "unclear", ""))
    dealt = serializers.CharField()


class OtherSerializer(serializers.Serializer):
    """A histogram of another sender, in its own bounds."""

    build = serializers.CharField()
    metric = serializers.CharField()
    about = serializers.CharField()
    frames = serializers.IntegerField()
    said = serializers.CharField()


class FieldPageSerializer(serializers.Serializer):
    build = serializers.CharField()
    against = serializers.CharField()
    own = serializers.BooleanField()
    builds = FieldBuildSerializer(many=True)
    tiers = NamedSerializer(many=True)
    places = NamedSerializer(many=True)
    weeks = serializers.ListField(child=serializers.DateField())
    tier = serializers.IntegerField(allow_null=True)
    place = serializers.IntegerField(allow_null=True)
    since = serializers.DateField(allow_null=True)
    until = serializers.DateField(allow_null=True)
    goal = serializers.FloatField()
    goals = serializers.ListField(child=serializers.FloatField())
    sentence = serializers.CharField()
    rows = ClassRowSerializer(many=True)
    folded = serializers.CharField()
    labels = LabelAccountSerializer(allow_null=True)
    left = LeftEarlySerializer(allow_null=True)
    compared = HeldAgainstSerializer(allow_null=True)
    others = OtherSerializer(many=True)
    waiting = serializers.IntegerField()
    refused = serializers.ListField(child=serializers.CharField())


class PercentileSerializer(serializers.Serializer):
    p = serializers.FloatField()
    said = serializers.CharField()
    low = serializers.FloatField()
    high = serializers.FloatField()
    between = serializers.CharField()


class PlacedSerializer(serializers.Serializer):
    """What a class met in one place at one tier, with the tier's settings and target, by which it is reproduced on the bench."""

    tier = serializers.CharField()
    settings = serializers.DictField(child=serializers.CharField())
    target_fps = serializers.FloatField()
    place = serializers.CharField()
    sessions = serializers.IntegerField()
    late_minutes = serializers.FloatField(allow_null=True)
    share = serializers.FloatField(allow_null=True)
    low = serializers.FloatField(allow_null=True)
    high = serializers.FloatField(allow_null=True)
    share_said = serializers.CharField()
    interval_said = serializers.CharField()
    why = serializers.CharField()


class ModelRowSerializer(serializers.Serializer):
    id = serializers.IntegerField()
    name = serializers.CharField()
    installations = serializers.IntegerField()
    play_said = serializers.CharField()
    share_said = serializers.CharField()
    late_frames = serializers.IntegerField()


class WholeFigureSerializer(serializers.Serializer):
    name = serializers.CharField()
    sessions = serializers.IntegerField()
    median = serializers.FloatField()
    highest_tenth = serializers.FloatField()


class ClassPageSerializer(serializers.Serializer):
    """``hidden`` says why nothing of it is shown."""

    id = serializers.IntegerField()
    name = serializers.CharField()
    build = serializers.CharField()
    sessions = serializers.IntegerField()
    hidden = serializers.CharField()
    percentiles = PercentileSerializer(many=True)
    cells = PlacedSerializer(many=True)
    models = ModelRowSerializer(many=True)
    rest = serializers.CharField()
    figures = WholeFigureSerializer(many=True)


class BorrowRowSerializer(serializers.Serializer):
    """A model to borrow: its part of all play, its late share as shrunk towards all models, what it adds and what the list holds with it."""

    name = serializers.CharField()
    class_name = serializers.CharField()
    sessions = serializers.IntegerField()
    few = serializers.BooleanField()
    play = serializers.FloatField()
    play_said = serializers.CharField()
    share = serializers.FloatField()
    low = serializers.FloatField()
    high = serializers.FloatField()
    share_said = serializers.CharField()
    interval_said = serializers.CharField()
    score = serializers.FloatField()
    adds_said = serializers.CharField()
    cumulated = serializers.FloatField()
    cumulated_said = serializers.CharField()


class BorrowSerializer(serializers.Serializer):
    build = serializers.CharField()
    goal = serializers.FloatField()
    models = serializers.IntegerField()
    sentence = serializers.CharField()
    rows = BorrowRowSerializer(many=True)


class ExpectedSerializer(serializers.Serializer):
    """What a step of tier is expected to do, and on what that rests."""

    tier = serializers.CharField()
    share = serializers.FloatField()
    low = serializers.FloatField()
    high = serializers.FloatField()
    share_said = serializers.CharField()
    interval_said = serializers.CharField()
    basis = serializers.ChoiceField(("seen", "models", "scaled", "extrapolated"))
    basis_said = serializers.CharField()


class TierDecisionSerializer(serializers.Serializer):
    level = serializers.IntegerField()
    to_level = serializers.IntegerField()
    why = serializers.CharField()
    at = serializers.DateTimeField()
    by = serializers.CharField()


class MoveRowSerializer(serializers.Serializer):
    id = serializers.IntegerField()
    name = serializers.CharField()
    sessions = serializers.IntegerField()
    tier = serializers.CharField()
    level = serializers.IntegerField()
    play_said = serializers.CharField()
    share = serializers.FloatField()
    low = serializers.FloatField()
    high = serializers.FloatField()
    share_said = serializers.CharField()
    interval_said = serializers.CharField()
    standing = serializers.ChoiceField(("over", "within", "open"))
    down = ExpectedSerializer(allow_null=True)
    up = ExpectedSerializer(allow_null=True)
    no_down = serializers.CharField(help_text="why nothing is expected of a step down")
    no_up = serializers.CharField()
    move = serializers.CharField()
    move_said = serializers.CharField()
    refused = serializers.BooleanField()
    further = serializers.CharField()
    decided = TierDecisionSerializer(allow_null=True)


class MovesSerializer(serializers.Serializer):
    build = serializers.CharField()
    goal = serializers.FloatField()
    rows = MoveRowSerializer(many=True)
    splits = serializers.ListField(child=serializers.CharField())


class TierDecisionInSerializer(serializers.Serializer):
    """``to_level`` is the level itself where the class stays."""

    build = Text(limits.LABEL)
    sorted_as = Whole(1, 2**62)
    level = Whole(0, 9)
    to_level = Whole(0, 9)
    why = Text(limits.REASON)

    def validate(self, attrs: dict[str, Any]) -> dict[str, Any]:
        if abs(attrs["to_level"] - attrs["level"]) > 1:
            raise serializers.ValidationError("A class is moved by one tier at a time.")
        return attrs


class ReadyCheckSerializer(serializers.Serializer):
    name = serializers.CharField()
    state = serializers.ChoiceField(readiness.STATES)
    asks = serializers.CharField()
    seen = serializers.CharField()
    remedy = serializers.CharField()


class ReadySerializer(serializers.Serializer):
    """Whether a build is ready to be sent out, by what the team's own devices sent of it."""

    build = serializers.CharField()
    builds = serializers.ListField(child=serializers.CharField())
    scenario = serializers.IntegerField(allow_null=True)
    scenarios = NamedSerializer(many=True)
    sessions = serializers.IntegerField()
    state = serializers.ChoiceField(readiness.STATES)
    sentence = serializers.CharField()
    consent = serializers.CharField()
    checks = ReadyCheckSerializer(many=True)


class ReadyAskedSerializer(serializers.Serializer):
    """Without a build the newest one; ``scenario`` is the one whose legs have to be seen."""

    build = Text(limits.LABEL, default="")
    scenario = Whole(1, 2**62, default=None, allow_null=True)


class ClassRuleSerializer(serializers.Serializer):
    """All that is stated must fit: one of the patterns (``*`` stands for anything), memory from (inclusive) and below, GiB."""

    name = Text(limits.NAME)
    models = Listed(Text(limits.LABEL), limits.FIELD_RULES, default=list)
    graphics = Listed(Text(limits.LABEL), limits.FIELD_RULES, default=list)
    memory_from_gib = Number(0, 1e5, default=None, allow_null=True)
    memory_below_gib = Number(0, 1e5, default=None, allow_null=True)

    def validate(self, attrs: dict[str, Any]) -> dict[str, Any]:
        if (
            not any(attrs[key] for key in ("models", "graphics"))
            and attrs["memory_from_gib"] is None
            and attrs["memory_below_gib"] is None
        ):
            raise serializers.ValidationError("A rule states something that must fit.")
        low, high = attrs["memory_from_gib"], attrs["memory_below_gib"]
        if low is not None and high is not None and low >= high:
            raise serializers.ValidationError(f"No memory is from {low:g} and below {high:g} GiB.")
        return attrs


class FieldSettingsSerializer(serializers.Serializer):
    """The late share that no class may be over, and how devices are sorted; ``version`` is that of the table of classes, and must be the one
    that stands."""

    goal = serializers.ChoiceField(FieldSettings.GOALS)
    version = Whole(0, 2**31 - 1)
    rules = Listed(ClassRuleSerializer(), limits.FIELD_RULES)


class FieldView(BookView):
    """A view of what a build met in the field."""

    throttle_scope = "leaves"
    asks: type[AskedSerializer] = AskedSerializer

    def asked(self, request: Request) -> tuple[Asked | None, dict[str, Any]]:
        """None where no session of the asked sort has come in."""
        form = self.asks(data=request.query_params)
        form.is_valid(raise_exception=True)
        asked = form.validated_data
        known = builds(self.book, asked["own"])
        if not known:
            return None, asked
        build = known[0].term if not asked["build"] else self.term("build", name=asked["build"])
        where = {kind: self.term(kind, pk=asked[kind]) if asked[kind] else None for kind in ("tier", "place")}
        since, until = (_monday(asked[name]) for name in ("since", "until"))
        return Asked(self.book, build, asked["own"], **where, since=since, until=until), asked

    def term(self, kind: str, **by: Any) -> Term:
        found = Term.objects.filter(book=self.book, kind=kind, **by).first()
        if found is None:
            raise Http404(f"No session names this {kind}.")
        return found


def _monday(day: date | None) -> date | None:
    return None if day is None else monday(day)


class MinutesView(FieldView):
    """Where minutes are lost; without builds while no session has come in."""

    asks = MinutesAskedSerializer

    @extend_schema(operation_id="field", parameters=[MinutesAskedSerializer], responses=FieldPageSerializer)
    def get(self, request: Request, book: str) -> Response:
        asked, query = self.asked(request)
        if asked is None:
            return Response(FieldPageSerializer(minutes.nothing(self.book, query["own"])).data)
        against = self.term("build", name=query["against"]) if query["against"] else None
        return Response(FieldPageSerializer(minutes.page(asked, against)).data)


class TakenOutSerializer(AskedSerializer):
    of = serializers.ChoiceField(("minutes", "moves", "borrow"), default="minutes")


class FieldTakenOutView(FieldView):
    """A leaf of the field as a table."""

    asks = TakenOutSerializer

    @extend_schema(
        operation_id="field_taken_out",
        parameters=[TakenOutSerializer],
        responses={(200, "text/csv"): OpenApiTypes.BINARY},
    )
    def get(self, request: Request, book: str) -> HttpResponse:
        asked, query = self.asked(request)
        if asked is None:
            raise Http404("No session has come in yet.")
        out = io.StringIO()
        csv.writer(out).writerows([cell(value) for value in row] for row in TABLES[query["of"]](asked))
        answer = HttpResponse(out.getvalue(), content_type="text/csv; charset=utf-8")
        answer["Content-Disposition"] = f'attachment; filename="{self.book.slug}-field-{query["of"]}.csv"'
        return answer


class ClassView(FieldView):
    """One class of devices."""

    @extend_schema(operation_id="field_class", parameters=[AskedSerializer], responses=ClassPageSerializer)
    def get(self, request: Request, book: str, key: int) -> Response:
        of = self.term("class", pk=key)
        asked, _ = self.asked(request)
        found = one_class.page(asked, of) if asked else None
        if found is None:
            raise Http404("Nothing of this class was played there.")
        return Response(ClassPageSerializer(found).data)


class BorrowView(FieldView):
    """Which devices to borrow."""

    @extend_schema(operation_id="field_borrow", parameters=[AskedSerializer], responses=BorrowSerializer)
    def get(self, request: Request, book: str) -> Response:
        asked, _ = self.asked(request)
        if asked is None:
            return Response({"build": "", "goal": goal_of(self.book), "models": 0, "sentence": "", "rows": []})
        return Response(BorrowSerializer(borrow.page(asked)).data)


class MovesView(FieldView):
    """What to move, and what was decided."""

    @extend_schema(operation_id="field_moves", parameters=[AskedSerializer], responses=MovesSerializer)
    def get(self, request: Request, book: str) -> Response:
        asked, _ = self.asked(request)
        if asked is None:
            return Response({"build": "", "goal": goal_of(self.book), "rows": [], "splits": []})
        return Response(MovesSerializer(moves.page(asked)).data)

    @extend_schema(operation_id="decide_tier", request=TierDecisionInSerializer, responses={201: MovesSerializer})
    def post(self, request: Request, book: str) -> Response:
        form = TierDecisionInSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        said = form.validated_data
        asked = Asked(self.book, self.term("build", name=said["build"]))
        moves.decide(
            asked, self.term("class", pk=said["sorted_as"]), said["to_level"], said["level"], said["why"], request.user
        )
        return Response(MovesSerializer(moves.page(asked)).data, status.HTTP_201_CREATED)


class ReadyView(BookView):
    """The readiness check of a build."""

    @extend_schema(operation_id="field_ready", parameters=[ReadyAskedSerializer], responses=ReadySerializer)
    def get(self, request: Request, book: str) -> Response:
        form = ReadyAskedSerializer(data=request.query_params)
        form.is_valid(raise_exception=True)
        asked = form.validated_data
        known = [one.term for one in builds(self.book, own=True)]
        if not known:
            raise Http404("The team's own devices have sent nothing yet.")
        build = known[0] if not asked["build"] else next((term for term in known if term.name == asked["build"]), None)
        if build is None:
            raise Http404("The team's own devices have sent nothing of this build.")
        of = get_object_or_404(Scenario, book=self.book, pk=asked["scenario"]) if asked["scenario"] else None
        found = {**readiness.page(self.book, build, of), "builds": [term.name for term in known]}
        return Response(ReadySerializer(found).data)


def _moves_table(asked: Asked) -> list[Sequence[Any]]:
    heads = ("class", "tier", "late_share", "low", "high", "down_share", "down_low", "down_high", "up_share", "up_low", "up_high", "move", "said")  # fmt: skip
    rows = []
    for row in moves.page(asked)["rows"]:
        sides = [row[side][name] if row[side] else "" for side in ("down", "up") for name in ("share", "low", "high")]
        rows.append(
            (row["name"], row["tier"], row["share"], row["low"], row["high"], *sides, row["move"], row["move_said"])
        )
    return [heads, *rows]


def _borrow_table(asked: Asked) -> list[Sequence[Any]]:
    names = ("name", "class_name", "sessions", "play", "share", "low", "high", "cumulated")
    heads = ("model", "class", "sessions", "play_share", "late_share", "low", "high", "cumulated")
    return [heads, *([row[name] for name in names] for row in borrow.page(asked)["rows"])]


def _minutes_table(asked: Asked) -> list[Sequence[Any]]:
    names = ("name", "sessions", "installations", "play_minutes", "late_minutes", "share", "low", "high", "standing_said", "limits_said")  # fmt: skip
    heads = ("class", "sessions", "installations_at_least", "played_min", "late_min", "late_share", "low", "high", "standing", "limited_by")  # fmt: skip
    return [heads, *([row[name] for name in names] for row in minutes.page(asked, None)["rows"])]


#: What is taken out as a table.
TABLES = {"minutes": _minutes_table, "moves": _moves_table, "borrow": _borrow_table}


class ModelView(FieldView):
    """One model of devices."""

    @extend_schema(operation_id="field_model", parameters=[AskedSerializer], responses=ClassPageSerializer)
    def get(self, request: Request, book: str, key: int) -> Response:
        of = self.term("model", pk=key)
        asked, _ = self.asked(request)
        found = one_class.model_page(asked, of) if asked else None
        if found is None:
            raise Http404("Nothing was played on this model there.")
        return Response(ClassPageSerializer(found).data)


class FieldSettingsView(BookView):
    """What a book asks of its field."""

    def _stands(self) -> dict[str, Any]:
        table = ClassTable.objects.filter(book=self.book).first()
        rules = table.rules if table else []
        return {"goal": goal_of(self.book), "version": table.version if table else 0, "rules": rules}

    @extend_schema(operation_id="field_settings", responses=FieldSettingsSerializer)
    def get(self, request: Request, book: str) -> Response:
        return Response(self._stands())

    @extend_schema(operation_id="set_field", request=FieldSettingsSerializer, responses=FieldSettingsSerializer)
    def put(self, request: Request, book: str) -> Response:
        form = FieldSettingsSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        asked, stands = form.validated_data, self._stands()
        if asked["version"] != stands["version"]:
            raise conflict("classes-changed", f"The table of classes is at version {stands['version']} by now; look at it first.")  # fmt: skip
        rules = [dict(rule) for rule in asked["rules"]]
        if len({rule["name"] for rule in rules}) > limits.FIELD_CLASSES:
            raise unprocessable("too-many-classes", f"{limits.FIELD_TERMS['class']} classes are allowed.")
        with transaction.atomic():
            FieldSettings.objects.update_or_create(book=self.book, defaults={"goal": asked["goal"]})
            if rules != stands["rules"]:
                try:
                    ClassTable.objects.create(
                        book=self.book, version=stands["version"] + 1, rules=rules, made_by=request.user
                    )
                except IntegrityError:
                    raise conflict("classes-changed", "Somebody changed the table of classes just now; look at it first.") from None  # fmt: skip
            LogLine.write(
                "field set", f"goal {asked['goal']:g}, {len(rules)} rules of classes", by=request.user, book=self.book
            )
        return Response(self._stands(), status.HTTP_200_OK)
