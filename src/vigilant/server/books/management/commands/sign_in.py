"""A link that signs somebody in: for the first one on a new server, and for whoever lost their way in."""

from __future__ import annotations

from django.conf import settings
from django.contrib.auth import get_user_model
from django.core.management.base import BaseCommand, CommandError

from vigilant.formats import limits
from vigilant.server.books import second_factor
from vigilant.server.books.models import SignInLink


class Command(BaseCommand):
    help = "Print a link that signs NAME in, good for an hour. Somebody new is made with --new; --administrator lets them into every book and the admin."

    def add_arguments(self, parser):
        parser.add_argument("name")
        parser.add_argument("--new", action="store_true")
        parser.add_argument("--administrator", action="store_true")
        parser.add_argument("--drop-second-factor", action="store_true", help="for who lost it")

    def handle(self, *args, name, new, administrator, drop_second_factor, **options):
        people = get_user_model().objects
        user = people.filter(username=name).first()
        if user is None and not new:
            raise CommandError(f"Nobody is called {name!r}; --new makes them.")
        if user is not None and new:
            raise CommandError(f"Somebody is called {name!r} already.")
        if len(name) > limits.ALIAS:
            raise CommandError(f"The name has {len(name)} characters; {limits.ALIAS} are allowed.")
        user = user or people.create_user(name)
        if administrator:
            user.is_staff = user.is_superuser = True
            user.save(update_fields=["is_staff", "is_superuser"])
        if not user.is_active:
            raise CommandError(f"{name!r} is shut out; let them in again in the admin first.")
        if drop_second_factor:
            second_factor.take_off(user, None)
        scheme = "https" if settings.PRODUCTION else "http"
        self.stdout.write(f"{scheme}://{settings.ALLOWED_HOSTS[0]}/sign-in/{SignInLink.issue(user)}")
