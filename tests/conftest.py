"""Hypothesis repeatable; a private MariaDB for every test that needs the database."""

import signal
import tempfile
from pathlib import Path

import pytest
from hypothesis import settings

# Started in the background a shell has SIGINT ignored, and every child of ours would inherit that.
signal.signal(signal.SIGINT, signal.default_int_handler)

settings.register_profile("repeatable", derandomize=True, deadline=None)
settings.load_profile("repeatable")


@pytest.fixture(scope="session")
def mariadb():
    """Debian's server on loopback with fresh data, ended with the session."""
    from tables import with_tables

    from vigilant.server.launch.mariadb import MariaDB

    with tempfile.TemporaryDirectory(prefix="vl-test-") as directory:
        database = with_tables(MariaDB(Path(directory)))
        database.start()
        yield database
        database.stop()


@pytest.fixture(scope="session")
def django_db_keepdb():
    """The schema of the tests is there with its tables, and goes with its server."""
    return True


@pytest.fixture(scope="session")
def django_db_modify_db_settings_xdist_suffix():
    """None: each process of the tests has a server of its own."""


@pytest.fixture(scope="session")
def django_db_modify_db_settings(mariadb):
    from django.db import connections

    connections["default"].settings_dict.update(
        HOST="127.0.0.1", PORT=str(mariadb.port), USER=mariadb.user, PASSWORD=mariadb.password
    )
