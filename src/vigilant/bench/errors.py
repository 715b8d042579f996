"""Errors of the bench. Their messages are sentences without the full stop: what shows them adds it."""


class BenchError(Exception):
    """Something the user can mend; the message says what and how."""

    code = "bench-error"

    def __init__(self, message: str) -> None:
        super().__init__(message.strip().rstrip("."))


class NoRuns(BenchError):
    """An arm has no complete run: its subject crashed, hung or wrote nothing each time."""

    code = "no-runs"


class DeliveryError(BenchError):
    """The server could not be reached or refused; what was recorded stays in the spool.

    ``refused`` is True where the server answered and would answer the same again.
    """

    code = "not-delivered"

    def __init__(self, message: str, code: str | None = None, refused: bool = False) -> None:
        super().__init__(message)
        self.code = code or self.code
        self.refused = refused
