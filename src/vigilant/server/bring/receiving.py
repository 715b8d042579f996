"""Taking a file in pieces: each is stored whole or not at all, and repeating it is harmless."""

from __future__ import annotations

import hashlib
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any
from uuid import UUID

import zstandard

from vigilant.formats import limits
from vigilant.server.books.models import Book
from vigilant.server.database import in_transaction
from vigilant.server.jobs import services as jobs
from vigilant.server.problems import Problem, conflict, unprocessable
from vigilant.server.runs.batches import check_digest

from .models import BroughtFile, FilePiece

#: The kind of job that looks at a file once it is whole, and again when its reading changes.
LOOK = "look at file"


@in_transaction
def begin(book: Book, file_id: UUID, name: str, size: int, folder: str, user: Any) -> tuple[BroughtFile, bool]:
    """Announce a file; again is harmless. Raises a problem."""
    found = BroughtFile.objects.filter(pk=file_id).first()
    if found is None:
        values = {"book": book, "name": name, "folder": folder, "size": size, "created_by": user}
        return BroughtFile.objects.create(pk=file_id, **values), True
    if found.book_id != book.pk or (found.name, found.size) != (name, size):
        raise conflict("file-elsewhere", "Another file has this id.")
    return found, False


def put_piece(file: BroughtFile, number: int, body: bytes, digest_header: str | None) -> tuple[BroughtFile, bool]:
    """Store one piece, committed before the answer. 409 ``piece-gap`` names the number expected."""
    if len(body) > limits.PIECE_BYTES:
        raise Problem(413, "piece-too-large", f"The piece has {len(body)} bytes; {limits.PIECE_BYTES} are allowed.")
    if not body:
        raise unprocessable("piece-empty", "The piece holds nothing.")
    digest = check_digest(digest_header, body)
    return _take(file.pk, number, digest, len(body), zstandard.compress(body, 1))


@in_transaction
def _take(file_id: UUID, number: int, digest: str, length: int, body: bytes) -> tuple[BroughtFile, bool]:
    file = BroughtFile.objects.select_for_update().get(pk=file_id)
    if number < file.next_piece:
        if not FilePiece.objects.filter(file=file, number=number, digest=digest).exists():
            raise conflict("piece-differs", f"Piece {number} is stored with other content.")
        return file, False
    if file.state != BroughtFile.State.RECEIVING:
        raise conflict("file-closed", f"The file is {file.state}; it takes no more pieces.")
    if number > file.next_piece:
        raise conflict("piece-gap", f"Piece {number} came, {file.next_piece} is expected.", expected=file.next_piece)
    if file.received + length > file.size:
        raise unprocessable("file-longer", f"The file was said to have {file.size} bytes; more came.")
    FilePiece.objects.create(file=file, number=number, digest=digest, body=body)
    file.received, file.next_piece = file.received + length, number + 1
    whole = file.received == file.size
    if whole:
        file.state = BroughtFile.State.LOOKING
    file.save(update_fields=["received", "next_piece", "state"])
    if whole:
        jobs.start(LOOK, file.pk, file.book)
        file.refresh_from_db()
    return file, True


def contents(file: BroughtFile) -> Iterator[bytes]:
    """The file as it came, a piece at a time, each asked for by itself: the driver holds all rows of one answer."""
    for number in range(file.next_piece):
        body = FilePiece.objects.filter(file=file, number=number).values_list("body", flat=True).get()
        yield zstandard.decompress(bytes(body))


@contextmanager
def on_disk(file: BroughtFile) -> Iterator[Path]:
    """The file under its own name for as long as it is read; its digest is noted the first time."""
    with tempfile.TemporaryDirectory(prefix="vigilant-bring-") as folder:
        path = Path(folder) / (Path(file.name).name or "file")
        digest = hashlib.sha256()
        with path.open("wb") as out:
            for piece in contents(file):
                digest.update(piece)
                out.write(piece)
        if not file.sha256:
            file.sha256 = digest.hexdigest()
            BroughtFile.objects.filter(pk=file.pk).update(sha256=file.sha256)
        yield path
