"""What a test of the server finds, unless its module shares a book (standing.py)."""

import pytest

from server.standing import QUICK_HASHES, doors, of_module  # noqa: F401


@pytest.fixture(autouse=True)
def quick_hashes(settings):
    settings.PASSWORD_HASHERS = QUICK_HASHES


_own = doors("function")
book, people, token, recorder = _own.book, _own.people, _own.token, _own.recorder
editor, owner = _own.editor, _own.owner
