"""Counting sessions into the roll-ups: what they add up to now, less what was counted of them before, in one transaction."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from datetime import date, timedelta
from typing import Any

import numpy as np

from vigilant.core.field import BUCKETS
from vigilant.formats.field import Snapshot
from vigilant.server.books.models import Book
from vigilant.server.database import in_transaction

from .keeping import snapshot_of
from .models import ROLL_UPS, AfterBursts, FieldSettings, LabelledSeconds, OfModel, Played, RollUp, Seen, Session, Term
from .terms import Terms

GROUPS = 32
#: Bits that installations are noted in.
NOTED = 1024
#: Sessions that are counted in one transaction, and rows of a roll-up that are read or written in one statement.
AT_ONCE, ROWS = 400, 500
#: Sums that are kept as something else than a number.
MAXIMA = ("max_ms", "work_max_ms")
ARRAYS = {"buckets": BUCKETS, "work_buckets": BUCKETS, "by_group": 3 * GROUPS}
#: A session may have ended in these ways without anybody's will to leave being known: they are no endings after a burst.
OF_THE_PERSON = ("person", "vanished")

#: What is told of a cell, of a cell on its model, and of a session, in this order.
PLAYED = (
    "frames",
    "late",
    "late_processor",
    "late_graphics",
    "free_frames",
    "work_frames",
    "sum_ms",
    "late_ms",
    "play_s",
    "work_ms",
)
OF_MODEL = (
    "sessions",
    "frames",
    "late",
    "free_frames",
    "free_ms",
    "frames_squared",
    "frames_late",
    "late_squared",
    "play_s",
)
SEEN = ("sessions", "held", "held_untold")

Key = tuple[Any, ...]


@dataclass
class Sum:
    """What one row of a roll-up is to get. What sessions add is gathered, and added up once (:meth:`settle`)."""

    of: dict[str, Any]
    numbers: dict[str, float] = field(default_factory=dict)
    maxima: dict[str, float] = field(default_factory=dict)
    arrays: dict[str, Any] = field(default_factory=dict)
    bits: int = 0
    gathered: dict[tuple[str, ...], list[tuple[float, ...]]] = field(default_factory=dict)
    in_groups: dict[int, list[tuple[int, ...]]] = field(default_factory=dict)

    def add(self, names: tuple[str, ...], sign: int, values: tuple[float, ...]) -> None:
        self.gathered.setdefault(names, []).append(_signed(sign, values))

    def add_in_group(self, group: int, sign: int, values: tuple[int, int, int]) -> None:
        self.in_groups.setdefault(group, []).append(_signed(sign, values))

    def add_array(self, name: str, sign: int, counts: Any) -> None:
        held = self.arrays.get(name)
        if held is None:
            self.arrays[name] = sign * counts
        elif sign > 0:
            held += counts
        else:
            held -= counts

    def most(self, name: str, value: float) -> None:
        if value > self.maxima.get(name, 0.0):
            self.maxima[name] = value

    def settle(self) -> None:
        """Add up what was gathered."""
        for names, each in self.gathered.items():
            for name, total in zip(names, map(sum, zip(*each, strict=True)), strict=True):
                self.numbers[name] = self.numbers.get(name, 0) + total
        self.gathered.clear()
        if self.in_groups:
            counts = np.zeros((3, GROUPS), dtype=np.int64)
            for group, of_group in self.in_groups.items():
                counts[:, group] = np.sum(of_group, axis=0)
            self.in_groups.clear()
            self.add_array("by_group", 1, counts.ravel())

    def join(self, other: Sum) -> None:
        """Add all of another one that is settled."""
        for name, value in other.numbers.items():
            self.numbers[name] = self.numbers.get(name, 0) + value
        self.bits |= other.bits
        for name, counts in other.arrays.items():
            self.add_array(name, 1, counts)
        for name, value in other.maxima.items():
            self.most(name, value)


def _signed(sign: int, values: tuple[Any, ...]) -> tuple[Any, ...]:
    return values if sign > 0 else tuple(-value for value in values)


class Sums:
    """Rows of roll-ups by what they are of."""

    def __init__(self) -> None:
        self.rows: dict[tuple[type[RollUp], Key], Sum] = {}

    def of(self, table: type[RollUp], **what: Any) -> Sum:
        key = table, tuple(what.values())
        found = self.rows.get(key)
        if found is None:
            found = self.rows[key] = Sum(what)
        return found

    def settle(self) -> None:
        for one in self.rows.values():
            one.settle()

    def over_weeks(self) -> None:
        """To the sums of each week, those over all of them."""
        self.settle()
        for (table, _), one in list(self.rows.items()):
            self.of(table, **{**one.of, "week": None}).join(one)


def monday(day: date) -> date:
    return day - timedelta(days=day.weekday())


def group_of(installation: str) -> int:
    """Of 32, by the end of the hash; the bit that it is noted by is told by its beginning."""
    return int(installation[-4:], 16) % GROUPS


def bit_of(installation: str) -> int:
    return 1 << int(installation[:8], 16) % NOTED


@dataclass(frozen=True)
class Counted:
    """A session as the roll-ups see it; once it has been sorted."""

    session: Session
    snapshot: Snapshot
    ended: str


def add(sums: Sums, terms: Terms, one: Counted, sign: int) -> None:
    """All that a session adds to the roll-ups (``sign`` 1), or what it added (-1)."""
    snapshot, session = one.snapshot, one.session
    whole = {
        "book_id": session.book_id, "own": session.own, "week": monday(session.first_day), "build_id": session.build_id,
        "sorted_as_id": session.sorted_as_id,
    }  # fmt: skip
    group, bit = group_of(snapshot.installation), bit_of(snapshot.installation) if sign > 0 else 0
    tiers = [terms.tier(tier).pk for tier in snapshot.tiers]
    places = [terms.place(place.name).pk if place.play else 0 for place in snapshot.places]
    held = snapshot.held.told
    frames = late = 0
    at_tier: dict[int, tuple[float, ...]] = {}
    for cell in snapshot.cells:
        counts = cell.counts
        n = int(counts.sum())
        if not n:
            continue
        frames, late = frames + n, late + cell.late
        where = {"tier_id": tiers[cell.tier], "place_id": places[cell.place]}
        played = sums.of(Played, **whole, **where, group=group)
        work = cell.work.counts if cell.work else None
        told = int(work.sum()) if work is not None else 0
        played.add(
            PLAYED, sign,
            (n, cell.late, *cell.late_by[:2], n if held == "no" else told, told, cell.sum_ms, cell.late_ms, cell.play_s,
             cell.work.sum_ms if cell.work else 0.0),
        )  # fmt: skip
        played.add_array("buckets", sign, counts)
        if work is not None:
            played.add_array("work_buckets", sign, work)
        if sign > 0:
            played.most("max_ms", cell.max_ms)
            played.most("work_max_ms", cell.work.max_ms if cell.work else 0.0)
        free = n if held == "no" else told
        free_ms = cell.sum_ms if held == "no" else cell.work.sum_ms if cell.work else 0.0
        parts = n, cell.late, free, free_ms, cell.play_s
        _of_model(sums.of(OfModel, **whole, model_id=session.model_id, **where), parts, bit, sign)
        at_tier[where["tier_id"]] = tuple(
            a + b for a, b in zip(at_tier.get(where["tier_id"], (0,) * 5), parts, strict=True)
        )
    for tier, parts in at_tier.items():
        row = sums.of(OfModel, **whole, model_id=session.model_id, tier_id=tier, place_id=None)
        _of_model(row, parts, bit, sign)  # type: ignore[arg-type]
    _seen(sums, whole, one, tiers, places, bit, sign, (frames, late))
    _labelled(sums, terms, whole, one, tiers, places, group, sign)
    _after_bursts(sums, whole, one, places, sign)


def _of_model(row: Sum, parts: tuple[int, int, int, float, float], bit: int, sign: int) -> None:
    n, late, free, free_ms, play_s = parts
    row.bits |= bit
    row.add(OF_MODEL, sign, (1, n, late, free, free_ms, float(n) ** 2, float(n) * late, float(late) ** 2, play_s))


def _seen(
    sums: Sums, whole: Mapping[str, Any], one: Counted, tiers: list[int], places: list[int], bit: int, sign: int, totals: tuple[int, int]
) -> None:  # fmt: skip
    """A session once for itself, for each tier, each place, and each of both together."""
    frames, late = totals
    cells = {(tiers[c.tier], places[c.place]) for c in one.snapshot.cells if c.counts.any()}
    where: set[tuple[int | None, int | None]] = {*cells, *((t, None) for t, _ in cells), *((None, p) for _, p in cells)}
    told = one.snapshot.held.told
    seen = 1, int(told == "yes"), int(told == "unknown")
    for tier, place in (*where, (None, None)):
        row = sums.of(Seen, **whole, tier_id=tier, place_id=place)
        row.bits |= bit
        row.add(SEEN, sign, seen)
    if frames:
        over = np.array([late > goal * frames for goal in FieldSettings.GOALS], dtype=np.int64)
        row.add_array("over", sign, over)
    if one.ended:
        row.add((f"ended {one.ended}",), sign, (1,))


def _labelled(
    sums: Sums, terms: Terms, whole: Mapping[str, Any], one: Counted, tiers: list[int], places: list[int], group: int, sign: int
) -> None:  # fmt: skip
    bits = terms.labels_of(one.session.build_id, one.snapshot.labels)
    for own in one.snapshot.sets:
        labels = sum(1 << bit for i, bit in enumerate(bits) if bit is not None and own.labels >> i & 1)
        row = sums.of(LabelledSeconds, **whole, tier_id=tiers[own.tier], place_id=places[own.place], labels=labels)
        row.add_in_group(group, sign, (own.seconds, own.frames, own.late))


def _after_bursts(sums: Sums, whole: Mapping[str, Any], one: Counted, places: list[int], sign: int) -> None:
    for own in one.snapshot.bursts:
        row = sums.of(AfterBursts, **whole, place_id=places[own.place], minutes=own.minutes)
        row.add(("now", "then"), sign, (own.now, own.then))
    last = one.snapshot.last
    if last is None or last.now == last.then or one.ended not in OF_THE_PERSON:
        return
    row = sums.of(AfterBursts, **whole, place_id=places[last.place], minutes=last.minutes)
    # The last second is an ending, and no other second.
    row.add(("ended_now", "now") if last.now else ("ended_then", "then"), sign, (1, -1))


# -- into the tables


def fold(book: Book, most: int = AT_ONCE) -> int:
    """Count what waits; how many sessions were."""
    return _fold(book.pk, most)


@in_transaction
def _fold(book: int, most: int) -> int:
    waiting = list(
        Session.objects.select_for_update(skip_locked=True).filter(book=book, waits=True).order_by("pk")[:most]
    )
    if not waiting:
        return 0
    terms, sums = Terms(book), Sums()
    fresh: list[Session] = []
    snapshots = [snapshot_of(session.sent) for session in waiting]
    terms.expect(snapshots)
    for session, snapshot in zip(waiting, snapshots, strict=True):
        if session.sorted_as_id is None:
            session.build, session.model = terms.build(snapshot), terms.model(snapshot.device)
            session.sorted_as = terms.class_of(snapshot.device)
            fresh.append(session)
        if session.counted is not None:
            add(sums, terms, Counted(session, snapshot_of(session.counted), session.counted_ended), -1)
        add(sums, terms, Counted(session, snapshot, session.ended), 1)
    apply(sums)
    alike: dict[tuple[Term, Term, Term], list[int]] = {}
    for session in fresh:
        alike.setdefault((session.build, session.sorted_as, session.model), []).append(session.pk)  # type: ignore[arg-type]
    for (build, sorted_as, model), of in alike.items():
        Session.objects.filter(pk__in=of).update(build=build, sorted_as=sorted_as, model=model)
    Session.objects.filter(pk__in=[s.pk for s in waiting]).update(waits=False, counted=None, counted_ended="")
    return len(waiting)


@in_transaction
def discard(key: int, most: int = AT_ONCE) -> int:
    """Take sessions that came by a key out of the sums, and away; how many were. Longest frames and noted installations stay as they are."""
    going = list(Session.objects.select_for_update().filter(key=key).order_by("pk")[:most])
    if not going:
        return 0
    terms, sums = Terms(going[0].book_id), Sums()
    for session in going:
        if (counted := as_counted(session)) is not None:
            add(sums, terms, counted, -1)
    apply(sums)
    Session.objects.filter(pk__in=[session.pk for session in going]).delete()
    return len(going)


def as_counted(session: Session) -> Counted | None:
    """What the roll-ups hold of a session; None while that is nothing."""
    if session.sorted_as_id is None or (session.waits and session.counted is None):
        return None
    kept, ended = (
        (session.counted, session.counted_ended) if session.counted is not None else (session.sent, session.ended)
    )
    return Counted(session, snapshot_of(kept), ended)


def apply(sums: Sums) -> None:
    """Add the sums of weeks to their rows, and to those over all weeks; rows are locked in the order of their keys."""
    sums.over_weeks()
    by_table: dict[type[RollUp], dict[str, Sum]] = {table: {} for table in ROLL_UPS}
    for (table, key), one in sums.rows.items():
        by_table[table][_digest(key)] = one
    for table, rows in by_table.items():
        keys = sorted(rows)
        for start in range(0, len(keys), ROWS):
            _apply(table, {key: rows[key] for key in keys[start : start + ROWS]})


def _apply(table: type[RollUp], rows: Mapping[str, Sum]) -> None:
    held = {row.key: row for row in table.objects.select_for_update().filter(key__in=list(rows)).order_by("key")}  # type: ignore[attr-defined]
    made = []
    for key, one in rows.items():
        row = held.get(key)
        made.append(_added(table(key=key, **one.of) if row is None else row, one))
    what = {"id", "key", *next(iter(rows.values())).of}
    names = [f.name for f in table._meta.fields if f.attname not in what]
    table.objects.bulk_create(made, update_conflicts=True, update_fields=names)  # type: ignore[attr-defined]


def _digest(key: Key) -> str:
    return hashlib.blake2b(repr(key).encode(), digest_size=16).hexdigest()


def _added(row: Any, one: Sum) -> Any:
    for name, value in one.numbers.items():
        if name.startswith("ended "):
            how = name.removeprefix("ended ")
            row.ended[how] = int(row.ended.get(how, 0) + value)
        else:
            setattr(row, name, getattr(row, name) + value)
    for name, value in one.maxima.items():
        setattr(row, name, max(getattr(row, name), value))
    if "over" in one.arrays:
        row.over = (one.arrays["over"] + np.array(row.over or [0] * len(FieldSettings.GOALS))).tolist()
    for name, size in ARRAYS.items():
        if hasattr(row, name):
            setattr(row, name, kept_counts(counts_of(getattr(row, name), size) + one.arrays.get(name, 0)))
    if hasattr(row, "installations"):
        before_bits = int.from_bytes(bytes(row.installations or b""), "little")
        row.installations = (before_bits | one.bits).to_bytes(NOTED // 8, "little")
    return row


def kept_counts(counts: Any) -> bytes:
    """Counts in 64 bits each, from the first in use to the last: two bytes say which is first."""
    used = np.flatnonzero(counts)
    if not used.size:
        return b""
    first, last = int(used[0]), int(used[-1])
    return first.to_bytes(2, "little") + np.asarray(counts[first : last + 1], dtype="<i8").tobytes()


def counts_of(kept: bytes | memoryview, size: int = BUCKETS) -> Any:
    """What :func:`kept_counts` kept."""
    counts = np.zeros(size, dtype=np.int64)
    add_counts(counts, kept)
    return counts


def add_counts(counts: Any, kept: bytes | memoryview) -> None:
    """Add what :func:`kept_counts` kept, in place."""
    held = bytes(kept or b"")
    if held:
        first = int.from_bytes(held[:2], "little")
        values = np.frombuffer(held, dtype="<i8", offset=2)
        counts[first : first + values.size] += values


def installations_in(rows: Iterable[bytes | memoryview]) -> int:
    """How many installations are surely in rows, by the bits that note them."""
    bits = 0
    for row in rows:
        bits |= int.from_bytes(bytes(row), "little")
    return bits.bit_count()


def recounted(book: Book) -> Sums:
    """The sums of all sessions as they were counted, from nothing."""
    terms, sums = Terms(book.pk), Sums()
    for session in Session.objects.filter(book=book).exclude(sorted_as=None).iterator():
        if (counted := as_counted(session)) is not None:
            add(sums, terms, counted, 1)
    sums.over_weeks()
    return sums
