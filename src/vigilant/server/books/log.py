"""What is written into the log by itself: sign-ins, sign-outs, tries that failed, and changes of roles."""

from __future__ import annotations

from typing import Any

from axes.helpers import get_client_ip_address
from django.contrib.auth.signals import user_logged_in, user_logged_out, user_login_failed
from django.db.models.signals import post_delete, post_save
from django.dispatch import receiver
from django.http import HttpRequest

from .models import LogLine, Member
from .sessions import note_place


def _address(request: HttpRequest | None) -> str:
    return str(get_client_ip_address(request) or "") if request is not None else ""


@receiver(user_logged_in)
def _signed_in(sender: Any, request: HttpRequest, user: Any, **_: Any) -> None:
    address = _address(request)
    LogLine.write("signed in", user.get_username(), by=user, address=address)
    note_place(request, address)


@receiver(user_logged_out)
def _signed_out(sender: Any, request: HttpRequest, user: Any, **_: Any) -> None:
    if user is not None:
        LogLine.write("signed out", user.get_username(), by=user, address=_address(request))


@receiver(user_login_failed)
def _failed(sender: Any, credentials: dict[str, Any], request: HttpRequest | None = None, **_: Any) -> None:
    LogLine.write("sign-in failed", str(credentials.get("username", ""))[:150], address=_address(request))


@receiver(post_save, sender=Member)
def _role(sender: Any, instance: Member, created: bool, raw: bool = False, **_: Any) -> None:
    if raw:  # of a book that is taken in, with its own log
        return
    what = "role given" if created else "role changed"
    LogLine.write(what, f"{instance}: {instance.role}", by=instance.by, book=instance.book)


@receiver(post_delete, sender=Member)
def _no_role(sender: Any, instance: Member, **_: Any) -> None:
    LogLine.write("role taken", f"{instance.user} in {instance.book}", by=instance.by, book=instance.book)
