"""Errors of the bench."""


class BenchError(Exception):
    """Something the user can mend; the message says what and how."""

    code = "bench-error"


class DeliveryError(BenchError):
    """The server could not be reached or refused; what was recorded stays in the spool."""

    code = "not-delivered"

    def __init__(self, message: str, code: str | None = None) -> None:
        super().__init__(message)
        self.code = code or self.code
