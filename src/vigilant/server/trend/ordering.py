"""The order of a book's builds: from version control, by the dates that builds were made, or by hand."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from datetime import datetime
from itertools import pairwise
from typing import Any

from vigilant.formats import limits
from vigilant.server.books.models import Book, LogLine
from vigilant.server.database import in_transaction
from vigilant.server.problems import conflict, unprocessable

from .models import BuildPlace


def places_of(book: int) -> dict[str, int]:
    """The place of every build that has one, by a book's key."""
    return dict(BuildPlace.objects.filter(book=book).values_list("name", "place"))


@in_transaction
def set_order(book: Book, builds: Sequence[Mapping[str, Any]], by: str, anew: bool, user: Any) -> int:
    """Take the order of these builds, the oldest first, or ``by`` date; how many of them had no place before. Those that have one keep
    their order, else it is refused; each other goes right before the next listed one that has a place, or to the end. With ``anew`` the
    list is the whole order. Raises a problem."""
    Book.objects.select_for_update().get(pk=book.pk)
    listed = _listed(builds, by)
    known = [] if anew else list(BuildPlace.objects.filter(book=book).order_by("place").values_list("name", flat=True))
    whole = _merged(known, list(listed))
    if len(whole) > limits.ORDERED_BUILDS:
        raise conflict(
            "builds-too-many", f"{len(whole)} builds would have a place; {limits.ORDERED_BUILDS} are allowed."
        )
    made = len(set(listed) - set(known))
    _write(book, whole, listed)
    if made or anew:
        LogLine.write("builds ordered", f"{made} new, {len(whole)} in all", by=user, book=book)
    return made


@in_transaction
def move(book: Book, build: str, after: str, user: Any) -> None:
    """Put a build right after another, or first (""). Raises a problem."""
    Book.objects.select_for_update().get(pk=book.pk)
    names = list(BuildPlace.objects.filter(book=book).order_by("place").values_list("name", flat=True))
    for name in filter(None, (build, after)):
        if name not in names:
            raise unprocessable("build-unknown", f"Build {name[:80]!r} has no place in the order.")
    if build == after:
        raise unprocessable("build-after-itself", "A build cannot come after itself.")
    names.remove(build)
    names.insert(names.index(after) + 1 if after else 0, build)
    _write(book, names, {})
    LogLine.write("builds ordered", f"{build} {'after ' + after if after else 'first'}", by=user, book=book)


@in_transaction
def add_newest(book: Book, build: str) -> bool:
    """Give a build that has no place the newest one; whether it had none."""
    Book.objects.select_for_update().get(pk=book.pk)
    known = places_of(book.pk)
    if build in known:
        return False
    if len(known) >= limits.ORDERED_BUILDS:
        raise conflict("builds-too-many", f"{len(known)} builds have a place; {limits.ORDERED_BUILDS} are allowed.")
    BuildPlace.objects.create(book=book, name=build, place=1 + max(known.values(), default=-1))
    return True


def _listed(builds: Sequence[Mapping[str, Any]], by: str) -> dict[str, datetime | None]:
    listed: dict[str, datetime | None] = {}
    for one in builds:
        if one["name"] in listed:
            raise unprocessable("build-twice", f"Build {one['name'][:80]!r} is listed twice.")
        listed[one["name"]] = one.get("made_at")
    if by != "date":
        return listed
    if undated := [name for name, made in listed.items() if made is None]:
        raise unprocessable("build-undated", f"Build {undated[0][:80]!r} has no date to be ordered by.")
    return dict(sorted(listed.items(), key=lambda one: one[1].timestamp() if one[1] else 0.0))


def _merged(known: Sequence[str], listed: Sequence[str]) -> list[str]:
    """The known order with the listed builds in it. Raises a problem where the two disagree, or share no build."""
    at = {name: i for i, name in enumerate(known)}
    shared = [name for name in listed if name in at]
    for earlier, later in pairwise(shared):
        if at[earlier] > at[later]:
            raise conflict(
                "order-differs",
                f"The list has {earlier[:80]} before {later[:80]}; the book has them the other way round. Move one of them, or set"
                " the order anew.",
            )
    if known and not shared:
        raise conflict(
            "order-apart",
            "None of these builds has a place yet, so that nothing says where they go among those that have one: list one that has, or"
            " set the order anew.",
        )
    return list(_woven(known, listed, at))


def _woven(known: Sequence[str], listed: Sequence[str], at: Mapping[str, int]) -> Iterator[str]:
    """Each build that has no place goes right before the next one listed that has, or to the end."""
    done, waiting = 0, list[str]()
    for name in listed:
        if name not in at:
            waiting.append(name)
            continue
        yield from (*known[done : at[name]], *waiting, name)
        waiting, done = [], at[name] + 1
    yield from (*known[done:], *waiting)


def _write(book: Book, names: Sequence[str], dated: Mapping[str, datetime | None]) -> None:
    there = {one.name: one for one in BuildPlace.objects.filter(book=book)}
    gone = [one.pk for name, one in there.items() if name not in set(names)]
    BuildPlace.objects.filter(pk__in=gone).delete()
    changed, made = [], []
    for place, name in enumerate(names):
        one = there.get(name)
        if one is None:
            made.append(BuildPlace(book=book, name=name, place=place, made_at=dated.get(name)))
        elif one.place != place or (dated.get(name) and one.made_at != dated[name]):
            one.place, one.made_at = place, dated.get(name) or one.made_at
            changed.append(one)
    BuildPlace.objects.bulk_create(made, batch_size=500)
    BuildPlace.objects.bulk_update(changed, ["place", "made_at"], batch_size=500)
