"""How what happens is written: each line carries the id of the request, or of the job, that it belongs to.

Written as lines for eyes or as JSON, by structlog; whoever logs by the standard library's ``logging`` is written the same way.
"""

from __future__ import annotations

import re
from typing import Any

import structlog

#: What follows these opens a door.
SECRET = re.compile(r"^(/(?:sign-in|shown|visit)/).+")
_SHARED = [
    structlog.contextvars.merge_contextvars,
    structlog.stdlib.add_logger_name,
    structlog.stdlib.add_log_level,
    structlog.processors.TimeStamper(fmt="iso", utc=True),
]


def configuration(written: str, level: str) -> dict[str, Any]:
    """Django's LOGGING; structlog is set up to go through it."""
    structlog.configure(
        processors=[
            structlog.stdlib.filter_by_level,
            *_SHARED,
            structlog.processors.format_exc_info,
            structlog.stdlib.ProcessorFormatter.wrap_for_formatter,
        ],
        logger_factory=structlog.stdlib.LoggerFactory(),
        cache_logger_on_first_use=True,
    )
    last = structlog.processors.JSONRenderer() if written == "json" else structlog.dev.ConsoleRenderer(colors=False)
    faults = [structlog.processors.format_exc_info] if written == "json" else []
    return {
        "version": 1,
        "disable_existing_loggers": False,
        "formatters": {
            "told": {
                "()": structlog.stdlib.ProcessorFormatter,
                "foreign_pre_chain": [*_SHARED, structlog.stdlib.ExtraAdder()],
                "processors": [structlog.stdlib.ProcessorFormatter.remove_processors_meta, *faults, last],
            }
        },
        "handlers": {"stderr": {"class": "logging.StreamHandler", "formatter": "told"}},
        "root": {"handlers": ["stderr"], "level": level},
        # These write whole addresses, a link's secret with them: what they tell stands in the lines of requests and in the log of the book.
        "loggers": {name: {"handlers": [], "propagate": False} for name in ("django.request", "axes")},
    }


def without_secrets(path: str) -> str:
    """An address as it may be written: no query, and a link's or a visit's secret left out."""
    return SECRET.sub("\\1\u2026", path)
