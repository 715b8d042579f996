"""A private MariaDB on loopback: Debian's server with a data directory of its own."""

from __future__ import annotations

import os
import pwd
import secrets
import shutil
import subprocess
import tempfile
import time
from pathlib import Path

import MySQLdb

from . import children
from .ports import free_port
from .private import kept_secret, write_private

START_S, STOP_S = 60.0, 120.0

#: The system user that Debian's own server runs as; script/setup makes it.
SYSTEM_USER = "mysql"


def _owner(directory: Path) -> str:
    """Whom root starts the server as: the system user where it is there and can reach the data, else root itself.
    "" for an ordinary user, who starts it as itself."""
    if os.geteuid() != 0:
        return ""
    try:
        pwd.getpwnam(SYSTEM_USER)
    except KeyError:
        return "root"
    reach = ["setpriv", "--reuid", SYSTEM_USER, "--clear-groups", "test", "-x", str(directory.resolve())]
    return SYSTEM_USER if subprocess.run(reach, check=False).returncode == 0 else "root"


def _give(owner: str, *paths: Path) -> None:
    """Make files and folders, with what is in them, the owner's."""
    for path in paths:
        for found in (path, *path.rglob("*")):
            shutil.chown(found, owner)


class DatabaseFailed(RuntimeError):
    """MariaDB did not start; the message holds the end of its log."""


def _server_binary() -> str:
    found = shutil.which("mariadbd") or shutil.which("mariadbd", path="/usr/sbin:/usr/local/sbin")
    if found is None:
        raise DatabaseFailed("mariadbd is not installed: run script/setup")
    return found


class MariaDB:
    """Start with :meth:`start`, end with :meth:`stop`; data stays in ``directory``."""

    name = user = "vigilant"

    def __init__(self, directory: Path, keeps_log: bool = False) -> None:
        """``keeps_log``: its own log of every change, by which a backup is brought up to any moment."""
        self.directory = directory
        self.keeps_log = keeps_log
        self.log = directory / "mariadb.log"
        self.port = 0
        self.password = ""
        self._process: subprocess.Popen[bytes] | None = None
        self._sockets: tempfile.TemporaryDirectory[str] | None = None

    def start(self) -> None:
        """Install the data directory if it is new, start, wait until it answers."""
        data = self.directory / "data"
        self.directory.mkdir(parents=True, exist_ok=True)
        owner = _owner(self.directory)
        as_root = [f"--user={owner}"] if owner else []
        if not (data / "mysql").is_dir():
            self._install(data, as_root)
        self.password = kept_secret(self.directory / "password")
        init = write_private(self.directory / "init.sql", self._accounts())
        self._sockets = tempfile.TemporaryDirectory(prefix="vl-")
        if owner:
            _give(owner, init, data, Path(self._sockets.name))
        self.port = self.port or free_port()  # started again it answers at the same place
        self._process = children.start(
            [
                _server_binary(), "--no-defaults", *(["--user=root"] if owner == "root" else []), f"--datadir={data}", f"--port={self.port}",
                "--bind-address=127.0.0.1", "--skip-name-resolve", f"--socket={self._sockets.name}/s",
                f"--pid-file={self._sockets.name}/pid", f"--tmpdir={self._sockets.name}", "--max-allowed-packet=64M",
                "--character-set-server=utf8mb4", "--collation-server=utf8mb4_bin",
                "--innodb-buffer-pool-size=256M", "--innodb-log-file-size=128M", "--max-connections=400",
                *self._options(init),
            ],
            self.log,
            self._environment(),
            owner=owner if owner == SYSTEM_USER else "",
        )  # fmt: skip
        self._wait()

    def _environment(self) -> dict[str, str] | None:
        """Of the server's process; ours where nothing is said."""
        return None

    def _options(self, init: Path) -> list[str]:
        """Of the server's start line, what is not the same for all; ``init``: the file of the accounts."""
        log = ["--log-bin=changes", "--binlog-format=ROW", "--sync-binlog=1"] if self.keeps_log else ["--skip-log-bin"]
        return [f"--init-file={init}", *log]

    def _accounts(self) -> str:
        """The one account that is needed, with rights on the project's schema and the tests' own; every other,
        which the installation makes for each name of the host, is dropped, and root has a password nobody keeps."""
        schemas = (self.name, f"test\\_{self.name}", f"test\\_{self.name}\\_%")
        grants = "".join(f"GRANT ALL ON `{schema}`.* TO '{self.user}'@'127.0.0.1';\n" for schema in schemas)
        return (
            f"CREATE DATABASE IF NOT EXISTS {self.name} CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;\n"
            f"CREATE OR REPLACE USER '{self.user}'@'127.0.0.1' IDENTIFIED BY '{self.password}';\n"
            f"{grants}"
            + (f"GRANT BINLOG REPLAY, RELOAD ON *.* TO '{self.user}'@'127.0.0.1';\n" if self.keeps_log else "")
            + f"DELETE FROM mysql.global_priv WHERE NOT (User = '{self.user}' AND Host = '127.0.0.1')"
            " AND NOT (User IN ('root', 'mariadb.sys') AND Host = 'localhost');\n"
            "FLUSH PRIVILEGES;\n"
            f"ALTER USER 'root'@'localhost' IDENTIFIED BY '{secrets.token_hex(24)}';\n"
        )

    def _install(self, data: Path, as_root: list[str]) -> None:
        data.mkdir(parents=True)
        # A server that starts clears its folder for temporary tables: each has one of its own, or it would
        # clear another's. The install script does not quote the directory when it changes its owner: a link without spaces does.
        with tempfile.TemporaryDirectory(prefix="vl-") as short:
            link = Path(short) / "data"
            link.symlink_to(data.resolve())
            if as_root:
                _give(as_root[0].removeprefix("--user="), data, Path(short))
            command = [
                "mariadb-install-db", "--no-defaults", *as_root, f"--datadir={link}",
                "--auth-root-authentication-method=normal", "--skip-test-db", f"--tmpdir={short}",
            ]  # fmt: skip
            done = subprocess.run(command, capture_output=True, text=True, check=False)
        if done.returncode != 0:
            shutil.rmtree(data, ignore_errors=True)
            raise DatabaseFailed(
                f"the database could not be set up in {data}:\n{done.stdout[-600:]}{done.stderr[-600:]}"
            )

    def _wait(self) -> None:
        assert self._process is not None
        until = time.monotonic() + START_S
        while time.monotonic() < until:
            if self._process.poll() is not None:
                raise DatabaseFailed(f"MariaDB ended with {self._process.returncode}:\n{children.tail(self.log)}")
            try:
                MySQLdb.connect(
                    host="127.0.0.1", port=self.port, user=self.user, password=self.password, database=self.name
                ).close()
                return
            except MySQLdb.Error:
                time.sleep(0.05)
        self.stop()
        raise DatabaseFailed(f"MariaDB did not answer within {START_S:.0f} s:\n{children.tail(self.log)}")

    def kill(self) -> None:
        """End it as a power cut would (for tests of durability)."""
        if self._process is not None:
            self._process.kill()
            self._process.wait()
        if self._sockets is not None:
            self._sockets.cleanup()

    @property
    def pid(self) -> int:
        """The server's process; 0 where none was started."""
        return 0 if self._process is None else self._process.pid

    def running(self) -> bool:
        return self._process is not None and self._process.poll() is None

    def environment(self) -> dict[str, str]:
        """The variables that settings.py reads."""
        return {
            "VIGILANT_DB_HOST": "127.0.0.1",
            "VIGILANT_DB_PORT": str(self.port),
            "VIGILANT_DB_NAME": self.name,
            "VIGILANT_DB_USER": self.user,
            "VIGILANT_DB_PASSWORD": self.password,
        }

    def stop(self) -> None:
        if self._process is not None:
            children.stop(self._process, STOP_S, kill=False)
        if self._sockets is not None:
            self._sockets.cleanup()
