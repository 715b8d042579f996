"""A visitor's own browser: the page behind the link, and what the pages under test deliver from their own origins."""

from __future__ import annotations

from typing import Any
from uuid import UUID

from corsheaders.signals import check_request_enabled
from django.http import Http404, HttpRequest, HttpResponse, HttpResponseRedirect
from django.shortcuts import render
from django.urls import resolve
from django.utils.decorators import method_decorator
from django.views.decorators.cache import never_cache
from django.views.decorators.csrf import csrf_exempt
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.authentication import get_authorization_header
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.throttling import AnonRateThrottle
from rest_framework.views import APIView

from vigilant.server.fields import SheetField, Whole
from vigilant.server.runs.delivery_api import LinesParser
from vigilant.server.runs.forms import RunStateSerializer
from vigilant.server.runs.plans import checked_plan

from . import visits
from .models import Visit

VISITED = "visited"


class VisitThrottle(AnonRateThrottle):
    """Codes are short: whoever tries them is slowed down."""

    rate = "60/min"


class OpenedSerializer(serializers.Serializer):
    """The stream's head as the page wrote it, and what its browser says of itself."""

    head = serializers.DictField()
    facts = SheetField()

    def validate_facts(self, facts: dict[str, str]) -> dict[str, str]:
        if len(facts) > visits.MOST_FACTS:
            raise serializers.ValidationError(f"{len(facts)} facts of the browser; {visits.MOST_FACTS} are allowed.")
        return facts


class FramesSerializer(serializers.Serializer):
    frames = Whole(0, 2**62)


class NextSerializer(serializers.Serializer):
    """The page that plays next; null where none does."""

    address = serializers.CharField(allow_null=True)


def server_address(request: HttpRequest | Request) -> str:
    """This server's own address as whoever asks reaches it."""
    return str(request.build_absolute_uri("/")).rstrip("/")


@method_decorator([csrf_exempt, never_cache], name="dispatch")
class VisitView(APIView):
    """The page behind the link: what will be played, and the way to the page that plays next. Whoever has the code may
    open it; who is signed in does not matter."""

    authentication_classes = ()
    permission_classes = ()
    throttle_classes = (VisitThrottle,)

    def _visit(self, code: str) -> Visit | None:
        try:
            return visits.visit_of(code)
        except Http404:
            return None

    @extend_schema(exclude=True)
    def get(self, request: Request, code: str = "") -> HttpResponse:
        asked = code or str(request.query_params.get("code", ""))
        visit = self._visit(asked) if asked else None
        said: dict[str, Any] = {"visit": visit, "asked": asked}
        if visit is not None:
            plan = checked_plan(visit.recording.plan)
            said |= {
                "standing": visits.standing(visit.recording),
                "plan": plan,
                "origins": visit.origins,
                "recording": visit.recording,
            }
        page = render(request._request, "bench/visit.html", said, status=200 if visit or not asked else 404)
        # The form leads on to the pages under test, which are elsewhere.
        page._csp_update = {"form-action": ["'self'", *(visit.origins if visit else [])]}  # type: ignore[attr-defined]
        page["Referrer-Policy"] = "no-referrer"
        return page

    @extend_schema(exclude=True)
    def post(self, request: Request, code: str) -> HttpResponse:
        address = visits.next_address(visits.visit_of(code), server_address(request))
        answer = HttpResponseRedirect(address or request.path)
        answer.status_code = 303
        return answer


class VisitedView(APIView):
    """What a page under test delivers: with its own token, from its own origin."""

    authentication_classes = ()
    permission_classes = ()

    def initial(self, request: Request, *args, **kwargs) -> None:
        """Who has no token of the run is told nothing of what would be taken."""
        super().initial(request, *args, **kwargs)
        visits.slot_of(kwargs["run_id"], *self.sent_by(request))

    def sent_by(self, request: Request) -> tuple[str, str]:
        """The page's token and its origin."""
        words = get_authorization_header(request).decode("latin-1").split()
        token = words[1] if len(words) == 2 and words[0].lower() == "bearer" else ""
        return token, request.headers.get("Origin", "")


class BeginsView(VisitedView):
    """The page plays from now on."""

    @extend_schema(request=None, responses=None)
    def post(self, request: Request, run_id: UUID) -> Response:
        visits.begins(run_id, *self.sent_by(request))
        return Response({})


class OpenedView(VisitedView):
    """Open the run with its head; again is harmless."""

    @extend_schema(request=OpenedSerializer, responses=RunStateSerializer)
    def post(self, request: Request, run_id: UUID) -> Response:
        form = OpenedSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        run = visits.open_run(run_id, *self.sent_by(request), form.validated_data)
        return Response(RunStateSerializer(run).data)


class LinesView(VisitedView):
    """Store lines of the run under their number, as often as they are sent."""

    parser_classes = (LinesParser,)

    @extend_schema(request={"application/x-ndjson": OpenApiTypes.BINARY}, responses=RunStateSerializer)
    def put(self, request: Request, run_id: UUID, number: int) -> Response:
        token, origin = self.sent_by(request)
        encoding = request.headers.get("Content-Encoding")
        received = visits.put_batch(run_id, token, origin, number, request.data or b"", encoding)
        return Response({"id": run_id, **{k: v for k, v in received.items() if k != "made"}})


class EndedView(VisitedView):
    """The run is over; the answer is the page that plays next."""

    @extend_schema(request=FramesSerializer, responses=NextSerializer)
    def post(self, request: Request, run_id: UUID) -> Response:
        form = FramesSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        frames = form.validated_data["frames"]
        return Response({"address": visits.end_run(run_id, *self.sent_by(request), frames, server_address(request))})


def may_deliver(sender: Any, request: HttpRequest, **kwargs: Any) -> bool:
    """Pages may speak to the addresses of their own run alone, and only from the origins that its plan names."""
    if not request.path_info.startswith(f"/api/{VISITED}/"):
        return False
    try:
        run_id = resolve(request.path_info).kwargs["run_id"]
    except (Http404, KeyError):
        return False
    return visits.allows(run_id, request.headers.get("Origin", ""))


check_request_enabled.connect(may_deliver, dispatch_uid="visited pages")
