"""Close what was left open: runs that no recorder came back to."""

from __future__ import annotations

from datetime import timedelta

from django.core.management.base import BaseCommand
from django.utils import timezone

from vigilant.server.runs.ingest import close_unreached

#: A recorder that lost its server goes on by itself within minutes; a day covers a night without power.
PATIENCE_H = 24.0


def sweep(hours: float = PATIENCE_H) -> int:
    """Runs that nothing reached for so long are closed as broken; how many."""
    return len(close_unreached(timezone.now() - timedelta(hours=hours)))


class Command(BaseCommand):
    help = "Close as broken the runs that nothing reached for --hours. To be run every few minutes."

    def add_arguments(self, parser):
        parser.add_argument("--hours", type=float, default=PATIENCE_H)

    def handle(self, *args, hours, **options):
        self.stdout.write(f"closed {sweep(hours)} runs")
