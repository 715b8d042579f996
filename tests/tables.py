"""Databases that have their tables already, as the migrations make them."""

import os
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path

from made_once import ROOT, copy_of

from vigilant.server.launch.mariadb import MariaDB

#: What Django calls the schema of the tests.
TESTS = "test_vigilant"


def with_tables(database: MariaDB) -> MariaDB:
    """The same database, before its first start, with every table in its own schema and in that of the tests."""
    version = subprocess.run(["mariadbd", "--version"], capture_output=True, text=True, check=True).stdout
    comes_from = [*ROOT.glob("src/vigilant/server/*/migrations/*.py"), ROOT / "requirements" / "dev.txt"]
    copy_of("tables", comes_from, _make, database.directory / "data", version)
    return database


def _make(folder: Path) -> None:
    with tempfile.TemporaryDirectory(prefix="vl-") as made:
        database = MariaDB(Path(made))
        database.start()
        try:
            _migrate(database)
        finally:
            database.stop()
        shutil.move(Path(made) / "data", folder)


def _migrate(database: MariaDB) -> None:
    environment = {
        **os.environ, **database.environment(), "DJANGO_SETTINGS_MODULE": "vigilant.server.settings", "VIGILANT_SECRET_KEY": "x"
    }  # fmt: skip
    subprocess.run([sys.executable, "-m", "django", "migrate", "--verbosity", "0"], env=environment, check=True)
    line = ["--no-defaults", "--host=127.0.0.1", f"--port={database.port}", f"--user={database.user}"]
    line.append(f"--password={database.password}")
    create = f"CREATE DATABASE {TESTS} CHARACTER SET utf8mb4 COLLATE utf8mb4_bin"
    subprocess.run(["mariadb", *line, "--execute", create], check=True)
    rows = subprocess.run(
        ["mariadb-dump", *line, "--single-transaction", database.name], stdout=subprocess.PIPE, check=True
    )
    subprocess.run(["mariadb", *line, TESTS], input=rows.stdout, check=True)
