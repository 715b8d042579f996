"""What is wrong with this server, and how to mend it."""

from __future__ import annotations

import sys

from django.core.management.base import BaseCommand

from vigilant.server.upkeep import checks


class Command(BaseCommand):
    help = "Look at settings, database, queue, workers and files; say what is wrong and how to mend it. Exit code 1 where anything is."
    requires_system_checks = ()

    def handle(self, *args, **options):
        wrong = 0
        for found in checks.look():
            wrong += not found.good
            self.stdout.write(f"{'good ' if found.good else 'WRONG'}  {found.what:<12} {found.said}")
            if not found.good:
                self.stdout.write(f"{'':20}{found.mend}")
        self.stdout.write(f"{wrong} of {len(checks.ALL)} are wrong." if wrong else "All is well.")
        if wrong:
            sys.exit(1)
