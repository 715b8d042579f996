"""A whole book computed anew and held against what it keeps."""

from __future__ import annotations

from django.core.management.base import BaseCommand, CommandError

from vigilant.server.books.models import Book
from vigilant.server.ledger.verifying import verify_book


class Command(BaseCommand):
    help = "Compute every verdict of the book SLUG anew from its frames, and check its seal. Exit code 1 where something differs."

    def add_arguments(self, parser):
        parser.add_argument("slug")

    def handle(self, *args, slug, **options):
        book = Book.objects.filter(slug=slug).first()
        if book is None:
            raise CommandError(f"There is no book {slug}.")
        wrong = 0
        for line in verify_book(book):
            wrong += line.wrong
            self.stdout.write(line.said)
        if wrong:
            raise CommandError(f"{wrong} {'thing is' if wrong == 1 else 'things are'} not as kept.", returncode=1)
        self.stdout.write("All as kept.")
