"""Signing in with the account that a team has elsewhere: who is let in, who is not, and what groups give."""

import threading
import time
from urllib.parse import parse_qs, urlsplit

import httpx
import pytest
from django.core.cache import cache
from django.test import Client

from vigilant.server import configuration
from vigilant.server.books.models import Book, GroupRole, JoinedAccount, LogLine, Member
from vigilant.server.settings import SignOn
from vigilant.subjects import accounts

pytestmark = pytest.mark.django_db
MIRA, TOMAS, ADA = accounts.PEOPLE


@pytest.fixture(scope="module")
def server():
    made, provider = accounts.serve()
    threading.Thread(target=made.serve_forever, daemon=True).start()
    yield provider
    made.shutdown()


@pytest.fixture
def provider(server, settings):
    cache.clear()
    settings.SIGN_ON = SignOn(server.issuer, "the ferry account", "groups")
    settings.OIDC_RP_CLIENT_ID, settings.OIDC_RP_CLIENT_SECRET = accounts.CLIENT, accounts.SECRET
    yield server
    server.says, server.algorithms = {}, ("RS256",)
    server.people = {key: dict(one) for key, one in accounts.PEOPLE.items()}


@pytest.fixture
def books():
    made = {slug: Book.objects.create(slug=slug, name=slug) for slug in ("river", "harbour")}
    GroupRole.objects.create(book=made["river"], group="render", role="editor")
    GroupRole.objects.create(book=made["river"], group="leads", role="owner")
    GroupRole.objects.create(book=made["harbour"], group="nobody is in this", role="reader")
    return made


def sign_on(client, subject=MIRA):
    """All the way as a browser goes; the answer at its end."""
    off = client.get("/sign-on/")
    assert off.status_code == 302, off
    asked = {name: values[0] for name, values in parse_qs(urlsplit(off["Location"]).query).items()}
    chosen = httpx.get(off["Location"].replace("/authorize?", "/chosen?") + f"&subject={subject}")
    assert asked["code_challenge_method"] == "S256"
    return client.get(chosen.headers["Location"].removeprefix("http://testserver"))


def name(client):
    answer = client.get("/api/session/")
    return answer.json().get("user") if answer.status_code == 200 else None


def roles(username):
    return dict(Member.objects.filter(user__username=username).values_list("book__slug", "role"))


def test_somebody_new_is_made_once_and_known_again_by_the_providers_key(client, provider, books):
    assert client.get("/api/session/ways/").json() == {"sign_on": "the ferry account"}
    assert sign_on(client)["Location"] == "/"
    assert client.get("/api/session/").json()["joined"] is True
    assert name(client) == "Mira Quill"
    assert roles("mira.quill") == {"river": "owner"}
    provider.people[MIRA] |= {"preferred_username": "mira.wren", "email": "other@lanternfall.example"}
    again = Client()
    sign_on(again)
    assert name(again) == "Mira Quill"
    assert JoinedAccount.objects.count() == 1
    assert list(LogLine.objects.order_by("pk").values_list("what", flat=True))[:3] == [
        "person added",
        "account joined",
        "role given",
    ]


def test_groups_give_change_and_take_roles_and_leave_alone_what_somebody_gave(client, provider, books):
    Member.objects.create(book=books["river"], user=_person("keeper"), role="owner")
    sign_on(client, TOMAS)
    tomas = Member.objects.get(user__username="tomas.reed")
    assert (tomas.role, tomas.by_group) == ("editor", True)
    Member.objects.create(book=books["harbour"], user=tomas.user, role="reader")
    provider.people[TOMAS]["groups"] = ["leads", 7, None, {"no": "name"}]
    sign_on(Client(), TOMAS)
    assert roles("tomas.reed") == {"river": "owner", "harbour": "reader"}
    provider.people[TOMAS]["groups"] = "leads"  # no list: no groups
    sign_on(Client(), TOMAS)
    assert roles("tomas.reed") == {"harbour": "reader"}


def test_a_book_keeps_its_last_owner_whatever_becomes_of_groups(client, provider, books):
    sign_on(client)
    provider.people[MIRA]["groups"] = []
    sign_on(Client())
    assert roles("mira.quill") == {"river": "owner"}


def _person(username, **how):
    from django.contrib.auth import get_user_model

    return get_user_model().objects.create_user(username, **how)


def test_a_name_that_somebody_has_here_is_not_taken_over(client, provider):
    local = _person("mira.quill", email="mira@lanternfall.example")
    assert sign_on(client)["Location"] == "/?sign-on=name-taken"
    assert name(client) is None
    # Whoever is signed in to both joins them.
    client.force_login(local)
    assert sign_on(client)["Location"] == "/?sign-on=joined"
    assert JoinedAccount.objects.get().user == local
    fresh = Client()
    sign_on(fresh)
    assert name(fresh) == "mira.quill"
    other = Client()
    other.force_login(_person("other"))
    assert sign_on(other)["Location"] == "/?sign-on=joined-elsewhere"
    assert name(other) == "other"


def test_who_is_shut_out_here_stays_out(client, provider):
    sign_on(client)
    JoinedAccount.objects.get().user.__class__.objects.update(is_active=False)
    fresh = Client()
    assert sign_on(fresh)["Location"] == "/?sign-on=refused"
    assert name(fresh) is None


@pytest.mark.parametrize(
    ("says", "code"),
    [
        ({"iss": "https://elsewhere.example"}, "token-refused"),
        ({"aud": "another program"}, "token-refused"),
        ({"aud": None}, "token-refused"),
        ({"exp": 1_000_000_000}, "refused"),
        ({"exp": None}, "token-refused"),
        ({"nonce": "of another try"}, "refused"),
        ({"sub": TOMAS}, "token-refused"),  # the token says one, the provider's answer another
        ({"sub": None}, "token-refused"),
    ],
)
def test_a_token_that_is_not_for_us_now_lets_nobody_in(client, provider, says, code):
    provider.says = says
    assert sign_on(client)["Location"] == f"/?sign-on={code}"
    assert name(client) is None
    assert not JoinedAccount.objects.exists()


def test_a_token_by_another_key_lets_nobody_in(client, provider, monkeypatch):
    own = provider.keys()
    monkeypatch.setattr(provider, "key", accounts.rsa.generate_private_key(65537, 2048))
    monkeypatch.setattr(provider, "keys", lambda: own)
    assert sign_on(client)["Location"] == "/?sign-on=refused"


@pytest.mark.parametrize(("claims", "code"), [({"preferred_username": "", "email": ""}, "no-name"), ({"preferred_username": "x" * 200}, "no-name"), ({"preferred_username": "a\x07"}, "no-name")])  # fmt: skip
def test_a_name_that_cannot_be_is_refused(client, provider, claims, code):
    provider.people[ADA] |= claims
    assert sign_on(client, ADA)["Location"] == f"/?sign-on={code}"


def test_a_way_back_that_was_not_asked_for_or_is_walked_twice_leads_nowhere(client, provider):
    assert client.get("/sign-on/back/?code=x&state=y")["Location"] == "/?sign-on=refused"
    off = client.get("/sign-on/")["Location"]
    back = (
        httpx.get(off.replace("/authorize?", "/chosen?") + f"&subject={MIRA}")
        .headers["Location"]
        .removeprefix("http://testserver")
    )
    assert Client().get(back)["Location"] == "/?sign-on=refused"  # another browser
    assert client.get(back)["Location"] == "/"
    assert client.get(back)["Location"] == "/?sign-on=refused"
    assert client.get("/sign-on/back/?error=access_denied&state=z")["Location"] == "/?sign-on=refused-there"


def test_a_provider_that_is_away_or_another_one_is_said(client, provider, settings):
    provider.algorithms = ("HS256", "none")
    assert client.get("/sign-on/")["Location"].startswith(provider.issuer)
    cache.clear()
    assert sign_on(client)["Location"] == "/?sign-on=provider-wrong"
    cache.clear()
    settings.SIGN_ON = SignOn("http://127.0.0.1:9", "x", "groups")
    began = time.monotonic()
    assert client.get("/sign-on/")["Location"] == "/?sign-on=provider-away"
    assert time.monotonic() - began < 30
    settings.SIGN_ON = SignOn(provider.issuer + "/", "x", "groups")
    assert client.get("/sign-on/")["Location"] == "/?sign-on=provider-wrong"
    settings.SIGN_ON = SignOn("", "", "")
    assert client.get("/sign-on/")["Location"] == "/?sign-on=not-here"
    assert client.get("/api/session/ways/").json() == {"sign_on": ""}


def test_settings_of_signing_on_go_together(monkeypatch):
    monkeypatch.setenv("VIGILANT_SIGN_ON_ISSUER", "http://127.0.0.1:8480")
    with pytest.raises(configuration.ConfigurationRefused, match="go with VIGILANT_SIGN_ON_ISSUER"):
        configuration.read()
    for key, value in {
        "SIGN_ON_CLIENT": "x",
        "SIGN_ON_SECRET": "y",
        "PRODUCTION": "1",
        "SECRET_KEY": "k" * 40,
        "REDIS": "redis://r",
    }.items():
        monkeypatch.setenv(f"VIGILANT_{key}", value)
    with pytest.raises(configuration.ConfigurationRefused, match="by TLS in production"):
        configuration.read()


def test_owners_say_which_group_gives_which_role(client, provider, books):
    owner = _person("owner")
    Member.objects.create(book=books["harbour"], user=owner, role="owner")
    client.force_login(owner)
    at = "/api/books/harbour/groups/"
    made = client.post(at, {"group": "render", "role": "reader"}, content_type="application/json")
    assert made.status_code == 201
    again = client.post(at, {"group": "render", "role": "owner"}, content_type="application/json")
    assert again.json()["code"] == "group-already"
    sign_on(Client(), TOMAS)
    assert roles("tomas.reed")["harbour"] == "reader"
    member = Member.objects.get(user__username="tomas.reed", book=books["harbour"])
    assert client.get("/api/books/harbour/members/").json()[1]["by_group"] is True
    client.put(f"/api/books/harbour/members/{member.pk}/", {"role": "editor"}, content_type="application/json")
    assert client.delete(f"{at}{made.json()['id']}/").status_code == 204
    sign_on(Client(), TOMAS)
    assert roles("tomas.reed")["harbour"] == "editor"  # somebody gave that
    reader = Client()
    reader.force_login(member.user)
    assert reader.post(at, {"group": "x", "role": "owner"}, content_type="application/json").status_code == 403
