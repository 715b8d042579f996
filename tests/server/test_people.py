"""Books are made and renamed, people added and given roles, tokens issued; sessions and passwords are one's own."""

from datetime import timedelta

import pytest
from django.contrib.auth import get_user_model
from django.utils import timezone
from rest_framework.test import APIClient

from vigilant.server.books.models import Book, LogLine, Member, PersonSession, RecorderToken, SignInLink

pytestmark = pytest.mark.django_db

RIVER = "/api/books/river/"


def signed_in(user, **headers):
    client = APIClient(**headers)
    client.force_login(user)
    return client


@pytest.fixture
def owner(people):
    return signed_in(people["owner"])


# -- books


def test_who_makes_a_book_owns_it_and_its_address_is_its_own(people):
    reader = signed_in(people["reader"])
    made = [reader.post("/api/books/", {"name": name}).json() for name in ("Still Water", "Still water", "静水")]
    assert [(m["slug"], m["role"]) for m in made] == [
        ("still-water", "owner"), ("still-water-2", "owner"), ("book", "owner"),
    ]  # fmt: skip
    assert {b["slug"] for b in reader.get("/api/session/").json()["books"]} == {
        "river", "still-water", "still-water-2", "book",
    }  # fmt: skip
    assert reader.put("/api/books/still-water/", {"name": "Deep Water"}).json()["name"] == "Deep Water"
    assert Book.objects.get(slug="still-water").name == "Deep Water"
    assert reader.put(RIVER, {"name": "Mine"}).status_code == 403
    assert reader.post("/api/books/", {"name": " "}).status_code == 400
    # An address that leads elsewhere is no book's.
    assert reader.post("/api/books/", {"name": "Admin"}).json()["slug"] == "admin-2"


def test_a_token_makes_no_book_and_sees_no_sessions(recorder):
    assert recorder.post("/api/books/", {"name": "x"}).status_code == 403
    assert recorder.get("/api/sessions/").status_code == 403
    assert recorder.put("/api/session/password/", {"new": "lanterns over water"}).status_code == 403


@pytest.mark.parametrize(
    ("method", "path", "body", "readable"),
    [
        ("post", "members/", {"username": "editor", "role": "reader"}, 200),
        ("post", "tokens/", {"label": "rack"}, 403),
        ("get", "log/", None, 403),
        ("put", "", {"name": "x"}, None),
        ("post", "runs/purge/", {"runs": ["8c4be7f6-5a3c-4b54-9f6b-000000000000"]}, None),
    ],
)
@pytest.mark.parametrize("role", ["reader", "editor"])
def test_what_owners_alone_may_do(method, path, body, readable, role, people):
    client = signed_in(people[role])
    assert getattr(client, method)(RIVER + path, body).status_code == 403
    if readable:
        assert client.get(RIVER + path).status_code == readable


# -- members


def test_somebody_new_gets_a_link_once_and_a_role(owner):
    wanted = {"username": "wren", "role": "editor"}
    assert owner.post(f"{RIVER}members/", wanted).json()["code"] == "person-unknown"
    made = owner.post(f"{RIVER}members/", {**wanted, "new": True}).json()
    assert made["member"]["waits"]
    again = owner.post(f"{RIVER}members/{made['member']['id']}/link/").json()
    assert made["link"] != again["link"]
    wren = APIClient()
    assert wren.post(again["link"].removeprefix("http://testserver")).status_code == 302
    session = wren.get("/api/session/").json()
    assert (session["user"], session["has_password"], session["books"][0]["role"]) == ("wren", False, "editor")
    # A link is as good as the person: none can be had for who has been here.
    assert owner.post(f"{RIVER}members/{made['member']['id']}/link/").json()["code"] == "signed-in-before"
    assert owner.post(f"{RIVER}members/", {**wanted, "new": True}).json()["code"] == "name-taken"
    assert owner.post(f"{RIVER}members/", wanted).json()["code"] == "member-already"
    assert owner.post(f"{RIVER}members/", {"username": "a b", "role": "reader", "new": True}).status_code == 400


def test_a_name_with_a_member_of_old_gets_no_link(owner, people):
    member = Member.objects.get(user=people["reader"])
    assert owner.post(f"{RIVER}members/{member.pk}/link/").json()["code"] == "signed-in-before"


def test_roles_change_and_a_book_keeps_an_owner(owner, people):
    of = {role: Member.objects.get(user=people[role]).pk for role in people}
    path = f"{RIVER}members/{{}}/"
    for refused in (
        owner.put(path.format(of["owner"]), {"role": "reader"}),
        owner.delete(path.format(of["owner"])),
    ):
        assert refused.json()["code"] == "last-owner"
    assert owner.put(path.format(of["editor"]), {"role": "owner"}).json()["role"] == "owner"
    assert owner.put(path.format(of["owner"]), {"role": "reader"}).status_code == 200
    assert owner.put(path.format(of["editor"]), {"role": "reader"}).status_code == 403
    editor = signed_in(people["editor"])
    assert editor.delete(path.format(of["reader"])).status_code == 204
    assert signed_in(people["reader"]).get(f"{RIVER}entries/").status_code == 404
    said = [line["what"] for line in editor.get(f"{RIVER}log/").json()["results"]]
    assert said[:3] == ["role taken", "role changed", "role changed"]
    assert [line["by"] for line in editor.get(f"{RIVER}log/").json()["results"]][:2] == ["editor", "owner"]


def test_a_member_of_another_book_is_out_of_reach(owner, people):
    other = Book.objects.create(slug="other", name="Other")
    member = Member.objects.create(book=other, user=people["reader"], role="owner")
    assert owner.delete(f"{RIVER}members/{member.pk}/").status_code == 404
    RecorderToken.issue(other, "theirs")
    assert owner.delete(f"{RIVER}tokens/{RecorderToken.objects.get().pk}/").status_code == 404


# -- tokens


def test_a_token_is_shown_once_works_and_is_revoked(owner):
    made = owner.post(f"{RIVER}tokens/", {"label": "rack 2", "scope": "read", "days": 30}).json()
    bearer = APIClient(HTTP_AUTHORIZATION=f"Bearer {made['text']}")
    assert bearer.get(f"{RIVER}entries/").status_code == 200
    listed = owner.get(f"{RIVER}tokens/").json()
    assert (listed[0]["label"], listed[0]["scope"], made["text"] in str(listed)) == ("rack 2", "read", False)
    assert owner.delete(f"{RIVER}tokens/{listed[0]['id']}/").json()["revoked_at"]
    assert bearer.get(f"{RIVER}entries/").status_code == 401


# -- oneself


def test_one_sees_where_one_is_signed_in_and_signs_out_there(people):
    here = signed_in(people["editor"], HTTP_USER_AGENT="desk")
    there = APIClient(HTTP_USER_AGENT="sofa")
    there.post("/api/session/sign-in/", {"username": "editor", "password": "lantern light"})
    signed_in(people["reader"])
    rows = here.get("/api/sessions/").json()
    assert sorted((r["browser"], r["here"]) for r in rows) == [("", True), ("sofa", False)]
    assert not any(key in str(rows) for key in PersonSession.objects.values_list("session_key", flat=True))
    elsewhere = next(r for r in rows if not r["here"])
    assert elsewhere["since"] is not None
    stranger = signed_in(people["reader"])
    assert stranger.delete(f"/api/sessions/{elsewhere['handle']}/").status_code == 404
    assert here.delete(f"/api/sessions/{elsewhere['handle']}/").status_code == 204
    assert (there.get("/api/session/").status_code, here.get("/api/session/").status_code) == (401, 200)


def test_a_password_is_set_by_who_knows_the_old_one_and_ends_other_sessions(people):
    here, there = signed_in(people["editor"]), signed_in(people["editor"])
    link = SignInLink.issue(people["editor"])
    path = "/api/session/password/"
    assert "not your password" in here.put(path, {"old": "wrong", "new": "reeds in the moonlight"}).json()["detail"]
    for refused in ("short", "reeds" * 26):
        assert here.put(path, {"old": "lantern light", "new": refused}).status_code == 400
    assert here.put(path, {"old": "lantern light", "new": "reeds in the moonlight"}).status_code == 204
    assert (here.get("/api/session/").status_code, there.get("/api/session/").status_code) == (200, 401)
    again = {"username": "editor", "password": "reeds in the moonlight"}
    assert APIClient().post("/api/session/sign-in/", again).status_code == 200
    assert SignInLink.good(link) is None
    assert "password set" in LogLine.objects.values_list("what", flat=True)


def test_a_session_ends_twelve_hours_after_signing_in_however_much_it_is_used(people, monkeypatch):
    client = APIClient()
    client.post("/api/session/sign-in/", {"username": "editor", "password": "lantern light"})
    began, at = timezone.now(), []
    monkeypatch.setattr(timezone, "now", lambda: began + timedelta(hours=at[-1]))
    monkeypatch.setattr("time.time", lambda: (began + timedelta(hours=at[-1])).timestamp())
    for hours, status in ((1, 200), (5, 200), (11.9, 200), (12.1, 401)):
        at.append(hours)
        assert client.get("/api/session/").status_code == status, hours


def test_who_came_by_a_link_needs_no_old_password(owner):
    get_user_model().objects.create(username="wren", password="!")
    wren = signed_in(get_user_model().objects.get(username="wren"))
    assert wren.put("/api/session/password/", {"new": "reeds in the moonlight"}).status_code == 204
    assert wren.get("/api/session/").json()["has_password"]
