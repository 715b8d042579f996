"""A whole book as one file, and back into a server: every row with its key, so that nothing that refers to it is lost.

The file is a zip: ``book.json`` says what is in it, ``people.jsonl`` who is named, and ``rows/<model>.jsonl`` holds the rows as
Django writes them. What opens doors (passwords, tokens, links, sessions) stays behind, and so do jobs.
"""

from __future__ import annotations

import io
import json
import zipfile
from collections.abc import Callable, Iterable, Iterator
from itertools import islice
from pathlib import Path
from typing import Any

from django.apps import apps
from django.contrib.auth import get_user_model
from django.core import serializers
from django.db import connection, models, transaction
from django.db.migrations.recorder import MigrationRecorder
from django.utils import timezone

from .database import at_one_moment

VERSION = 1
#: Rows read and written at a time: some hold a megabyte.
AT_A_TIME = 50
#: What opens doors, what is of the moment, and what is of no book.
LEFT_BEHIND = frozenset({
    "books.RecorderToken", "books.SignInLink", "books.PersonSession", "books.JoinedAccount", "books.GroupRole", "books.Answered", "statements.StatementLink", "jobs.Job", "bench.Live", "bench.Standby", "bench.Visit",
    "evidence.Found",
})  # fmt: skip

#: Rows that nothing refers to, and that a server has from its first minute: they get new keys.
RENEWED = frozenset({"books.LogLine"})


class ArchiveRefused(ValueError):
    """A file that is no book, or a server that cannot take it; the message says why."""


def kept() -> list[type[models.Model]]:
    """The models whose rows are of a book, those that others refer to first."""
    stored = (m for m in apps.get_models() if not m._meta.proxy)
    ours = [m for m in stored if m.__module__.startswith("vigilant.") and m._meta.label not in LEFT_BEHIND]
    done: list[type[models.Model]] = []
    while ours:
        for model in ours:
            if all(other in done or other is model or other not in ours for other in _refers_to(model)):
                done.append(model)
                ours.remove(model)
                break
        else:
            raise AssertionError(f"{ours} refer to each other in a circle")
    return done


def _keys(model: type[models.Model]) -> list[models.ForeignKey]:
    return [f for f in model._meta.concrete_fields if isinstance(f, models.ForeignKey)]


def _refers_to(model: type[models.Model]) -> list[type[models.Model]]:
    return [f.related_model for f in _keys(model) if not f.null]


def path_to_book(model: type[models.Model]) -> str:
    """The lookup that leads from a row to its book, the shortest; "" for the book itself."""
    book = apps.get_model("books", "Book")
    ways: list[tuple[type[models.Model], str]] = [(model, "")]
    seen = {model}
    for now, way in ways:
        if now is book:
            return way
        for key in sorted(_keys(now), key=lambda f: f.null):
            if key.related_model not in seen:
                seen.add(key.related_model)
                ways.append((key.related_model, f"{way}__{key.name}" if way else key.name))
    raise AssertionError(f"{model._meta.label} leads to no book")


def _rows(model: type[models.Model], slug: str) -> Iterator[models.Model]:
    """The rows of a book, some at a time: the driver holds all rows of one answer."""
    way = path_to_book(model)
    rows = model._default_manager.filter(**{f"{way}__slug" if way else "slug": slug}).order_by("pk")
    last: Any = None
    while some := list((rows if last is None else rows.filter(pk__gt=last))[:AT_A_TIME]):
        yield from some
        last = some[-1].pk


def _migrated() -> list[str]:
    """The newest migration of each of our apps: the shape that the rows have."""
    ours = {m._meta.app_label for m in kept()}
    done = MigrationRecorder(connection).applied_migrations()
    return sorted(f"{app}.{name}" for app, name in done if app in ours)


def write_book(slug: str, path: Path, told: Callable[[str], None] = lambda _: None) -> dict[str, int]:
    """Write a book as it is at one moment; how many rows of each model. Raises :class:`ArchiveRefused`."""
    book = apps.get_model("books", "Book")
    people: set[int] = set()
    counts: dict[str, int] = {}
    with at_one_moment(), zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as out:
        if not book.objects.filter(slug=slug).exists():
            raise ArchiveRefused(f"There is no book {slug}.")
        for model in kept():
            label = model._meta.label
            named = [f for f in _keys(model) if f.related_model is get_user_model()]
            behind = [f for f in _keys(model) if f.related_model._meta.label in LEFT_BEHIND]

            def counted(
                rows: Iterable[models.Model], label: str = label, named: Any = named, behind: Any = behind
            ) -> Iterator[models.Model]:
                for row in rows:
                    counts[label] = counts.get(label, 0) + 1
                    people.update(filter(None, (getattr(row, f.attname) for f in named)))
                    for field in behind:
                        setattr(row, field.attname, None)
                    yield row

            with out.open(f"rows/{label}.jsonl", "w", force_zip64=True) as raw, io.TextIOWrapper(raw, "utf-8") as text:
                serializers.serialize("jsonl", counted(_rows(model, slug)), stream=text)
            told(f"{label}: {counts.get(label, 0)}")
        users = get_user_model().objects.filter(pk__in=people).order_by("pk")
        lines = [
            json.dumps({"id": u.pk, "username": u.username, "first_name": u.first_name, "last_name": u.last_name})
            for u in users
        ]
        out.writestr("people.jsonl", "".join(f"{line}\n" for line in lines))
        about = {
            "vigilant_book": VERSION,
            "slug": slug,
            "written": timezone.now().isoformat(),
            "rows": counts,
            "migrations": _migrated(),
        }
        out.writestr("book.json", json.dumps(about, indent=1))
    return counts


def read_book(path: Path, told: Callable[[str], None] = lambda _: None) -> dict[str, int]:
    """Take a book in, whole or not at all, with the keys it had; how many rows of each model. People are known by their
    names; one who is not there is made, without a password. Raises :class:`ArchiveRefused`."""
    try:
        with zipfile.ZipFile(path) as archive:
            about = json.loads(archive.read("book.json"))
            if not isinstance(about, dict) or about.get("vigilant_book") != VERSION:
                raise ArchiveRefused(f"{path.name} is no book of version {VERSION}.")
            if about["migrations"] != _migrated():
                raise ArchiveRefused("The book was written by another version: migrate both to the same one first.")
            return _take(archive, about, told)
    except (
        OSError,
        zipfile.BadZipFile,
        KeyError,
        EOFError,
        ValueError,
        serializers.base.DeserializationError,
    ) as error:
        if isinstance(error, ArchiveRefused):
            raise
        raise ArchiveRefused(f"{path.name} cannot be read: {error}") from error


@transaction.atomic
def _take(archive: zipfile.ZipFile, about: dict[str, Any], told: Callable[[str], None]) -> dict[str, int]:
    people = _people(archive)
    counts: dict[str, int] = {}
    with connection.constraint_checks_disabled():
        for model in kept():
            label = model._meta.label
            named = [f for f in _keys(model) if f.related_model is get_user_model()]
            with archive.open(f"rows/{label}.jsonl") as raw, io.TextIOWrapper(raw, "utf-8") as text:
                rows = serializers.deserialize("jsonl", text)
                while some := list(islice(rows, AT_A_TIME)):
                    if label not in RENEWED:
                        _free(model, [row.object.pk for row in some], about["slug"])
                    for row in some:
                        if not isinstance(row.object, model):
                            raise ArchiveRefused(f"rows/{label}.jsonl holds a row of something else.")
                        for field in named:
                            was = getattr(row.object, field.attname)
                            setattr(row.object, field.attname, None if was is None else people[was])
                        if label in RENEWED:
                            row.object.pk = None
                        row.object.save_base(raw=True, force_insert=True)
                    counts[label] = counts.get(label, 0) + len(some)
            told(f"{label}: {counts.get(label, 0)}")
    if counts != about["rows"]:
        raise ArchiveRefused("The file holds other rows than it says.")
    connection.check_constraints([model._meta.db_table for model in kept()])
    return counts


def _free(model: type[models.Model], keys: list[Any], slug: str) -> None:
    taken = model._default_manager.filter(pk__in=keys).first()
    if taken is not None:
        raise ArchiveRefused(
            f"{model._meta.label} {taken.pk} is there already: the book {slug} goes into a server that holds none, with its keys."
        )


def _people(archive: zipfile.ZipFile) -> dict[int, int]:
    """The key of each person here, by the key they had."""
    found = {}
    for line in archive.read("people.jsonl").splitlines():
        person = json.loads(line)
        names = {k: str(person[k])[:150] for k in ("first_name", "last_name")}
        here, made = get_user_model().objects.get_or_create(username=str(person["username"])[:150], defaults=names)
        if made:
            here.set_unusable_password()
            here.save(update_fields=["password"])
        found[int(person["id"])] = here.pk
    return found
