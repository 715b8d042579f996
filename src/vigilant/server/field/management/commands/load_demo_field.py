"""``load_demo_field``: the field of the demo book; what is there is left alone."""

from typing import Any

from django.core.management.base import BaseCommand

from vigilant.server.books.models import Book
from vigilant.server.collector import spare_what_is_loaded
from vigilant.server.field import demo


class Command(BaseCommand):
    help = "Load the field of the demo book, drawn and made up."

    def handle(self, *args: Any, **options: Any) -> None:
        spare_what_is_loaded()  # all that is drawn stays until it is stored
        demo.load(Book.objects.get(slug="lanternfall"))
