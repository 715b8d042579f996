"""``load_demo``: the demo's user, book, recorder token and entries; what is there is left alone."""

import os
import sys
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import timedelta
from pathlib import Path
from typing import Any

from django.conf import settings
from django.contrib.auth import get_user_model
from django.core.management.base import BaseCommand, CommandError
from django.db import transaction
from django.utils import timezone

from vigilant.server.bench.reserving import reserve
from vigilant.server.books.models import Book, Member, RecorderToken
from vigilant.server.field.models import Seen
from vigilant.server.launch import children
from vigilant.server.ledger import demo_book, demo_line
from vigilant.server.scenarios.models import Scenario
from vigilant.server.vary import demo as demo_vary


@contextmanager
def _field_beside(book: Book) -> Iterator[None]:
    """The field is drawn meanwhile, by a process of its own."""
    if Seen.objects.filter(book=book).exists():
        yield
        return
    with tempfile.TemporaryDirectory(prefix="vl-demo-") as folder:
        log = Path(folder) / "field.log"
        field = children.start([sys.executable, "-m", "django", "load_demo_field"], log)
        try:
            yield
            if field.wait():
                raise CommandError(f"the demo's field could not be loaded:\n{children.tail(log)}")
        finally:
            children.stop(field, 5.0)


def _reserve(book: Book, user: Any) -> None:
    """One of the rigs is somebody's soon."""
    soon = (timezone.now() + timedelta(days=3)).replace(hour=8, minute=0, second=0, microsecond=0)
    reserve(book, "handheld", soon, soon + timedelta(hours=4), "new fans: is it as quick as in May?", user)


class Command(BaseCommand):
    help = "Load the demo book, simulated and made up."

    def add_arguments(self, parser):
        parser.add_argument("--token-file", help="where to leave a recorder token (mode 600)")

    def handle(self, *args: Any, **options: Any) -> None:
        settings.JOBS_INLINE = True  # when the command ends the book is whole, whoever works elsewhere
        user, made = get_user_model().objects.get_or_create(
            username="mira",
            defaults={"first_name": "Mira", "last_name": "Quill", "is_superuser": True, "is_staff": True},
        )
        if made:
            user.set_unusable_password()
            user.save()
        with transaction.atomic():
            book, made = Book.objects.get_or_create(slug="lanternfall", defaults={"name": "Lanternfall"})
            if made:
                Member.objects.create(book=book, user=user, role=Member.Role.OWNER)
        with _field_beside(book):
            # Each part is whole or not there: a start that was cut off is made up for by the next.
            if not Scenario.objects.filter(book=book).exists():
                with transaction.atomic():
                    demo_book.load(book, user)
                    demo_vary.load(book, user)
                    demo_line.load(book, user)
                    _reserve(book, user)
        token_file = options.get("token_file")
        if token_file and not (os.path.exists(token_file) and RecorderToken.objects.filter(book=book).exists()):
            _, text = RecorderToken.issue(book, "demo recorder")
            handle = os.open(token_file, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
            with os.fdopen(handle, "w") as file:
                file.write(text + "\n")
