"""The chain of a book is checked in the background: it reads every entry."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from vigilant.server.books.models import Book
from vigilant.server.jobs import services as jobs

from . import services

#: The kind of job that checks a book's seal.
CHECK = "check seal"


@jobs.handles(CHECK, heavy=True)
def check_seal(work: jobs.Work, subject: str, arguments: Mapping[str, Any]) -> None:
    work.at(0.1, "reading the chain and what it seals")
    services.check(Book.objects.get(pk=int(subject)))
