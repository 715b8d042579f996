"""The error of the formats: a stable code, the line, the value met and what to do."""

from __future__ import annotations

from collections.abc import Sequence


class FormatError(ValueError):
    """Input that cannot be read as stated. ``line`` is 1-based, None for the whole input."""

    def __init__(self, code: str, message: str, source: str = "", line: int | None = None) -> None:
        self.code, self.message, self.source, self.line = code, message, source, line
        where = source if line is None else f"{source} line {line}" if source else f"line {line}"
        super().__init__(f"{where}: {message}" if where else message)


class PlanError(Exception):
    """A plan that cannot be followed; the message says what and how, ``places`` at which keys (``arm.0.subject``)."""

    code = "plan-invalid"

    def __init__(self, message: str, places: Sequence[tuple[str, str]] = ()) -> None:
        self.places = tuple(places)
        super().__init__(message)

    @property
    def told(self) -> list[dict[str, str]]:
        """The places as a problem of the API holds them."""
        return [{"at": at, "said": said} for at, said in self.places]
