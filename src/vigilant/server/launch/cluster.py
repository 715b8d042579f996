"""A whole cluster on loopback, each host by its ports: three database nodes, two web hosts, two worker hosts, a Redis with its
replica and three sentinels, and nginx with TLS in front. ``script/cluster`` kills it part by part.
"""

from __future__ import annotations

import os
import random
import secrets
import ssl
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator, Mapping
from contextlib import ExitStack
from pathlib import Path

import httpx
import redis

from . import children, serve
from .galera import Node, Proxy
from .ports import free_port
from .redis import MASTER, Redis, Sentinel

NODES, WEBS, WORKERS, SENTINELS = 3, 2, 2, 3
NAME = "localhost"
START_S = 180.0
UVICORN = (
    "uvicorn", "vigilant.server.asgi:application", "--host", "127.0.0.1", "--lifespan", "off", "--timeout-graceful-shutdown", "3",
    "--log-level", "critical", "--no-server-header", "--proxy-headers", "--forwarded-allow-ips", "127.0.0.1",
)  # fmt: skip
CELERY = (
    "celery", "-A", "vigilant.server.worker", "worker", "-P", "threads", "-c", "2", "--without-gossip", "--without-mingle",
    "--loglevel", "warning",
)  # fmt: skip


class ClusterFailed(RuntimeError):
    """What did not come up, and the end of its log."""


class Process:
    """A program of one host that is started again as it was."""

    def __init__(self, log: Path, environment: Mapping[str, str], *command: str) -> None:
        self.log, self.environment, self.command = log, environment, command
        self.child: subprocess.Popen[bytes] | None = None

    def start(self) -> None:
        self.child = children.start(self.command, self.log, self.environment)

    def kill(self) -> None:
        if self.child is not None:
            self.child.kill()
            self.child.wait()

    def stop(self) -> None:
        if self.child is not None:
            children.stop(self.child, 8.0)


class Cluster:
    """Start with :meth:`start`; :meth:`kill` ends a part by SIGKILL, what it yields starts it again; end with :meth:`stop`.

    ``parts``: what can be killed. ``web`` and the like are one of the hosts' by chance, ``node written to`` is where the
    proxies lead to, ``redis`` is the master of the moment.
    """

    parts = ("node written to", "node", "web", "worker", "redis", "sentinel", "proxy")

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self._started = ExitStack()
        # Apart, where the database's own user can go through to its data, which are for itself alone.
        data = Path(self._started.enter_context(tempfile.TemporaryDirectory(prefix="vl-nodes-")))
        data.chmod(0o711)
        password = secrets.token_hex(16)
        self.nodes = [Node(data / f"node{i}", f"node{i}", password) for i in range(1, NODES + 1)]
        for node in self.nodes:
            node.among = self.nodes
        hosts = [f"web{i}" for i in range(1, WEBS + 1)] + [f"work{i}" for i in range(1, WORKERS + 1)]
        self.proxies = {host: Proxy(folder / host, host) for host in hosts}
        first = Redis(folder / "redis1", password)
        self.queues = [first, Redis(folder / "redis2", password, replica_of=first)]
        self.sentinels = [Sentinel(folder / f"sentinel{i}", password, first) for i in range(1, SENTINELS + 1)]
        self.password = password
        self.processes: dict[str, Process] = {}
        self.ports = {f"web{i}": free_port() for i in range(1, WEBS + 1)}
        self.front_port, self.plain_port = free_port(), free_port()

    @property
    def url(self) -> str:
        return f"https://{NAME}:{self.front_port}"

    @property
    def certificate(self) -> Path:
        """Whom recorders believe."""
        return self.folder / "tls" / "certificate.pem"

    def environment(self, host: str) -> dict[str, str]:
        """Of every process of a host."""
        sentinels = ";".join(f"sentinel://:{self.password}@127.0.0.1:{sentinel.port}" for sentinel in self.sentinels)
        return {
            **{k: v for k, v in os.environ.items() if not k.startswith("VIGILANT_")},
            **self.proxies[host].environment(self.nodes[0]),
            "VIGILANT_REDIS": sentinels,
            "VIGILANT_REDIS_MASTER": MASTER,
            "VIGILANT_PRODUCTION": "1",
            "VIGILANT_PROXIES": "1",
            "VIGILANT_HOSTS": f"{NAME},127.0.0.1",
            "VIGILANT_SECRET_KEY": self.password * 2,
            "VIGILANT_VAR": str(self.folder / host / "var"),
            "VIGILANT_SIGNING_KEY": str(self.folder / "signing-key"),
            "DJANGO_SETTINGS_MODULE": "vigilant.server.settings",
        }

    def start(self) -> None:
        for part in (*self.queues, *self.sentinels):
            part.start()
            self._started.callback(part.stop)
        first, *others = self.nodes
        self._start_node(first, new=True)
        for host, proxy in self.proxies.items():
            proxy.start(self.nodes, list(self.proxies.values()))
            self._started.callback(proxy.stop)
            (self.folder / host / "var").mkdir(exist_ok=True)
        # The tables are made while there is one node: each change of a table would wait for all.
        self.manage("web1", "from django.core.management import call_command\ncall_command('migrate', verbosity=0)")
        for node in others:
            self._start_node(node)
        for host, port in self.ports.items():
            self._process(host, *UVICORN, "--port", str(port))
        for i in range(1, WORKERS + 1):
            self._process(f"work{i}", *CELERY, "-n", f"work{i}@rehearsal")
        self._front()
        self.waited(self.answers, "the cluster answers at its front")

    def _start_node(self, node: Node, new: bool = False) -> None:
        node.start(new)
        self._started.callback(node.stop)

    def _process(self, host: str, *command: str) -> None:
        made = Process(self.folder / host / f"{command[0]}.log", self.environment(host), sys.executable, "-m", *command)
        self.processes[host] = made
        made.start()
        self._started.callback(made.stop)

    def _front(self) -> None:
        certificate, key = serve.own_certificate(self.folder / "tls", NAME)
        host = serve.Host(
            NAME, str(certificate), str(key), root=self.folder / "front", http_port=self.plain_port, https_port=self.front_port,
            asked=tuple(f"127.0.0.1:{port}" for port in self.ports.values()),
        )  # fmt: skip
        serve.write(host, serve.new_secrets())
        front = children.start(
            ["nginx", "-c", serve.proxy_alone(host, self.folder / "front")], self.folder / "front" / "nginx.log"
        )
        self._started.callback(children.stop, front, 8.0)

    def manage(self, host: str, code: str) -> str:
        """Python with Django set up, run as on a host; what it prints."""
        done = subprocess.run(
            [sys.executable, "-c", f"import django; django.setup()\n{code}"], env=self.environment(host), capture_output=True,
            text=True, check=False,
        )  # fmt: skip
        if done.returncode:
            raise ClusterFailed(done.stderr[-2000:])
        return done.stdout

    def answers(self) -> bool:
        try:
            trusted = ssl.create_default_context(cafile=str(self.certificate))
            return httpx.get(f"{self.url}/api/ready/", verify=trusted, timeout=10).is_success
        except (httpx.HTTPError, OSError):
            return False

    @staticmethod
    def waited(done: Callable[[], bool], what: str, seconds: float = START_S) -> None:
        until = time.monotonic() + seconds
        while not done():
            if time.monotonic() > until:
                raise ClusterFailed(f"not within {seconds:.0f} s: {what}")
            time.sleep(0.02)

    def writer(self) -> Node:
        """The node that is written to."""
        told = next(name for name in self._led_to() if name)
        return next(node for node in self.nodes if node.node == told)

    def _led_to(self) -> Iterator[str]:
        until = time.monotonic() + START_S
        while time.monotonic() < until:
            for proxy in self.proxies.values():
                yield proxy.leads_to(self.nodes[0])
        raise ClusterFailed("no proxy leads to a node")

    def master(self) -> Redis:
        """The Redis that is asked now."""
        for sentinel in self.sentinels:
            try:
                asked = redis.Redis(port=sentinel.port, password=self.password, socket_timeout=2, decode_responses=True)
                told = asked.execute_command("SENTINEL", "GET-MASTER-ADDR-BY-NAME", MASTER)
            except redis.RedisError:
                continue
            return next(queue for queue in self.queues if queue.port == int(told[1]))
        raise ClusterFailed("no sentinel answers")

    def kill(self, part: str, rng: random.Random) -> tuple[str, Callable[[], None]]:
        """End a part as a power cut would; its name, and what starts it again and waits until it is in place."""
        if part in ("node written to", "node"):
            writer = self.writer()
            node = writer if part == "node written to" else rng.choice([n for n in self.nodes if n is not writer])
            node.kill()
            return node.node, node.start
        if part in ("web", "worker"):
            hosts = list(self.ports) if part == "web" else [h for h in self.processes if h not in self.ports]
            host = rng.choice(hosts)
            self.processes[host].kill()
            return host, self.processes[host].start
        if part == "redis":
            queue = self.master()
            queue.kill()
            return queue.directory.name, lambda: self._redis_again(queue)
        if part == "sentinel":
            sentinel = rng.choice(self.sentinels)
            sentinel.kill()
            return sentinel.directory.name, sentinel.start
        name = rng.choice(list(self.proxies))
        proxy = self.proxies[name]
        proxy.kill()
        return f"proxy of {name}", lambda: proxy.start(self.nodes, list(self.proxies.values()))

    def _redis_again(self, queue: Redis) -> None:
        """It comes back as the replica of whoever took its place, which the sentinels tell it."""
        self.waited(lambda: self.master() is not queue, f"another Redis than {queue.directory.name} is master")
        queue.start()
        asked = redis.Redis(port=queue.port, password=self.password)
        self.waited(lambda: asked.info("replication")["role"] == "slave", f"{queue.directory.name} follows the other")

    def stop(self) -> None:
        self._started.close()
