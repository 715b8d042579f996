"""Everything that is looked for now and then: jobs nobody works on, runs nobody comes back to, results of an older core."""

from __future__ import annotations

from collections.abc import Callable

from vigilant.server.books import once
from vigilant.server.books.sessions import SessionStore

from . import services

_sweeps: list[Callable[[], object]] = [once.forget_old, SessionStore.clear_expired]


def swept(look: Callable[[], object]) -> Callable[[], object]:
    """Registers something to look for at every sweep; it must be quick where there is nothing."""
    _sweeps.append(look)
    return look


def sweep_all() -> None:
    for look in _sweeps:
        look()
    services.sweep()
