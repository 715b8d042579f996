"""The whole database, as it was at one moment, into a folder; and out of it into an empty one, to the bit.

Values are taken as the database writes them and given back as they are: nothing is rounded, nothing depends on what a version of the
program makes of a row. Rows are cut into pieces by their keys, so that what did not change makes the same piece again and is not written.
"""

from __future__ import annotations

import hashlib
import re
import subprocess
from collections.abc import Iterable, Iterator, Sequence
from contextlib import closing
from dataclasses import asdict, dataclass, field
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import msgpack
import MySQLdb
import orjson
from django.conf import settings
from MySQLdb.cursors import Cursor, SSCursor

from .kept import NAMED, BackupBroken, Folder

FORM = 1
#: A piece ends at about every so many rows, or when it holds so many bytes.
ROWS, BYTES = 256, 8 << 20
#: Bytes of values written in one statement: quoted, they stay below what a server takes.
AT_ONCE = 4 << 20

PLAIN = re.compile(rb"[0-9A-Za-z.:+ -]*")

Row = tuple[bytes | None, ...]


class RestoreRefused(Exception):
    """A database that cannot take a backup; the message says why."""


@dataclass(frozen=True)
class Table:
    """``digest`` is over every row in the order of the key."""

    name: str
    create: str
    columns: list[str]
    rows: int
    digest: str
    pieces: list[str]


@dataclass(frozen=True)
class Backup:
    """What is in a backup. The database's own log goes on from ``log_file`` at ``log_position`` ("" where it keeps none)."""

    name: str
    made_at: str
    database: str
    log_file: str
    log_position: int
    tables: list[Table] = field(default_factory=list)
    vigilant_backup: int = FORM

    @property
    def rows(self) -> int:
        return sum(table.rows for table in self.tables)

    @property
    def pieces(self) -> set[str]:
        return {piece for table in self.tables for piece in table.pieces}


@dataclass
class Written:
    pieces: int = 0
    bytes: int = 0


def _connection(name: str | None = None, **options: Any) -> Any:
    """One of its own, that hands values over as the database writes them."""
    told = settings.DATABASES["default"]
    return MySQLdb.connect(
        host=told["HOST"], port=int(told["PORT"]), user=told["USER"], password=told["PASSWORD"], database=name or told["NAME"],
        charset="utf8mb4", conv={}, use_unicode=False, **options,
    )  # fmt: skip


def _all(cursor: Cursor, statement: str) -> list[Any]:
    cursor.execute(statement)
    return list(cursor.fetchall())


def back_up(folder: Folder, name: str | None = None) -> tuple[Backup, Written]:
    """Read everything at one moment, while others go on writing."""
    now, written = datetime.now(UTC), Written()
    with closing(_connection(name)) as connection:
        cursor = connection.cursor()
        cursor.execute("SET SESSION TRANSACTION ISOLATION LEVEL REPEATABLE READ")
        cursor.execute("SET SESSION wait_timeout = 86400, net_write_timeout = 3600")
        cursor.execute("START TRANSACTION WITH CONSISTENT SNAPSHOT, READ ONLY")
        at = dict(_all(cursor, "SHOW STATUS LIKE 'binlog_snapshot_%'"))
        schema = _all(cursor, "SELECT DATABASE(), VERSION()")[0]
        names = [row[0].decode() for row in _all(cursor, "SHOW FULL TABLES WHERE Table_type = 'BASE TABLE'")]
        tables = [_table(connection, cursor, table, folder, written) for table in sorted(names)]
        connection.rollback()
    made = Backup(
        now.strftime(NAMED), now.isoformat(), f"{schema[0].decode()} of MariaDB {schema[1].decode()}",
        at.get(b"Binlog_snapshot_file", b"").decode(), int(at.get(b"Binlog_snapshot_position") or 0), tables,
    )  # fmt: skip
    folder.put_list(made.name, orjson.dumps(asdict(made), option=orjson.OPT_INDENT_2))
    return made, written


def _table(connection: Any, cursor: Cursor, name: str, folder: Folder, written: Written) -> Table:
    create = _all(cursor, f"SHOW CREATE TABLE {_quoted(name)}")[0][1].decode()
    columns = [row[0].decode() for row in _all(cursor, f"SHOW COLUMNS FROM {_quoted(name)}")]
    keys = [row[4].decode() for row in _all(cursor, f"SHOW INDEX FROM {_quoted(name)} WHERE Key_name = 'PRIMARY'")]
    digest, count, pieces = hashlib.blake2b(digest_size=32), 0, []
    at = [columns.index(key) for key in keys]
    for rows in _pieces(_rows(connection, name, columns, keys), at):
        packed = packed_rows(rows)
        digest.update(packed)
        count += len(rows)
        piece, size = folder.put(packed)
        written.pieces, written.bytes = written.pieces + (size > 0), written.bytes + size
        pieces.append(piece)
    return Table(name, create, columns, count, digest.hexdigest(), pieces)


def packed_rows(rows: Iterable[Row]) -> bytes:
    """Rows one after the other, however they were cut."""
    return b"".join(msgpack.packb(row, use_bin_type=True) for row in rows)


def _rows(connection: Any, table: str, columns: Sequence[str], keys: Sequence[str]) -> Iterator[Row]:
    order = f" ORDER BY {', '.join(map(_quoted, keys))}" if keys else ""
    with closing(connection.cursor(SSCursor)) as cursor:
        cursor.execute(f"SELECT {', '.join(map(_quoted, columns))} FROM {_quoted(table)}{order}")
        yield from cursor


def _pieces(rows: Iterable[Row], keys: Sequence[int]) -> Iterator[list[Row]]:
    """Cut where a row's own key says so: a row more or less changes the piece that it is in, and no other."""
    piece: list[Row] = []
    size = 0
    for row in rows:
        piece.append(row)
        size += sum(len(value) for value in row if value is not None)
        told = hashlib.blake2b(b"\0".join(row[at] or b"" for at in keys), digest_size=4).digest()
        if int.from_bytes(told, "big") % ROWS == 0 or size > BYTES:
            yield piece
            piece, size = [], 0
    if piece:
        yield piece


def _quoted(name: str) -> str:
    return f"`{name.replace('`', '``')}`"


def read(folder: Folder, name: str) -> Backup:
    """Raises :class:`BackupBroken` for what is no backup."""
    try:
        told = orjson.loads(folder.get_list(name))
        if told.get("vigilant_backup") != FORM:
            raise BackupBroken(f"the backup {name} is of the form {told.get('vigilant_backup')!r}; {FORM} is read")
        return Backup(**{**told, "tables": [Table(**table) for table in told["tables"]]})
    except (orjson.JSONDecodeError, TypeError, KeyError, AttributeError) as error:
        raise BackupBroken(f"the backup {name} was altered: {error}") from None


def newest(folder: Folder) -> str:
    found = folder.lists()
    if not found:
        raise BackupBroken(f"there is no backup in {folder.path}")
    return found[-1]


def check(folder: Folder, backup: Backup) -> None:
    """Read every piece and hold it against what was noted. Raises :class:`BackupBroken`."""
    for table in backup.tables:
        digest, count = hashlib.blake2b(digest_size=32), 0
        for rows in _read_pieces(folder, table):
            digest.update(packed_rows(rows))
            count += len(rows)
        if (digest.hexdigest(), count) != (table.digest, table.rows):
            raise BackupBroken(f"the table {table.name} of {backup.name} is not what was written")


def _read_pieces(folder: Folder, table: Table) -> Iterator[list[Row]]:
    for piece in table.pieces:
        unpacking = msgpack.Unpacker(max_buffer_size=1 << 31, use_list=False)
        unpacking.feed(folder.get(piece))
        yield list(unpacking)


def drop_all_but(folder: Folder, keep: int) -> tuple[int, int]:
    """Forget all but the newest backups, and the pieces that none of these has; how many, and the bytes that are free now."""
    names = folder.lists()
    for name in names[:-keep]:
        folder.drop_list(name)
    used: set[str] = set().union(*(read(folder, name).pieces for name in folder.lists()))
    free = sum(folder.drop(piece) for piece in list(folder.pieces()) if piece not in used)
    return max(0, len(names) - keep), free


def restore(folder: Folder, backup: Backup, name: str | None = None) -> None:
    """Into an empty schema: tables as they were, rows as they were, then read again and held against the backup. What went wrong
    leaves it empty. Raises :class:`RestoreRefused` and :class:`BackupBroken`."""
    with closing(_connection(name)) as connection:
        cursor = connection.cursor()
        if there := _all(cursor, "SHOW TABLES"):
            raise RestoreRefused(f"the database holds {len(there)} tables already; a backup goes into an empty one")
        cursor.execute("SET SESSION foreign_key_checks = 0, unique_checks = 0, sql_mode = 'NO_AUTO_VALUE_ON_ZERO'")
        try:
            for table in backup.tables:
                cursor.execute(table.create)
                for rows in _read_pieces(folder, table):
                    _insert(cursor, table, rows)
                    connection.commit()
            _held_against(connection, backup)
        except Exception:
            connection.rollback()
            for table in backup.tables:
                cursor.execute(f"DROP TABLE IF EXISTS {_quoted(table.name)}")
            raise


def _insert(cursor: Cursor, table: Table, rows: Sequence[Row]) -> None:
    columns = ", ".join(map(_quoted, table.columns))
    start = f"INSERT INTO {_quoted(table.name)} ({columns}) VALUES ".encode()
    values: list[bytes] = []
    size = 0
    for row in rows:
        one = b"(" + b",".join(map(_literal, row)) + b")"
        if values and size + len(one) > AT_ONCE:
            cursor.execute(start + b",".join(values))
            values, size = [], 0
        values.append(one)
        size += len(one)
    if values:
        cursor.execute(start + b",".join(values))


def _literal(value: bytes | None) -> bytes:
    """Numbers and times in quotes; anything else in hexadecimal digits, which nothing of a session can read otherwise."""
    if value is None:
        return b"NULL"
    return b"'" + value + b"'" if PLAIN.fullmatch(value) else b"x'" + value.hex().encode() + b"'"


def _held_against(connection: Any, backup: Backup) -> None:
    cursor = connection.cursor()
    for table in backup.tables:
        keys = [
            row[4].decode() for row in _all(cursor, f"SHOW INDEX FROM {_quoted(table.name)} WHERE Key_name = 'PRIMARY'")
        ]
        digest = hashlib.blake2b(digest_size=32)
        for row in _rows(connection, table.name, table.columns, keys):
            digest.update(packed_rows([row]))
        if digest.hexdigest() != table.digest:
            raise BackupBroken(f"the table {table.name} is not what was backed up, as it was read again")


def go_on(backup: Backup, logs: Sequence[Path], until: str = "") -> None:
    """Do again what the database's own log holds since the backup, up to a time (UTC, ``YYYY-MM-DD HH:MM:SS``) or its end."""
    if not backup.log_file:
        raise RestoreRefused("the backup knows no place in the database's log: it kept none (log_bin)")
    files = [path for path in sorted(logs) if path.name >= Path(backup.log_file).name]
    if not files or files[0].name != Path(backup.log_file).name:
        raise RestoreRefused(f"the log goes on in {backup.log_file}, which is not among the files")
    if until and not re.fullmatch(r"\d{4}-\d\d-\d\d \d\d:\d\d:\d\d", until):
        raise RestoreRefused(f"a time is written YYYY-MM-DD HH:MM:SS, got {until[:40]!r}")
    told = settings.DATABASES["default"]
    if backup.database.split()[0] != told["NAME"]:
        raise RestoreRefused(
            f"the log speaks of the schema {backup.database.split()[0]}, this one is called {told['NAME']}"
        )
    environment = {"MYSQL_PWD": told["PASSWORD"], "TZ": "UTC", "PATH": "/usr/bin:/bin"}
    read_log = [
        "mariadb-binlog",
        f"--database={told['NAME']}",
        f"--start-position={backup.log_position}",
        *([f"--stop-datetime={until}"] if until else []),
    ]
    client = ["mariadb", f"--host={told['HOST']}", f"--port={told['PORT']}", f"--user={told['USER']}", "--binary-mode"]
    with subprocess.Popen(
        [*read_log, *map(str, files)], stdout=subprocess.PIPE, stderr=subprocess.PIPE, env=environment
    ) as reading:
        done = subprocess.run(
            client, stdin=reading.stdout, capture_output=True, text=True, env=environment, check=False
        )
        said = reading.stderr.read().decode() if reading.stderr else ""
    if reading.returncode or done.returncode:
        raise RestoreRefused(f"the log could not be done again: {(said or done.stderr).strip()[:500]}")
