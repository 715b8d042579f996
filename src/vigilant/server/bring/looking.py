"""Looking at files: what each would become, by what was said of it, by a saved reading, or as it is proposed."""

from __future__ import annotations

import logging
import zipfile
from collections.abc import Mapping
from pathlib import Path
from typing import Any
from uuid import UUID, uuid5

import zstandard
from django.db import OperationalError

from vigilant.formats import Asked, FormatError, Holds, Kind, file_reading, limits, table_of
from vigilant.formats.file_reading import FileReading
from vigilant.server.books.models import Book
from vigilant.server.database import in_transaction
from vigilant.server.jobs import services as jobs
from vigilant.server.problems import conflict, unprocessable
from vigilant.server.wake import tell

from .models import BroughtFile, FilePiece, SavedReading
from .receiving import LOOK, on_disk

log = logging.getLogger(__name__)


def look_at(file_id: UUID) -> None:
    """The job: the file's look is made, or why there is none is kept; an archive's members become files."""
    file = BroughtFile.objects.select_related("book").filter(pk=file_id).first()
    if file is None or file.state not in (BroughtFile.State.LOOKING, BroughtFile.State.SEEN, BroughtFile.State.REFUSED):
        return
    number = file.asked_number
    with on_disk(file) as path:
        if zipfile.is_zipfile(path):
            return unpack(file, path)
        look, problem = seen(path, file)
    state = BroughtFile.State.REFUSED if look is None else BroughtFile.State.SEEN
    BroughtFile.objects.filter(pk=file.pk, asked_number=number).update(look=look, problem=problem, state=state)
    tell(file.pk)
    return None


def give_up(file: BroughtFile, why: str) -> None:
    """No job could look at the file as it was asked for."""
    problem = {"code": "reading-failed", "detail": f"it could not be looked at: {why}"[:300], "line": None}
    waiting = BroughtFile.objects.filter(pk=file.pk, state=BroughtFile.State.LOOKING, asked_number=file.asked_number)
    waiting.update(problem=problem, state=BroughtFile.State.REFUSED)


def seen(path: Path, file: BroughtFile) -> tuple[dict[str, Any] | None, dict[str, Any] | None]:
    """The document of a look, or the problem that there is none."""
    from vigilant.formats.looking import look  # on pyarrow: only where a worker reads

    try:
        return look(path, asked_of(file, path)).document(), None
    except FormatError as error:
        return None, {"code": error.code, "detail": error.message, "line": error.line}
    except OperationalError:
        raise  # the database went away: the job is tried again
    except Exception as error:
        log.exception("file %s cannot be looked at", file.pk)
        return None, {"code": "reading-failed", "detail": f"it cannot be read: {error}"[:300], "line": None}


def asked_of(file: BroughtFile, path: Path) -> Asked:
    """What a file is read by. Raises :class:`FormatError`."""
    said = file.asked
    given = said.get("reading")
    own = any(said.get(k) for k in ("column", "kind", "unit"))
    reading = file_reading.checked(given) if given else None
    holds = Holds(said.get("holds", Holds.RUNS))
    found = Asked(pattern=said.get("pattern", ""), rows=said.get("rows", ""))
    if reading is None and not own:
        reading = _known(file.book, path, found, holds)
    return Asked(
        said.get("column"),
        said.get("unit"),
        Kind(said["kind"]) if said.get("kind") else None,
        reading,
        bool(said.get("keep_valid")),
        holds=holds,
        pattern=found.pattern,
        rows=found.rows,
    )


def _known(book: Book, path: Path, found: Asked, holds: Holds) -> FileReading | None:
    """The reading saved last of such files. Raises :class:`FormatError`."""
    table = table_of(path, found)
    if table is None:
        return None
    for saved in SavedReading.objects.filter(book=book).order_by("-saved_at"):
        reading = file_reading.checked(saved.document)
        if reading.holds != holds:
            continue
        if (reading.pattern, reading.rows) != (found.pattern, found.rows):
            try:
                own = table_of(path, Asked(reading=reading))
                if own is None or next(own.blocks(own.names), None) is None:
                    continue
            except FormatError:
                continue  # it is of files that are made otherwise
            if file_reading.fits(reading, own.names):
                return reading
        elif file_reading.fits(reading, table.names):
            return reading
    return None


def unpack(file: BroughtFile, path: Path) -> None:
    """The files of an archive stand in its place; those that its own lists of files hold alone. Again does nothing."""
    try:
        with zipfile.ZipFile(path) as archive:
            members = [m for m in archive.infolist() if not m.is_dir() and not _hidden(m.filename)]
            if not members:
                raise unprocessable("archive-empty", "The archive holds no file.")
            if len(members) > limits.FILES:
                raise unprocessable(
                    "too-many-files", f"The archive holds {len(members)} files; {limits.FILES} are allowed."
                )
            if sum(m.file_size for m in members) > limits.FILE_BYTES:
                raise unprocessable("file-too-large", f"The archive unpacks to over {limits.FILE_BYTES} bytes.")
            for member in members:
                with archive.open(member) as content:
                    _keep_member(file, member.filename, member.file_size, content)
    except (zipfile.BadZipFile, NotImplementedError, RuntimeError, EOFError, OSError) as error:
        problem = {"code": "unreadable", "detail": f"the archive cannot be read: {error}"[:300], "line": None}
        BroughtFile.objects.filter(pk=file.pk).update(problem=problem, state=BroughtFile.State.REFUSED)
    except Exception as error:
        if not hasattr(error, "problem_code"):
            raise
        problem = {"code": error.problem_code, "detail": str(error.detail), "line": None}  # type: ignore[attr-defined]
        BroughtFile.objects.filter(pk=file.pk).update(problem=problem, state=BroughtFile.State.REFUSED)
    else:
        BroughtFile.objects.filter(pk=file.pk).update(state=BroughtFile.State.UNPACKED)
    tell(file.pk)


def _hidden(name: str) -> bool:
    """What systems put beside files."""
    return any(part.startswith((".", "__MACOSX")) for part in Path(name).parts)


def _keep_member(archive: BroughtFile, name: str, size: int, content: Any) -> None:
    inner = Path(name)
    folder = "/".join(p for p in (archive.name, *inner.parts[:-1]) if p)[: limits.FILE_NAME]
    with_id = uuid5(archive.pk, name)
    pieces = []
    received = 0
    while body := content.read(limits.PIECE_BYTES):
        received += len(body)
        if received > size:
            raise unprocessable("file-longer", f"{name} is longer than its archive says.")
        pieces.append(body)
        if len(pieces) == 1:
            file, _ = _member(archive, with_id, inner.name[: limits.FILE_NAME], folder, size)
        FilePiece.objects.update_or_create(
            file=file, number=len(pieces) - 1, defaults={"digest": "", "body": zstandard.compress(body, 3)}
        )
        pieces[-1] = b""
    if not pieces:
        file, _ = _member(archive, with_id, inner.name[: limits.FILE_NAME], folder, size)
    BroughtFile.objects.filter(pk=file.pk, state=BroughtFile.State.RECEIVING).update(
        received=received, next_piece=len(pieces), state=BroughtFile.State.LOOKING
    )
    jobs.start(LOOK, file.pk, archive.book)


def _member(archive: BroughtFile, file_id: UUID, name: str, folder: str, size: int) -> tuple[BroughtFile, bool]:
    values = {"book": archive.book, "name": name, "folder": folder, "size": size, "created_by": archive.created_by}
    return BroughtFile.objects.get_or_create(pk=file_id, defaults=values)


@in_transaction
def ask(file_id: UUID, asked: Mapping[str, Any]) -> BroughtFile:
    """Read a file as it is said from now on: a job looks at it again. Raises a problem."""
    file = BroughtFile.objects.select_for_update().select_related("book").get(pk=file_id)
    if file.state not in (BroughtFile.State.SEEN, BroughtFile.State.REFUSED, BroughtFile.State.LOOKING):
        raise conflict("file-not-seen", f"The file is {file.state}; its reading cannot be said.")
    if asked.get("reading"):
        try:
            file_reading.checked(asked["reading"])
        except FormatError as error:
            raise unprocessable(error.code, error.message) from error
    file.asked, file.asked_number, file.state = dict(asked), file.asked_number + 1, BroughtFile.State.LOOKING
    file.save(update_fields=["asked", "asked_number", "state"])
    jobs.start(LOOK, file.pk, file.book)
    file.refresh_from_db()
    return file


@in_transaction
def save_reading(book: Book, name: str, document: Mapping[str, Any]) -> SavedReading:
    """Keep a reading under a name; what had it before is replaced. Raises a problem."""
    try:
        reading = file_reading.checked({**document, "vigilant_reading": file_reading.VERSION, "name": name})
    except FormatError as error:
        raise unprocessable(error.code, error.message) from error
    kept, _ = SavedReading.objects.update_or_create(
        book=book, name=name, defaults={"document": file_reading.document(reading)}
    )
    return kept
