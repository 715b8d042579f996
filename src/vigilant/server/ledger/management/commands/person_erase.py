"""A person's account and name are taken away; what they did stays."""

from __future__ import annotations

from django.contrib.auth import get_user_model
from django.core.management.base import BaseCommand, CommandError

from vigilant.server.person import erase
from vigilant.server.problems import Problem


class Command(BaseCommand):
    help = "Take away NAME's account and their name from what stays. It cannot be taken back; --confirm NAME does it."

    def add_arguments(self, parser):
        parser.add_argument("name")
        parser.add_argument("--confirm", default="", metavar="NAME")

    def handle(self, *args, name, confirm, **options):
        user = get_user_model().objects.filter(username=name).first()
        if user is None:
            raise CommandError(f"Nobody is called {name!r}.")
        if confirm != name:
            raise CommandError(
                f"Nothing was done: say --confirm {name}. Take out what is kept of them first, by person_out."
            )
        try:
            done = erase(user)
        except Problem as problem:
            raise CommandError(str(problem.detail)) from None
        self.stdout.write(
            f"{name} is {done.name} now: {done.gone} rows of theirs alone are gone, {done.lines} lines of the log say no name,"
            f" {done.sealed} rows are sealed anew. Backups made before still say it."
        )
