"""What is sent twice under one key is done once, and answered alike."""

from datetime import timedelta

import pytest
from django.utils import timezone

from vigilant.formats import limits
from vigilant.server.books.models import Answered, RecorderToken
from vigilant.server.books.once import KEPT, LOST
from vigilant.server.entries import deciding
from vigilant.server.entries.models import Entry
from vigilant.server.jobs.sweeping import sweep_all

pytestmark = pytest.mark.django_db

ENTRIES = "/api/books/river/entries/"
CHANGE = {"title": "Reeds drawn once"}


def send(client, key="a key", body=CHANGE, path=ENTRIES):
    return client.post(path, body, HTTP_IDEMPOTENCY_KEY=key)


def test_the_same_again_is_the_same_answer(editor):
    first, again, other = send(editor), send(editor), send(editor, "another key")
    assert (first.status_code, again.status_code, again.json()) == (201, 201, first.json())
    assert (again.headers["Idempotency-Replayed"], "Idempotency-Replayed" in first.headers) == ("true", False)
    assert other.json()["number"] == 2
    assert [e.number for e in Entry.objects.order_by("number")] == [1, 2]


def test_a_key_is_for_one_thing_and_one_person(editor, people, client):
    send(editor)
    assert send(editor, body={"title": "Another"}).json()["code"] == "key-used"
    assert send(editor, path="/api/books/", body=CHANGE).json()["code"] == "key-used"
    client.force_login(people["owner"])
    assert client.post(ENTRIES, CHANGE, "application/json", HTTP_IDEMPOTENCY_KEY="a key").status_code == 201
    assert Entry.objects.count() == 2


def test_what_was_refused_is_looked_at_anew(editor, people, monkeypatch):
    assert send(editor, body={"title": ""}).status_code == 400
    assert send(editor).status_code == 201

    def away(*args, **kwargs):
        raise RuntimeError("cut off")

    with monkeypatch.context() as cut:
        cut.setattr(deciding, "open_entry", away)
        with pytest.raises(RuntimeError):
            send(editor, "second")
    assert send(editor, "second").status_code == 201


def test_what_is_still_being_done_is_not_begun_again(editor, people):
    send(editor)
    Answered.objects.update(status=None)
    assert send(editor).json()["code"] == "still-being-done"
    Answered.objects.update(at=timezone.now() - LOST - timedelta(seconds=1))
    assert send(editor).json()["code"] == "still-unsure"
    assert Entry.objects.count() == 1


@pytest.mark.parametrize("key", ["x" * 65, "t\u00e4glich", "a\x7fb"])
def test_a_key_has_its_limits(editor, key):
    assert send(editor, key).json()["code"] == "key-unreadable"
    assert not Entry.objects.exists()


def test_a_body_that_is_too_large_is_refused_as_without_a_key(editor):
    answer = send(editor, body={"title": "x" * (limits.BODY_BYTES + 1)})
    assert (answer.status_code, "are allowed" in answer.json()["detail"]) == (400, True)


def test_no_secret_is_kept_to_be_given_again(people, client):
    client.force_login(people["owner"])
    for _ in range(2):
        client.post("/api/books/river/tokens/", {"label": "x"}, "application/json", HTTP_IDEMPOTENCY_KEY="k")
    assert (RecorderToken.objects.count(), Answered.objects.count()) == (2, 0)


def test_answers_are_forgotten_after_a_day(editor):
    send(editor)
    Answered.objects.update(at=timezone.now() - KEPT - timedelta(seconds=1))
    send(editor, "newer")
    sweep_all()
    assert [a.key for a in Answered.objects.all()] == ["newer"]
