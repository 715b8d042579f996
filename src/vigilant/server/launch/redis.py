"""A private Redis on loopback, and what watches one: the queue of jobs. What it holds may be lost without losing work."""

from __future__ import annotations

import subprocess
import time
from pathlib import Path

import redis

from . import children
from .ports import free_port
from .private import kept_secret, write_private

START_S, STOP_S = 20.0, 10.0
#: Debian's tools carry the server's binary under another name; its own package would start one for the whole machine.
BINARY = "/usr/bin/redis-check-rdb"
#: What sentinels call the Redis that they watch.
MASTER = "vigilant"


class QueueFailed(RuntimeError):
    """Redis did not start; the message holds the end of its log."""


class _Process:
    """Start with :meth:`start`, end with :meth:`stop`; its data stays in ``directory``. The binary knows by its name what it is."""

    name = "redis-server"

    def __init__(self, directory: Path, password: str = "") -> None:
        """``password`` where several have the same; else one is made and kept beside the data."""
        self.directory = directory
        self.log = directory / "redis.log"
        self.port = 0
        self._password = password
        self._written = False
        self._process: subprocess.Popen[bytes] | None = None

    def _configuration(self) -> str:
        raise NotImplementedError

    def start(self) -> None:
        self.directory.mkdir(parents=True, exist_ok=True)
        self.port = self.port or free_port()
        if not self._written:  # started again it goes by what it wrote there itself: whom it follows, who is master
            text = f"bind 127.0.0.1\nport {self.port}\nrequirepass {self.password}\ndaemonize no\n"
            write_private(self.directory / "redis.conf", text + self._configuration())
            self._written = True
        if not Path(BINARY).exists():
            raise QueueFailed("Redis is not installed: run script/setup")
        self._process = children.start(
            ["sh", "-c", 'cd "$1" && exec "$2" ./redis.conf', "sh", str(self.directory), str(self._binary())], self.log
        )
        until = time.monotonic() + START_S
        while time.monotonic() < until:
            if self._process.poll() is not None:
                raise QueueFailed(f"{self.name} ended with {self._process.returncode}:\n{children.tail(self.log)}")
            try:
                if redis.Redis(port=self.port, password=self.password).ping():
                    return
            except redis.RedisError:
                time.sleep(0.03)
        self.stop()
        raise QueueFailed(f"{self.name} did not answer within {START_S:.0f} s:\n{children.tail(self.log)}")

    def _binary(self) -> Path:
        link = self.directory / self.name
        if not link.is_symlink():
            link.symlink_to(BINARY)
        return link.absolute()

    @property
    def password(self) -> str:
        return self._password or kept_secret(self.directory / "password")

    @property
    def pid(self) -> int:
        return 0 if self._process is None else self._process.pid

    def running(self) -> bool:
        return self._process is not None and self._process.poll() is None

    def kill(self) -> None:
        """End it as a power cut would (for tests)."""
        if self._process is not None:
            self._process.kill()
            self._process.wait()

    def stop(self) -> None:
        if self._process is not None:
            children.stop(self._process, STOP_S)


class Redis(_Process):
    """The queue itself; ``replica_of`` another that it follows until the sentinels say otherwise."""

    def __init__(self, directory: Path, password: str = "", replica_of: Redis | None = None) -> None:
        super().__init__(directory, password)
        self.replica_of = replica_of

    def _configuration(self) -> str:
        text = 'appendonly yes\nappendfsync everysec\nsave ""\nmaxmemory 256mb\nmaxmemory-policy noeviction\n'
        text += f"masterauth {self.password}\n"
        return text + (f"replicaof 127.0.0.1 {self.replica_of.port}\n" if self.replica_of else "")

    def environment(self) -> dict[str, str]:
        """The variable that settings.py reads."""
        return {"VIGILANT_REDIS": f"redis://:{self.password}@127.0.0.1:{self.port}/0"}


class Sentinel(_Process):
    """One of those that agree on which Redis is master, and make another where it is gone."""

    name = "redis-sentinel"
    #: A Redis that said nothing for so long is taken for gone, if so many sentinels find so.
    GONE_S, QUORUM = 2.0, 2

    def __init__(self, directory: Path, password: str, master: Redis) -> None:
        super().__init__(directory, password)
        self.master = master

    def _configuration(self) -> str:
        return (
            f"sentinel monitor {MASTER} 127.0.0.1 {self.master.port} {self.QUORUM}\n"
            f"sentinel auth-pass {MASTER} {self.password}\nsentinel sentinel-pass {self.password}\n"
            f"sentinel down-after-milliseconds {MASTER} {1000 * self.GONE_S:.0f}\n"
            f"sentinel failover-timeout {MASTER} 10000\nsentinel parallel-syncs {MASTER} 1\n"
        )
