"""A book with its people and token, and a client that speaks as a recorder does."""

import pytest
from django.contrib.auth import get_user_model
from rest_framework.test import APIClient

from vigilant.server.books.models import Book, Member, RecorderToken


@pytest.fixture(autouse=True)
def quick_hashes(settings):
    """Passwords are hashed a million times in earnest; here once will do."""
    settings.PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]


@pytest.fixture
def book(db):
    return Book.objects.create(slug="river", name="River")


@pytest.fixture
def people(book):
    """One user per role."""
    made = {}
    for role in Member.Role.values:
        made[role] = get_user_model().objects.create_user(role, password="lantern light")
        Member.objects.create(book=book, user=made[role], role=role)
    return made


@pytest.fixture
def token(book):
    return RecorderToken.issue(book, "recorder")[1]


@pytest.fixture
def recorder(token):
    client = APIClient()
    client.credentials(HTTP_AUTHORIZATION=f"Bearer {token}")
    return client


@pytest.fixture
def editor(people):
    client = APIClient()
    client.force_login(people["editor"])
    return client
