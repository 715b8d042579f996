"""Writing a plan file."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import tomli_w

from .model import RUNS


def plan_text(name: str, definition: Mapping[str, Any]) -> str:
    """A plan file (TOML) of a scenario, with two arms to be filled in."""
    keys = {k: v for k, v in definition.items() if k != "policy"}
    plan = {
        "scenario": {"name": name, **keys},
        "policy": definition.get("policy", {}),
        "arm": [{"name": arm, "command": ["./festival"]} for arm in ("before", "after")],
        "recording": {"runs": RUNS},
    }
    return tomli_w.dumps({table: _stated(values) for table, values in plan.items() if values})


def _stated(value: Any) -> Any:
    """Without what is not stated: TOML has no word for it."""
    if isinstance(value, Mapping):
        return {k: _stated(v) for k, v in value.items() if v is not None}
    if isinstance(value, (list, tuple)):
        return [_stated(v) for v in value]
    return value
