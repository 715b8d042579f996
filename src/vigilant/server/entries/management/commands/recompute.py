"""Compute anew what an earlier core made: figures of runs, then comparisons."""

from __future__ import annotations

from django.core.management.base import BaseCommand

from vigilant.server.entries import comparing
from vigilant.server.problems import Problem
from vigilant.server.runs import figures


class Command(BaseCommand):
    help = "Compute anew the figures and verdicts that an earlier core made; the earlier verdicts are kept beside."

    def handle(self, *args, **options):
        runs, verdicts = figures.outdated(), comparing.outdated()
        for run in runs:
            figures.recompute_figures(run)
        failed = 0
        for comparison in verdicts:
            try:
                comparing.recompute(comparison)
            except Problem as problem:
                failed += 1
                self.stderr.write(f"comparison {comparison} stays as it was: {problem.detail}")
        self.stdout.write(f"figures of {len(runs)} runs and {len(verdicts) - failed} comparisons were computed anew")
