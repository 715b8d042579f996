"""What is kept of a person is taken out whole; taken away, nothing says their name and nothing of a book is lost."""

import io
import json

import pytest
from django.apps import apps
from django.contrib.auth import get_user_model
from django.core.management import CommandError, call_command
from django.db import models
from rest_framework.test import APIClient

from server.standing import kept_recording
from vigilant.server.books import second_factor
from vigilant.server.books.models import JoinedAccount, LogLine, Member
from vigilant.server.entries.models import Decision
from vigilant.server.runs.models import Run
from vigilant.server.seals.services import faults_of

pytestmark = pytest.mark.django_db
RIVER = "/api/books/river/"
NAME = "wren.alder"
WHY = {"why": "The wrong scene was loaded."}


@pytest.fixture
def wren(book, recorder, owner):
    """Somebody who did everything that is sealed, signed in, and was got wrong once."""
    user = get_user_model().objects.create_user(
        NAME, "wren@lanternfall.example", "lantern light", first_name="Wren", last_name="Alder"
    )
    owner.post(f"{RIVER}members/", {"username": NAME, "role": "editor"})
    JoinedAccount.objects.create(user=user, issuer="https://accounts.example", subject="subject-of-wren")
    kept_recording(recorder)
    client = APIClient(HTTP_USER_AGENT="a browser of the river")
    assert client.post("/api/session/sign-in/", {"username": NAME, "password": "wrong"}).status_code == 403
    assert client.post("/api/session/sign-in/", {"username": NAME, "password": "lantern light"}).status_code == 200
    client.post(f"{RIVER}entries/1/decisions/", {"choice": "kept"})
    client.post(f"{RIVER}runs/aside/", {"runs": [str(Run.objects.first().pk)], "aside": True, **WHY})
    client.post(f"{RIVER}entries/1/withdrawals/", {"withdrawn": True, **WHY})
    second_factor.begin(user)
    LogLine.write("person added", "wren.alderman")  # another, whose name only begins so
    return client


def said_anywhere(words):
    """Rows whose text holds one of these words, over every table there is."""
    found = []
    for model in apps.get_models():
        fields = [
            f.name
            for f in model._meta.concrete_fields
            if isinstance(f, models.CharField | models.TextField | models.JSONField)
        ]
        for row in model._default_manager.all():
            told = {name: str(getattr(row, name)) for name in fields}
            found += [(model._meta.label, name, text) for name, text in told.items() if any(w in text for w in words)]
    return found


def test_everything_that_is_kept_is_taken_out_and_no_secret_is_in_it(wren):
    answer = wren.get("/api/session/kept/")
    assert answer["Content-Disposition"].startswith("attachment")
    kept = json.loads(answer.content)
    assert kept["account"]["username"] == NAME
    for label in (
        "books.Member",
        "books.PersonSession",
        "books.JoinedAccount",
        "entries.Decision",
        "runs.Run",
        "entries.Entry",
        "otp_totp.TOTPDevice",
    ):
        assert kept[label], label
    whats = {line["what"] for line in [*kept["books.LogLine"], *kept["lines of the log that say the name"]]}
    assert {"signed in", "sign-in failed", "role given", "decided"} <= whats
    user = get_user_model().objects.get(username=NAME)
    secrets = [user.password, user.totpdevice_set.get().key, user.sessions.get().session_key]
    assert not any(secret in answer.content.decode() for secret in secrets)
    assert "wren.alderman" not in answer.content.decode()
    assert APIClient().get("/api/session/kept/").status_code == 401


def test_what_happened_to_an_account_is_told_to_whose_it_is(wren, owner):
    told = wren.get("/api/session/happened/").json()
    assert [line["what"] for line in told] == ["signed in", "sign-in failed", "role given"]
    assert told[0]["address"] == "127.0.0.1"
    assert "wren.alderman" not in str(told)
    assert NAME not in str(
        [line for line in owner.get("/api/session/happened/").json() if line["what"] != "role given"]
    )
    assert APIClient().get("/api/session/happened/").status_code == 401


def test_a_person_who_is_taken_away_is_said_nowhere_and_the_seal_stays_whole(wren, book):
    user = get_user_model().objects.get(username=NAME)
    assert faults_of(book) == []
    before = Decision.objects.count(), LogLine.objects.filter(what="decided").count()
    out = io.StringIO()
    call_command("person_erase", NAME, confirm=NAME, stdout=out)
    name = f"somebody-{user.pk}"
    assert out.getvalue().startswith(f"{NAME} is {name} now")
    assert said_anywhere(["Alder", "subject-of-wren", "wren@", "a browser of the river"]) == []
    assert {text for *_, text in said_anywhere([NAME])} == {"wren.alderman"}
    assert faults_of(book) == []
    assert (Decision.objects.count(), LogLine.objects.filter(what="decided").count()) == before
    assert Decision.objects.get().decided_by.get_username() == name
    assert LogLine.objects.get(what="decided").by_name == name
    assert wren.get("/api/runs/").status_code == 401
    again = {"username": name, "password": "lantern light"}
    assert APIClient().post("/api/session/sign-in/", again).status_code == 403
    assert not LogLine.objects.filter(what="signed in", by=user).exclude(address="").exists()


def test_a_row_that_is_altered_after_the_name_went_is_still_found(wren, book):
    call_command("person_erase", NAME, confirm=NAME, stdout=io.StringIO())
    Decision.objects.update(choice="dropped")
    assert any("name taken off" in fault for fault in faults_of(book))


@pytest.mark.parametrize(
    ("name", "confirm", "said"),
    [
        ("nobody", "nobody", "Nobody is called 'nobody'"),
        (NAME, "wren", "Nothing was done: say --confirm wren.alder"),
        ("owner", "owner", "River: nobody else owns it"),
    ],
)
def test_what_hinders_it_is_said_and_nothing_is_done(wren, people, name, confirm, said):
    with pytest.raises(CommandError, match=said):
        call_command("person_erase", name, confirm=confirm)
    assert set(Member.objects.values_list("user__username", flat=True)) == {*people, NAME}
