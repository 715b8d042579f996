"""Who may ask what: every address of the API, with every method, asked by everybody there is. The matrix is docs/roles.md."""

import re
import uuid
from pathlib import Path

import pytest
from django.core.cache import cache
from drf_spectacular.generators import SchemaGenerator
from rest_framework.test import APIClient

from vigilant.bench.deliver import content_digest
from vigilant.server.books.models import Book, Member, RecorderToken
from vigilant.server.jobs.models import Job
from vigilant.server.runs.models import Recording, Run

from .delivering import deliver, recording

ROOT = Path(__file__).parents[2]
METHODS = ("get", "post", "put", "patch", "delete")
ASKERS = ("nobody", "stranger", "reader", "editor", "owner", "deliver", "read", "field")
#: Answered to whoever asks: how to sign in, and whether the server lives.
OPEN = {
    ("/api/health/", "get"),
    ("/api/ready/", "get"),
    ("/api/session/ways/", "get"),
    ("/api/session/sign-in/", "post"),
}
#: Asked with POST for what they ask for, and change nothing.
COMPUTED = {
    "/api/books/{book}/arms/",
    "/api/books/{book}/entries/{number}/evidence/if-free/",
    "/api/books/{book}/seal/",
}
HEAD = """# Who may ask what

Every address of the API with every method, as `tests/server/test_roles.py` asked it: by nobody (not signed in), by a stranger (signed in, no member of the book), by
members in each role, and with each sort of token of the book. ● is let in; what is not, gets 401, 403 or, where even its being there is not told, 404.
The test fails when this table is not what the server does, and writes what it is to `var/roles.md`.

"""


@pytest.fixture
def asked(db, django_user_model):
    """Everybody who could ask, and what there is to ask for."""
    book = Book.objects.create(slug="river", name="River")
    clients = {"nobody": APIClient()}
    for name in ("stranger", "reader", "editor", "owner"):
        user = django_user_model.objects.create_user(name)
        if name != "stranger":
            Member.objects.create(book=book, user=user, role=name)
        clients[name] = APIClient()
        clients[name].user = user
        clients[name].force_login(user)
    for scope in ("deliver", "read", "field"):
        _, text = RecorderToken.issue(book, scope, scope)
        clients[scope] = APIClient(headers={"Authorization": f"Bearer {text}"})
    deliver(clients["deliver"], recording(), {"before": 12.0, "after": 10.0})
    return clients, {
        "book": book.slug, "run_id": Run.objects.first().pk, "recording_id": Recording.objects.first().pk, "job_id": Job.objects.filter(book=book).first().pk,
    }  # fmt: skip


def filled(path, schema, there):
    """The address with what is there, and with what is not for the rest."""

    def value(match):
        name = match.group(1)
        of = next((p["schema"] for p in schema.get("parameters", ()) if p["name"] == name), {})
        missing = uuid.UUID(int=0) if of.get("format") == "uuid" else 0 if of.get("type") == "integer" else "x"
        return str(there.get(name, missing))

    return re.sub(r"{(\w+)}", value, path)


def let_in(who, client, method, address, schema):
    cache.clear()  # nobody is slowed down here
    body = {} if method == "get" else {"data": {}, "format": "json"}
    if kinds := [kind for kind in schema.get("requestBody", {}).get("content", {}) if kind != "application/json"]:
        body = {"data": b"", "content_type": kinds[0], "headers": {"Content-Digest": content_digest(b"")}}
    answer = getattr(client, method)(address, **body)
    if method == "delete" and address == "/api/session/" and hasattr(client, "user"):
        client.force_login(client.user)  # it signed out
    if answer.status_code in (401, 403):
        return answer.get("Content-Type") == "application/problem+json" and answer.json()["code"] == "sign-in-failed"
    return not (who == "stranger" and answer.status_code == 404)


def matrix(clients, there):
    found = {}
    for path, methods in SchemaGenerator().get_schema(public=True)["paths"].items():
        for method in METHODS:
            if method in methods:
                address = filled(path, methods[method], there)
                found[path, method] = tuple(
                    who for who in ASKERS if let_in(who, clients[who], method, address, methods[method])
                )
    return found


def as_table(found):
    lines = [f"| address | method | {' | '.join(ASKERS)} |", "|---|---|" + ":-:|" * len(ASKERS)]
    for (path, method), inside in found.items():
        marks = " | ".join("●" if who in inside else "" for who in ASKERS)
        lines.append(f"| `{path}` | {method.upper()} | {marks} |")
    return HEAD + "\n".join(lines) + "\n"


def test_everybody_is_let_in_where_the_matrix_says_and_nowhere_else(asked):
    clients, there = asked
    found = matrix(clients, there)
    assert len(found) > 150
    text = as_table(found)
    kept = ROOT / "docs" / "roles.md"
    if not kept.exists() or kept.read_text() != text:
        (ROOT / "var").mkdir(exist_ok=True)
        (ROOT / "var" / "roles.md").write_text(text)
    # What must hold whatever the table says.
    open_to_all = {what for what, inside in found.items() if "nobody" in inside}
    assert open_to_all == OPEN
    in_books = {what: inside for what, inside in found.items() if "{book}" in what[0]}
    assert [what for what, inside in in_books.items() if "stranger" in inside] == []
    assert {path for (path, method), inside in found.items() if method != "get" and "read" in inside} - COMPUTED == {
        "/api/session/",
        "/api/session/sign-in/",
    }
    assert {what[0] for what, inside in found.items() if "field" in inside} - {path for path, _ in OPEN} == {
        "/api/field/sessions/"
    }
    for what, inside in in_books.items():
        assert not ("reader" in inside and "editor" not in inside), what
        assert not ("editor" in inside and "owner" not in inside), what
    assert kept.exists(), "cp var/roles.md docs/roles.md"
    assert kept.read_text() == text, "another matrix than docs/roles.md: look at it, then cp var/roles.md docs/roles.md"
