"""Cells of tables that people open in a spreadsheet."""

from __future__ import annotations

from typing import Any

#: A spreadsheet takes what begins so for a formula.
_FORMULA = ("=", "+", "-", "@", "\t", "\r")


def cell(value: Any) -> Any:
    """A value as it is written into a table: a text that looks like a formula stays a text, and None is empty."""
    if isinstance(value, str) and value.startswith(_FORMULA):
        return f"'{value}"
    return "" if value is None else value
