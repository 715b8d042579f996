"""The error of the formats: a stable code, the line, the value met and what to do."""

from __future__ import annotations


class FormatError(ValueError):
    """Input that cannot be read as stated. ``line`` is 1-based, None for the whole input."""

    def __init__(self, code: str, message: str, source: str = "", line: int | None = None) -> None:
        self.code, self.message, self.source, self.line = code, message, source, line
        where = source if line is None else f"{source} line {line}" if source else f"line {line}"
        super().__init__(f"{where}: {message}" if where else message)


class PlanError(Exception):
    """A plan that cannot be followed; the message says what and how."""

    code = "plan-invalid"
