"""A private Redis on loopback: the queue of jobs. What it holds may be lost without losing work."""

from __future__ import annotations

import subprocess
import time
from pathlib import Path

import redis

from . import children
from .mariadb import free_port
from .private import kept_secret, write_private

START_S, STOP_S = 20.0, 10.0
#: Debian's tools carry the server's binary under another name; its own package would start one for the whole machine.
BINARY = "/usr/bin/redis-check-rdb"


class QueueFailed(RuntimeError):
    """Redis did not start; the message holds the end of its log."""


class Redis:
    """Start with :meth:`start`, end with :meth:`stop`; its data stays in ``directory``."""

    def __init__(self, directory: Path) -> None:
        self.directory = directory
        self.log = directory / "redis.log"
        self.port = 0
        self._process: subprocess.Popen[bytes] | None = None

    def start(self) -> None:
        self.directory.mkdir(parents=True, exist_ok=True)
        self.port = self.port or free_port()
        conf = self.directory / "redis.conf"
        text = (
            f"bind 127.0.0.1\nport {self.port}\nrequirepass {self.password}\nappendonly yes\nappendfsync everysec\n"
            'save ""\nmaxmemory 256mb\nmaxmemory-policy noeviction\ndaemonize no\n'
        )
        write_private(conf, text)
        if not Path(BINARY).exists():
            raise QueueFailed("Redis is not installed: run script/setup")
        self._process = children.start(
            ["sh", "-c", 'cd "$1" && exec "$2" ./redis.conf', "sh", str(self.directory), str(self._server())], self.log
        )
        until = time.monotonic() + START_S
        while time.monotonic() < until:
            if self._process.poll() is not None:
                raise QueueFailed(f"Redis ended with {self._process.returncode}:\n{children.tail(self.log)}")
            try:
                if redis.Redis(port=self.port, password=self.password).ping():
                    return
            except redis.RedisError:
                time.sleep(0.03)
        self.stop()
        raise QueueFailed(f"Redis did not answer within {START_S:.0f} s:\n{children.tail(self.log)}")

    def _server(self) -> Path:
        """The server under its own name, which is how the binary knows what it is."""
        link = self.directory / "redis-server"
        if not link.is_symlink():
            link.symlink_to(BINARY)
        return link.absolute()

    @property
    def password(self) -> str:
        return kept_secret(self.directory / "password")

    @property
    def pid(self) -> int:
        return 0 if self._process is None else self._process.pid

    def running(self) -> bool:
        return self._process is not None and self._process.poll() is None

    def environment(self) -> dict[str, str]:
        """The variable that settings.py reads."""
        return {"VIGILANT_REDIS": f"redis://:{self.password}@127.0.0.1:{self.port}/0"}

    def kill(self) -> None:
        """End it as a power cut would (for tests)."""
        if self._process is not None:
            self._process.kill()
            self._process.wait()

    def stop(self) -> None:
        if self._process is not None:
            children.stop(self._process, STOP_S)
