"""What counts as a number where a table of a file or a form is checked."""

from __future__ import annotations

from typing import Any


def is_number(value: Any) -> bool:
    """Whole or floating, and not a truth value, which Python takes for 0 or 1."""
    return isinstance(value, (int, float)) and not isinstance(value, bool)
