"""Who gets in, for how long, what is written down of it, and what every answer says to the browser."""

import re
from datetime import timedelta

import pytest
from django.test import Client
from django.utils import timezone
from rest_framework.test import APIClient

from server.delivering import deliver, recording
from vigilant.server.books.models import LogLine, Member, PersonSession, RecorderToken, SignInLink

pytestmark = pytest.mark.django_db


def log():
    return list(LogLine.objects.order_by("id").values_list("what", flat=True))


# -- the link


def test_a_link_says_who_it_is_for_and_signs_in_when_told_to(people):
    browser = Client(enforce_csrf_checks=True)
    secret = SignInLink.issue(people["editor"])
    page = browser.get(f"/sign-in/{secret}")
    assert (page.status_code, "editor" in page.content.decode()) == (200, True)
    assert browser.get("/api/session/").status_code == 401
    assert browser.post(f"/sign-in/{secret}").status_code == 403  # another site cannot say it
    token = re.search(r'name="csrfmiddlewaretoken" value="([^"]+)"', page.content.decode())[1]
    assert browser.post(f"/sign-in/{secret}", {"csrfmiddlewaretoken": token}).status_code == 302
    assert browser.get("/api/session/").json()["user"] == "editor"
    assert log()[-2:] == ["link issued", "signed in"]
    assert secret not in SignInLink.objects.get().hash


@pytest.mark.parametrize("why", ["wrong", "expired", "revoked", "the person left"])
def test_a_link_that_is_not_good_signs_nobody_in(why, people, client):
    secret = SignInLink.issue(people["editor"])
    if why == "wrong":
        secret = "x" * 5000
    elif why == "expired":
        assert SignInLink.objects.get().expires_at - timezone.now() <= timedelta(minutes=60)
        SignInLink.objects.update(expires_at=timezone.now())
    elif why == "revoked":
        SignInLink.objects.update(revoked_at=timezone.now())
    else:
        people["editor"].is_active = False
        people["editor"].save()
    for ask in (client.get, client.post):
        answer = ask(f"/sign-in/{secret}")
        assert (answer.status_code, "not good any more" in answer.content.decode()) == (403, True)
    assert client.get("/api/session/").status_code == 401


# -- names and passwords


def test_tries_that_fail_shut_the_door_for_that_name_and_address(people, settings):
    client = APIClient()

    def sign_in(password, address="10.0.0.1"):
        return client.post("/api/session/sign-in/", {"username": "reader", "password": password}, REMOTE_ADDR=address)

    for _ in range(settings.AXES_FAILURE_LIMIT - 1):
        assert sign_in("no").status_code == 403
    assert sign_in("no").status_code in (403, 429)
    locked = sign_in("lantern light")
    assert (locked.status_code, "quarter of an hour" in locked.json()["detail"]) == (429, True)
    assert sign_in("lantern light", "10.0.0.2").json()["books"][0]["role"] == "reader"
    assert "sign-in failed" in log()


@pytest.mark.parametrize("password", ["short", "edwardcullen", "123456789012"])
def test_weak_passwords_are_refused(password):
    from django.contrib.auth.password_validation import validate_password
    from django.core.exceptions import ValidationError

    with pytest.raises(ValidationError):
        validate_password(password)
    validate_password("lanterns over open water")


def test_a_session_ends_when_nothing_was_asked_for_so_long(people, settings):
    client = APIClient()
    client.force_login(people["reader"])
    client.get("/api/session/")
    session = PersonSession.objects.get()
    assert session.expire_date - timezone.now() <= timedelta(seconds=settings.SESSION_COOKIE_AGE)
    PersonSession.objects.update(expire_date=timezone.now())
    assert client.get("/api/session/").status_code == 401


# -- tokens


def by_token(text):
    client = APIClient()
    client.credentials(HTTP_AUTHORIZATION=f"Bearer {text}")
    return client


def test_a_token_expires_and_says_so(book):
    made, text = RecorderToken.issue(book, "old", days=1)
    assert by_token(text).get("/api/session/").status_code == 200
    RecorderToken.objects.update(expires_at=timezone.now() - timedelta(days=1))
    answer = by_token(text).get("/api/session/")
    assert (answer.status_code, "expired on" in answer.json()["detail"]) == (401, True)
    made.revoke()
    assert log() == ["token issued", "token revoked"]


def test_a_token_does_what_its_scope_says_and_never_decides(book, recorder):
    registered = recording()
    deliver(recorder, registered, {"before": 12.0, "after": 10.5})
    recorder.post(f"/api/recordings/{registered['id']}/complete/")
    reading = by_token(RecorderToken.issue(book, "page", RecorderToken.Scope.READ)[1])
    assert reading.get("/api/books/river/entries/").json()["count"] == 1
    assert reading.post("/api/recordings/", recording()).status_code == 403
    assert reading.post("/api/standby/", {"name": "x", "subjects": [], "facts": {}}).status_code == 403
    run = registered["slots"][0]["run"]
    for client in (reading, recorder):
        assert client.post("/api/books/river/entries/1/decisions/", {"choice": "kept"}).status_code == 403
        assert client.post("/api/books/river/entries/", {"title": "x"}).status_code == 403
        body = {"title": "x", "before": [run], "after": [registered["slots"][1]["run"]]}
        assert client.post("/api/books/river/comparisons/", body).status_code == 403


def test_a_token_shown_in_the_admin_stands_in_no_cookie(django_user_model, book, client):
    client.force_login(django_user_model.objects.create_superuser("mira"))
    page = client.post("/admin/books/recordertoken/add/", {"book": book.pk, "label": "x", "scope": "read"}, follow=True)
    text = re.search(r"vl_[\w-]{20,}", page.content.decode())[0]
    assert not any(text in morsel.value for morsel in client.cookies.values())
    assert by_token(text).get("/api/session/").status_code == 200


# -- the log


def test_roles_and_decisions_are_written_down_and_no_line_changes(editor, recorder, people, book):
    registered = recording()
    deliver(recorder, registered, {"before": 12.0, "after": 10.5})
    recorder.post(f"/api/recordings/{registered['id']}/complete/")
    editor.post("/api/books/river/entries/1/decisions/", {"choice": "kept"})
    line = LogLine.objects.get(what="decided")
    assert (line.text, line.by_name, line.book) == ("entry 1: kept", "editor", book)
    member = Member.objects.get(user=people["reader"])
    member.role = Member.Role.EDITOR
    member.save()
    member.delete()
    assert log()[-2:] == ["role changed", "role taken"]
    with pytest.raises(TypeError, match="never changed"):
        line.save()
    with pytest.raises(TypeError, match="never taken out"):
        line.delete()


def test_the_log_can_be_read_and_not_written_in_the_admin(django_user_model, client):
    client.force_login(django_user_model.objects.create_superuser("mira"))
    SignInLink.issue(django_user_model.objects.get())
    assert "link issued" in client.get("/admin/books/logline/").content.decode()
    line = LogLine.objects.first()
    assert client.get("/admin/books/logline/add/").status_code == 403
    assert client.post(f"/admin/books/logline/{line.pk}/delete/", {"post": "yes"}).status_code == 403
    assert client.get("/admin/books/personsession/").status_code == 200


# -- what the browser is told


@pytest.mark.parametrize("path", ["/", "/api/session/", "/sign-in/x", "/static/books/sign-in.css", "/nothing"])
def test_every_answer_keeps_the_browser_to_itself(path, client):
    answer = client.get(path)
    policy = dict(part.split(" ", 1) for part in answer["Content-Security-Policy"].split("; "))
    assert policy["default-src"] == policy["script-src"] == "'self'"
    assert policy["frame-ancestors"] == policy["object-src"] == "'none'"
    assert "Access-Control-Allow-Origin" not in answer
    assert answer["X-Content-Type-Options"] == "nosniff"
    assert answer["Referrer-Policy"] == "same-origin"


def test_production_wants_tls_and_its_cookies_belong_to_one_host():
    import json
    import os
    import subprocess
    import sys

    code = (
        "import json, vigilant.server.settings as s; print(json.dumps([s.SESSION_COOKIE_NAME, s.CSRF_COOKIE_NAME,"
        " s.SESSION_COOKIE_SECURE, s.SECURE_SSL_REDIRECT, s.SECURE_HSTS_SECONDS > 30_000_000, s.ALLOWED_HOSTS]))"
    )
    env = {**os.environ, "VIGILANT_PRODUCTION": "1", "VIGILANT_SECRET_KEY": "x" * 50, "VIGILANT_HOSTS": "ledger.test",
           "VIGILANT_REDIS": "redis://:secret@127.0.0.1:1/0"}  # fmt: skip
    got = json.loads(subprocess.run([sys.executable, "-c", code], env=env, capture_output=True, check=True).stdout)
    assert got == ["__Host-sessionid", "__Host-csrftoken", True, True, True, ["ledger.test"]]


def test_a_stray_host_is_refused(client, settings):
    settings.ALLOWED_HOSTS = ["127.0.0.1"]
    assert client.get("/api/session/", headers={"host": "elsewhere.test"}).status_code == 400


def test_no_secret_is_the_same_in_two_processes():
    import os
    import subprocess
    import sys

    env = {k: v for k, v in os.environ.items() if k != "VIGILANT_SECRET_KEY"}
    code = "import vigilant.server.settings as s; print(s.SECRET_KEY)"
    made = {subprocess.run([sys.executable, "-c", code], env=env, capture_output=True, check=True).stdout for _ in "ab"}
    assert len(made) == 2


def test_what_costs_is_asked_for_so_often_a_minute(editor, monkeypatch):
    from django.core.cache import cache

    from vigilant.server.throttles import CostThrottle

    cache.clear()
    monkeypatch.setattr(CostThrottle, "THROTTLE_RATES", {"arms": "2/min", "claims": "2/min", "planning": "2/min"})
    answers = [editor.get("/api/books/river/chain/?entry=1&entry=2") for _ in range(3)]
    assert [a.status_code for a in answers] == [422, 422, 429]
    assert int(answers[2]["Retry-After"]) > 0
    cache.clear()


def test_an_event_stream_ends_when_its_session_does(people, recorder, monkeypatch):
    from vigilant.server import streaming
    from vigilant.server.bench import events

    monkeypatch.setattr(streaming, "close_old_connections", lambda: None)  # the test's own transaction is on it
    registered = recording()
    recorder.post("/api/recordings/", registered)
    client = Client()
    client.force_login(people["reader"])
    request = client.get("/api/session/").wsgi_request
    import uuid

    def still_may():
        return streaming._still_may(request, uuid.UUID(registered["id"]), events._may_read)

    assert still_may()
    Member.objects.filter(user=people["reader"]).delete()
    assert not still_may()
    Member.objects.create(user=people["reader"], book=recorder_book(), role="reader")
    assert still_may()
    ends = PersonSession.objects.get().expire_date
    PersonSession.objects.update(expire_date=timezone.now())
    assert not still_may()
    PersonSession.objects.update(expire_date=ends)
    assert still_may()
    client.logout()
    assert not still_may()


def recorder_book():
    from vigilant.server.books.models import Book

    return Book.objects.get(slug="river")
