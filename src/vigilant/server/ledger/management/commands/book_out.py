"""A whole book as one file."""

from __future__ import annotations

from pathlib import Path

from django.core.management.base import BaseCommand, CommandError

from vigilant.server.archive import ArchiveRefused, write_book


class Command(BaseCommand):
    help = "Write the book SLUG with everything in it to FILE. Passwords, tokens and jobs stay behind."

    def add_arguments(self, parser):
        parser.add_argument("slug")
        parser.add_argument("file", type=Path)

    def handle(self, *args, slug, file, **options):
        if file.exists():
            raise CommandError(f"{file} is there already.")
        try:
            counts = write_book(slug, file, self.stdout.write)
        except (ArchiveRefused, OSError) as error:
            file.unlink(missing_ok=True)
            raise CommandError(str(error)) from error
        self.stdout.write(f"{file}: {sum(counts.values())} rows, {file.stat().st_size:,} bytes")
