"""Who may do what in a book: people are added, given another role, taken out; new ones get a link to sign in."""

from __future__ import annotations

from typing import Any

from django.contrib.auth import get_user_model
from django.db import IntegrityError
from django.utils.text import slugify

from vigilant.server.database import in_transaction
from vigilant.server.problems import conflict, unprocessable

from .models import Book, LogLine, Member, SignInLink

User = get_user_model()
#: Addresses that lead elsewhere than to a book.
RESERVED = ("admin", "api", "assets", "shown", "sign-in", "sign-on", "static", "metrics", "visit")
TRIES = 5


def make_book(name: str, user: Any) -> Book:
    """A new book; who makes it owns it. Its address comes from its name, and is no other's."""
    for _ in range(TRIES):
        try:
            return _made(name, user)
        except IntegrityError:  # somebody took the address meanwhile
            continue
    raise conflict("name-taken", "Many make a book of this name just now; try it again.")


@in_transaction
def _made(name: str, user: Any) -> Book:
    stem = (slugify(name) or "book")[:60]
    taken = {*RESERVED, *Book.objects.filter(slug__startswith=stem).values_list("slug", flat=True)}
    slug = next(s for s in (stem, *(f"{stem}-{n}" for n in range(2, len(taken) + 3))) if s not in taken)
    book = Book.objects.create(slug=slug, name=name)
    _member(book, user, Member.Role.OWNER, user)
    LogLine.write("book made", name, by=user, book=book)
    return book


def _member(book: Book, user: Any, role: str, by: Any) -> Member:
    made = Member(book=book, user=user, role=role)
    made.by = by
    made.save(force_insert=True)
    return made


@in_transaction
def rename_book(book: Book, name: str, user: Any) -> None:
    """Another name; the address stays, so that links do."""
    LogLine.write("book renamed", f"{book.name} \u2192 {name}", by=user, book=book)
    Book.objects.filter(pk=book.pk).update(name=name)


@in_transaction
def allow_links(book: Book, allowed: bool, user: Any) -> None:
    """Let statements be shown by links without signing in, or make every such link show nothing."""
    LogLine.write("links allowed" if allowed else "links off", book.name, by=user, book=book)
    Book.objects.filter(pk=book.pk).update(links_allowed=allowed)


@in_transaction
def add_member(book: Book, username: str, role: str, new: bool, by: Any) -> tuple[Member, str]:
    """A member, and the secret of the link by which somebody new signs in ("" for people who were here before).

    Raises a problem for a name nobody has, or, where somebody new is meant, that is taken.
    """
    user = User.objects.filter(username=username).first()
    if user is None and not new:
        raise unprocessable("person-unknown", f"Nobody signs in here as {username!r}. Is it somebody new?")
    if user is not None and new:
        raise conflict("name-taken", f"Somebody signs in here as {username!r} already.")
    try:
        if user is None:
            user = User(username=username)
            user.set_unusable_password()
            user.save()
            LogLine.write("person added", username, by=by, book=book)
        member = _member(book, user, role, by)
    except IntegrityError as error:
        raise conflict("member-already", f"{username} is a member of this book already.") from error
    return member, SignInLink.issue(user) if new else ""


def link_again(member: Member, by: Any) -> str:
    """Another link for somebody who has never signed in. Raises a problem for others: a link is as good as they are."""
    if member.user.last_login is not None or member.user.has_usable_password():
        raise conflict("signed-in-before", f"{member.user} has signed in before; only they can let themselves in.")
    LogLine.write("link asked for", str(member.user), by=by, book=member.book)
    return SignInLink.issue(member.user)


@in_transaction
def give_role(member: Member, role: str, by: Any) -> Member:
    """Another role, which is no group's any more. Raises a problem where the book would have no owner."""
    member = _locked(member)
    if role != Member.Role.OWNER:
        _keep_an_owner(member)
    member.role, member.by_group, member.by = role, False, by
    member.save(update_fields=["role", "by_group"])
    return member


@in_transaction
def take_out(member: Member, by: Any) -> None:
    """Out of the book; what they wrote stays. Raises a problem where the book would have no owner."""
    member = _locked(member)
    _keep_an_owner(member)
    member.by = by
    member.delete()


def _locked(member: Member) -> Member:
    Book.objects.select_for_update().get(pk=member.book_id)
    return Member.objects.select_related("user", "book").get(pk=member.pk)


def _keep_an_owner(member: Member) -> None:
    owners = Member.objects.filter(book=member.book_id, role=Member.Role.OWNER)
    if member.role == Member.Role.OWNER and not owners.exclude(pk=member.pk).exists():
        raise conflict("last-owner", "A book has at least one owner; make somebody else one first.")
