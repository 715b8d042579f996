"""Frames of a program on another device: it connects, says the code, and sends its stream."""

from __future__ import annotations

import contextlib
import secrets
import socket
import threading
import time
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from pathlib import Path

from vigilant.plan import Arm

from .errors import BenchError
from .launcher import POLL_S, Asked, Ended, run_subject
from .machine import OtherWork

CODE_BYTES = 6
#: Who connects says the code at once; whoever says another one, or nothing, is turned away.
PATIENCE_S = 5.0
GREETING = b"vigilant "
MOST_GREETING = 100
PIECE = 65_536
#: A command that ended has had its program connect by then, or it never will.
CONNECT_S = 10.0


@dataclass
class Sender:
    """One run's stream as it arrives, into ``stream``."""

    stream: Path
    connection: socket.socket | None = None
    over: threading.Event = field(default_factory=threading.Event)

    def cut(self) -> None:
        """It sends no more, whether it would or not."""
        if self.connection is not None:
            with contextlib.suppress(OSError):
                self.connection.shutdown(socket.SHUT_RDWR)
            self.over.wait()


class Listener:
    """Listens at ``HOST:PORT``, or ``HOST:PORT/CODE`` for a code that stays. Raises :class:`BenchError`."""

    def __init__(self, asked: str) -> None:
        place, _, code = asked.partition("/")
        host, colon, port = place.rpartition(":")
        if not colon or not host or not port.isdecimal() or not (code.isalnum() or not code):
            raise BenchError(f"where to listen is HOST:PORT, or HOST:PORT/CODE, got {asked[:80]!r}")
        self.code = code or secrets.token_hex(CODE_BYTES)
        bare = host.strip("[]")
        try:
            family = socket.getaddrinfo(bare, int(port), type=socket.SOCK_STREAM)[0][0]
            self._socket = socket.create_server((bare, int(port)), family=family)
        except (OSError, OverflowError) as error:
            raise BenchError(f"it cannot be listened at {place}: {error}") from error
        own = self._socket.getsockname()[1]
        everywhere = bare in ("0.0.0.0", "::")
        self.address = f"tcp://{socket.gethostname() if everywhere else host}:{own}/{self.code}"
        self._expects: Sender | None = None
        self._lock = threading.Lock()
        threading.Thread(target=self._accept, daemon=True).start()

    def expect(self, stream: Path) -> Sender:
        """The next who connects with the code sends this run; later ones are turned away."""
        sender = Sender(stream)
        with self._lock:
            self._expects = sender
        return sender

    def no_more(self) -> None:
        """Whoever has not connected by now comes too late."""
        with self._lock:
            self._expects = None

    def __enter__(self) -> Listener:
        return self

    def __exit__(self, *exc: object) -> None:
        with contextlib.suppress(OSError):  # wakes who waits in accept, else the port stays taken
            self._socket.shutdown(socket.SHUT_RDWR)
        self._socket.close()

    def _accept(self) -> None:
        with contextlib.suppress(OSError):  # closed
            while True:
                connection, _ = self._socket.accept()
                threading.Thread(target=self._take, args=(connection,), daemon=True).start()

    def _take(self, connection: socket.socket) -> None:
        with connection, contextlib.suppress(OSError):
            connection.settimeout(PATIENCE_S)
            source = connection.makefile("rb")
            said = source.readline(MOST_GREETING)
            if not secrets.compare_digest(said, GREETING + self.code.encode() + b"\n"):
                return
            with self._lock:
                sender, self._expects = self._expects, None
            if sender is None:
                return
            sender.connection = connection
            try:
                connection.settimeout(None)
                with sender.stream.open("wb", buffering=0) as target:
                    while piece := source.read1(PIECE):
                        target.write(piece)
            finally:
                sender.over.set()


def run_listened(
    listener: Listener,
    arm: Arm,
    stream: Path,
    variables: Mapping[str, str],
    timeout_s: float,
    tick: Callable[[float], Asked],
    other: OtherWork,
    ask: Callable[[], None],
) -> Ended:
    """Run an arm whose frames come over the network: its command, where it has one, starts the program elsewhere, else
    a person does, whom ``ask`` asks. It is over once the program closes its connection; the other arguments are those of
    :func:`run_subject`."""
    sender = listener.expect(stream)  # before anybody is asked: who connects earlier would be turned away
    began = time.monotonic()
    ended = Ended("complete", "", 0.0, "")
    try:
        if arm.command:
            ended = run_subject(arm, listener.address, variables, timeout_s, tick, other)
            if ended.outcome != "complete" or ended.detail:
                return ended
        else:
            ask()
        patience_s = ended.seconds + CONNECT_S if arm.command else timeout_s
        while not sender.over.wait(POLL_S):
            passed = time.monotonic() - began
            if passed > (timeout_s if sender.connection else patience_s):
                why = (
                    f"still sending after {passed:.0f} s"
                    if sender.connection
                    else f"nothing connected within {passed:.0f} s"
                )
                return Ended("hung", f"{why}, ended", passed, ended.output_tail)
            if asked := tick(passed):
                outcome = "skipped" if asked == "skip" else "complete"
                return Ended(outcome, f"ended by hand after {passed:.1f} s", passed, ended.output_tail)
        return Ended("complete", "", time.monotonic() - began, ended.output_tail, ended.other_work)
    finally:
        listener.no_more()
        sender.cut()
