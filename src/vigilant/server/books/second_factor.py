"""A second factor for local accounts: codes of an app (TOTP, RFC 6238), by django-otp, and some that are written down for when it is lost."""

from __future__ import annotations

import base64
import secrets
from dataclasses import dataclass
from typing import Any

import segno
from django.db import transaction
from django.utils.crypto import salted_hmac
from django_otp.plugins.otp_static.models import StaticDevice

from vigilant.server.database import in_transaction
from vigilant.server.problems import conflict, unprocessable

from .models import CodesOfApp, LogLine

#: Codes that are written down, each good once, and their characters.
WRITTEN, WRITTEN_CHARACTERS = 8, 10
ALPHABET = "abcdefghjkmnpqrstuvwxyz23456789"
APP, PAPER = "app", "paper"


@dataclass(frozen=True)
class Begun:
    """What an app is told, as an address, as a picture of that, and as what is typed by hand."""

    address: str
    picture: str
    secret: str


def is_set(user: Any) -> bool:
    return CodesOfApp.objects.filter(user=user, confirmed=True).exists()


@in_transaction
def begin(user: Any) -> Begun:
    """A new secret, which counts once a code of it was given. Raises a problem where there is one that counts."""
    if is_set(user):
        raise conflict("second-factor-set", "A second factor is set; take it off first.")
    CodesOfApp.objects.filter(user=user, confirmed=False).delete()
    made = CodesOfApp.objects.create(user=user, name=APP, confirmed=False)
    picture = segno.make(made.config_url, error="m").svg_data_uri(scale=4, border=2)
    return Begun(made.config_url, picture, base64.b32encode(made.bin_key).decode())


def confirm(user: Any, code: str) -> list[str]:
    """From now on it is asked for. The codes to be written down, which cannot be had again."""
    device = CodesOfApp.objects.filter(user=user, confirmed=False).first()
    if device is None:
        raise conflict("second-factor-not-begun", "Begin with a new secret first.")
    if not device.verify_token(code):
        raise unprocessable(
            "code-wrong", "That is not what the app shows now. Look at it again, and at the clock of its device."
        )
    return _confirmed(user, device)


@in_transaction
def _confirmed(user: Any, device: CodesOfApp) -> list[str]:
    CodesOfApp.objects.filter(pk=device.pk).update(confirmed=True)
    StaticDevice.objects.filter(user=user).delete()
    paper = StaticDevice.objects.create(user=user, name=PAPER)
    codes = ["".join(secrets.choice(ALPHABET) for _ in range(WRITTEN_CHARACTERS)) for _ in range(WRITTEN)]
    for code in codes:
        paper.token_set.create(token=_kept(user, code))
    LogLine.write("second factor set", str(user), by=user)
    return codes


def _kept(user: Any, code: str) -> str:
    """What is kept of a written code, of the package's own length: 64 bits that nobody makes without the server's secret."""
    return salted_hmac("written code", f"{user.pk} {code}", algorithm="sha256").hexdigest()[:16]


@transaction.atomic
def fits(user: Any, code: str) -> bool:
    """A code of the app, or one that was written down and not used yet. Each try that fails makes the next wait longer."""
    said = code.strip().replace(" ", "").lower()
    app = CodesOfApp.objects.select_for_update().filter(user=user, confirmed=True).first()
    if app is not None and app.verify_token(said):
        return True
    paper = StaticDevice.objects.select_for_update().filter(user=user).first()
    return paper is not None and bool(paper.verify_token(_kept(user, said)))


@in_transaction
def take_off(user: Any, by: Any) -> None:
    """Nothing but the password is asked for any more."""
    CodesOfApp.objects.filter(user=user).delete()
    StaticDevice.objects.filter(user=user).delete()
    LogLine.write("second factor taken off", str(user), by=by)
