"""What is kept of who asks."""

from __future__ import annotations

import orjson
from django.http import HttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from vigilant.server.auth import require_person
from vigilant.server.books.models import LogLine
from vigilant.server.person import happened_to, kept_of


class KeptView(APIView):
    """Everything that the server keeps of somebody, for themself, as a file."""

    @extend_schema(responses={(200, "application/json"): OpenApiTypes.OBJECT})
    def get(self, request: Request) -> HttpResponse:
        require_person(request)
        body = orjson.dumps(kept_of(request.user), default=str, option=orjson.OPT_INDENT_2)
        named = {"Content-Disposition": 'attachment; filename="kept-of-you.json"', "Cache-Control": "no-store"}
        return HttpResponse(body, content_type="application/json", headers=named)


class HappenedSerializer(serializers.ModelSerializer):
    """A line of the log about one's account; ``address`` is from where, where that is known."""

    class Meta:
        model = LogLine
        fields = ("id", "at", "what", "text", "address")
        read_only_fields = fields


class HappenedView(APIView):
    """What happened to the account of who asks: signing in, tries that failed, passwords, second factors, roles, links. The newest dozen."""

    @extend_schema(operation_id="happened", responses=HappenedSerializer(many=True))
    def get(self, request: Request) -> Response:
        require_person(request)
        return Response(HappenedSerializer(happened_to(request.user), many=True).data)
