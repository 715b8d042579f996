"""What of runs is sealed: that they were set aside, or taken back, and why. Their frames carry sums of their own."""

from __future__ import annotations

from typing import Any

from django.db.models import Q

from vigilant.server.seals.services import Kind, sealed_kind

from .models import Run


def _run(run: Run) -> dict[str, Any]:
    return {
        "excluded_at": run.excluded_at,
        "excluded_why": run.excluded_why,
        "excluded_by": run.excluded_by.username if run.excluded_by else None,
    }


sealed_kind(Kind(Run, "book", lambda r: f"run {r.pk}", _run, ("book", "excluded_by"), Q(excluded_at__isnull=False)))
