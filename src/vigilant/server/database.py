"""MariaDB's quirks, in one place.

A deadlock (1213) or a lock wait (1205) can strike any write transaction; it is rolled back whole
and tried again. NaN and infinity cannot be stored: figures keep None instead. Long bytes are written
in hexadecimal digits: quoted, MariaDB looks at each of them three times as long.
"""

from __future__ import annotations

import functools
import random
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any, ParamSpec, TypeVar

from django.db import OperationalError, connection, models, transaction
from django.db.backends.signals import connection_created

P = ParamSpec("P")
T = TypeVar("T")
CONFLICTS = (1205, 1213)
TRIES = 8


def in_transaction(function: Callable[P, T]) -> Callable[P, T]:
    """Run in a transaction of its own, again after a conflict. The function must be repeatable."""

    @functools.wraps(function)
    def wrapped(*args: P.args, **kwargs: P.kwargs) -> T:
        for attempt in range(TRIES):
            try:
                with transaction.atomic():
                    return function(*args, **kwargs)
            except OperationalError as error:
                if (
                    error.args[0] not in CONFLICTS
                    or attempt == TRIES - 1
                    or transaction.get_connection().in_atomic_block
                ):
                    raise
                time.sleep(random.uniform(0.5, 1.0) * 0.02 * 2**attempt)  # apart, so that they do not meet again
        raise AssertionError("unreachable")

    return wrapped


@contextmanager
def at_one_moment() -> Iterator[None]:
    """Everything read within is as it was at one moment."""
    if not connection.in_atomic_block:  # of the next transaction
        with connection.cursor() as cursor:
            cursor.execute("SET TRANSACTION ISOLATION LEVEL REPEATABLE READ")
    with transaction.atomic():
        yield


class _Digits:
    """Bytes on their way into a statement."""

    def __init__(self, value: bytes) -> None:
        self.value = value


def _literal(digits: _Digits, _mapping: Any) -> bytes:
    return b"x'" + digits.value.hex().encode() + b"'"


def _knows_digits(connection: Any, **_: Any) -> None:  # the signal's name for it
    connection.connection.encoders[_Digits] = _literal


connection_created.connect(_knows_digits, dispatch_uid="long bytes")


class Blob(models.BinaryField):
    """Long bytes; in migrations an ordinary binary field."""

    def get_db_prep_value(self, value: Any, connection: Any, prepared: bool = False) -> Any:
        ready = super().get_db_prep_value(value, connection, prepared)
        return None if ready is None else _Digits(bytes(ready))

    def deconstruct(self) -> Any:
        name, _, args, kwargs = super().deconstruct()
        return name, "django.db.models.BinaryField", args, kwargs
