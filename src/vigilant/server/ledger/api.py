"""The ledger over HTTP: its lines, an entry whole, the standing; entries are opened and decided."""

from __future__ import annotations

from typing import Any, get_args

from django.http import StreamingHttpResponse
from django.shortcuts import get_object_or_404
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import generics, serializers, status
from rest_framework.request import Request
from rest_framework.response import Response

from vigilant.server.books.models import Book
from vigilant.server.entries import deciding, filing
from vigilant.server.entries.forms import (
    ClaimSerializer,
    CorrectionInSerializer,
    DecisionInSerializer,
    EntryInSerializer,
    FilingInSerializer,
    WithdrawalInSerializer,
)
from vigilant.server.entries.models import Entry, EntryLabel
from vigilant.server.throttles import CostThrottle
from vigilant.server.views import BookView
from vigilant.wording.claim import State

from . import standing, taking_out
from .book_lines import LAST, PATTERN
from .entry import entry_of
from .filters import EntryFilter
from .lines import entries_of, line_of, whole_entries_of
from .shapes import EntryLineSerializer, EntrySerializer


def one(book: Book, number: int) -> Entry:
    return get_object_or_404(whole_entries_of(book), number=number)


def _body(book: Book, number: int) -> dict[str, Any]:
    return entry_of(one(book, number))


class EntriesView(BookView, generics.ListAPIView):
    """The entries of a book, newest first unless another order is asked for."""

    serializer_class = EntryLineSerializer
    filterset_class = EntryFilter
    queryset = Entry.objects.none()

    def get_queryset(self):
        return entries_of(self.book)

    def list(self, request: Request, *args: Any, **kwargs: Any) -> Response:
        page = self.paginate_queryset(self.filter_queryset(self.get_queryset()))
        return self.get_paginated_response([line_of(entry) for entry in page])

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


class TakenOutInSerializer(serializers.Serializer):
    pass


TakenOutInSerializer._declared_fields["as"] = serializers.ChoiceField(list(taking_out.KINDS), default="csv")


class WithdrawalsView(BookView):
    """Withdraw an entry or put it back, with the reason; what was said in it stays."""

    @extend_schema(request=WithdrawalInSerializer, responses=EntrySerializer)
    def post(self, request: Request, book: str, number: int) -> Response:
        form = WithdrawalInSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        deciding.withdraw(one(self.book, number), request.user, **form.validated_data)
        return Response(_body(self.book, number))


class FilingView(BookView):
    """The note, the labels and the references of an entry, put in the place of those that are there."""

    @extend_schema(request=FilingInSerializer, responses=EntrySerializer)
    def put(self, request: Request, book: str, number: int) -> Response:
        form = FilingInSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        filing.file_entry(one(self.book, number), request.user, **form.validated_data)
        return Response(_body(self.book, number))


class LabelsView(BookView):
    """The labels that entries of the book are filed under."""

    @extend_schema(operation_id="labels", responses=serializers.ListSerializer(child=serializers.CharField()))
    def get(self, request: Request, book: str) -> Response:
        found = EntryLabel.objects.filter(entry__book=self.book).order_by("name").values_list("name", flat=True)
        return Response(list(found.distinct()[:1000]))


class TakenOutView(EntriesView):
    """The entries of a view, all of them, as a table: filtered and ordered as in the list."""

    http_method_names = ("get", "head", "options")

    @extend_schema(
        operation_id="entries_taken_out",
        parameters=[OpenApiParameter("as", str, enum=list(taking_out.KINDS), default="csv")],
        responses={(200, kind): OpenApiTypes.BINARY for kind in taking_out.KINDS.values()},
    )
    def get(self, request: Request, book: str) -> StreamingHttpResponse:
        form = TakenOutInSerializer(data=request.query_params)
        form.is_valid(raise_exception=True)
        kind = form.validated_data["as"]
        lines = taking_out.lines_of(self.filter_queryset(self.get_queryset()), kind)
        answer = StreamingHttpResponse(lines, content_type=f"{taking_out.KINDS[kind]}; charset=utf-8")
        answer["Content-Disposition"] = f'attachment; filename="{self.book.slug}-entries.{kind}"'
        return answer


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
