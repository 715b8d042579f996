"""What a server needs, looked at one by one: for the address that says whether it is ready, and for ``doctor``."""

from __future__ import annotations

import os
import shutil
import stat
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from pathlib import Path

import redis
from celery import Celery
from django.conf import settings
from django.db import DatabaseError, connection
from django.db.migrations.executor import MigrationExecutor

from vigilant.server import configuration
from vigilant.server.queue import client

from .kept import NAMED, Folder

#: A database, or a host's folder, with less than this left is said to run full.
LEAST_BYTES = 1 << 30
#: The oldest MariaDB that the tests have met.
LEAST_MARIADB = (10, 6)
#: A newest backup older than this is said to be.
OLDEST_BACKUP = timedelta(hours=50)
#: So long a queue's workers are waited for.
ANSWER_S = 2.0


@dataclass(frozen=True)
class Found:
    """One thing that was looked at: what was found, and how to mend it where that is needed ("" where all is well)."""

    what: str
    said: str
    mend: str = ""

    @property
    def good(self) -> bool:
        return not self.mend


Check = Callable[[], Found]


def database() -> Found:
    what = "database"
    try:
        with connection.cursor() as cursor:
            cursor.execute("SELECT VERSION(), @@character_set_server")
            version, _ = cursor.fetchone()
    except DatabaseError as error:
        said = f"no answer: {error.args[-1]}"
        return Found(what, said, "Start MariaDB; check VIGILANT_DB_HOST, _PORT, _NAME, _USER and _PASSWORD.")
    numbers = tuple(int(part) for part in version.split("-")[0].split(".")[:2])
    if numbers < LEAST_MARIADB:
        return Found(what, f"MariaDB {version}", f"MariaDB {'.'.join(map(str, LEAST_MARIADB))} or newer is needed.")
    return Found(what, f"MariaDB {version} at {settings.DATABASES['default']['HOST']}")


def migrations() -> Found:
    what = "tables"
    try:
        executor = MigrationExecutor(connection)
        left = executor.migration_plan(executor.loader.graph.leaf_nodes())
    except DatabaseError:
        return Found(what, "not known without the database", "See to the database first.")
    if left:
        return Found(
            what, f"{len(left)} migrations are not applied, the first {left[0][0]}", "Apply them: script/serve upgrade."
        )
    return Found(what, "as this version wants them")


def queue() -> Found:
    what = "queue"
    if not settings.REDIS:
        return Found(what, "none: each process does its jobs at once")
    try:
        asked = client(socket_timeout=ANSWER_S, socket_connect_timeout=ANSWER_S)
        policy = asked.config_get("maxmemory-policy")["maxmemory-policy"]
    except redis.RedisError as error:
        return Found(what, f"no answer: {error}", "Start Redis; check VIGILANT_REDIS. Jobs wait and are not lost.")
    if policy != "noeviction":
        return Found(
            what,
            f"Redis may drop what it holds (maxmemory-policy {policy})",
            "Set maxmemory-policy noeviction in its configuration.",
        )
    return Found(what, "Redis answers")


def workers() -> Found:
    """Somebody works on each queue."""
    what = "workers"
    if not settings.REDIS:
        return Found(what, "none are needed without a queue")
    try:
        asks = Celery("asks", broker=settings.REDIS, broker_transport_options=settings.CELERY_BROKER_TRANSPORT_OPTIONS)
        told = asks.control.inspect(timeout=ANSWER_S).active_queues() or {}
    except Exception as error:  # whatever the queue's client raises
        return Found(what, f"could not be asked: {error}", "See to the queue first.")
    names = {queue["name"] for queues in told.values() for queue in queues}
    idle = sorted(set(settings.QUEUES) - names)
    if idle:
        return Found(
            what,
            f"nobody works on the queue {' or '.join(idle)}",
            "Start the workers: systemctl start vigilant-worker@quick vigilant-worker@heavy.",
        )
    return Found(what, f"{len(told)} work on {', '.join(sorted(names))}")


def front_end() -> Found:
    built = (settings.WEB / "index.html").is_file()
    return Found("pages", f"in {settings.WEB}", "" if built else "The front end is not built: run script/setup.")


def hosts() -> Found:
    names = ", ".join(settings.ALLOWED_HOSTS)
    if "*" in settings.ALLOWED_HOSTS:
        return Found("names", names, "VIGILANT_HOSTS must list names: with * anybody's name is taken for ours.")
    if settings.PRODUCTION and not set(settings.ALLOWED_HOSTS) - {"127.0.0.1", "localhost"}:
        return Found("names", names, "VIGILANT_HOSTS must hold the name that people ask by.")
    return Found("names", names)


def mistyped() -> Found:
    found = configuration.unknown(list(os.environ))
    if found:
        return Found("settings", f"{', '.join(found)}: nothing reads this", "Compare the names with docs/settings.md.")
    return Found("settings", "every name is known")


def signing_key() -> Found:
    path, what = Path(settings.SIGNING_KEY), "signing key"
    if not path.exists():
        return Found(what, f"{path} is made when the first bundle is signed")
    if stat.S_IMODE(path.stat().st_mode) & 0o077:
        return Found(what, f"{path} can be read by others", f"chmod 600 {path}")
    return Found(what, f"{path}, for its owner alone")


def space() -> Found:
    var = settings.VAR
    free = shutil.disk_usage(var if var.exists() else "/").free
    said = f"{free / 2**30:.1f} GiB left at {var}"
    return Found("space", said, "" if free >= LEAST_BYTES else "Make room: a full disk stops the database.")


def backups() -> Found:
    what = "backups"
    if settings.BACKUPS is None:
        mend = (
            "Name a folder on another disk: VIGILANT_BACKUPS, and start vigilant-backup.timer."
            if settings.PRODUCTION
            else ""
        )
        return Found(what, "none are made", mend)
    names = Folder(settings.BACKUPS).lists()
    if not names:
        return Found(what, f"none yet in {settings.BACKUPS}", "Make the first: script/serve manage backup.")
    age = datetime.now(UTC) - datetime.strptime(names[-1], NAMED).replace(tzinfo=UTC)
    said = f"{len(names)} in {settings.BACKUPS}, the newest {age.total_seconds() / 3600:.0f} h old"
    return Found(
        what, said, "" if age < OLDEST_BACKUP else "systemctl status vigilant-backup.timer vigilant-backup.service"
    )


#: What the server cannot answer without.
READY: tuple[Check, ...] = (database, migrations, queue)
ALL: tuple[Check, ...] = (mistyped, hosts, database, migrations, queue, workers, front_end, signing_key, backups, space)


def look(checks: tuple[Check, ...] = ALL) -> Iterator[Found]:
    for check in checks:
        yield check()
