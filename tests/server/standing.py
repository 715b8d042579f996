"""A book with its people and token, made anew for each test or once for a module: then what a test changes is undone."""

from types import SimpleNamespace

import pytest
from django.contrib.auth import get_user_model
from django.core.management import call_command
from django.test import override_settings
from rest_framework.test import APIClient

from server.delivering import deliver, recording
from vigilant.server.books.models import Book, Member, RecorderToken

#: Passwords are hashed a million times in earnest; here once will do.
QUICK_HASHES = ["django.contrib.auth.hashers.MD5PasswordHasher"]


def doors(scope):
    """The fixtures ``book``, ``people`` (one user per role), ``token``, ``recorder``, ``editor`` and ``owner``."""

    @pytest.fixture(scope=scope)
    def book(request):
        request.getfixturevalue("db" if scope == "function" else "of_module")
        return Book.objects.create(slug="river", name="River")

    @pytest.fixture(scope=scope)
    def people(book):
        made = {}
        for role in Member.Role.values:
            made[role] = get_user_model().objects.create_user(role, password="lantern light")
            Member.objects.create(book=book, user=made[role], role=role)
        return made

    @pytest.fixture(scope=scope)
    def token(book):
        return RecorderToken.issue(book, "recorder")[1]

    @pytest.fixture(scope=scope)
    def recorder(token):
        client = APIClient()
        client.credentials(HTTP_AUTHORIZATION=f"Bearer {token}")
        return client

    def signed_in(role):
        @pytest.fixture(scope=scope, name=role)
        def client_of(people):
            client = APIClient()
            client.force_login(people[role])
            return client

        return client_of

    return SimpleNamespace(
        book=book, people=people, token=token, recorder=recorder, editor=signed_in("editor"), owner=signed_in("owner")
    )


@pytest.fixture(scope="module")
def of_module(django_db_setup, django_db_blocker):
    """The database for what a whole module shares: committed, and gone with the module."""
    with django_db_blocker.unblock(), override_settings(PASSWORD_HASHERS=QUICK_HASHES):
        yield
        call_command("flush", verbosity=0, interactive=False)


def kept_recording(recorder, before=12.0, after=10.5, seed=1, frames=300, title=None):
    """A delivered recording of two arms and the entry that it became: its registration."""
    registered = recording()
    if title is not None:
        registered["plan"] = {**registered["plan"], "entry": {"title": title}}
    deliver(recorder, registered, {"before": before, "after": after}, seed, frames)
    assert recorder.post(f"/api/recordings/{registered['id']}/complete/").status_code == 200
    return registered
