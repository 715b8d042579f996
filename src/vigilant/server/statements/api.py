"""Statements over HTTP: in every form, by a link without signing in, and what is handed over of an entry."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import orjson
from csp.decorators import csp_replace
from django.http import FileResponse, Http404, HttpResponse
from django.shortcuts import get_object_or_404
from django.utils import timezone
from django.utils.decorators import method_decorator
from django.views.decorators.cache import never_cache
from django.views.decorators.clickjacking import xframe_options_sameorigin
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers, status
from rest_framework.renderers import JSONRenderer
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from vigilant.formats.bundle import fingerprint, public_hex
from vigilant.server.auth import require_person
from vigilant.server.books.models import Book, LogLine
from vigilant.server.entries.models import Entry
from vigilant.server.problems import Problem, conflict
from vigilant.server.signing import signing_key
from vigilant.server.throttles import CostThrottle
from vigilant.server.views import BookView

from . import rendering
from .bundling import bundle_of
from .content import Asked, statement_of
from .forms import (
    FORMS,
    HandOverInSerializer,
    HandOverSerializer,
    LinkInSerializer,
    LinkMadeSerializer,
    LinkSerializer,
    StatementInSerializer,
)
from .models import HandOver, StatementLink

_TYPES = {
    "html": "text/html; charset=utf-8",
    "pdf": "application/pdf",
    "markdown": "text/markdown; charset=utf-8",
    "csv": "text/csv; charset=utf-8",
    "json": "application/json",
}
_ENDINGS = {"markdown": "md"}
#: A statement may set its own styles and nothing else; only we may show it in a frame.
own_styles = csp_replace({
    "default-src": ["'none'"], "style-src": ["'unsafe-inline'"], "script-src": ["'none'"], "frame-ancestors": ["'self'"],
})  # fmt: skip


def in_form(book: Book, asked: Asked, form: str, paper: rendering.Paper) -> HttpResponse:
    """A statement as it is asked for. Raises a problem."""
    document = statement_of(book, asked)
    body: str | bytes
    if form == "json":
        body = orjson.dumps(document, default=JSONRenderer.encoder_class().default, option=orjson.OPT_INDENT_2)
    elif form == "markdown":
        body = rendering.markdown(document)
    elif form == "csv":
        body = rendering.table(document)
    else:
        body = rendering.html(book, document, paper)
        if form == "pdf":
            body = rendering.pdf(body)
    answer = HttpResponse(body, content_type=_TYPES[form])
    if form != "html":
        name = f"{book.slug}-{_named(asked)}.{_ENDINGS.get(form, form)}"
        answer["Content-Disposition"] = f'{"inline" if form == "pdf" else "attachment"}; filename="{name}"'
    return answer


def _named(asked: Asked) -> str:
    """Of what it is, for a file's name."""
    if asked.entries:
        return "entries-" + "".join(c if c.isdigit() else "-" for c in asked.entries)
    if asked.account:
        return f"account-{asked.account[:8]}"
    return f"goal-{asked.goal}" if asked.goal else f"hand-over-{asked.hand_over}"


def _asked(values: Mapping[str, Any]) -> Asked:
    account = values["account"]
    return Asked(values["entries"], values["goal"], values["hand_over"], "" if account is None else str(account))


@method_decorator([own_styles, xframe_options_sameorigin, never_cache], name="dispatch")
class StatementView(BookView):
    """A statement of entries, of a goal, of a hand-over or of an account, as a page, PDF, Markdown, CSV or JSON."""

    throttle_classes = (CostThrottle,)
    throttle_scope = "statements"

    @extend_schema(
        parameters=[
            OpenApiParameter("entries", str, description="4, 4-9 or 1,4-9"),
            OpenApiParameter("goal", int),
            OpenApiParameter("hand_over", int),
            OpenApiParameter("account", OpenApiTypes.UUID, description="a recording that fills no entry"),
            OpenApiParameter("as", str, enum=FORMS, default="html"),
            OpenApiParameter("paper", str, enum=["a4", "letter"], default="a4"),
        ],
        responses={(200, kind.partition(";")[0]): OpenApiTypes.BINARY for kind in _TYPES.values()},
    )
    def get(self, request: Request, book: str) -> HttpResponse:
        form = StatementInSerializer(data=request.query_params)
        form.is_valid(raise_exception=True)
        values = form.validated_data
        return in_form(self.book, _asked(values), values["as"], values["paper"])


class LinksView(BookView):
    """Links that show one statement without signing in; made where the book's owner allows them."""

    secret = True

    @extend_schema(operation_id="statement_links", responses=LinkSerializer(many=True))
    def get(self, request: Request, book: str) -> Response:
        found = (
            StatementLink.objects.filter(book=self.book)
            .select_related("created_by")
            .order_by("revoked_at", "-id")[:200]
        )
        return Response(LinkSerializer(found, many=True).data)

    @extend_schema(request=LinkInSerializer, responses={201: LinkMadeSerializer})
    def post(self, request: Request, book: str) -> Response:
        require_person(request)
        form = LinkInSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        if not self.book.links_allowed:
            raise conflict("links-off", "Links that show a statement without signing in are off in this book.")
        asked = _asked(form.validated_data)
        title = statement_of(self.book, asked)["title"]
        made, secret = StatementLink.issue(
            self.book, asked.document(), title, form.validated_data["days"], request.user
        )
        address = request.build_absolute_uri(f"/shown/{secret}")
        return Response(LinkMadeSerializer({"link": made, "address": address}).data, status.HTTP_201_CREATED)


class LinkView(BookView):
    """Revoke a link: from now on it shows nothing."""

    @extend_schema(responses=LinkSerializer)
    def delete(self, request: Request, book: str, link: int) -> Response:
        require_person(request)
        found = get_object_or_404(StatementLink.objects.select_related("book", "created_by"), book=self.book, pk=link)
        found.revoke(by=request.user)
        return Response(LinkSerializer(found).data)


class LinkThrottle(CostThrottle):
    """By link: whoever has it may be many, and nobody is known."""

    def get_cache_key(self, request: Request, view: APIView) -> str:
        return self.cache_format % {"scope": self.scope, "ident": StatementLink.digest(view.kwargs["secret"])}


@method_decorator([own_styles, never_cache], name="dispatch")
class ShownView(APIView):
    """The statement of a link, to whoever has it; ``?as=pdf`` for print. What was revoked is not told from what never was."""

    authentication_classes = ()
    permission_classes = ()
    throttle_classes = (LinkThrottle,)
    throttle_scope = "links"

    @extend_schema(exclude=True)
    def get(self, request: Request, secret: str) -> HttpResponse:
        link = StatementLink.good(secret)
        if link is None:
            raise Http404
        form = "pdf" if request.query_params.get("as") == "pdf" else "html"
        try:
            answer = in_form(link.book, Asked(**link.asked), form, "a4")
        except Problem as problem:  # what it was of is there no more
            raise Http404 from problem
        StatementLink.objects.filter(pk=link.pk).update(last_used=timezone.now())
        answer["Referrer-Policy"] = "no-referrer"
        answer["X-Robots-Tag"] = "noindex"
        return answer


class BundleView(BookView):
    """The evidence of an entry as one signed file, which anybody can compute anew (docs/formats.md)."""

    throttle_classes = (CostThrottle,)
    throttle_scope = "statements"

    @extend_schema(responses={(200, "application/zip"): OpenApiTypes.BINARY})
    def get(self, request: Request, book: str, number: int) -> FileResponse:
        entry = get_object_or_404(
            Entry.objects.select_related("book", "comparison__recording__scenario_version"),
            book=self.book,
            number=number,
        )
        name = f"{self.book.slug}-{number}.bundle.zip"
        return FileResponse(bundle_of(entry), as_attachment=True, filename=name, content_type="application/zip")


class SigningKeySerializer(serializers.Serializer):
    """The public key, in hexadecimal digits, and what it is called where people compare it."""

    public_key = serializers.CharField()
    fingerprint = serializers.CharField()


class SigningKeyView(APIView):
    """The key that signs this server's bundles: to be handed to whoever verifies them, by another way than the bundle."""

    @extend_schema(responses=SigningKeySerializer)
    def get(self, request: Request) -> Response:
        public = public_hex(signing_key().public_key())
        return Response({"public_key": public, "fingerprint": fingerprint(public)})


class HandOversView(BookView):
    """What is asked of specialists about an entry; ask another."""

    def _entry(self, number: int) -> Entry:
        return get_object_or_404(Entry, book=self.book, number=number)

    @extend_schema(operation_id="hand_overs", responses=HandOverSerializer(many=True))
    def get(self, request: Request, book: str, number: int) -> Response:
        found = self._entry(number).hand_overs.select_related("made_by")[:100]
        return Response(HandOverSerializer(found, many=True).data)

    @extend_schema(request=HandOverInSerializer, responses={201: HandOverSerializer})
    def post(self, request: Request, book: str, number: int) -> Response:
        require_person(request)
        form = HandOverInSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        entry = self._entry(number)
        made = HandOver.objects.create(entry=entry, made_by=request.user, **form.validated_data)
        LogLine.write("handed over", f"entry {entry.number}, to {made.to}", by=request.user, book=self.book)
        return Response(HandOverSerializer(made).data, status.HTTP_201_CREATED)
