"""Where devices in the field send their sessions: with a key that can do only that."""

from __future__ import annotations

import zlib
from typing import Any

import orjson
from corsheaders.signals import check_request_enabled
from django.core.cache import cache
from django.http import HttpRequest, HttpResponse
from drf_spectacular.utils import extend_schema
from opentelemetry.proto.collector.metrics.v1.metrics_service_pb2 import ExportMetricsServiceResponse
from rest_framework import exceptions, serializers, status
from rest_framework.parsers import BaseParser
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.throttling import BaseThrottle
from rest_framework.views import APIView

from vigilant.formats import limits
from vigilant.formats.errors import FormatError
from vigilant.formats.field import Snapshot
from vigilant.server.auth import FieldKeyAuthentication
from vigilant.server.fields import StrictJSONParser
from vigilant.server.problems import unprocessable
from vigilant.server.tables import reference_to

from . import others
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


class BytesParser(BaseParser):
    """An export stays bytes, whatever it is called."""

    media_type = "*/*"

    def parse(self, stream, media_type=None, parser_context=None):
        return stream.read(limits.BODY_BYTES + 1)


class OtlpView(IntakeView):
    """Metrics of other senders (OTLP over HTTP, protobuf or JSON): histograms of a time are kept, the rest is passed over and said."""

    parser_classes = (BytesParser,)

    @extend_schema(exclude=True)
    def post(self, request: Request) -> HttpResponse:
        kind = (request.content_type or "").split(";")[0].strip()
        body = unpacked(request.data or b"", request.headers.get("Content-Encoding"))
        try:
            passed_over = others.receive(request.auth, body, kind == "application/json")
        except FormatError as error:
            raise unprocessable(error.code, error.message) from None
        said = f"{passed_over} data points are no histograms of a time that can be kept." if passed_over else ""
        if kind == "application/json":
            told = (
                {"partialSuccess": {"rejectedDataPoints": str(passed_over), "errorMessage": said}}
                if passed_over
                else {}
            )
            return HttpResponse(orjson.dumps(told), content_type="application/json")
        answer = ExportMetricsServiceResponse()
        if passed_over:
            answer.partial_success.rejected_data_points = passed_over
            answer.partial_success.error_message = said
        return HttpResponse(answer.SerializeToString(), content_type="application/x-protobuf")


def unpacked(body: bytes, encoding: str | None) -> bytes:
    """A body as it was before gzip, within the limit of bodies."""
    if encoding in (None, "", "identity"):
        return body
    if encoding != "gzip":
        raise unprocessable("encoding-unknown", f"A body is packed by gzip or not at all, got {encoding[:40]!r}.")
    unpacking = zlib.decompressobj(16 + zlib.MAX_WBITS)
    try:
        found = unpacking.decompress(body, limits.BODY_BYTES + 1)
    except zlib.error as error:
        raise unprocessable("encoding-broken", f"The body cannot be unpacked: {error}.") from None
    if len(found) > limits.BODY_BYTES or not unpacking.eof:
        raise unprocessable("encoding-broken", f"The body is cut short, or over {limits.BODY_BYTES} bytes.")
    return found


def from_anywhere(sender: Any, request: HttpRequest, **kwargs: Any) -> bool:
    """The program may be a page of any origin: the key alone counts, and nothing of a person goes with it."""
    return request.path_info == SESSIONS


check_request_enabled.connect(from_anywhere, dispatch_uid="field sessions")
