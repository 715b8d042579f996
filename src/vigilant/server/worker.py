"""The workers: Celery over Redis. ``celery -A vigilant.server.worker worker -P threads``

A worker also sweeps, so that what a crash left is taken up again while any of them lives.
"""

from __future__ import annotations

import logging
import os
import threading
from typing import Any

from celery import Celery
from celery.signals import setup_logging, worker_init, worker_ready, worker_shutting_down
from django_structlog.celery.steps import DjangoStructLogInitStep

from .collector import spare_what_is_loaded

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "vigilant.server.settings")

log = logging.getLogger(__name__)
SWEEP_S = 5.0
#: Whoever waits for an answer comes first: on a busy machine the workers take what the web processes leave.
NICE = 5

app = Celery("vigilant")
app.config_from_object("django.conf:settings", namespace="CELERY")
app.steps["worker"].add(DjangoStructLogInitStep)  # a job's lines carry the id of the request that began it
app.autodiscover_tasks(["vigilant.server.jobs"])

_over = threading.Event()


@setup_logging.connect
def _as_the_web_processes_write(**kwargs: Any) -> None:
    """Nothing is set up by the queue: Django's LOGGING stands."""


@worker_init.connect
def _behind_the_web(**kwargs: Any) -> None:
    os.nice(NICE)
    spare_what_is_loaded()


@worker_ready.connect
def _sweep(**kwargs: Any) -> None:
    threading.Thread(target=_sweeping, name="sweep", daemon=True).start()


@worker_shutting_down.connect
def _stop(**kwargs: Any) -> None:
    _over.set()


def _sweeping() -> None:
    from django.db import close_old_connections

    from vigilant.server.jobs.sweeping import sweep_all

    while not _over.is_set():
        try:
            close_old_connections()
            sweep_all()
        except Exception:
            log.exception("a sweep failed; the next one follows")
        _over.wait(SWEEP_S)
