"""MariaDB's quirks, in one place.

A deadlock (1213) or a lock wait (1205) can strike any write transaction; it is rolled back whole
and tried again. NaN and infinity cannot be stored: figures keep None instead.
"""

from __future__ import annotations

import functools
import random
import time
from collections.abc import Callable
from typing import ParamSpec, TypeVar

from django.db import OperationalError, transaction

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
