"""The seal of a book over HTTP: where its chain ends, what the last check found, and a check."""

from __future__ import annotations

from typing import Any

from drf_spectacular.utils import extend_schema
from rest_framework import serializers, status
from rest_framework.request import Request
from rest_framework.response import Response

from vigilant.server.jobs import services as jobs
from vigilant.server.jobs.api import JobSerializer
from vigilant.server.jobs.models import Job
from vigilant.server.views import BookView

from .models import Chain
from .tasks import CHECK


class SealSerializer(serializers.Serializer):
    """``head`` is the hash of the newest link; ``faults`` are what the check at ``checked_at`` found, when the chain
    had ``checked_length`` links; ``job`` is a check that goes on."""

    length = serializers.IntegerField()
    head = serializers.CharField()
    checked_at = serializers.DateTimeField(allow_null=True)
    checked_length = serializers.IntegerField()
    faults = serializers.ListField(child=serializers.CharField())
    job = JobSerializer(allow_null=True)


class SealView(BookView):
    """Where the chain of a book ends; check it."""

    readers_may = ("POST",)

    def _seal(self) -> dict[str, Any]:
        chain = Chain.objects.filter(book=self.book).first() or Chain(book=self.book)
        job = Job.objects.filter(kind=CHECK, subject=str(self.book.pk), state__in=Job.ACTIVE).first()
        return SealSerializer(
            {
                "length": chain.length,
                "head": chain.head,
                "checked_at": chain.checked_at,
                "checked_length": chain.checked_length,
                "faults": chain.faults,
                "job": job,
            }
        ).data

    @extend_schema(responses=SealSerializer)
    def get(self, request: Request, book: str) -> Response:
        return Response(self._seal())

    @extend_schema(request=None, responses={202: SealSerializer})
    def post(self, request: Request, book: str) -> Response:
        jobs.start(CHECK, self.book.pk, self.book)
        return Response(self._seal(), status.HTTP_202_ACCEPTED)
