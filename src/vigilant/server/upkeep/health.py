"""Addresses that a proxy or a monitor asks: whether the process lives, and whether it can answer."""

from __future__ import annotations

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from vigilant.server.problems import problem

from . import checks


class HealthSerializer(serializers.Serializer):
    status = serializers.CharField()


class HealthView(APIView):
    """This process lives."""

    authentication_classes = ()
    permission_classes = ()

    @extend_schema(operation_id="health", responses=HealthSerializer)
    def get(self, request: Request) -> Response:
        return Response({"status": "alive"})


class ReadyView(APIView):
    """It has its database, with the tables of this version, and its queue; 503 says which it lacks, and nothing more."""

    authentication_classes = ()
    permission_classes = ()

    @extend_schema(operation_id="ready", responses=HealthSerializer)
    def get(self, request: Request) -> Response:
        lacks = [found.what for found in checks.look(checks.READY) if not found.good]
        if lacks:
            return problem(503, "not-ready", f"Not ready: {', '.join(lacks)}.", lacks=lacks)
        return Response({"status": "ready"})
