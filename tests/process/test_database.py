"""The private database lets nobody in without a password, and gives the project its own schema only."""

import contextlib
import subprocess
import tempfile
from pathlib import Path

import MySQLdb
import pytest

from vigilant.server.launch import mariadb

ONLY = {("root", "localhost"), ("mariadb.sys", "localhost"), ("vigilant", "127.0.0.1")}


def _connected(server, socket):
    while True:
        try:
            return MySQLdb.connect(unix_socket=socket, database="mysql")
        except MySQLdb.OperationalError:
            assert server.poll() is None, "the server ended"


@contextlib.contextmanager
def without_grants(directory):
    """The same data with no rights asked for, on a socket alone: to see every account there is."""
    with tempfile.TemporaryDirectory(prefix="vl-") as short:
        owner = [f"--user={name}"] if (name := mariadb._owner(directory)) else []
        if owner:
            mariadb._give(name, Path(short))
        server = subprocess.Popen(
            [mariadb._server_binary(), "--no-defaults", *owner, f"--datadir={directory / 'data'}", f"--socket={short}/s",
             f"--pid-file={short}/pid", f"--tmpdir={short}", "--skip-grant-tables", "--skip-networking"],
            stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
        )  # fmt: skip
        try:
            yield _connected(server, f"{short}/s")
        finally:
            server.terminate()
            server.wait()


def test_every_account_needs_a_password(tmp_path):
    database = mariadb.MariaDB(tmp_path / "db")
    database.start()
    database.stop()
    with without_grants(tmp_path / "db") as open_:
        cursor = open_.cursor()
        cursor.execute("SELECT User, Host FROM mysql.user")
        accounts = set(cursor.fetchall())
    assert accounts == ONLY
    database.start()
    try:
        doors = {"unix_socket": f"{database._sockets.name}/s"}, {"host": "127.0.0.1", "port": database.port}
        for user, _ in {*accounts, ("", ""), ("nobody", "")}:
            for door in doors:
                with pytest.raises(MySQLdb.OperationalError) as refused:
                    MySQLdb.connect(user=user, **door)
                assert refused.value.args[0] in (1045, 4151), (user, door)
        cursor = MySQLdb.connect(user=database.user, password=database.password, **doors[1]).cursor()
        for statement in ("SELECT User FROM mysql.user", "CREATE DATABASE other", "CREATE USER x"):
            with pytest.raises(MySQLdb.OperationalError, match="denied"):
                cursor.execute(statement)
    finally:
        database.stop()
