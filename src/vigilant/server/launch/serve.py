"""``script/serve``: Vigilant Ledger for a team, on one Debian machine: systemd, nginx with TLS, MariaDB, Redis.

Everything that is written to the machine is made from the templates in ``host/``; ``render`` writes the same to a folder, to be read first.
"""

from __future__ import annotations

import argparse
import os
import re
import secrets
import shutil
import socket
import subprocess
import sys
import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from pathlib import Path
from string import Template

from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import NameOID

from vigilant.formats import limits

from .private import write_private

TEMPLATES = Path(__file__).parent / "host"
CODE = Path(__file__).resolve().parents[4]
PACKAGES = ("mariadb-server", "redis-server", "nginx")
ACCOUNT = "vigilant"
SETTINGS = "etc/vigilant/server.env"
FIRST_PORT, REDIS_PORT = 8571, 6381
QUEUES = ("quick", "heavy")
START_S = 60.0
#: There where systemd runs the machine.
SYSTEMD = Path("/run/systemd/system")
#: What units with ProtectHome see nothing of.
HOMES = ("/home/", "/root/", "/run/user/")


class ServeFailed(RuntimeError):
    """What hinders, and what to do about it."""


@dataclass(frozen=True)
class Host:
    """What is to be on a machine. ``root`` is "/" but where it is only looked at."""

    name: str
    certificate: str
    key: str
    web: int = 2
    root: Path = Path("/")
    #: Where the web processes answer; on this machine, unless said.
    asked: tuple[str, ...] = ()
    #: Of a machine among several: the address its web processes are asked at, the proxy whose word on clients they take, the
    #: address of the queue, what it does, further lines of settings, and services beside its own.
    listen: str = "127.0.0.1"
    front: str = "127.0.0.1"
    redis: str = ""
    roles: tuple[str, ...] = ("web", "worker")
    more: str = ""
    local: tuple[str, ...] = ("mariadb.service", "redis-server@vigilant.service")
    code: Path = CODE
    http_port: int = 80
    https_port: int = 443
    first_port: int = FIRST_PORT
    db_port: int = 3306
    redis_port: int = REDIS_PORT
    state: str = "/var/lib/vigilant"
    run: str = "/run/vigilant"
    backups: str = "/var/backups/vigilant"

    @property
    def ports(self) -> list[int]:
        return [self.first_port + i for i in range(self.web)]

    @property
    def servers(self) -> tuple[str, ...]:
        return self.asked or tuple(f"127.0.0.1:{port}" for port in self.ports)

    @property
    def units(self) -> list[str]:
        """What the target starts."""
        web = [f"vigilant-web@{port}.service" for port in self.ports]
        workers = [f"vigilant-worker@{queue}.service" for queue in QUEUES]
        return [unit for role, of in (("web", web), ("worker", workers)) if role in self.roles for unit in of]

    def files(self, secret: Mapping[str, str]) -> dict[str, str]:
        """Every file by its path under ``root``."""
        values = {
            **secret,
            "host": self.name,
            "python": str(self.code / ".venv" / "bin" / "python"),
            "settings": f"/{SETTINGS}",
            "wants": " ".join((*self.local, *self.units)),
            "listen": self.listen,
            "front": self.front,
            "redis_address": self.redis or f"redis://:{secret['redis_password']}@127.0.0.1:{self.redis_port}/0",
            "redis_bind": "127.0.0.1",
            "replica": "",
            "more": self.more,
            "guards": (TEMPLATES / "systemd" / "guards").read_text().rstrip(),
            "servers": "\n".join(f"  server {place} max_fails=1 fail_timeout=2s;" for place in self.servers),
            "http_port": str(self.http_port),
            "https_port": str(self.https_port),
            "https_suffix": "" if self.https_port == 443 else f":{self.https_port}",
            "certificate": self.certificate,
            "key": self.key,
            "body_bytes": str(limits.BATCH_BYTES + 1024),
            "db_port": str(self.db_port),
            "redis_port": str(self.redis_port),
            "buffer_pool": buffer_pool(),
            "state": self.state,
            "run": self.run,
            "backups": self.backups,
        }
        places = {
            SETTINGS: "server.env",
            "etc/nginx/conf.d/vigilant.conf": "nginx.conf",
            "etc/redis/redis-vigilant.conf": "redis.conf",
            "etc/mysql/mariadb.conf.d/60-vigilant.cnf": "mariadb.cnf",
            **{
                f"etc/systemd/system/{one}": f"systemd/{one}"
                for one in (
                    "vigilant.target",
                    "vigilant-web@.service",
                    "vigilant-worker@.service",
                    "vigilant-backup.service",
                    "vigilant-backup.timer",
                )
            },
        }
        return {place: Template((TEMPLATES / name).read_text()).substitute(values) for place, name in places.items()}


def buffer_pool() -> str:
    """A quarter of the machine's memory."""
    mib = os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES") // 2**20
    return f"{max(256, mib // 4)}M"


def new_secrets() -> dict[str, str]:
    return {name: secrets.token_urlsafe(36) for name in ("secret_key", "db_password", "redis_password")}


def read_settings(path: Path) -> dict[str, str]:
    """The lines of a file of settings, as systemd reads them: ``NAME=value``, no quotes needed."""
    found = {}
    for number, line in enumerate(path.read_text().splitlines(), 1):
        line = line.strip()
        if not line or line.startswith("#"):
            continue
        name, told, value = line.partition("=")
        if not told or not name.replace("_", "").isalnum():
            raise ServeFailed(f"{path}, line {number}: NAME=value is wanted, got {line[:40]!r}")
        found[name] = value.strip().strip("'\"")
    return found


def write(host: Host, secret: Mapping[str, str]) -> list[Path]:
    """Write every file; those that hold secrets are their owner's alone. Settings that are there stay as they are."""
    written = []
    for place, text in host.files(secret).items():
        path = host.root / place
        if place == SETTINGS and path.exists():
            continue
        path.parent.mkdir(parents=True, exist_ok=True)
        if any(value in text for value in secret.values()):
            write_private(path, text)
        else:
            path.write_text(text)
        written.append(path)
    return written


def write_cluster(machines: Path, to: Path) -> list[Path]:
    """Each machine's files under its address; what holds secrets is its owner's alone. Secrets are made once and kept beside them."""
    from . import hosts

    told = hosts.read(machines)
    kept = to / "secrets.env"
    secret = {**new_secrets(), "tunnel": secrets.token_urlsafe(36), **(read_settings(kept) if kept.exists() else {})}
    to.mkdir(parents=True, exist_ok=True)
    write_private(kept, "".join(f"{name}={value}\n" for name, value in secret.items()))
    written = [kept]
    for address, of in hosts.files(told, secret).items():
        for place, text in of.items():
            path = to / address / place
            path.parent.mkdir(parents=True, exist_ok=True)
            if place == hosts.TUNNEL or any(value in text for value in secret.values()):
                write_private(path, text)
            else:
                path.write_text(text)
            if place.endswith("node-is-synced"):
                path.chmod(0o755)
            written.append(path)
    return written


def own_certificate(folder: Path, name: str, days: int = 90) -> tuple[Path, Path]:
    """A certificate that nobody vouches for, until there is one of the team's own."""
    certificate, key_file = folder / "certificate.pem", folder / "key.pem"
    if certificate.exists():
        return certificate, key_file
    folder.mkdir(parents=True, exist_ok=True)
    key = ec.generate_private_key(ec.SECP256R1())
    subject = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, name)])
    now = datetime.now(UTC)
    made = (
        x509.CertificateBuilder()
        .subject_name(subject).issuer_name(subject).public_key(key.public_key()).serial_number(x509.random_serial_number())
        .not_valid_before(now - timedelta(hours=1)).not_valid_after(now + timedelta(days=days))
        .add_extension(x509.SubjectAlternativeName([x509.DNSName(name)]), critical=False)
        .add_extension(x509.BasicConstraints(ca=True, path_length=0), critical=True)
        .sign(key, hashes.SHA256())
    )  # fmt: skip
    secret = key.private_bytes(
        serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, serialization.NoEncryption()
    )
    write_private(key_file, secret.decode())
    certificate.write_bytes(made.public_bytes(serialization.Encoding.PEM))
    return certificate, key_file


def proxy_alone(host: Host, folder: Path) -> str:
    """A file for an nginx of its own, with ours in it and everything it writes in ``folder``: for a rehearsal."""
    temporary = "".join(
        f"{what}_temp_path {folder}/{what};\n" for what in ("client_body", "proxy", "fastcgi", "uwsgi", "scgi")
    )
    user = "user root;" if os.geteuid() == 0 else ""
    text = (
        f"daemon off; {user} pid {folder}/nginx.pid; error_log {folder}/error.log warn; events {{}}\n"
        f"http {{ access_log off;\n{temporary} include {host.root}/etc/nginx/conf.d/vigilant.conf; }}\n"
    )
    return str(write_private(folder / "nginx.conf", text))


# -- on the machine


def _run(
    *command: str, as_account: bool = False, feed: str | None = None, environment: Mapping[str, str] | None = None
) -> None:
    before = ["setpriv", "--reuid", ACCOUNT, "--regid", ACCOUNT, "--clear-groups"] if as_account else []
    done = subprocess.run(
        [*before, *command], input=feed, text=True, env={**os.environ, **(environment or {})}, check=False
    )
    if done.returncode:
        raise ServeFailed(f"{' '.join(command[:4])} ended with {done.returncode}")


def _manage(*command: str) -> None:
    told = read_settings(Path("/") / SETTINGS)
    # Its folder is made when units start; what is done by hand counts nothing.
    told.pop("VIGILANT_METRICS", None)
    _run(
        str(CODE / ".venv" / "bin" / "python"), "-m", "django", *command, as_account=True,
        environment={**told, "DJANGO_SETTINGS_MODULE": "vigilant.server.settings"},
    )  # fmt: skip


def _ask_doctor() -> None:
    """Until all is well: workers need a moment to say that they are there. Raises :class:`ServeFailed` where it stays wrong."""
    until = time.monotonic() + START_S
    while True:
        try:
            return _manage("doctor")
        except ServeFailed:
            if time.monotonic() > until:
                raise
            time.sleep(2)


def _as_root() -> None:
    if os.geteuid() != 0:
        raise ServeFailed("root is needed: it makes accounts, units and the database's account")
    if any(str(CODE).startswith(home) for home in HOMES):
        raise ServeFailed(
            f"the code lies in {CODE}, which the units may not read: move it out of homes, to /opt/vigilant"
        )
    if not SYSTEMD.is_dir():
        raise ServeFailed("systemd does not run this machine; 'render' writes what it would be given")


def install(host: Host, own: bool) -> None:
    """Packages, accounts, files, database; then start. Can be run again."""
    _as_root()
    had_redis = shutil.which("redis-server") is not None
    _run(
        "apt-get", "install", "-y", "-qq", "--no-install-recommends", *PACKAGES, environment={"DEBIAN_FRONTEND": "noninteractive"}
    )  # fmt: skip
    if not had_redis:  # the package starts one without a password; ours is another
        _run("systemctl", "disable", "--now", "redis-server")
    if subprocess.run(["id", ACCOUNT], capture_output=True, check=False).returncode:
        _run("useradd", "--system", "--home-dir", host.state, "--shell", "/usr/sbin/nologin", ACCOUNT)
    if own:
        own_certificate(Path(host.certificate).parent, host.name)
    settings = host.root / SETTINGS
    secret = _kept(settings) or new_secrets()
    if settings.exists() and host.name not in read_settings(settings).get("VIGILANT_HOSTS", "").split(","):
        raise ServeFailed(f"{settings} stays as it is and does not know {host.name}: add it to VIGILANT_HOSTS first")
    write(host, secret)
    shutil.chown(settings, "root", ACCOUNT)
    settings.chmod(0o640)
    shutil.chown(host.root / "etc/redis/redis-vigilant.conf", "redis", "redis")
    for folder in (host.state, host.backups):
        Path(folder).mkdir(mode=0o700, parents=True, exist_ok=True)
        shutil.chown(folder, ACCOUNT, ACCOUNT)
    _run("systemctl", "daemon-reload")
    _run("systemctl", "restart", "mariadb")
    _run("systemctl", "enable", "--now", "redis-server@vigilant")
    _run("mariadb", feed=accounts(secret["db_password"]))
    _manage("migrate", "--noinput")
    _run("nginx", "-t")
    _manage("backup")
    _run("systemctl", "enable", "--now", "vigilant.target", "vigilant-backup.timer")
    _run("systemctl", "reload-or-restart", "nginx")
    _wait(host.ports)
    _ask_doctor()


def _kept(settings: Path) -> dict[str, str]:
    """The secrets of an earlier installation."""
    if not settings.exists():
        return {}
    told = read_settings(settings)
    redis = told["VIGILANT_REDIS"].split(":")[2].split("@")[0]
    return {
        "secret_key": told["VIGILANT_SECRET_KEY"],
        "db_password": told["VIGILANT_DB_PASSWORD"],
        "redis_password": redis,
    }


def accounts(password: str, host: str = "127.0.0.1") -> str:
    """The schema, and the one account that may use it, from this host."""
    return (
        "CREATE DATABASE IF NOT EXISTS vigilant CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;\n"
        f"CREATE OR REPLACE USER 'vigilant'@'{host}' IDENTIFIED BY '{password}';\n"
        f"GRANT ALL ON vigilant.* TO 'vigilant'@'{host}';\n"
    )


def installed_ports(target: Path) -> list[int]:
    """The web processes that the target starts."""
    found = [int(port) for port in re.findall(r"vigilant-web@(\d+)\.service", target.read_text())]
    if not found:
        raise ServeFailed(f"{target} starts no web process: install first")
    return found


def upgrade() -> None:
    """The code that lies here now: tables first, then one web process after another, so that somebody always answers."""
    _as_root()
    _run("systemctl", "stop", *(f"vigilant-worker@{queue}" for queue in QUEUES))
    _manage("migrate", "--noinput")
    for port in installed_ports(Path("/etc/systemd/system/vigilant.target")):
        _run("systemctl", "restart", f"vigilant-web@{port}")
        _wait([port])
    _run("systemctl", "start", *(f"vigilant-worker@{queue}" for queue in QUEUES))
    _ask_doctor()


def _wait(ports: Sequence[int]) -> None:
    for port in ports:
        waited(lambda port=port: _answers(port), f"a web process on port {port}")  # type: ignore[misc]


def waited(done: Callable[[], bool], what: str, seconds: float = START_S) -> None:
    until = time.monotonic() + seconds
    while not done():
        if time.monotonic() > until:
            raise ServeFailed(f"{what} did not answer within {seconds:.0f} s: journalctl -u 'vigilant-*'")
        time.sleep(0.1)


def _answers(port: int) -> bool:
    with socket.socket() as probe:
        probe.settimeout(1)
        return probe.connect_ex(("127.0.0.1", port)) == 0


def main(arguments: Sequence[str] | None = None) -> int:
    parser = argparse.ArgumentParser(
        prog="script/serve", description="Vigilant Ledger for a team, on one Debian machine."
    )
    commands = parser.add_subparsers(dest="command", required=True)
    for name, what in (
        ("render", "write every file to a folder, to be read"),
        ("install", "install or renew it here, and start it"),
    ):
        one = commands.add_parser(name, help=what)
        one.add_argument("host", help="the name that people ask by")
        one.add_argument(
            "--certificate",
            help="file of the TLS certificate with its chain; without one a certificate of its own is made",
        )
        one.add_argument("--key", help="file of its key")
        one.add_argument(
            "--web",
            type=int,
            default=max(2, os.cpu_count() or 2),
            help="web processes (default: one a core, two at least)",
        )
        if name == "render":
            one.add_argument("--to", type=Path, required=True, help="the folder")
    cluster = commands.add_parser("cluster", help="write what lies on each of several machines to a folder")
    cluster.add_argument("machines", type=Path, help="file that says which there are (docs/operating.md)")
    cluster.add_argument("--to", type=Path, required=True, help="the folder")
    commands.add_parser("upgrade", help="go over to the code that lies here now")
    manage = commands.add_parser("manage", help="a command of the server: doctor, verify, book_out, backup")
    manage.add_argument("rest", nargs=argparse.REMAINDER)
    told = parser.parse_args(arguments)
    try:
        if told.command == "manage":
            _as_root()
            _manage(*told.rest)
        elif told.command == "upgrade":
            upgrade()
        elif told.command == "cluster":
            for path in write_cluster(told.machines, told.to):
                print(path)
        else:
            if bool(told.certificate) != bool(told.key):
                raise ServeFailed("--certificate and --key go together")
            own = not told.certificate
            host = Host(
                told.host, told.certificate or "/etc/vigilant/tls/certificate.pem", told.key or "/etc/vigilant/tls/key.pem", web=told.web,
                root=told.to if told.command == "render" else Path("/"),
            )  # fmt: skip
            if told.command == "install":
                install(host, own)
            else:
                for path in write(host, new_secrets()):
                    print(path)
    except (ServeFailed, OSError) as error:
        print(f"serve: {error}", file=sys.stderr)
        return 2
    return 0


if __name__ == "__main__":
    sys.exit(main())
