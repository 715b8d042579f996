"""What is kept of a person: taken out whole, and taken away so that what they did stays and says nobody's name.

Decisions, corrections and whatever else is a book's stay: without them a verdict would stand on nothing. They are by *somebody* then.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from itertools import islice
from typing import Any

from axes.models import AccessAttempt, AccessFailureLog, AccessLog
from django.apps import apps
from django.contrib.admin.models import LogEntry
from django.contrib.auth import get_user_model
from django.db import models
from django.db.models import Q
from django_otp.plugins.otp_static.models import StaticDevice
from django_otp.plugins.otp_totp.models import TOTPDevice

from .books.models import Answered, Book, JoinedAccount, LogLine, Member, PersonSession, SignInLink
from .database import at_one_moment, in_transaction
from .problems import conflict
from .seals.services import kinds, seal

#: Fields that open doors: they are said to be there, never shown.
SECRET = frozenset({"password", "hash", "key", "session_key", "session_data", "token", "digest", "body"})
#: What belongs to the person alone and goes with them; the log's lines of roles taken are written on the way.
OWN: tuple[type[models.Model], ...] = (
    PersonSession, SignInLink, JoinedAccount, TOTPDevice, StaticDevice, Answered, LogEntry, Member,
)  # fmt: skip
#: Tries to sign in, which are known by the name alone.
TRIES: tuple[type[models.Model], ...] = (AccessAttempt, AccessFailureLog, AccessLog)
#: Lines of the log whose text says a person's name.
NAMING = (
    "signed in", "signed out", "sign-in failed", "role given", "role changed", "role taken", "second factor set", "second factor taken off",
    "account joined", "person added", "password set", "link issued", "link revoked", "link asked for",
)  # fmt: skip


#: Newest lines of the log that one's own page shows, and how far back they are looked for.
LINES, LOOKED_AT = 12, 2_000


@dataclass(frozen=True)
class Erased:
    """Who they are called now, and how many rows went, were sealed anew, and were lines of the log that said the name."""

    name: str
    gone: int
    sealed: int
    lines: int


def _keys(model: type[models.Model]) -> list[models.ForeignKey]:
    user = get_user_model()
    return [f for f in model._meta.concrete_fields if isinstance(f, models.ForeignKey) and f.related_model is user]


def _rows(model: type[models.Model], user: Any) -> Iterator[models.Model]:
    """The rows of a model that refer to somebody."""
    if keys := _keys(model):
        asked = Q()
        for key in keys:
            asked |= Q((key.attname, user.pk))
        yield from model._default_manager.filter(asked).order_by("pk").iterator(chunk_size=200)


def _plain(row: models.Model) -> dict[str, Any]:
    values = {f.name: f.value_from_object(row) for f in row._meta.concrete_fields}
    return {
        name: "not shown" if name in SECRET and value else value
        for name, value in values.items()
        if not isinstance(value, bytes | memoryview)
    }


def kept_of(user: Any) -> dict[str, Any]:
    """Everything that the server keeps of somebody, by what it is; secrets are named and not shown."""
    with at_one_moment():
        found = {"account": _plain(user)}
        for model in (model for model in apps.get_models() if not model._meta.proxy):
            if rows := [_plain(row) for row in _rows(model, user)]:
                found[model._meta.label] = rows
        for model in TRIES:
            if rows := [_plain(row) for row in model._default_manager.filter(username=user.get_username())]:
                found[model._meta.label] = rows
        lines = LogLine.objects.exclude(by=user).filter(what__in=NAMING, text__contains=user.get_username())
        if said := [_plain(line) for line in lines if _naming(user).search(line.text)]:
            found["lines of the log that say the name"] = said
    return found


def happened_to(user: Any) -> list[LogLine]:
    """The newest lines of the log about somebody's account, done by whomever; the newest first."""
    named = LogLine.objects.filter(what__in=NAMING, text__contains=user.get_username())[:LOOKED_AT]
    naming = _naming(user)
    return list(islice((line for line in named.iterator(chunk_size=100) if naming.search(line.text)), LINES))


def _naming(user: Any) -> re.Pattern[str]:
    """The sign-in name where it stands alone."""
    return re.compile(rf"(?<![\w.@+-]){re.escape(user.get_username())}(?![\w@+-])")


@in_transaction
def erase(user: Any) -> Erased:
    """Take somebody's account away and their name off what stays. Raises a problem where a book would have no owner."""
    user = get_user_model().objects.select_for_update().get(pk=user.pk)
    owned = Book.objects.filter(members__user=user, members__role=Member.Role.OWNER)
    others = Member.objects.filter(role=Member.Role.OWNER, user__is_active=True).exclude(user=user)
    if alone := sorted(owned.exclude(members__in=others).values_list("name", flat=True)):
        raise conflict("owner-needed", f"{', '.join(alone)}: nobody else owns it. Make somebody an owner first.")
    name = f"somebody-{user.pk}"
    naming, before = _naming(user), user.get_username()
    gone = 0
    for model in OWN:
        for row in list(_rows(model, user)):
            row.delete()
            gone += 1
    for model in TRIES:
        gone += model._default_manager.filter(username=before).delete()[0]
    lines = _unname(before, name, naming, user)
    user.username, user.first_name, user.last_name, user.email = name, "", "", ""
    user.is_active = user.is_staff = user.is_superuser = False
    user.last_login = None
    user.set_unusable_password()
    user.save()
    user.groups.clear()
    user.user_permissions.clear()
    sealed = 0
    for kind in kinds():
        for row in list(_rows(kind.model, user)):
            seal("name taken off", row)
            sealed += 1
    LogLine.write("person erased", name)
    return Erased(name, gone, sealed, lines)


def _unname(before: str, name: str, naming: re.Pattern[str], user: Any) -> int:
    """Past the log's own rule that nothing in it is changed: the name and the address go, what was done stays."""
    changed = LogLine.objects.filter(Q(by=user) | Q(by_name=before)).update(by_name=name, address="")
    said = LogLine.objects.filter(what__in=NAMING, text__contains=before)
    for line in [line for line in said if naming.search(line.text)]:
        changed += LogLine.objects.filter(pk=line.pk).update(text=naming.sub(name, line.text), address="")
    return changed
