"""What monitoring is told of jobs."""

from __future__ import annotations

from collections.abc import Iterator

from django.db.models import Count, Min
from django.utils import timezone
from prometheus_client.core import GaugeMetricFamily, Metric

from vigilant.server.upkeep.metrics import told

from .models import Job


@told
def active() -> Iterator[Metric]:
    held = GaugeMetricFamily(
        "vigilant_jobs_active", "Jobs that wait or run, by kind and state.", labels=("kind", "state")
    )
    oldest = GaugeMetricFamily(
        "vigilant_job_oldest_seconds", "Age of the oldest job that waits, in seconds.", labels=("kind",)
    )
    rows = Job.objects.filter(state__in=Job.ACTIVE).order_by().values("kind", "state")
    for row in rows.annotate(n=Count("pk"), first=Min("created_at")):
        held.add_metric((row["kind"], row["state"]), row["n"])
        if row["state"] == Job.State.WAITING:
            oldest.add_metric((row["kind"],), (timezone.now() - row["first"]).total_seconds())
    yield from (held, oldest)
