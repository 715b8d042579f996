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
from vigilant.server.books.models import LogLine, Member, RecorderToken
from vigilant.server.jobs import services as jobs
from vigilant.server.problems import conflict, unprocessable
from vigilant.server.scenarios.models import Scenario
from vigilant.server.spreadsheet import cell
from vigilant.server.views import BookView

from . import borrow, minutes, moves, one_class, readiness
from .folding import monday
from .models import ClassTable, FieldSettings, Session, Term
from .reading import Asked, builds, goal_of
from .receiving import DISCARD
from .shapes import (
    AskedSerializer,
    BorrowSerializer,
    ClassPageSerializer,
    FieldPageSerializer,
    FieldSettingsSerializer,
    MinutesAskedSerializer,
    MovesSerializer,
    ReadyAskedSerializer,
    ReadySerializer,
    TierDecisionInSerializer,
)


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


class DiscardedSerializer(serializers.Serializer):
    """How many sessions are being discarded."""

    sessions = serializers.IntegerField()


class KeySessionsView(BookView):
    """What came by a key."""

    writers = Member.Role.OWNER

    @extend_schema(operation_id="discard_sessions", responses={202: DiscardedSerializer})
    def delete(self, request: Request, book: str, token: int) -> Response:
        """Take it out of every sum; the key must have been revoked, else more would come meanwhile."""
        found = get_object_or_404(RecorderToken, book=self.book, pk=token, scope__in=RecorderToken.GIVEN_AWAY)
        if found.revoked_at is None:
            raise conflict("key-good", "This key still lets sessions in: revoke it first.")
        sessions = Session.objects.filter(key=found).count()
        if sessions:
            LogLine.write(
                "sessions discarded", f"{sessions} that came by {found.label}", by=request.user, book=self.book
            )
            jobs.start(DISCARD, found.pk, self.book)
        return Response({"sessions": sessions}, status.HTTP_202_ACCEPTED)


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
