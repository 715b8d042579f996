"""Stills over HTTP: put by a recorder or by somebody, listed, and seen."""

from __future__ import annotations

from uuid import UUID

from csp.decorators import csp_replace
from django.http import HttpResponse
from django.shortcuts import get_object_or_404
from django.utils.decorators import method_decorator
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers, status
from rest_framework.parsers import BaseParser
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from vigilant.formats import limits
from vigilant.server.auth import Recorder, recorder_token, require_role
from vigilant.server.fields import Text, Whole

from .api import readable_runs
from .models import Run, Still
from .stills import put_still


class PictureParser(BaseParser):
    """Pictures stay bytes: the digest is over the body as sent."""

    media_type = "*/*"

    def parse(self, stream, media_type=None, parser_context=None):
        return stream.read(limits.STILL_BYTES + 1)


class StillSerializer(serializers.ModelSerializer):
    class Meta:
        model = Still
        fields = ("name", "leg", "frame", "shows", "sequence", "kind", "width", "height", "digest", "received_at")
        read_only_fields = fields


class StillOfSerializer(serializers.Serializer):
    """Where a still was taken, and what it shows."""

    leg = Text(limits.NAME, allow_blank=True, default="")
    frame = Whole(0, limits.FRAMES, allow_null=True, default=None)
    shows = serializers.ChoiceField(Still.Shows.choices, default=Still.Shows.VIEW)
    sequence = Text(limits.NAME, allow_blank=True, default="")


def _readable(request: Request, run_id: UUID) -> Run:
    return get_object_or_404(readable_runs(request), pk=run_id)


class StillsOfRunView(APIView):
    """The stills of a run."""

    @extend_schema(operation_id="stills_of_run", responses=StillSerializer(many=True))
    def get(self, request: Request, run_id: UUID) -> Response:
        return Response(StillSerializer(_readable(request, run_id).stills.defer("body"), many=True).data)


@method_decorator(csp_replace({"default-src": ["'none'"], "frame-ancestors": ["'none'"]}), name="dispatch")
class StillView(APIView):
    """A still: PNG, JPEG or WebP. Put once; the same again is harmless."""

    parser_classes = (PictureParser,)

    @extend_schema(responses={(200, "image/*"): OpenApiTypes.BINARY})
    def get(self, request: Request, run_id: UUID, name: str) -> HttpResponse:
        still = get_object_or_404(_readable(request, run_id).stills, name=name)
        answer = HttpResponse(bytes(still.body), content_type=still.kind)
        # It never changes; it is for those who may read the book.
        answer["Cache-Control"] = "private, max-age=31536000, immutable"
        return answer

    @extend_schema(
        request={"image/*": OpenApiTypes.BINARY},
        parameters=[
            OpenApiParameter("Content-Digest", str, OpenApiParameter.HEADER, required=True),
            OpenApiParameter("leg", str),
            OpenApiParameter("frame", int),
            OpenApiParameter("shows", str, enum=Still.Shows.values),
            OpenApiParameter("sequence", str),
        ],
        responses={200: StillSerializer, 201: StillSerializer},
    )
    def put(self, request: Request, run_id: UUID, name: str) -> Response:
        run = _readable(request, run_id)
        if isinstance(request.user, Recorder):
            recorder_token(request)
        else:
            require_role(request, run.book)
        form = StillOfSerializer(data=request.query_params)
        form.is_valid(raise_exception=True)
        still, made = put_still(
            run, name, request.data or b"", request.headers.get("Content-Digest"), form.validated_data
        )
        return Response(StillSerializer(still).data, status.HTTP_201_CREATED if made else status.HTTP_200_OK)
