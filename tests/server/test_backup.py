"""Backups: of one moment while others write, to the bit, written once, sealed, brought up to any moment by the database's log."""

import io
import threading
from contextlib import closing
from datetime import datetime

import MySQLdb
import pytest
from django.conf import settings
from django.core.management import CommandError, call_command
from django.db import connection
from rest_framework.test import APIClient

from vigilant.server.books.models import Book, LogLine, RecorderToken
from vigilant.server.field.models import Session
from vigilant.server.field.receiving import receive
from vigilant.server.launch.mariadb import MariaDB
from vigilant.server.upkeep import backup, kept

from .delivering import deliver, recording
from .field_sessions import session


@pytest.fixture
def empty(django_db_blocker):
    """A schema of the tests' server that holds nothing; its name."""
    name = f"{settings.DATABASES['default']['NAME']}_restored"
    with connection.cursor() as cursor:
        cursor.execute(f"DROP DATABASE IF EXISTS `{name}`")
        cursor.execute(f"CREATE DATABASE `{name}` CHARACTER SET utf8mb4 COLLATE utf8mb4_bin")
    yield name
    with connection.cursor() as cursor:
        cursor.execute(f"DROP DATABASE `{name}`")


@pytest.fixture
def filled(transactional_db):
    """A book with runs, sessions of the field and what is hard to write down."""
    book = Book.objects.create(slug="river", name="Lanternfall \U0001f3ee «ß» 'quoted' \\ \x7f")
    _, text = RecorderToken.issue(book, "workbench")
    key, _ = RecorderToken.issue(book, "devices", RecorderToken.Scope.FIELD)
    recorder = APIClient(headers={"Authorization": f"Bearer {text}"})
    deliver(recorder, recording(), {"before": 12.0, "after": 10.0})
    for _ in range(3):
        receive(key, session())
    LogLine.write("nothing", '%s %(x)s \n\t "', book=book)
    return book, key


def tables(of):
    return {table.name: (table.rows, table.digest, table.create) for table in of.tables}


def test_what_is_restored_is_the_same_to_the_bit(filled, empty, tmp_path):
    folder = kept.Folder(tmp_path)
    made, written = backup.back_up(folder)
    assert made.rows > 100
    assert written.pieces == len(made.pieces)
    backup.check(folder, made)
    backup.restore(folder, backup.read(folder, backup.newest(folder)), empty)
    again, written = backup.back_up(folder, empty)
    assert tables(again) == tables(made)
    assert written.pieces == 0  # the same pieces: the rows are the same bytes
    assert {"books_book", "runs_framechunk", "field_session", "django_migrations"} <= tables(made).keys()


def test_only_what_is_new_is_written_and_what_nobody_needs_goes(filled, tmp_path):
    _, key = filled
    folder = kept.Folder(tmp_path)
    first, _ = backup.back_up(folder)
    receive(key, session())
    second, written = backup.back_up(folder)
    changed = {name for name, told in tables(second).items() if told != tables(first)[name]}
    assert "field_session" in changed
    assert "runs_framechunk" not in changed
    assert 0 < written.pieces <= 2 * len(changed)
    assert backup.drop_all_but(folder, 1)[0] == 1
    assert folder.lists() == [second.name]
    assert set(folder.pieces()) == second.pieces
    backup.check(folder, second)


def test_a_backup_is_of_one_moment_while_others_write(filled, tmp_path):
    """Pairs are written in one transaction each: no backup holds half a pair."""
    over = threading.Event()

    def write():
        n = 0
        with closing(backup._connection()) as own:
            cursor = own.cursor()
            while not over.is_set():
                n += 1
                for table in ("vl_first", "vl_second"):  # far apart in the order that tables are read in
                    cursor.execute(f"INSERT INTO {table} VALUES ({n}, REPEAT('x', 2000))")
                own.commit()

    with connection.cursor() as cursor:
        for table in ("vl_first", "vl_second"):
            cursor.execute(f"CREATE OR REPLACE TABLE {table} (id INT PRIMARY KEY, body TEXT)")
    writer = threading.Thread(target=write)
    writer.start()
    try:
        found = []
        while len(found) < 5:
            made = tables(backup.back_up(kept.Folder(tmp_path))[0])
            assert made["vl_first"][:2] == made["vl_second"][:2]
            found.append(made["vl_first"][0])
    finally:
        over.set()
        writer.join()
        with connection.cursor() as cursor:
            cursor.execute("DROP TABLE vl_first, vl_second")
    assert found[0] < found[-1]


def test_a_database_that_holds_something_is_not_written_into(filled, tmp_path):
    folder = kept.Folder(tmp_path)
    made, _ = backup.back_up(folder)
    with pytest.raises(backup.RestoreRefused, match="tables already"):
        backup.restore(folder, made)
    assert Session.objects.count() == 3


@pytest.mark.parametrize("harm", ["cut", "gone", "other"])
def test_a_piece_that_is_not_what_it_was_stops_the_restore_and_leaves_nothing(filled, empty, tmp_path, harm):
    folder = kept.Folder(tmp_path)
    made, _ = backup.back_up(folder)
    piece = next(table for table in made.tables if table.name == "runs_framechunk").pieces[0]
    path = tmp_path / kept.PIECES / piece[:2] / piece
    if harm == "cut":
        path.write_bytes(path.read_bytes()[:-20])
    elif harm == "gone":
        path.unlink()
    else:
        path.write_bytes(kept.zstandard.compress(b"something else"))
    for look in (lambda: backup.check(folder, made), lambda: backup.restore(folder, made, empty)):
        with pytest.raises(kept.BackupBroken, match=piece):
            look()
    with connection.cursor() as cursor:
        cursor.execute(f"SHOW TABLES IN `{empty}`")
        assert not cursor.fetchall()


def test_a_sealed_backup_tells_nothing_without_its_key(filled, empty, tmp_path):
    book, _ = filled
    key_file, other = tmp_path / "key", tmp_path / "other"
    at = tmp_path / "sealed"
    out = io.StringIO()
    call_command("backup", at, new_key=key_file, stdout=out)
    assert "new, " in out.getvalue()
    assert key_file.stat().st_mode & 0o077 == 0
    assert not [p for p in at.rglob("*") if p.is_file() and b"river" in p.read_bytes()]
    kept.new_key(other)
    for keys in ({}, {"key": other}):
        with pytest.raises(CommandError, match="seal"):
            call_command("backup", at, check=True, **keys)
        with pytest.raises(CommandError, match="seal"):
            call_command("backup", at, **keys)
    with pytest.raises(CommandError, match="File exists"):
        call_command("backup", at, new_key=key_file)
    folder = kept.Folder(at, kept.read_key(key_file))
    backup.restore(folder, backup.read(folder, backup.newest(folder)), empty)
    with connection.cursor() as cursor:
        cursor.execute(f"SELECT name FROM `{empty}`.books_book")
        assert cursor.fetchone()[0] == book.name


@pytest.mark.parametrize("text", ["", "short", "not base64 !!!", "a" * 44])
def test_what_is_no_key_is_said(tmp_path, text):
    (tmp_path / "key").write_text(text)
    if text == "a" * 44:  # 33 bytes
        text += "="
    with pytest.raises(kept.BackupBroken, match="holds no key"):
        kept.read_key(tmp_path / "key")


def test_nothing_there_and_two_at_once_are_said(filled, tmp_path):
    with pytest.raises(CommandError, match="there is no backup"):
        call_command("restore", tmp_path)
    with pytest.raises(CommandError, match="--until needs --log"):
        call_command("restore", tmp_path, until="2026-01-01 00:00:00")
    with (tmp_path / "lock").open("w") as held:
        import fcntl

        fcntl.flock(held, fcntl.LOCK_EX)
        with pytest.raises(CommandError, match="another backup is being made"):
            call_command("backup", tmp_path)


class Server:
    """A MariaDB of its own that keeps a log."""

    def __init__(self, folder):
        self.folder = folder
        self.database = MariaDB(folder, keeps_log=True)
        self.database.start()

    def use(self, monkeypatch):
        for name, value in {
            "HOST": "127.0.0.1", "PORT": str(self.database.port), "USER": "vigilant", "PASSWORD": self.database.password, "NAME": "vigilant",
        }.items():  # fmt: skip
            monkeypatch.setitem(settings.DATABASES["default"], name, value)

    def run(self, *statements):
        with closing(
            MySQLdb.connect(
                host="127.0.0.1",
                port=self.database.port,
                user="vigilant",
                password=self.database.password,
                database="vigilant",
            )
        ) as own:
            cursor = own.cursor()
            for statement in statements:
                cursor.execute(statement)
            own.commit()
            return cursor.fetchall()


@pytest.fixture
def servers(tmp_path):
    made = [Server(tmp_path / "first"), Server(tmp_path / "second")]
    yield made
    for server in made:
        server.database.stop()


def test_a_backup_is_brought_up_to_any_moment_by_the_databases_log(servers, tmp_path, monkeypatch):
    first, second = servers
    first.use(monkeypatch)
    first.run(
        "CREATE TABLE kept (id BIGINT AUTO_INCREMENT PRIMARY KEY, at DATETIME(6), x DOUBLE, body BLOB, text TEXT, told JSON, i INT, d DATE, u UUID)",
        "INSERT INTO kept VALUES (NULL, '2026-11-27 20:00:00.123456', 0.1, x'00FF0A27', '1e5', '{\"a\": 1}', -7, '2026-01-02', UUID())",
        "INSERT INTO kept VALUES (0, NULL, -1.7976931348623157e308, '', '', NULL, 2147483647, NULL, NULL)",
    )
    folder = kept.Folder(tmp_path / "backups")
    made, _ = backup.back_up(folder)
    assert made.log_file
    first.run("INSERT INTO kept (text) VALUES ('after the backup')")
    first.run("FLUSH BINARY LOGS", "INSERT INTO kept (text) VALUES ('in the next file')")
    # The log knows whole seconds: the mistake is made in a later one.
    ((good,),) = first.run("SELECT SLEEP(1.1)", "SELECT UTC_TIMESTAMP()")
    first.run("DELETE FROM kept")
    logs = sorted((tmp_path / "first" / "data").glob("changes.0*"))
    assert len(logs) > 1

    second.use(monkeypatch)
    out = io.StringIO()
    call_command("restore", folder.path, log=logs, until=good.strftime("%Y-%m-%d %H:%M:%S"), stdout=out)
    assert "was done again until" in out.getvalue()
    rows = second.run("SELECT text, x, body, i, told, at FROM kept ORDER BY id")
    assert [row[0] for row in rows] == ["1e5", "", "after the backup", "in the next file"]
    assert rows[0][1:] == (0.1, b"\x00\xff\n'", -7, '{"a": 1}', datetime(2026, 11, 27, 20, 0, 0, 123456))
    assert rows[1][1] == -1.7976931348623157e308

    with pytest.raises(backup.RestoreRefused, match="not among the files"):
        backup.go_on(made, logs[-1:])
    with pytest.raises(backup.RestoreRefused, match="YYYY-MM-DD"):
        backup.go_on(made, logs, "yesterday")
    monkeypatch.setitem(settings.DATABASES["default"], "NAME", "other")
    with pytest.raises(backup.RestoreRefused, match="speaks of the schema vigilant"):
        backup.go_on(made, logs)
