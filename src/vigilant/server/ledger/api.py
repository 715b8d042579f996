"""The ledger over HTTP: its lines, an entry whole, the standing; entries are opened and decided."""

from __future__ import annotations

from typing import Any, get_args

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import generics, serializers, status
from rest_framework.request import Request
from rest_framework.response import Response

from vigilant.server.books.models import Book
from vigilant.server.entries import deciding
from vigilant.server.entries.forms import (
    ClaimSerializer,
    CorrectionInSerializer,
    DecisionInSerializer,
    EntryInSerializer,
    WithdrawalInSerializer,
)
from vigilant.server.entries.models import Entry
from vigilant.server.throttles import CostThrottle
from vigilant.server.views import BookView
from vigilant.wording.claim import State

from . import standing
from .book_lines import LAST, PATTERN
from .entry import EntrySerializer
from .filters import EntryFilter
from .lines import EntryLineSerializer, entries_of


def one(book: Book, number: int) -> Entry:
    return get_object_or_404(entries_of(book), number=number)


def _body(book: Book, number: int) -> Any:
    return EntrySerializer(one(book, number)).data


class EntriesView(BookView, generics.ListAPIView):
    """The entries of a book, newest first unless another order is asked for."""

    serializer_class = EntryLineSerializer
    filterset_class = EntryFilter
    queryset = Entry.objects.none()

    def get_queryset(self):
        return entries_of(self.book)

    @extend_schema(request=EntryInSerializer, responses={201: EntrySerializer})
    def post(self, request: Request, book: str) -> Response:
        form = EntryInSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        entry = deciding.open_entry(self.book, **form.validated_data)
        return Response(_body(self.book, entry.number), status.HTTP_201_CREATED)


class EntryView(BookView):
    """One entry, whole; its words can be corrected."""

    @extend_schema(responses=EntrySerializer)
    def get(self, request: Request, book: str, number: int) -> Response:
        return Response(_body(self.book, number))

    @extend_schema(request=CorrectionInSerializer, responses=EntrySerializer)
    def patch(self, request: Request, book: str, number: int) -> Response:
        form = CorrectionInSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        deciding.correct(one(self.book, number), request.user, **form.validated_data)
        return Response(_body(self.book, number))


class WithdrawalsView(BookView):
    """Withdraw an entry or put it back, with the reason; what was said in it stays."""

    @extend_schema(request=WithdrawalInSerializer, responses=EntrySerializer)
    def post(self, request: Request, book: str, number: int) -> Response:
        form = WithdrawalInSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        deciding.withdraw(one(self.book, number), request.user, **form.validated_data)
        return Response(_body(self.book, number))


class DecisionsView(BookView):
    """Decide an entry; the newest decision counts."""

    @extend_schema(request=DecisionInSerializer, responses={201: EntrySerializer})
    def post(self, request: Request, book: str, number: int) -> Response:
        form = DecisionInSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        deciding.decide(one(self.book, number), user=request.user, **form.validated_data)
        return Response(_body(self.book, number), status.HTTP_201_CREATED)


class ClaimAnswerSerializer(serializers.Serializer):
    state = serializers.ChoiceField(list(get_args(State)))
    sentence = serializers.CharField()


class ClaimView(BookView):
    """A spoken sentence held against an entry's runs."""

    throttle_classes = (CostThrottle,)
    throttle_scope = "claims"

    @extend_schema(parameters=[OpenApiParameter("say", str, required=True)], responses=ClaimAnswerSerializer)
    def get(self, request: Request, book: str, number: int) -> Response:
        entry = get_object_or_404(Entry, book=self.book, number=number)
        form = ClaimSerializer(data=request.query_params)
        form.is_valid(raise_exception=True)
        answer = deciding.claim(entry, form.validated_data["say"])
        return Response(ClaimAnswerSerializer(answer).data)


class LineSerializer(serializers.Serializer):
    line = serializers.RegexField(f"{PATTERN}|^{LAST}$", max_length=20, default=LAST)


class StandingView(BookView):
    """Where a line of the book (a scenario on a rig) stands against its budget; by default the one decided last."""

    @extend_schema(parameters=[OpenApiParameter("line", str)], responses=standing.StandingSerializer)
    def get(self, request: Request, book: str) -> Response:
        form = LineSerializer(data=request.query_params)
        form.is_valid(raise_exception=True)
        return Response(standing.of_book(self.book, form.validated_data["line"]))
