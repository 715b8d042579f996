"""Everything that is kept of a person, as JSON."""

from __future__ import annotations

import orjson
from django.contrib.auth import get_user_model
from django.core.management.base import BaseCommand, CommandError

from vigilant.server.person import kept_of


class Command(BaseCommand):
    help = "Print everything that the server keeps of NAME, as JSON; secrets are named and not shown."

    def add_arguments(self, parser):
        parser.add_argument("name")

    def handle(self, *args, name, **options):
        user = get_user_model().objects.filter(username=name).first()
        if user is None:
            raise CommandError(f"Nobody is called {name!r}.")
        self.stdout.write(orjson.dumps(kept_of(user), default=str, option=orjson.OPT_INDENT_2).decode())
