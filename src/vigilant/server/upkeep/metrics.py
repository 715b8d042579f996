"""What the server does, in the open text format that monitoring reads. Names and meaning are listed in docs/operating.md.

Processes of one host put their counts into files of one folder (``VIGILANT_METRICS``), so that whichever web process is asked tells of all.
"""

from __future__ import annotations

import hmac
import time
from collections.abc import Callable, Iterator

from django.conf import settings
from django.db import DatabaseError
from django.http import HttpRequest, HttpResponse
from prometheus_client import CollectorRegistry, Counter, Histogram, disable_created_metrics, exposition, multiprocess
from prometheus_client.core import GaugeMetricFamily, Metric
from prometheus_client.registry import REGISTRY, Collector

disable_created_metrics()  # type: ignore[no-untyped-call]
REQUESTS = Counter("vigilant_requests", "Requests answered, by view, method and status.", ("view", "method", "status"))
REQUEST_S = Histogram(
    "vigilant_request_seconds", "Time to an answer in seconds, by view.", ("view",),
    buckets=(0.005, 0.01, 0.025, 0.05, 0.1, 0.25, 0.5, 1.0, 2.5, 10.0),
)  # fmt: skip
JOBS = Counter("vigilant_jobs_ended", "Jobs that ended, by kind and how.", ("kind", "state"))
JOB_S = Histogram(
    "vigilant_job_seconds", "Time that a job took in seconds, by kind.", ("kind",), buckets=(0.05, 0.25, 1.0, 5.0, 30.0, 120.0, 600.0)
)  # fmt: skip


class Counted:
    """Counts every request by the view that answered it; addresses themselves would be endless."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        began = time.perf_counter()
        response = self.get_response(request)
        view = view_of(request)
        REQUESTS.labels(view, request.method or "", str(response.status_code)).inc()
        REQUEST_S.labels(view).observe(time.perf_counter() - began)
        return response


def view_of(request: HttpRequest) -> str:
    """The route that an address fits; "none" where there is none."""
    match = request.resolver_match
    return match.route if match else "none"


Tell = Callable[[], Iterator[Metric]]
_tells: list[Tell] = []


def told(tell: Tell) -> Tell:
    """Registers what is read from the tables whenever somebody asks."""
    _tells.append(tell)
    return tell


class FromTables(Collector):
    """What the database holds, as it is when asked."""

    def collect(self) -> Iterator[Metric]:
        up = GaugeMetricFamily("vigilant_database_up", "1 while the database answers.")
        try:
            found = [metric for tell in _tells for metric in tell()]
        except DatabaseError:
            found = []
        up.add_metric((), float(bool(found)))
        yield from (up, *found)


def page(request: HttpRequest) -> HttpResponse:
    """All counts of this host."""
    if not _may(request):
        return HttpResponse(
            "The token for this address is missing or another one.\n", status=403, content_type="text/plain"
        )
    registry = CollectorRegistry()
    if settings.METRICS:
        multiprocess.MultiProcessCollector(registry)  # type: ignore[no-untyped-call]
    else:
        registry.register(REGISTRY)  # type: ignore[arg-type]
    registry.register(FromTables())
    return HttpResponse(exposition.generate_latest(registry), content_type=exposition.CONTENT_TYPE_LATEST)


def _may(request: HttpRequest) -> bool:
    """With its token; where there is none, from this machine and not through a proxy."""
    token = settings.METRICS_TOKEN
    if token:
        return hmac.compare_digest(request.headers.get("Authorization", ""), f"Bearer {token}")
    return request.META.get("REMOTE_ADDR") in ("127.0.0.1", "::1") and "X-Forwarded-For" not in request.headers
