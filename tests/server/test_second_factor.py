"""A second factor beside the password: set by a code, asked for at every door, each code good once."""

import base64
import io
import time

import pytest
from axes.models import AccessAttempt
from django.core.management import call_command
from django.test import Client
from django_otp.oath import TOTP
from django_otp.plugins.otp_static.models import StaticDevice
from django_otp.plugins.otp_totp.models import TOTPDevice

from vigilant.server.books.models import Book, LogLine, RecorderToken, SignInLink

pytestmark = pytest.mark.django_db
PASSWORD = "a lantern on the river"
SIGN_IN, OWN, OFF = "/api/session/sign-in/", "/api/session/second-factor/", "/api/session/second-factor/off/"


@pytest.fixture
def mira(django_user_model):
    return django_user_model.objects.create_user("mira", password=PASSWORD)


@pytest.fixture
def own(mira):
    client = Client()
    client.force_login(mira)
    return client


def code_of(secret, steps=0):
    """What an app shows that knows the secret, so many steps of 30 s from now."""
    app = TOTP(base64.b32decode(secret))
    app.time = time.time() + 30 * steps
    return f"{app.token():06d}"


@pytest.fixture
def set_up(own):
    """The secret, and the codes that were written down; the code of this step has been used."""
    begun = own.post(OWN).json()
    assert begun["picture"].startswith("data:image/svg+xml")
    assert f"secret={begun['secret']}" in begun["address"]
    confirmed = own.put(OWN, {"code": code_of(begun["secret"])}, content_type="application/json")
    assert confirmed.status_code == 200, confirmed.json()
    assert own.get("/api/session/").json()["second_factor"] is True
    return begun["secret"], confirmed.json()["codes"]


def sign_in(client=None, **more):
    client = client or Client()
    return client.post(SIGN_IN, {"username": "mira", "password": PASSWORD, **more}, content_type="application/json")


def patient():
    """As if one had waited as long as tries that failed want."""
    for kind in (TOTPDevice, StaticDevice):
        kind.objects.update(throttling_failure_count=0, throttling_failure_timestamp=None)


def test_before_it_is_confirmed_nothing_is_asked_for(own, mira):
    secret = own.post(OWN).json()["secret"]
    wrong = own.put(
        OWN, {"code": "000000" if code_of(secret) != "000000" else "111111"}, content_type="application/json"
    )
    assert (wrong.status_code, wrong.json()["code"]) == (422, "code-wrong")
    assert sign_in().status_code == 200
    assert own.post(OWN).json()["secret"] != secret  # begun anew


def test_what_the_tables_hold_makes_no_code_of_the_app(set_up, mira, settings):
    kept = TOTPDevice.objects.get(user=mira)
    assert base64.b32encode(kept.bin_key).decode() != set_up[0]
    settings.SECRET_KEY = "another secret of another server"
    assert sign_in(code=code_of(set_up[0], 1)).json()["code"] == "sign-in-failed"


def test_a_code_of_the_app_or_a_written_one_is_wanted_and_good_once(set_up, mira):
    secret, written = set_up
    assert sign_in().json()["code"] == "code-wanted"
    assert sign_in(code=code_of(secret)).json()["code"] == "sign-in-failed"  # it was used to confirm
    patient()
    following = code_of(secret, 1)
    assert sign_in(code=f"{following[:3]} {following[3:]}").status_code == 200
    assert sign_in(code=following).status_code == 403
    patient()
    assert len(set(written)) == 8
    assert sign_in(code=written[0].upper()).status_code == 200
    assert sign_in(code=written[0]).status_code == 403


def test_the_password_alone_tells_nothing_and_a_wrong_one_asks_for_no_code(set_up):
    answer = Client().post(SIGN_IN, {"username": "mira", "password": "another one"}, content_type="application/json")
    assert answer.json()["code"] == "sign-in-failed"
    client = Client()
    sign_in(client)
    assert client.get("/api/session/").status_code in (401, 403)


def test_tries_that_fail_are_counted_and_make_the_next_wait(set_up):
    secret, _ = set_up
    for _ in range(3):
        assert sign_in(code="123456").status_code == 403
    assert sign_in(code=code_of(secret, 1)).status_code == 403  # right, and too soon
    assert AccessAttempt.objects.get(username="mira").failures_since_start == 4
    assert LogLine.objects.filter(what="sign-in failed", text="mira").count() == 4


def test_a_link_asks_for_it_too(set_up, mira):
    secret, _ = set_up
    path, client = f"/sign-in/{SignInLink.issue(mira)}", Client()
    assert "Code of the second factor" in client.get(path).content.decode()
    assert client.post(path).status_code == 403
    assert client.post(path, {"code": "000001"}).status_code == 403
    assert client.get("/api/session/").status_code in (401, 403)
    patient()
    assert client.post(path, {"code": code_of(secret, 1)}).status_code == 302
    assert client.get("/api/session/").json()["user"] == "mira"


def test_the_admin_has_no_door_of_its_own(set_up, mira):
    mira.__class__.objects.update(is_staff=True, is_superuser=True)
    client = Client()
    answer = client.post("/admin/login/", {"username": "mira", "password": PASSWORD, "next": "/admin/"})
    assert (answer.status_code, answer["Location"]) == (302, "/")
    assert client.get("/admin/").status_code == 302


def test_it_is_taken_off_by_a_code_or_by_who_runs_the_server(set_up, own, mira):
    secret, written = set_up
    assert own.post(OFF, {"code": "999999"}, content_type="application/json").json()["code"] == "code-wrong"
    assert own.post(OWN).json()["code"] == "second-factor-set"
    patient()
    assert own.post(OFF, {"code": written[3]}, content_type="application/json").status_code == 204
    assert sign_in().status_code == 200
    secret = own.post(OWN).json()["secret"]
    own.put(OWN, {"code": code_of(secret)}, content_type="application/json")
    assert sign_in().status_code == 403
    call_command("sign_in", "mira", drop_second_factor=True, stdout=io.StringIO())
    assert sign_in().status_code == 200
    assert list(LogLine.objects.filter(what__startswith="second factor").values_list("what", flat=True)) == [
        "second factor taken off", "second factor set", "second factor taken off", "second factor set",
    ]  # fmt: skip


def test_it_goes_with_a_password(django_user_model):
    client = Client()
    client.force_login(django_user_model.objects.create_user("by a link"))
    assert client.post(OWN).json()["code"] == "no-password"


def test_what_is_kept_of_a_written_code_opens_nothing(set_up, mira):
    _, codes = set_up
    kept = list(StaticDevice.objects.get(user=mira).token_set.values_list("token", flat=True))
    assert len(kept) == len(codes)
    assert not set(kept) & set(codes)
    assert sign_in(code=kept[0]).json()["code"] == "sign-in-failed"
    patient()
    assert sign_in(code=codes[0]).status_code == 200


@pytest.mark.parametrize("path", ["/api/runs/", "/api/session/kept/", "/admin/", "/api/signing-key/"])
def test_where_the_server_wants_one_nothing_is_had_without(path, own, settings):
    assert own.get(path).status_code != 403 or path == "/admin/"
    settings.SECOND_FACTOR = True
    refused = own.get(path)
    assert (refused.status_code, refused.json()["code"]) == (403, "second-factor-wanted")
    assert own.get("/api/session/").json()["second_factor_wanted"] is True
    begun = own.post(OWN).json()
    assert own.get(path).status_code == 403  # begun is not set
    own.put(OWN, {"code": code_of(begun["secret"])}, content_type="application/json")
    assert own.get("/api/session/").json()["second_factor_wanted"] is False
    assert "second-factor-wanted" not in own.get(path).content.decode()


@pytest.mark.parametrize("runs_it", [True, False])
def test_in_production_who_runs_the_server_needs_one_always(runs_it, own, mira, settings):
    mira.is_staff = runs_it
    mira.save()
    assert own.get("/api/runs/").status_code == 200
    settings.PRODUCTION = True
    assert own.get("/api/runs/").status_code == (403 if runs_it else 200)


def test_it_is_wanted_of_no_recorder_nobody_without_a_session_and_nobody_of_another_provider(mira, settings):
    settings.SECOND_FACTOR = True
    token = RecorderToken.issue(Book.objects.create(slug="river", name="River"), "r")[1]
    assert Client().get("/api/token/", headers={"Authorization": f"Bearer {token}"}).status_code == 200
    assert Client().get("/api/runs/").status_code == 401
    elsewhere = Client()
    elsewhere.force_login(mira, backend="vigilant.server.books.sign_on.SignOnBackend")
    assert elsewhere.get("/api/runs/").status_code == 200
    assert elsewhere.get("/api/session/").json()["second_factor_wanted"] is False
