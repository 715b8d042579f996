"""One result of a check."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, Literal

Severity = Literal["void", "warn", "note"]


@dataclass(frozen=True)
class Finding:
    """``code`` is stable, ``evidence`` holds the values met; the sentence is the wording's."""

    code: str
    severity: Severity = "warn"
    evidence: Mapping[str, Any] = field(default_factory=dict)
