"""Files over HTTP: sent in pieces, looked at, read as is said, brought in, and given out again as they came."""

from __future__ import annotations

from typing import Any
from uuid import UUID

from django.http import StreamingHttpResponse
from django.shortcuts import get_object_or_404
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import permissions, status
from rest_framework.parsers import BaseParser
from rest_framework.request import Request
from rest_framework.response import Response

from vigilant.formats import limits
from vigilant.server.auth import Recorder, recorder_token
from vigilant.server.jobs.api import JobSerializer
from vigilant.server.problems import conflict
from vigilant.server.views import BookView, Role

from . import bringing, looking, receiving
from .forms import (
    AskedOfFilesSerializer,
    BringSerializer,
    BroughtFileSerializer,
    FileInSerializer,
    FileLineSerializer,
    ReadingSerializer,
    SavedReadingSerializer,
)
from .models import BroughtFile, SavedReading


class PieceParser(BaseParser):
    """A piece stays bytes: the digest is over it as sent."""

    media_type = "*/*"

    def parse(self, stream, media_type=None, parser_context=None):
        return stream.read(limits.PIECE_BYTES + 1)


class MayBring(permissions.BasePermission):
    """An editor of the book, or a token that delivers to it."""

    def has_permission(self, request: Request, view: Any) -> bool:
        if isinstance(request.user, Recorder):
            return recorder_token(request).book_id == view.book.pk
        return Role().has_permission(request, view)


class FilesOfBook(BookView):
    permission_classes = (permissions.IsAuthenticated, MayBring)

    def file(self, file_id: UUID) -> BroughtFile:
        return get_object_or_404(BroughtFile.objects.select_related("book"), pk=file_id, book=self.book)


class FilesView(FilesOfBook):
    """Files that were sent and are not brought in yet, as they were sent; and announcing one."""

    @extend_schema(operation_id="files", responses=FileLineSerializer(many=True))
    def get(self, request: Request, book: str) -> Response:
        waiting = BroughtFile.objects.filter(book=self.book)
        waiting = waiting.exclude(state__in=(BroughtFile.State.BROUGHT, BroughtFile.State.UNPACKED))
        if not isinstance(request.user, Recorder):
            waiting = waiting.filter(created_by=request.user)
        shown = waiting.order_by("folder", "name", "created_at")[: limits.FILES]
        return Response(FileLineSerializer(shown, many=True).data)

    @extend_schema(request=FileInSerializer, responses={200: BroughtFileSerializer, 201: BroughtFileSerializer})
    def post(self, request: Request, book: str) -> Response:
        form = FileInSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        said = form.validated_data
        user = None if isinstance(request.user, Recorder) else request.user
        file, made = receiving.begin(self.book, said["id"], said["name"], said["size"], said["folder"], user)
        return Response(BroughtFileSerializer(file).data, status.HTTP_201_CREATED if made else status.HTTP_200_OK)


class FileView(FilesOfBook):
    """One file: what it would become, and sending it away before it is brought in."""

    @extend_schema(operation_id="file", responses=BroughtFileSerializer)
    def get(self, request: Request, book: str, file_id: UUID) -> Response:
        return Response(BroughtFileSerializer(self.file(file_id)).data)

    @extend_schema(responses={204: None})
    def delete(self, request: Request, book: str, file_id: UUID) -> Response:
        file = self.file(file_id)
        if file.runs.exists():
            raise conflict("file-brought", f"{file.name} was brought in: its runs keep it.")
        file.delete()
        return Response(status=status.HTTP_204_NO_CONTENT)


class PieceView(FilesOfBook):
    """One piece of a file: 201 stored, 200 the same again, 409 gap or other content."""

    parser_classes = (PieceParser,)

    @extend_schema(
        request={"application/octet-stream": OpenApiTypes.BINARY},
        parameters=[OpenApiParameter("Content-Digest", str, OpenApiParameter.HEADER, required=True)],
        responses={200: BroughtFileSerializer, 201: BroughtFileSerializer},
    )
    def put(self, request: Request, book: str, file_id: UUID, number: int) -> Response:
        body = request.data or b""
        file, made = receiving.put_piece(self.file(file_id), number, body, request.headers.get("Content-Digest"))
        return Response(BroughtFileSerializer(file).data, status.HTTP_201_CREATED if made else status.HTTP_200_OK)


class AskedView(FilesOfBook):
    """Say what files are read as: jobs look at them so."""

    @extend_schema(request=AskedOfFilesSerializer, responses={202: FileLineSerializer(many=True)})
    def post(self, request: Request, book: str) -> Response:
        form = AskedOfFilesSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        said = form.validated_data
        files = [self.file(file_id) for file_id in dict.fromkeys(said.pop("files"))]
        asked = [looking.ask(file.pk, said) for file in files]
        return Response(FileLineSerializer(asked, many=True).data, status.HTTP_202_ACCEPTED)


class ContentView(FilesOfBook):
    """The file as it came."""

    @extend_schema(responses={(200, "application/octet-stream"): OpenApiTypes.BINARY})
    def get(self, request: Request, book: str, file_id: UUID) -> StreamingHttpResponse:
        file = self.file(file_id)
        if file.state == BroughtFile.State.RECEIVING:
            raise conflict("file-not-whole", f"Of {file.name} {file.received} of {file.size} bytes have come.")
        answer = StreamingHttpResponse(receiving.contents(file), content_type="application/octet-stream")
        answer["Content-Length"] = file.size
        safe = "".join(c if c.isalnum() or c in "._-" else "_" for c in file.name)
        answer["Content-Disposition"] = f'attachment; filename="{safe}"'
        return answer


class BringView(FilesOfBook):
    """Make runs of files, and an entry of them where it has a title: the job that does it."""

    @extend_schema(request=BringSerializer, responses={202: JobSerializer})
    def post(self, request: Request, book: str) -> Response:
        form = BringSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        job = bringing.begin(self.book, form.validated_data)
        return Response(JobSerializer(job).data, status.HTTP_202_ACCEPTED)


class ReadingsView(FilesOfBook):
    """Readings kept under a name."""

    @extend_schema(operation_id="readings", responses=SavedReadingSerializer(many=True))
    def get(self, request: Request, book: str) -> Response:
        kept = SavedReading.objects.filter(book=self.book)
        return Response(SavedReadingSerializer(kept[: limits.SUBJECTS], many=True).data)

    @extend_schema(request=ReadingSerializer, responses=SavedReadingSerializer)
    def post(self, request: Request, book: str) -> Response:
        form = ReadingSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        kept = looking.save_reading(self.book, form.validated_data["name"], form.validated_data)
        return Response(SavedReadingSerializer(kept).data)
