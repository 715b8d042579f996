"""A session in the field, as a device sends it: the whole of it so far. The form is told in docs/formats.md, *Field*."""

from __future__ import annotations

import base64
import binascii
import math
from functools import cached_property
from typing import Annotated, Any, Literal, NamedTuple, Self
from uuid import UUID

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, StringConstraints, ValidationError, ValidationInfo, model_validator

from vigilant.core.errors import CoreError
from vigilant.core.field import EDGES_MS, EDGES_VERSION, MINUTES, Histogram, unpacked
from vigilant.core.series import IntArray

from . import limits, strict_json
from .errors import FormatError

#: Sums of single-precision times, and of times rounded for the way, agree with their buckets to so much.
ROUNDING = 1e-3
#: Minutes since the start are told in so many spans.
SPANS = len(MINUTES) + 1

#: Says to the checks below that they were all made.
KNOWN = object()

#: The edges of every bucket.
_HIGHS = EDGES_MS
_LOWS = np.concatenate(([0.0], EDGES_MS[:-1]))

Name = Annotated[
    str, StringConstraints(strip_whitespace=True, min_length=1, max_length=limits.NAME, pattern=r"^[^\x00-\x1f]+$")
]
Label = Annotated[
    str, StringConstraints(strip_whitespace=True, min_length=1, max_length=limits.LABEL, pattern=r"^[^\x00-\x1f]+$")
]
Count = Annotated[int, Field(ge=0, le=2**32 - 1, strict=True)]
Ms = Annotated[float, Field(ge=0, le=limits.FRAME_MS * 1000, allow_inf_nan=False)]
Seconds = Annotated[float, Field(ge=0, le=1e9, allow_inf_nan=False)]


class _Sent(BaseModel):
    """Unknown keys are let through: a newer sender may say more."""

    model_config = ConfigDict(extra="ignore", frozen=True)


class SentHistogram(_Sent):
    """Frame times by bucket, packed and in base64, with their exact sum and longest."""

    frames: Annotated[str, StringConstraints(max_length=2400)]
    sum_ms: Ms
    max_ms: Ms

    @cached_property
    def counts(self) -> IntArray:
        return unpacked(base64.b64decode(self.frames, validate=True))

    @cached_property
    def count(self) -> int:
        return int(self.counts.sum())

    @property
    def histogram(self) -> Histogram:
        return Histogram(self.counts, self.sum_ms, self.max_ms)

    @model_validator(mode="after")
    def _agrees(self, info: ValidationInfo) -> Self:
        if info.context is KNOWN:
            return self
        try:
            counts = self.counts
        except (binascii.Error, ValueError, CoreError) as error:
            raise ValueError(f"a histogram cannot be read: {error}") from None
        used = counts.nonzero()[0]
        if not used.size:
            if self.sum_ms or self.max_ms:
                raise ValueError("a histogram without frames has a sum or a longest frame")
            return self
        top = int(used[-1])
        low, high = _LOWS[top], _HIGHS[top]
        if not low * (1 - ROUNDING) <= self.max_ms <= high * (1 + ROUNDING):
            raise ValueError(f"the longest frame, {self.max_ms:g} ms, does not lie in the highest bucket in use")
        own = counts[used]
        least, most = float(own @ _LOWS[used]), float(own[:-1] @ _HIGHS[used[:-1]]) + float(own[-1]) * self.max_ms
        if not least * (1 - ROUNDING) - 1 <= self.sum_ms <= most * (1 + ROUNDING) + 1:
            raise ValueError(f"the sum, {self.sum_ms:g} ms, does not agree with the buckets")
        return self


class SentCell(SentHistogram):
    """What was played in one place at one tier. Late frames are counted by the lane that was busiest in them: processor, graphics, not
    told; ``work`` is the same frames without what they waited."""

    place: Annotated[int, Field(ge=0)]
    tier: Annotated[int, Field(ge=0)]
    late: Count
    late_by: tuple[Count, Count, Count]
    late_ms: Ms
    play_s: Seconds
    work: SentHistogram | None = None

    @model_validator(mode="after")
    def _counts(self, info: ValidationInfo) -> Self:
        if info.context is KNOWN:
            return self
        frames = self.count
        if self.late > frames:
            raise ValueError(f"{self.late} of {frames} frames are late")
        if sum(self.late_by) != self.late:
            raise ValueError(f"{self.late} frames are late, and {sum(self.late_by)} by lane")
        if self.late_ms > self.sum_ms * (1 + ROUNDING) + 1:
            raise ValueError(f"late frames took {self.late_ms:g} of {self.sum_ms:g} ms")
        return self


class SentPlace(_Sent):
    """Where in the program; what is not play (loading, menus) has no frames."""

    name: Name
    play: bool = True


class SentTier(_Sent):
    """The quality setting as an ordered level, who set it, and the budget and tolerance (a share of it) that late frames are counted by."""

    level: Annotated[int, Field(ge=0, le=9)]
    name: Name
    settings: Annotated[dict[Name, Annotated[str, StringConstraints(max_length=limits.NAME)]], Field(max_length=32)] = Field(default_factory=dict)  # fmt: skip
    set_by: Literal["program", "person", "random"]
    budget_ms: Annotated[float, Field(gt=0, le=10_000, allow_inf_nan=False)]
    tolerance: Annotated[float, Field(ge=0, lt=10, allow_inf_nan=False)] = 0.05


class SentDevice(_Sent):
    """What the device says of its sort; nothing that tells one of them from another."""

    model: Label
    kind: Name | None = None
    memory_gib: Annotated[float, Field(gt=0, le=100_000, allow_inf_nan=False)] | None = None
    graphics: Label | None = None
    system: Label | None = None


class SentHeld(_Sent):
    """Whether the device found its frames held at a refresh, and at which period."""

    told: Literal["yes", "no", "unknown"] = "unknown"
    period_ms: Annotated[float, Field(gt=0, le=10_000, allow_inf_nan=False)] | None = None


class SentLabelSet(NamedTuple):
    """Seconds of play with exactly these labels (a bit each), and frames and late frames in them."""

    place: Annotated[int, Field(ge=0)]
    tier: Annotated[int, Field(ge=0)]
    labels: Annotated[int, Field(ge=0)]
    seconds: Count
    frames: Count
    late: Count


class SentBursts(NamedTuple):
    """Seconds of one place and span of minutes that a late burst was shortly before: now only, and half a minute earlier only."""

    place: Annotated[int, Field(ge=0)]
    minutes: Annotated[int, Field(ge=0, lt=SPANS)]
    now: Count
    then: Count


class SentLast(_Sent):
    """The last second of play so far."""

    place: Annotated[int, Field(ge=0)]
    minutes: Annotated[int, Field(ge=0, lt=SPANS)]
    now: bool
    then: bool


class Snapshot(_Sent):
    """A whole session so far."""

    vigilant_field: Literal[1]
    edges: Annotated[int, Field(ge=EDGES_VERSION, le=EDGES_VERSION)]
    session: UUID
    seq: Annotated[int, Field(ge=1, le=2**31 - 1, strict=True)]
    installation: Annotated[str, StringConstraints(pattern=r"^[0-9a-f]{32}$")]
    age_s: Annotated[float, Field(ge=-1e10, le=1e10, allow_inf_nan=False)]
    build: Label
    assigned: Literal["", "random"] = ""
    device: SentDevice
    held: SentHeld = SentHeld()
    places: Annotated[list[SentPlace], Field(max_length=limits.FIELD_PLACES)]
    tiers: Annotated[list[SentTier], Field(max_length=limits.FIELD_PLACES)]
    cells: Annotated[list[SentCell], Field(max_length=limits.FIELD_CELLS)]
    labels: Annotated[list[Name], Field(max_length=limits.FIELD_LABELS)] = Field(default_factory=list)
    sets: Annotated[list[SentLabelSet], Field(max_length=limits.FIELD_SETS)] = Field(default_factory=list)
    bursts: Annotated[list[SentBursts], Field(max_length=limits.FIELD_BURSTS)] = Field(default_factory=list)
    last: SentLast | None = None
    ended: Literal["person", "program", "crash", "update", "vanished"] | None = None
    figures: Annotated[dict[Name, Annotated[float, Field(ge=-limits.COUNT, le=limits.COUNT, allow_inf_nan=False)]], Field(max_length=limits.FIELD_FIGURES)] = Field(default_factory=dict)  # fmt: skip
    refused_frames: Count = 0
    elsewhere_frames: Count = 0

    @model_validator(mode="after")
    def _hangs_together(self, info: ValidationInfo) -> Self:
        if info.context is KNOWN:
            return self
        if len({place.name for place in self.places}) < len(self.places):
            raise ValueError("a place is named twice")
        if len(set(self.labels)) < len(self.labels):
            raise ValueError("a label is named twice")
        where = [(cell.place, cell.tier) for cell in self.cells]
        if len(set(where)) < len(where):
            raise ValueError("a place has two cells of one tier")
        for place, tier in [*where, *((one.place, one.tier) for one in self.sets)]:
            self._known(place)
            if tier >= len(self.tiers):
                raise ValueError(f"tier {tier} of {len(self.tiers)} is not there")
        for place in (*(one.place for one in self.bursts), *([self.last.place] if self.last else [])):
            self._known(place)
        if any(one.late > one.frames for one in self.sets):
            raise ValueError("more labelled frames are late than there are")
        sets = [(one.place, one.tier, one.labels) for one in self.sets]
        if len(set(sets)) < len(sets) or any(labels >= 2 ** len(self.labels) for _, _, labels in sets):
            raise ValueError("a set of labels is there twice, or of a label that is not there")
        return self

    def _known(self, place: int) -> None:
        if place >= len(self.places):
            raise ValueError(f"place {place} of {len(self.places)} is not there")
        if not self.places[place].play:
            raise ValueError(f"{self.places[place].name!r} is not play, and has no frames")


def read_snapshot(value: bytes | dict[str, Any], source: str = "") -> Snapshot:
    """Raises :class:`FormatError` ``session-refused`` for what is none, or contradicts itself."""
    if isinstance(value, bytes):
        if len(value) > limits.FIELD_BYTES:
            raise FormatError("session-too-large", f"{len(value)} bytes; {limits.FIELD_BYTES} are allowed", source)
        try:
            value = strict_json.loads(value)
        except strict_json.JsonRefused as error:
            raise FormatError("session-refused", f"it is no JSON that can be taken: {error}", source) from None
    try:
        return Snapshot.model_validate(value)
    except ValidationError as error:
        raise FormatError("session-refused", _said(error), source) from None


def known_snapshot(body: dict[str, Any]) -> Snapshot:
    """A body that :func:`read_snapshot` took before: whether it agrees with itself is not asked again."""
    return Snapshot.model_validate(body, context=KNOWN)


def _said(error: ValidationError) -> str:
    """The first fault, and how many more there are."""
    found = error.errors(include_url=False, include_context=False)
    where = ".".join(str(part) for part in found[0]["loc"])
    message = found[0]["msg"].removeprefix("Value error, ")
    first = f"{where}: {message}" if where else message
    return first if len(found) == 1 else f"{first}; and {len(found) - 1} more"


def shrinks(before: Snapshot, after: Snapshot) -> str:
    """What a later snapshot of a session has less of than an earlier one, "" where it only grew."""
    if before.installation != after.installation or before.build != after.build:
        return "the installation or the build is another one"
    if after.refused_frames < before.refused_frames or after.elsewhere_frames < before.elsewhere_frames:
        return "fewer frames were refused, or elsewhere"
    later = {_of(after, cell): cell for cell in after.cells}
    for cell in before.cells:
        now = later.get(_of(before, cell))
        place = before.places[cell.place].name
        if now is None:
            return f"what was played at {place} is gone"
        fewer = bool((now.counts < cell.counts).any()) or any(a < b for a, b in zip(now.late_by, cell.late_by, strict=True))  # fmt: skip
        if fewer or now.max_ms < cell.max_ms or _less(now.sum_ms, cell.sum_ms) or _less(now.play_s, cell.play_s):
            return f"fewer frames were played at {place}"
        if cell.work and (now.work is None or bool((now.work.counts < cell.work.counts).any())):
            return f"fewer frames' work was told at {place}"
    kept = {_labelled(after, one): one for one in after.sets}
    for one in before.sets:
        again = kept.get(_labelled(before, one))
        if again is None or again.seconds < one.seconds or again.frames < one.frames or again.late < one.late:
            return "fewer seconds have a label"
    return ""


def _less(now: float, before: float) -> bool:
    return now < before and not math.isclose(now, before, rel_tol=1e-6)


def _of(snapshot: Snapshot, one: SentCell | SentLabelSet) -> tuple[str, str]:
    return snapshot.places[one.place].name, snapshot.tiers[one.tier].model_dump_json()


def _labelled(snapshot: Snapshot, one: SentLabelSet) -> tuple[Any, ...]:
    return *_of(snapshot, one), *sorted(name for i, name in enumerate(snapshot.labels) if one.labels >> i & 1)
