"""Ports on loopback that a part of the server is told before it starts."""

from __future__ import annotations

import secrets
import socket
from contextlib import ExitStack

#: Below those that connections are given by the system, above those of usual services.
PORTS = range(12_000, 32_000)

_claims = ExitStack()


def free_port(following: int = 0) -> int:
    """One that nobody listens at, nor at so many ``following`` it; nobody else is given them here as long as this process lives.

    Who starts many parts knows all their ports long before the last of them listens, and others look for ports meanwhile.
    A claim is a name that the kernel gives once in a network (an abstract Unix socket): it ends with the process, however
    that ends.
    """
    while True:
        first = PORTS[secrets.randbelow(len(PORTS) - following)]
        with ExitStack() as claims:
            try:
                for port in range(first, first + following + 1):
                    claims.enter_context(socket.socket(socket.AF_UNIX)).bind(f"\0vigilant-port-{port}")
                    with socket.socket() as probe:
                        probe.bind(("127.0.0.1", port))
            except OSError:
                continue
            _claims.enter_context(claims.pop_all())
            return first
