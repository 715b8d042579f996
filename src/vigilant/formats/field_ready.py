"""Is a build ready to be sent out? What its test sessions sent is looked through, one check each.

A check that fails is *wrong*; one that nothing in the uploads speaks to is *missing*: the test did not do it.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from itertools import pairwise
from typing import Any, Literal

import numpy as np

from vigilant.core.field import share_over

from . import limits, strict_json
from .errors import FormatError
from .field import SentCell, Snapshot, read_snapshot, shrinks

State = Literal["ok", "missing", "wrong"]
#: Sessions of a test, and how far seconds of play may be from the sum of frame times.
SESSIONS, APART = 3, 0.02
#: A session that comes so long after it was over, s, came with a later start.
LATER_S = 10.0


@dataclass(frozen=True)
class Check:
    """One check: its name, how it stands, and what was seen."""

    name: str
    state: State
    seen: str = ""


@dataclass
class Uploads:
    """What came, in its order: each as it was read, with its size, or why it could not be."""

    read: list[Snapshot] = field(default_factory=list)
    bodies: list[bytes] = field(default_factory=list)
    refused: list[str] = field(default_factory=list)

    def by_session(self) -> dict[Any, list[int]]:
        found: dict[Any, list[int]] = defaultdict(list)
        for i, snapshot in enumerate(self.read):
            found[snapshot.session].append(i)
        return found

    def newest(self) -> list[Snapshot]:
        return [max((self.read[i] for i in own), key=lambda one: one.seq) for own in self.by_session().values()]


def read_uploads(text: str, source: str = "") -> Uploads:
    """Uploads one a line, as devices sent them. Raises :class:`FormatError` for a file without any."""
    found = Uploads()
    for number, line in enumerate(text.lstrip("\ufeff").splitlines(), 1):
        if not line.strip():
            continue
        body = line.strip().encode()
        try:
            strict_json.loads(body)
        except strict_json.JsonRefused as error:
            raise FormatError(
                "uploads-unreadable", f"it is no JSON that can be taken: {error}", source, number
            ) from None
        try:
            found.read.append(read_snapshot(body))
            found.bodies.append(body)
        except FormatError as error:
            found.refused.append(f"line {number}: {error.message}")
    if not found.read and not found.refused:
        raise FormatError("uploads-empty", "it holds no upload", source)
    return found


def checked(uploads: Uploads, legs: Sequence[str] = ()) -> tuple[Check, ...]:
    """Every check; ``legs`` are those of the scenario that has to be seen."""
    return tuple(check(uploads, legs) for check in _CHECKS)


def ready(checks: Sequence[Check]) -> State:
    """*wrong* where any check is, else *missing* where any is."""
    states = {check.state for check in checks}
    return "wrong" if "wrong" in states else "missing" if "missing" in states else "ok"


def _sessions(uploads: Uploads, legs: Sequence[str]) -> Check:
    count = len(uploads.by_session())
    return Check("sessions", "ok" if count >= SESSIONS else "missing", f"{count} of {SESSIONS}")


def _readable(uploads: Uploads, legs: Sequence[str]) -> Check:
    """Sums and longest frames agree with their buckets, late frames with their lanes, places and tiers with what is named: as the server reads."""
    return Check("readable", "wrong" if uploads.refused else "ok", uploads.refused[0] if uploads.refused else f"{len(uploads.read)} uploads")  # fmt: skip


def _rising(uploads: Uploads, legs: Sequence[str]) -> Check:
    for session, own in uploads.by_session().items():
        for before, after in pairwise(own):
            a, b = uploads.read[before], uploads.read[after]
            if b.seq < a.seq:
                return Check("rising", "wrong", f"{session}: {b.seq} came after {a.seq}")
            if b.seq == a.seq and uploads.bodies[before] != uploads.bodies[after]:
                return Check("rising", "wrong", f"{session}: {b.seq} came with two contents")
            if b.seq > a.seq and (less := shrinks(a, b)):
                return Check("rising", "wrong", f"{session}: {less}")
    return Check("rising", "ok", f"up to {max((one.seq for one in uploads.read), default=0)}")


def _again(uploads: Uploads, legs: Sequence[str]) -> Check:
    seqs = [(one.session, one.seq) for one in uploads.read]
    twice = len(seqs) - len(set(seqs))
    return Check("again", "ok" if twice else "missing", f"{twice} came twice")


def _device(uploads: Uploads, legs: Sequence[str]) -> Check:
    lacking = [one for one in uploads.newest() if one.device.kind is None and one.device.memory_gib is None and one.device.graphics is None]  # fmt: skip
    seen = ", ".join(sorted({f"{one.device.model} ({one.device.kind or 'no class'})" for one in uploads.newest()}))
    return Check("device", "wrong" if lacking else "ok", seen[:200])


def _tiers(uploads: Uploads, legs: Sequence[str]) -> Check:
    used = [one.tiers[cell.tier] for one in uploads.newest() for cell in one.cells]
    if not used:
        return Check("tiers", "missing", "no frame was played at any")
    lacking = sorted({tier.name for tier in used if not tier.settings})
    seen = sorted({f"{tier.level} {tier.name}, set by {tier.set_by}" for tier in used})
    return Check(
        "tiers",
        "wrong" if lacking else "ok",
        f"{', '.join(lacking)} without settings" if lacking else "; ".join(seen)[:200],
    )


def _legs(uploads: Uploads, legs: Sequence[str]) -> Check:
    played = {one.places[cell.place].name for one in uploads.newest() for cell in one.cells}
    if not legs:
        return Check("legs", "ok" if played else "missing", ", ".join(sorted(played))[:200])
    lacking = [leg for leg in legs if leg not in played]
    return Check(
        "legs",
        "missing" if lacking else "ok",
        f"not seen: {', '.join(lacking)}" if lacking else f"{len(legs)} of {len(legs)}",
    )


def _labels(uploads: Uploads, legs: Sequence[str]) -> Check:
    on: dict[str, set[bool]] = defaultdict(set)
    for one in uploads.newest():
        for i, name in enumerate(one.labels):
            on[name] |= {bool(own.labels >> i & 1) for own in one.sets if own.seconds}
    lacking = [f"{name} never {'off' if seen == {True} else 'on'}" for name, seen in on.items() if len(seen) < 2]
    return Check(
        "labels", "missing" if lacking else "ok", "; ".join(lacking) or (", ".join(on) if on else "none are named")
    )


def _not_play(uploads: Uploads, legs: Sequence[str]) -> Check:
    named = sorted({place.name for one in uploads.newest() for place in one.places if not place.play})
    return Check("not-play", "ok" if named else "missing", ", ".join(named) or "no place is marked as not play")


def _cells(uploads: Uploads) -> Iterator[tuple[Snapshot, SentCell]]:
    return ((one, cell) for one in uploads.newest() for cell in one.cells)


def _seconds(uploads: Uploads, legs: Sequence[str]) -> Check:
    worst = max(
        (abs(cell.play_s * 1000.0 / cell.sum_ms - 1.0) for _, cell in _cells(uploads) if cell.sum_ms > 0), default=None
    )
    if worst is None:
        return Check("seconds", "missing", "nothing was played")
    return Check("seconds", "ok" if worst <= APART else "wrong", f"{100 * worst:.1f} % apart at most")


def _late(uploads: Uploads, legs: Sequence[str]) -> Check:
    seen = 0
    for one, cell in _cells(uploads):
        tier = one.tiers[cell.tier]
        told = share_over(cell.histogram, tier.budget_ms * (1.0 + tier.tolerance))
        if not told.low - 1e-9 <= cell.late / max(1, cell.count) <= told.high + 1e-9:
            return Check("late", "wrong", f"{one.places[cell.place].name}: {cell.late} late, by its budget {told.low * cell.count:.0f} to {told.high * cell.count:.0f}")  # fmt: skip
        seen += cell.late
    return Check("late", "ok" if seen else "missing", f"{seen:,} late frames")


def _held(uploads: Uploads, legs: Sequence[str]) -> Check:
    told = [one.held.told for one in uploads.newest()]
    return Check(
        "held",
        "ok" if told and "unknown" not in told else "missing",
        f"{told.count('unknown')} of {len(told)} did not tell",
    )


def _ended(uploads: Uploads, legs: Sequence[str]) -> Check:
    ended = [one.ended for one in uploads.newest()]
    lacking = ended.count(None)
    seen = ", ".join(sorted({how for how in ended if how}))
    return Check(
        "ended", "wrong" if lacking else "ok", f"{lacking} of {len(ended)} sessions have no end" if lacking else seen
    )


def _killed(uploads: Uploads, legs: Sequence[str]) -> Check:
    found = [one for one in uploads.newest() if one.ended == "vanished" and any(cell.count for cell in one.cells)]
    return Check("killed", "ok" if found else "missing", f"{len(found)} came with the start after")


def _offline(uploads: Uploads, legs: Sequence[str]) -> Check:
    """A session that came whole only once it had long been over: with one upload, older than what was played in it."""
    found = 0
    for own in uploads.by_session().values():
        one = uploads.read[own[0]]
        played = sum(cell.play_s for cell in one.cells)
        found += len({uploads.read[i].seq for i in own}) == 1 and one.ended is not None and one.age_s > played + LATER_S
    return Check("offline", "ok" if found else "missing", f"{found} came later, once")


def _sizes(uploads: Uploads, legs: Sequence[str]) -> Check:
    most = max(map(len, uploads.bodies), default=0)
    elsewhere = sum(one.elsewhere_frames for one in uploads.newest())
    state: State = "wrong" if most > limits.FIELD_BYTES or elsewhere else "ok"
    return Check("sizes", state, f"{most:,} bytes at most; {elsewhere:,} frames had no room")


def _refused(uploads: Uploads, legs: Sequence[str]) -> Check:
    lost = sum(one.refused_frames for one in uploads.newest())
    frames = sum(int(np.sum(cell.counts)) for _, cell in _cells(uploads))
    return Check(
        "refused-frames",
        "wrong" if lost > 0.001 * max(1, frames) else "ok",
        f"{lost:,} of {frames:,} frames were no time",
    )


_CHECKS: tuple[Callable[[Uploads, Sequence[str]], Check], ...] = (
    _sessions, _readable, _rising, _again, _device, _tiers, _legs, _labels, _not_play, _seconds, _late, _refused, _held, _ended, _killed,
    _offline, _sizes,
)  # fmt: skip
