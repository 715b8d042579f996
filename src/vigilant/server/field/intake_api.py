"""Where devices in the field send their sessions: with a key that can do only that."""

from __future__ import annotations

from typing import Any

from corsheaders.signals import check_request_enabled
from django.core.cache import cache
from django.http import HttpRequest
from drf_spectacular.utils import extend_schema
from rest_framework import exceptions, serializers, status
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.throttling import BaseThrottle
from rest_framework.views import APIView

from vigilant.formats import limits
from vigilant.formats.field import Snapshot
from vigilant.server.auth import FieldKeyAuthentication
from vigilant.server.fields import StrictJSONParser
from vigilant.server.tables import reference_to

from .receiving import receive

SESSIONS = "/api/field/sessions/"
#: Uploads that one key lets in a minute, in each web process.
A_MINUTE = 60_000


class KeyThrottle(BaseThrottle):
    """By key: counted over a minute, without a list of every upload."""

    def allow_request(self, request: Request, view: APIView) -> bool:
        key = f"field-minute-{request.auth.pk}"
        cache.add(key, 0, 60)
        try:
            return cache.incr(key) <= A_MINUTE
        except ValueError:  # the minute was over just now
            return True

    def wait(self) -> float:
        return 60.0


class SessionParser(StrictJSONParser):
    most_bytes = limits.FIELD_BYTES


class ReceivedSerializer(serializers.Serializer):
    """The highest number that is kept of the session, and in how many seconds more is asked for."""

    seq = serializers.IntegerField()
    next_s = serializers.IntegerField()


class IntakeView(APIView):
    """Whatever devices send: no session of a person, no cookie."""

    authentication_classes = (FieldKeyAuthentication,)
    throttle_classes = (KeyThrottle,)


class SessionsView(IntakeView):
    """Take a whole session so far: 201 kept, 200 known already or too late to count, 409 another content, 422 none, or less than before."""

    parser_classes = (SessionParser,)

    @extend_schema(
        operation_id="send_session",
        request={"application/json": reference_to(Snapshot)},
        responses={200: ReceivedSerializer, 201: ReceivedSerializer},
    )
    def post(self, request: Request) -> Response:
        if not isinstance(request.data, dict):
            raise exceptions.ParseError("A session is an object.")
        found = receive(request.auth, request.data)
        answer = {"seq": found.seq, "next_s": found.next_s}
        return Response(answer, status.HTTP_201_CREATED if found.made else status.HTTP_200_OK)


def from_anywhere(sender: Any, request: HttpRequest, **kwargs: Any) -> bool:
    """The program may be a page of any origin: the key alone counts, and nothing of a person goes with it."""
    return request.path_info == SESSIONS


check_request_enabled.connect(from_anywhere, dispatch_uid="field sessions")
