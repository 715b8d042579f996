"""A database of several nodes, each with all data: MariaDB's Galera, on loopback; and the proxy that leads a host to one of them.

One node is written to at a time, as the proxies agree among themselves: a row that is locked on one node is not on another.
"""

from __future__ import annotations

import csv
import io
import os
import shutil
import socket
import subprocess
import time
from collections.abc import Mapping, Sequence
from functools import partial
from pathlib import Path
from string import Template
from typing import Any

import MySQLdb

from . import children
from .mariadb import DatabaseFailed, MariaDB
from .ports import free_port
from .private import write_private
from .serve import TEMPLATES

PROVIDER = "/usr/lib/galera/libgalera_smm.so"
#: Where script/setup puts the scripts that bring a node that comes new up to the others, where Debian's server is not installed.
SCRIPTS = Path(__file__).resolve().parents[4] / "var" / "galera" / "usr" / "bin"
#: A node that comes new is given all data first.
JOIN_S = 180.0
PROXY_START_S = 60.0


def wsrep(
    own: str, among: Sequence[str], name: str, names: Sequence[str], provider: str = "gcache.size=512M"
) -> dict[str, str]:
    """What makes a server a node, by the names of its settings.

    ``own`` and ``among`` are addresses with the port, unless it is the usual one; ``names`` are all nodes' in the order in which
    proxies choose them: who gives data to one that comes back waits meanwhile, so the likeliest to be written to is asked last.
    """
    return {
        "binlog_format": "ROW",
        "innodb_autoinc_lock_mode": "2",
        "wsrep_on": "ON",
        "wsrep_provider": PROVIDER,
        "wsrep_cluster_name": "vigilant",
        "wsrep_cluster_address": "gcomm://" + ",".join(among),
        "wsrep_node_name": name,
        "wsrep_node_address": own,
        "wsrep_sst_method": "rsync",
        "wsrep_sst_donor": ",".join([*(other for other in reversed(names) if other != name), ""]),
        "wsrep_provider_options": provider,
    }


def as_file(settings: Mapping[str, str]) -> str:
    """As lines of a file of MariaDB's."""
    return "\n".join(f'{name} = "{value}"' for name, value in settings.items())


class Node(MariaDB):
    """One node. The first is started with ``new``: it begins the cluster that the others join."""

    def __init__(self, directory: Path, name: str, password: str) -> None:
        super().__init__(directory)
        self.node = name
        self.password = password
        self.among: Sequence[Node] = ()
        self.new = False
        # All of them known before any node runs: proxies and nodes name each other.
        self.port, self.talks, self.catches_up, self.receives = (free_port() for _ in range(4))

    @property
    def address(self) -> str:
        return f"127.0.0.1:{self.talks}"

    @property
    def scripts(self) -> Path:
        return self.directory / "scripts"

    def start(self, new: bool = False) -> None:
        self.new = new
        self.directory.mkdir(parents=True, exist_ok=True)
        write_private(self.directory / "password", self.password)
        if SCRIPTS.is_dir():  # beside the data: the database's own user need not reach a home
            shutil.copytree(SCRIPTS, self.scripts, dirs_exist_ok=True)
        super().start()

    def _options(self, init: Path) -> list[str]:
        provider = (
            f"base_port={self.talks};gmcast.listen_addr=tcp://{self.address};"
            f"ist.recv_addr=127.0.0.1:{self.catches_up};gcache.size=256M"
        )
        settings = wsrep(
            self.address, [node.address for node in self.among], self.node, [node.node for node in self.among], provider
        )
        options = [f"--{name.replace('_', '-')}={value}" for name, value in settings.items()]
        options += ["--skip-log-bin", f"--wsrep-sst-receive-address=127.0.0.1:{self.receives}"]
        # The accounts are made once: what a node says in its own file, all would be told again.
        return [*options, "--wsrep-new-cluster", f"--init-file={init}"] if self.new else options

    def _environment(self) -> dict[str, str]:
        return {
            **os.environ,
            "PATH": os.pathsep.join((os.environ.get("PATH", ""), str(self.scripts), "/usr/sbin", "/sbin")),
        }

    def _wait(self) -> None:
        until = time.monotonic() + JOIN_S
        while not self.synced():
            if not self.running():
                raise DatabaseFailed(f"node {self.node} ended:\n{children.tail(self.log, 30)}")
            if time.monotonic() > until:
                self.stop()
                raise DatabaseFailed(
                    f"node {self.node} has not joined within {JOIN_S:.0f} s:\n{children.tail(self.log, 30)}"
                )
            time.sleep(0.05)

    def synced(self) -> bool:
        """Whether it has all that was written, and most of the nodes see each other."""
        return self.status("wsrep_ready") == "ON" and self.status("wsrep_local_state") == "4"

    def status(self, name: str) -> str:
        """What the node says of itself under this name; "" where it does not answer."""
        try:
            return str(self.asked(f"SHOW GLOBAL STATUS LIKE '{name}'", column=1))
        except MySQLdb.Error:
            return ""

    def asked(self, query: str, port: int = 0, column: int = 0) -> Any:
        """The first row's value of a query asked as the server's account, of this node or through a proxy's ``port``. Raises MySQLdb.Error."""
        line = MySQLdb.connect(
            host="127.0.0.1", port=port or self.port, user=self.user, password=self.password, database=self.name,
            connect_timeout=2, read_timeout=20,
        )  # fmt: skip
        try:
            with line.cursor() as cursor:
                cursor.execute(query)
                return cursor.fetchone()[column]
        finally:
            line.close()


class Proxy:
    """HAProxy of one host: everything on it asks the database at this proxy's port."""

    def __init__(self, directory: Path, name: str) -> None:
        self.directory, self.name = directory, name
        self.port, self.peer = free_port(), free_port()
        self.log, self._socket = directory / "haproxy.log", directory / "socket"
        self._process: subprocess.Popen[bytes] | None = None

    def start(self, nodes: Sequence[Node], proxies: Sequence[Proxy]) -> None:
        binary = shutil.which("haproxy", path=os.environ.get("PATH", "") + ":/usr/sbin:/usr/local/sbin")
        if binary is None:
            raise DatabaseFailed("haproxy is not installed: run script/setup --tests")
        self.directory.mkdir(parents=True, exist_ok=True)
        account = write_private(
            self.directory / "asks.cnf", f"[client]\nuser={nodes[0].user}\npassword={nodes[0].password}\n"
        )
        check = self.directory / "node-is-synced"
        check.write_text(Template((TEMPLATES / "node-is-synced").read_text()).substitute(account=account))
        check.chmod(0o700)
        values = {
            "port": str(self.port),
            "socket": str(self._socket),
            "run_as": "",
            "check": str(check),
            "peers": "\n".join(f"  peer {p.name} 127.0.0.1:{p.peer}" for p in proxies),
            "nodes": "\n".join(f"  server {n.node} 127.0.0.1:{n.port} check" for n in nodes),
        }
        made = write_private(
            self.directory / "haproxy.cfg", Template((TEMPLATES / "haproxy.cfg").read_text()).substitute(values)
        )
        self._process = children.start([binary, "-db", "-L", self.name, "-f", str(made)], self.log)
        until = time.monotonic() + PROXY_START_S
        while not self.leads_to(nodes[0]):
            if self._process.poll() is not None or time.monotonic() > until:
                raise DatabaseFailed(f"the proxy of {self.name} does not answer:\n{children.tail(self.log)}")
            time.sleep(0.05)

    def leads_to(self, node: Node) -> str:
        """The name of the node that it leads to now; "" where to none. ``node``: any, whose account is asked with."""
        try:
            return str(node.asked("SELECT @@wsrep_node_name", self.port))
        except MySQLdb.Error:
            return ""

    def sees(self, node: Node) -> bool:
        """Whether it takes this node for one that could be led to."""
        with socket.socket(socket.AF_UNIX) as line:
            line.connect(str(self._socket))
            line.sendall(b"show stat\n")
            told = b"".join(iter(partial(line.recv, 65536), b"")).decode().removeprefix("# ")
        return any(row["svname"] == node.node and row["status"] == "UP" for row in csv.DictReader(io.StringIO(told)))

    def environment(self, node: Node) -> dict[str, str]:
        """The variables that settings.py reads on this proxy's host."""
        return {**node.environment(), "VIGILANT_DB_PORT": str(self.port), "VIGILANT_DB_WAIT": "1"}

    def kill(self) -> None:
        if self._process is not None:
            self._process.kill()
            self._process.wait()

    def stop(self) -> None:
        if self._process is not None:
            children.stop(self._process, 5.0)
