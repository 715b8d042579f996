"""Stills of both arms held against each other: which pixels differ, and whether more than between runs of one arm.

A pixel differs where a channel differs by more than 8 of 255, or by more than 3 after a mean over its 3 x 3
neighbours; where runs of one arm differ by more (film grain), by twice what nine tenths of their pixels stay under.
SSIM after Wang et al. (2004) on grey, Gaussian window of 11 pixels. The noise of a still is what runs of
one arm differ by among themselves. The state is a proposal: a person confirms it.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import combinations, product
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from ..errors import CoreError
from ..series import FloatArray

#: (height, width, 3), 0 to 255.
Picture = NDArray[np.uint8]
Mask = NDArray[np.bool_]
State = Literal["same", "changed", "to be looked at", "not compared"]

#: The share of an arm's own pixels that stay under half of a raised limit: what moves is less of the picture.
BULK, OVER_BULK = 90.0, 2.0
LEAST_SHARE = 0.0001
OVER_FLOOR = 3.0
#: Runs of an arm that are held against each other: the cost grows with their square.
MOST_RUNS = 3
_GREY = np.array([0.2126, 0.7152, 0.0722])
_SIGMA, _WINDOW = 1.5, 11
_C1, _C2 = (0.01 * 255.0) ** 2, (0.03 * 255.0) ** 2


@dataclass(frozen=True)
class Limits:
    """What a channel may differ by, 0 to 255: as it is, and after the mean over 3 x 3 pixels."""

    channel: float = 8.0
    mean: float = 3.0


PLAIN = Limits()


@dataclass(frozen=True)
class Difference:
    """Two pictures: share of the pixels outside the mask that differ, the largest connected region of them in pixels
    (8 neighbours) and its box (left, top, width, height)."""

    share: float
    region: int
    box: tuple[int, int, int, int]


@dataclass(frozen=True)
class StillsJudged:
    """A still of several runs of both arms. ``pair`` are the runs (before, after) whose difference is the median one;
    ``floor`` is the largest within an arm, None without repeats; ``why`` says why nothing was compared. ``between`` and
    ``within`` are the shares of every pair of runs, in a fixed order."""

    state: State
    why: str = ""
    pair: tuple[int, int] = (0, 0)
    difference: Difference | None = None
    floor: Difference | None = None
    ssim: float | None = None
    limits: Limits = PLAIN
    between: tuple[float, ...] = ()
    within: tuple[float, ...] = ()


def _apart(a: Picture, b: Picture) -> tuple[FloatArray, FloatArray]:
    """What the channel that differs most differs by (height, width), as it is and after the mean."""
    if a.shape != b.shape:
        raise CoreError("size-unlike", f"{_size(a)} and {_size(b)} pixels are not compared")
    between = a.astype(np.float32) - b
    smooth = ndimage.uniform_filter(between, size=(3, 3, 1), mode="nearest")
    return np.abs(between).max(axis=-1), np.abs(smooth).max(axis=-1)


def limits_of(pairs: Sequence[tuple[Picture, Picture]]) -> Limits:
    """The limits for arms whose own runs are these pairs."""
    if not pairs:
        return PLAIN
    bulk = np.max([[np.percentile(part, BULK) for part in _apart(a, b)] for a, b in pairs], axis=0)
    return Limits(max(PLAIN.channel, OVER_BULK * float(bulk[0])), max(PLAIN.mean, OVER_BULK * float(bulk[1])))


def differing(a: Picture, b: Picture, mask: Mask | None = None, limits: Limits = PLAIN) -> Mask:
    """Which pixels differ (height, width); none under the mask. Raises :class:`CoreError` ``size-unlike``."""
    plain, smooth = _apart(a, b)
    found = (plain > limits.channel) | (smooth > limits.mean + 1e-4)  # a mean of nine steps is no whole number
    if mask is not None:
        found &= ~mask
    return np.asarray(found, bool)


def difference(a: Picture, b: Picture, mask: Mask | None = None, limits: Limits = PLAIN) -> Difference:
    """How much two pictures differ. Raises :class:`CoreError` ``size-unlike``."""
    found = differing(a, b, mask, limits)
    looked = found.size if mask is None else int((~mask).sum())
    if not found.any() or not looked:
        return Difference(0.0, 0, (0, 0, 0, 0))
    regions, _ = ndimage.label(found, structure=np.ones((3, 3), int))
    sizes = np.bincount(regions.ravel())
    sizes[0] = 0
    largest = int(sizes.argmax())
    rows, columns = ndimage.find_objects(regions, max_label=largest)[largest - 1]
    box = (columns.start, rows.start, columns.stop - columns.start, rows.stop - rows.start)
    return Difference(float(found.sum()) / looked, int(sizes[largest]), box)


def ssim(a: Picture, b: Picture) -> float:
    """Mean structural similarity of two pictures on grey, 1 where they are the same."""
    if a.shape != b.shape:
        raise CoreError("size-unlike", f"{_size(a)} and {_size(b)} pixels are not compared")
    x, y = a @ _GREY, b @ _GREY

    def mean(values: FloatArray) -> FloatArray:
        return np.asarray(ndimage.gaussian_filter(values, _SIGMA, truncate=(_WINDOW // 2) / _SIGMA))

    mx, my = mean(x), mean(y)
    vx, vy, cov = mean(x * x) - mx * mx, mean(y * y) - my * my, mean(x * y) - mx * my
    top = (2 * mx * my + _C1) * (2 * cov + _C2)
    values = top / ((mx * mx + my * my + _C1) * (vx + vy + _C2))
    edge = _WINDOW // 2
    inner = values[edge:-edge, edge:-edge]
    return float((inner if inner.size else values).mean())


def _size(picture: Picture) -> str:
    return f"{picture.shape[1]} x {picture.shape[0]}"


def own_pairs(before: Sequence[Picture], after: Sequence[Picture]) -> list[tuple[Picture, Picture]]:
    """The pairs of runs of one arm, three runs of each at most: what runs differ by among themselves."""
    return [pair for arm in (before, after) for pair in combinations(arm[:MOST_RUNS], 2)]


def judge_stills(
    before: Sequence[Picture], after: Sequence[Picture], mask: Mask | None = None, limits: Limits | None = None
) -> StillsJudged:
    """What a still's pictures of both arms say, three runs of each at most.

    Over the pairs of a run before and a run after, the median share and the median largest region: *changed* where one
    of them is over three times the largest within either arm, and over 0.01 % of the picture; *same* where neither is over the largest within; else, or without repeats, *to be looked
    at*. Pictures that are the same to the pixel are the same without repeats too. ``limits`` are those of these pictures
    unless others are given, as of a whole sequence.
    """
    before, after = before[:MOST_RUNS], after[:MOST_RUNS]
    if not before or not after:
        return StillsJudged("not compared", f"only {'after' if not before else 'before'} has it")
    sizes = sorted({_size(p) for p in (*before, *after)})
    if len(sizes) > 1:
        return StillsJudged("not compared", f"its sizes differ: {' and '.join(sizes)}")
    own = own_pairs(before, after)
    limits = limits or limits_of(own)
    pairs = [
        (difference(before[i], after[j], mask, limits), (i, j))
        for i, j in product(range(len(before)), range(len(after)))
    ]
    between = tuple(one.share for one, _ in pairs)
    found, pair = sorted(pairs, key=lambda one: (one[0].share, one[0].region))[(len(pairs) - 1) // 2]
    within = [difference(a, b, mask, limits) for a, b in own]
    floor = None
    if within:
        floor = max(within, key=lambda one: one.share)
        floor = Difference(floor.share, max(one.region for one in within), floor.box)
    share, region = (float(np.median([getattr(one, key) for one, _ in pairs])) for key in ("share", "region"))
    state = state_of(share, region, floor, before[0].shape[0] * before[0].shape[1])
    alike = ssim(before[pair[0]], after[pair[1]])
    return StillsJudged(state, "", pair, found, floor, alike, limits, between, tuple(one.share for one in within))


def state_of(share: float, region: float, floor: Difference | None, pixels: int) -> State:
    """What a median share and a median largest region say against the floor, of a picture of so many pixels."""
    least = LEAST_SHARE * pixels
    if region == 0:
        return "same"
    if floor is None:
        return "to be looked at"
    if share <= floor.share and region <= floor.region:
        return "same"
    far_share = share > max(OVER_FLOOR * floor.share, LEAST_SHARE)
    far_region = region > max(OVER_FLOOR * floor.region, least)
    return "changed" if far_share or far_region else "to be looked at"


def ink(a: Picture, b: Picture, mask: Mask | None = None, limits: Limits = PLAIN) -> NDArray[np.uint8]:
    """The difference as ink on paper (height, width): white where nothing differs, darker the more does."""
    size = np.abs(a.astype(np.int16) - b).max(axis=-1)
    shown = np.where(differing(a, b, mask, limits), 40.0 + 215.0 * np.minimum(1.0, size / 96.0), 0.0)
    return np.asarray(255.0 - shown, np.uint8)
