"""The ledger: standing, entries, decisions, comparisons of stored runs."""

from __future__ import annotations

from typing import Any
from uuid import UUID

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import status
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from vigilant.server.auth import book_of, recorder_book, require_editor
from vigilant.server.books.models import Book
from vigilant.server.jobs.api import JobSerializer
from vigilant.server.jobs.models import Job
from vigilant.server.paging import Pages
from vigilant.server.problems import unprocessable
from vigilant.server.throttles import CostThrottle

from . import comparing, deciding, presenting
from .models import Entry
from .serializers import (
    ClaimAnswerSerializer,
    ClaimSerializer,
    ComparisonInSerializer,
    CompleteRecordingSerializer,
    DecisionInSerializer,
    DeliveredSerializer,
    EntryInSerializer,
    EntryLineSerializer,
    EntryPageSerializer,
    EntrySerializer,
    StandingSerializer,
)


def _one(book: Book, number_: int) -> Entry:
    return get_object_or_404(presenting.entries_of(book), number=number_)


class EntriesView(APIView):
    """The entries of a book, newest first; ``find`` looks in titles, ``verdict`` and ``open`` filter."""

    @extend_schema(
        operation_id="entries_list",
        parameters=[
            OpenApiParameter("find", str),
            OpenApiParameter("verdict", str),
            OpenApiParameter("open", bool, description="only entries without a decision"),
            OpenApiParameter("page", int),
            OpenApiParameter("page_size", int),
        ],
        responses=EntryPageSerializer,
    )
    def get(self, request: Request, book: str) -> Response:
        found = book_of(request, book)
        entries = presenting.entries_of(found)
        wanted = request.query_params
        if wanted.get("find"):
            entries = presenting.found_in(entries, wanted["find"])
        if wanted.get("verdict"):
            entries = entries.filter(comparison__verdict=wanted["verdict"])
        if wanted.get("open") == "true":
            entries = entries.filter(decisions=None)
        pages = Pages()
        page = pages.paginate_queryset(entries, request, view=self)
        return pages.get_paginated_response(EntryLineSerializer(page, many=True).data)

    @extend_schema(request=EntryInSerializer, responses={201: EntrySerializer})
    def post(self, request: Request, book: str) -> Response:
        found = book_of(request, book)
        require_editor(request, found)
        form = EntryInSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        entry = deciding.open_entry(found, **form.validated_data)
        return Response(_entry_body(found, entry.number), status.HTTP_201_CREATED)


def _entry_body(book: Book, number_: int) -> Any:
    return EntrySerializer(_one(book, number_)).data


class EntryView(APIView):
    """One entry, whole."""

    @extend_schema(responses=EntrySerializer)
    def get(self, request: Request, book: str, number: int) -> Response:
        return Response(_entry_body(book_of(request, book), number))


class DecisionsView(APIView):
    """Decide an entry; the newest decision counts."""

    @extend_schema(request=DecisionInSerializer, responses={201: EntrySerializer})
    def post(self, request: Request, book: str, number: int) -> Response:
        found = book_of(request, book)
        require_editor(request, found)
        form = DecisionInSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        deciding.decide(_one(found, number), user=request.user, **form.validated_data)
        return Response(_entry_body(found, number), status.HTTP_201_CREATED)


class ClaimView(APIView):
    """A spoken sentence held against an entry's runs."""

    throttle_classes = (CostThrottle,)
    throttle_scope = "claims"

    @extend_schema(parameters=[OpenApiParameter("say", str, required=True)], responses=ClaimAnswerSerializer)
    def get(self, request: Request, book: str, number: int) -> Response:
        entry = get_object_or_404(Entry, book=book_of(request, book), number=number)
        form = ClaimSerializer(data=request.query_params)
        form.is_valid(raise_exception=True)
        answer = deciding.claim(entry, form.validated_data["say"])
        return Response(ClaimAnswerSerializer(answer).data)


class StandingView(APIView):
    """Where the book stands against its budget, on the line of its newest entry."""

    @extend_schema(responses=StandingSerializer)
    def get(self, request: Request, book: str) -> Response:
        return Response(presenting.of_book(book_of(request, book)))


class ComparisonsView(APIView):
    """Compare runs that are stored already, into an entry marked *after the fact*."""

    throttle_classes = (CostThrottle,)
    throttle_scope = "arms"

    @extend_schema(request=ComparisonInSerializer, responses={201: EntrySerializer})
    def post(self, request: Request, book: str) -> Response:
        found = book_of(request, book)
        require_editor(request, found)
        form = ComparisonInSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        entry = comparing.compare_into_entry(found, **form.validated_data)
        return Response(_entry_body(found, entry.number), status.HTTP_201_CREATED)


class CompleteRecordingView(APIView):
    """All of a recording is delivered: its comparison and entry follow, 200 where they are there already, else 202
    and the job that makes them. Repeatable."""

    @extend_schema(request=CompleteRecordingSerializer, responses={200: DeliveredSerializer, 202: JobSerializer})
    def post(self, request: Request, recording_id: UUID) -> Response:
        book = recorder_book(request)
        form = CompleteRecordingSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        made = comparing.complete_recording(
            book, recording_id, form.validated_data["stopped"], form.validated_data["looks"]
        )
        if isinstance(made, Entry):
            return Response(presenting.delivered(made))
        if made.state == Job.State.DONE:
            return Response(made.result)
        if made.state == Job.State.FAILED:
            raise unprocessable(made.problem["code"], made.problem["detail"])
        return Response(JobSerializer(made).data, status.HTTP_202_ACCEPTED)
