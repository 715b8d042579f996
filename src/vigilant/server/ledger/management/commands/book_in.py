"""A book from a file."""

from __future__ import annotations

from pathlib import Path

from django.core.management.base import BaseCommand, CommandError

from vigilant.server.archive import ArchiveRefused, read_book


class Command(BaseCommand):
    help = "Take the book in FILE in, with the keys it had: into a server that holds none of them."

    def add_arguments(self, parser):
        parser.add_argument("file", type=Path)

    def handle(self, *args, file, **options):
        try:
            counts = read_book(file, self.stdout.write)
        except ArchiveRefused as error:
            raise CommandError(str(error)) from error
        self.stdout.write(f"{file}: {sum(counts.values())} rows taken in")
