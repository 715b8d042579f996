"""Groups that a team has elsewhere, and the role that each gives in a book."""

from __future__ import annotations

from collections.abc import Collection
from typing import Any

from django.db import IntegrityError

from vigilant.formats import limits
from vigilant.server.database import in_transaction
from vigilant.server.problems import conflict, unprocessable

from .models import Book, GroupRole, LogLine, Member


@in_transaction
def give_group(book: Book, group: str, role: str, by: Any) -> GroupRole:
    """From the next time that they sign in, people of the group have at least this role."""
    if GroupRole.objects.filter(book=book).count() >= limits.GROUP_ROLES:
        raise unprocessable("too-many-groups", f"{limits.GROUP_ROLES} groups of a book are allowed.")
    try:
        made = GroupRole.objects.create(book=book, group=group, role=role)
    except IntegrityError:
        raise conflict("group-already", f"The group {group} has a role in this book already.") from None
    LogLine.write("group given a role", f"{group}: {role}", by=by, book=book)
    return made


@in_transaction
def take_group(given: GroupRole, by: Any) -> None:
    LogLine.write("group's role taken", f"{given.group}: {given.role}", by=by, book=given.book)
    given.delete()


@in_transaction
def follow_groups(user: Any, groups: Collection[str]) -> None:
    """What a person's groups give them now: roles that came by a group are given, changed and taken; those that somebody gave stay."""
    wanted: dict[int, Member.Role] = {}
    for given in GroupRole.objects.filter(group__in=groups):
        role = Member.Role(given.role)
        if given.book_id not in wanted or role.rank > wanted[given.book_id].rank:
            wanted[given.book_id] = role
    there = {member.book_id: member for member in Member.objects.select_for_update().filter(user=user).order_by("pk")}
    for book, role in sorted(wanted.items()):
        member = there.get(book)
        if member is None:
            Member(book_id=book, user=user, role=role, by_group=True).save(force_insert=True)
        elif member.by_group and member.role != role and not _last_owner(member):
            member.role = role
            member.save(update_fields=["role"])
    for book, member in there.items():
        if member.by_group and book not in wanted and not _last_owner(member):
            member.delete()


def _last_owner(member: Member) -> bool:
    """A book keeps an owner, whatever becomes of groups."""
    owners = Member.objects.filter(book=member.book_id, role=Member.Role.OWNER)
    return member.role == Member.Role.OWNER and not owners.exclude(pk=member.pk).exists()
