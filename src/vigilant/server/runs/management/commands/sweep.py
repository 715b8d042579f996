"""Look once for what was left open: runs nobody came back to, jobs nobody works on, results of an older core."""

from __future__ import annotations

from datetime import timedelta

from django.core.management.base import BaseCommand
from django.utils import timezone

from vigilant.server.jobs import services as jobs
from vigilant.server.runs.closing import close_unreached
from vigilant.server.runs.tasks import PATIENCE_H


class Command(BaseCommand):
    help = "Close as broken the runs that nothing reached for --hours, and wake workers for jobs that wait. Workers do the same by themselves."

    def add_arguments(self, parser):
        parser.add_argument("--hours", type=float, default=PATIENCE_H)

    def handle(self, *args, hours, **options):
        closed = close_unreached(timezone.now() - timedelta(hours=hours))
        left = jobs.sweep()
        self.stdout.write(f"closed {len(closed)} runs, woke workers for {len(left)} jobs")
