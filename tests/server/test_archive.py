"""A book is taken out as one file and brought into a server that holds none: every row and key is there again."""

import io
import json
import zipfile

import pytest
from django.apps import apps
from django.contrib.auth import get_user_model
from django.core import serializers
from django.core.management import CommandError, call_command
from django.db import connection

from server.delivering import compared
from server.field_sessions import session
from server.standing import doors, kept_recording
from server.test_bring import bring, pond, send
from vigilant.server import archive
from vigilant.server.books.models import Book, LogLine, RecorderToken
from vigilant.server.entries.models import Decision, Entry
from vigilant.server.field.folding import fold
from vigilant.server.field.models import Session
from vigilant.server.field.receiving import receive
from vigilant.server.runs.models import FrameChunk, Run

pytestmark = pytest.mark.django_db
_shared = doors("module")
book, people, token, recorder = _shared.book, _shared.people, _shared.token, _shared.recorder
editor, owner = _shared.editor, _shared.owner
RIVER = "/api/books/river/"


def dumped():
    """Every row of a book; signing in is of none."""
    rows = {m._meta.label: m._default_manager.order_by("pk") for m in archive.kept()}
    rows["books.LogLine"] = rows["books.LogLine"].exclude(book=None)
    return {label: serializers.serialize("jsonl", some) for label, some in rows.items()}


def emptied():
    """As a server that was just set up, with people of its own."""
    with connection.constraint_checks_disabled():
        for model in archive.kept():
            model._default_manager.all()._raw_delete("default")
        RecorderToken.objects.all()._raw_delete("default")
        get_user_model().objects.filter(username="editor").delete()
        LogLine.objects.filter(book=None)._raw_delete("default")
        LogLine.objects.bulk_create([LogLine(pk=1, what="signed in", text="somebody of here")])
        get_user_model().objects.create_user("somebody of here")


@pytest.fixture(scope="module")
def full(recorder, editor, people):
    """A book with a bit of everything."""
    registered = kept_recording(recorder, after=10.0)
    runs = [slot["run"] for slot in registered["slots"]]
    editor.post(f"{RIVER}entries/1/decisions/", {"choice": "kept", "why": "It holds."})
    editor.patch(f"{RIVER}entries/1/", {"title": "Sparks from a table, corrected"})
    scenario = editor.get(f"{RIVER}scenarios/").json()[0]["id"]
    goal = {"figure": "late_share", "kind": "at most", "threshold": 0.2, "why": "On this rig."}
    editor.post(f"{RIVER}scenarios/{scenario}/goals/", goal)
    editor.post(f"{RIVER}runs/aside/", {"runs": runs[:1], "aside": True, "why": "The door was open."})
    bring(editor, [{"file": send(editor, "pond.csv", pond(16.0, 1)[0])["id"]}])
    editor.post(f"{RIVER}readings/", {"name": "pond", "columns": {"dt": {"is": "times", "unit": "ms"}}}, format="json")
    key, _ = RecorderToken.issue(Book.objects.get(slug="river"), "devices", RecorderToken.Scope.FIELD)
    receive(key, session(ended="person"))
    while fold(key.book):
        pass
    Book.objects.create(slug="elsewhere", name="Elsewhere")


def test_a_book_comes_back_with_every_row_and_key(full, tmp_path, editor, people):
    Book.objects.filter(slug="elsewhere").delete()
    before, file = dumped(), tmp_path / "river.zip"
    call_command("book_out", "river", str(file), stdout=io.StringIO())
    assert sum(map(bool, before.values())) >= 20  # of every kind something
    was = Decision.objects.get().decided_by.username
    emptied()
    assert not any(dumped().values())
    call_command("book_in", str(file), stdout=io.StringIO())
    after = dumped()

    def nameless(rows):
        """Rows without the keys of people, which are another server's."""
        made = []
        # Milliseconds are what is kept: of a second's first one what was below it is gone, and with it its zeroes.
        for row in map(json.loads, rows.replace('.000Z"', 'Z"').splitlines()):
            for key in (
                "user",
                "by",
                "decided_by",
                "corrected_by",
                "moved_by",
                "excluded_by",
                "withdrawn_by",
                "created_by",
            ):
                row["fields"].pop(key, None)
            if row["model"] == "field.session":
                row["fields"].pop("key")  # stays behind
            if row["model"] == "books.logline":
                del row["pk"]  # nothing refers to it
            made.append(row)
        return made

    for label, rows in before.items():
        assert nameless(after[label]) == nameless(rows), label
    assert Session.objects.get().key is None
    assert Decision.objects.get().decided_by.username == was == "editor"
    assert not get_user_model().objects.get(username="editor").has_usable_password()
    assert Run.objects.get(excluded_why="The door was open.").excluded_by.username == "editor"


def test_a_book_is_taken_in_whole_or_not_at_all(full, tmp_path):
    file = tmp_path / "river.zip"
    archive.write_book("river", file)
    with pytest.raises(archive.ArchiveRefused, match="is there already"):
        archive.read_book(file)
    emptied()
    for name, change, said in (
        ("cut", lambda body: body[:-400], "cannot be read"),
        ("no book", lambda _: b"PK\x05\x06" + b"\0" * 18, "cannot be read"),
    ):
        broken = tmp_path / name
        broken.write_bytes(change(file.read_bytes()))
        with pytest.raises(archive.ArchiveRefused, match=said):
            archive.read_book(broken)
    for member, change, said in (
        ("book.json", lambda text: text.replace('"vigilant_book": 1', '"vigilant_book": 2'), "no book of version 1"),
        ("book.json", lambda text: text.replace("books.0001", "books.0000"), "another version"),
        ("rows/entries.Decision.jsonl", lambda _: "", "other rows"),
        (
            "rows/entries.Decision.jsonl",
            lambda text: text.replace("entries.decision", "books.book"),
            "cannot be read|something else",
        ),
    ):
        other = tmp_path / "other.zip"
        with zipfile.ZipFile(file) as was, zipfile.ZipFile(other, "w") as out:
            for info in was.infolist():
                body = was.read(info)
                out.writestr(info, change(body.decode()) if info.filename == member else body)
        with pytest.raises(archive.ArchiveRefused, match=said):
            archive.read_book(other)
        assert not Entry.objects.exists()
        assert not FrameChunk.objects.exists()
    archive.read_book(file)
    assert Entry.objects.get().title == "Sparks from a table, corrected"


def test_doors_stay_behind_and_a_file_is_never_written_over(full, tmp_path):
    file = tmp_path / "river.zip"
    archive.write_book("river", file)
    with zipfile.ZipFile(file) as written:
        everything = b"".join(written.read(name) for name in written.namelist())
    assert not [token for token in RecorderToken.objects.all() if token.hash.encode() in everything]
    assert b"password" not in everything
    assert b"elsewhere" not in everything
    ours = {m._meta.label for m in apps.get_models() if m.__module__.startswith("vigilant.")}
    assert ours > archive.LEFT_BEHIND
    with pytest.raises(CommandError, match="is there already"):
        call_command("book_out", "river", str(file))
    with pytest.raises(CommandError, match="no book nowhere"):
        call_command("book_out", "nowhere", str(tmp_path / "nowhere.zip"))
    assert not (tmp_path / "nowhere.zip").exists()


def test_entries_go_on_after_a_book_was_taken_in(full, tmp_path, editor, people):
    file = tmp_path / "river.zip"
    archive.write_book("river", file)
    emptied()
    archive.read_book(file)
    editor.force_login(get_user_model().objects.get(username="editor"))
    runs = [str(run) for run in Run.objects.filter(excluded_at=None, slot__isnull=False).values_list("pk", flat=True)]
    made = compared(editor, {"title": "Another", "before": runs[:4], "after": runs[4:8]}).json()
    assert made["number"] == 2
