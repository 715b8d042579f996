"""Tiers: what a step down or up is expected to do to a class, what to move, what is two kinds in one, and what a further tier would have to
save."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import timedelta
from itertools import pairwise
from typing import Any

import numpy as np
from django.db.models import Sum
from django.utils import timezone

from vigilant.core.field import (
    BUCKETS,
    Expected,
    Histogram,
    Share,
    Standing,
    after_ratio,
    after_shift,
    cut,
    move,
    must_save,
    ratio,
    ratio_over,
    share_of_groups,
    shift,
    shift_over,
    split,
)
from vigilant.core.field.shares import LEAST_GROUPS
from vigilant.core.field.tiers import DAYS_LATE, LEAST_MODELS, LEAST_SESSIONS, ODDS, UP_SHARE
from vigilant.wording import field as words

from .borrow import models, share_of, shrunk_models
from .folding import GROUPS, add_counts
from .models import Played, Term, TierMove
from .reading import Asked, OfClass, classes, goal_of, seen_terms, tier_name

#: More weeks than these tell nothing more about whether it is time to move.
LOOKED_BACK = timedelta(weeks=13)
#: In these most classes are found not to be over the goal.
LOOKED_AT_FIRST = timedelta(weeks=2)


@dataclass
class AtTier:
    """What a class did at one tier: late frames and frames by group, and the histogram of its work where it is known."""

    tier: Term
    late: Any
    frames: Any
    buckets: Any
    work: Any
    sum_ms: float = 0.0
    work_ms: float = 0.0
    longest_ms: float = 0.0
    work_longest_ms: float = 0.0

    @property
    def share(self) -> Share | None:
        if int((self.frames > 0).sum()) < LEAST_GROUPS:
            return None
        return share_of_groups(self.late, self.frames)

    def work_times(self, one: OfClass) -> Histogram | None:
        """Frame times where no refresh holds the class, else its work times where most frames tell them."""
        if one.held + one.held_untold == 0:
            return Histogram(self.buckets, self.sum_ms, self.longest_ms)
        told = int(self.work.sum())
        return (
            Histogram(self.work, self.work_ms, self.work_longest_ms) if told >= 0.5 * int(self.buckets.sum()) else None
        )


def page(asked: Asked) -> dict[str, Any]:
    """Of the whole build: tiers are moved everywhere."""
    asked = replace(asked, tier=None, place=None)
    goal = goal_of(asked.book)
    shown = [one for one in classes(asked) if not one.hidden(asked.own)]
    tiers = {term.pk: term for term in seen_terms(asked, "tier")}
    at = _at_tiers(asked, shown, tiers)
    of_models = models(asked, "tier")
    weeks = _late_weeks(asked, shown, goal)
    decided = {one.sorted_as_id: one for one in TierMove.objects.filter(book=asked.book).select_related("by", "build").order_by("id")}  # fmt: skip
    steps = Steps(of_models, tiers)
    rows = [_row(one, at, tiers, steps, goal, weeks, decided.get(one.sorted_as.pk), asked) for one in shown]
    found = sorted(
        (row for row in rows if row is not None), key=lambda row: (row["move"] not in ("down", "up"), row["name"])
    )
    return {
        "build": asked.build.name,
        "goal": goal,
        "rows": found,
        "splits": _splits(of_models, tiers),
        "tiers": [tier_name(tier) for tier in steps.levels.values()],
    }


def _at_tiers(asked: Asked, shown: Sequence[OfClass], tiers: dict[int, Term]) -> dict[tuple[int, int], AtTier]:
    found: dict[tuple[int, int], AtTier] = {}
    rows = asked.of(Played, sorted_as__in=[one.sorted_as for one in shown])
    told = rows.values_list(
        "sorted_as", "tier", "group", "late", "frames", "sum_ms", "work_ms", "max_ms", "work_max_ms", "buckets", "work_buckets"
    )  # fmt: skip
    for sorted_as, tier, group, late, frames, sum_ms, work_ms, max_ms, work_max_ms, buckets, work in told.iterator():
        key = sorted_as, tier
        if key not in found:
            found[key] = AtTier(tiers[tier], np.zeros(GROUPS), np.zeros(GROUPS), np.zeros(BUCKETS, np.int64), np.zeros(BUCKETS, np.int64))  # fmt: skip
        own = found[key]
        own.late[group] += late
        own.frames[group] += frames
        add_counts(own.buckets, buckets)
        add_counts(own.work, work)
        own.sum_ms, own.work_ms = own.sum_ms + sum_ms, own.work_ms + work_ms
        own.longest_ms, own.work_longest_ms = max(own.longest_ms, max_ms), max(own.work_longest_ms, work_max_ms)
    return found


def dealt(tier: Term) -> bool:
    """Set by the program, or dealt at random: what persons chose they chose because it was slow."""
    return tier.facts.get("set_by") in ("program", "random")


class Steps:
    """What models seen at two tiers tell of a step from one to the other."""

    def __init__(self, rows: Sequence[dict[str, Any]], tiers: dict[int, Term]) -> None:
        self.tiers = tiers
        self.by_tier: dict[int, dict[tuple[int, int], dict[str, Any]]] = defaultdict(dict)
        played: dict[int, float] = defaultdict(float)
        for row in rows:
            if dealt(tiers[row["tier"]]):
                self.by_tier[row["tier"]][row["model"], row["sorted_as"]] = row
                played[row["tier"]] += row["of_frames"]
        self.played = played
        self.told: dict[tuple[int, int], tuple[Any, Any]] = {}

    @property
    def levels(self) -> dict[int, Term]:
        """Of each level the tier that is played most, the lowest first."""
        found: dict[int, Term] = {}
        for key in sorted(self.by_tier, key=lambda key: self.played[key]):
            found[self.tiers[key].facts.get("level", 0)] = self.tiers[key]
        return dict(sorted(found.items()))

    def beside(self, tier: Term, by: int) -> Term | None:
        """The tier a level above or below that is played most."""
        return self.levels.get(tier.facts.get("level", 0) + by)

    def between(self, before: Term, after: Term) -> tuple[Any, Any]:
        """Shift and ratio, each None where models seen at both are too few."""
        if (before.pk, after.pk) not in self.told:
            self.told[before.pk, after.pk] = self._between(before, after)
        return self.told[before.pk, after.pk]

    def way(self, before: Term, after: Term) -> list[tuple[Any, Any]]:
        """The same of every step from one tier to another."""
        levels = list(self.levels)
        first, last = (levels.index(one.facts.get("level", 0)) for one in (before, after))
        by = 1 if last > first else -1
        way = [self.levels[levels[i]] for i in range(first, last + by, by)]
        return [self.between(*step) for step in pairwise([before, *way[1:]])]

    def _between(self, before: Term, after: Term) -> tuple[Any, Any]:
        both = [
            (b, self.by_tier[after.pk][key])
            for key, b in self.by_tier[before.pk].items()
            if key in self.by_tier[after.pk]
            and min(b["of_sessions"], self.by_tier[after.pk][key]["of_sessions"]) >= LEAST_SESSIONS
        ]
        moved = shift([share_of(b) for b, _ in both], [share_of(a) for _, a in both])
        worked = [(b, a) for b, a in both if min(b["of_free_frames"], a["of_free_frames"]) > 0]
        times = [[row["of_free_ms"] / row["of_free_frames"] for row in side] for side in zip(*worked, strict=True)] if len(worked) >= LEAST_MODELS else None  # fmt: skip
        return moved, ratio(times[0], times[1]) if times else None


def _row(
    one: OfClass, at: dict[tuple[int, int], AtTier], tiers: dict[int, Term], steps: Steps, goal: float, weeks: dict[int, int],
    decided: TierMove | None, asked: Asked,
) -> dict[str, Any] | None:  # fmt: skip
    own = [found for (key, _), found in at.items() if key == one.sorted_as.pk]
    if not own:
        return None
    ours = [found for found in own if dealt(found.tier)]
    today = max(ours or own, key=lambda found: float(found.frames.sum()))
    share = today.share
    if share is None:
        return None
    work = today.work_times(one)
    refused = words.PERSON_ONLY if not ours else words.HELD_REFUSED if work is None else ""
    beside = {by: steps.beside(today.tier, by) for by in (-1, 1)}
    told = {
        by: ("", None)
        if refused
        else (words.NO_TIER[by], None)
        if there is None
        else _expected(today, share, work, steps, there)
        for by, there in beside.items()
    }
    expected = {by: found for by, (_, found) in told.items()}
    days = 7 * weeks.get(one.sorted_as.pk, 0)
    taken = decided is not None and decided.to_level != decided.level
    came_down = decided.share if decided and decided.to_level < decided.level and decided.build_id == asked.build.pk else None  # fmt: skip
    stands = Standing(
        share, days, expected[-1][1] if expected[-1] else None, expected[1][1] if expected[1] else None,
        decided.at.date() if decided and taken else None, came_down,
    )  # fmt: skip
    proposed = "stay" if refused else move(stands, goal, timezone.now().date())
    over = share.low is not None and share.low > goal
    waits = "" if not over else words.late_since(days, DAYS_LATE) if days < DAYS_LATE else told[-1][0]
    return {
        "id": one.sorted_as.pk,
        "name": one.sorted_as.name,
        "sessions": one.sessions,
        "tier": tier_name(today.tier),
        "level": today.tier.facts.get("level", 0),
        "play_said": words.share(float(today.frames.sum()) / one.total("frames")),
        **_told(_seen(share)),
        "standing": words.standing(share, goal),
        "down": _side(expected[-1]),
        "up": _side(expected[1]),
        "no_down": told[-1][0],
        "no_up": told[1][0],
        "move": proposed,
        "move_said": refused or words.proposed(proposed, waits),
        "refused": bool(refused),
        "further": _further(today, work, steps, goal, over),
        "decided": None if decided is None else _decision(decided),
        "tiers": [
            _at_tier(there, at.get((one.sorted_as.pk, there.pk)), one, refused, today, share, work, steps)
            for there in steps.levels.values()
        ],
    }


def _at_tier(
    there: Term, seen: AtTier | None, one: OfClass, refused: str, today: AtTier, share: Share, work: Histogram | None, steps: Steps
) -> dict[str, Any]:  # fmt: skip
    """What a class does at a tier: as it was seen there, else what is expected, else why nothing is."""
    own = seen.share if seen is not None and (dealt(seen.tier) or seen is today) else None
    none, found = "", None
    if own is not None:
        found = _seen(own)
    elif refused:
        none = refused
    else:
        none, told = _expected(today, share, work, steps, there)
        found = told[1] if told else None
    return {
        "level": there.facts.get("level", 0),
        "tier": tier_name(there),
        "play_said": words.share(float(seen.frames.sum()) / one.total("frames"))
        if seen is not None and own is not None
        else "",
        "expected": None if found is None else _side((there, found)),
        "none": none,
    }


def _further(today: AtTier, work: Histogram | None, steps: Steps, goal: float, over: bool) -> str:
    """What a tier beyond the ends would have to save, or may take."""
    limit = today.tier.facts.get("budget_ms", 0.0) * (1.0 + today.tier.facts.get("tolerance", 0.0))
    if work is None:
        return ""
    if over and steps.beside(today.tier, -1) is None:
        return words.new_lowest(must_save(work, limit, goal), goal)
    if not over and steps.beside(today.tier, 1) is None:
        return words.new_highest(must_save(work, limit, UP_SHARE * goal))
    return ""


def _expected(
    today: AtTier, share: Share, work: Histogram | None, steps: Steps, there: Term
) -> tuple[str, tuple[Term, Expected] | None]:
    """By its own work times scaled, where models tell by how much; else by the shift of models seen at both; where there are too few of them,
    step by step; or why nothing is expected."""
    limit = there.facts["budget_ms"] * (1.0 + there.facts["tolerance"])
    found = _after(share, work, *steps.between(today.tier, there), limit)
    if found is None:
        between = steps.way(today.tier, there)
        shifts, ratios = zip(*between, strict=True) if len(between) > 1 else ((None,), (None,))
        found = _after(
            share,
            work,
            None if None in shifts else shift_over(shifts),
            None if None in ratios else ratio_over(ratios),
            limit,
        )
        found = replace(found, basis="extrapolated") if found is not None else None
    return ("", (there, found)) if found is not None else (words.too_few_models(LEAST_MODELS, tier_name(there)), None)


def _after(share: Share, work: Histogram | None, moved: Any, scale: Any, limit: float) -> Expected | None:
    found = after_ratio(work, share, scale, limit) if scale is not None and work is not None else None
    return after_shift(share, moved) if found is None and moved is not None else found


def _seen(share: Share) -> Expected:
    low, high = (share.p if end is None else end for end in (share.low, share.high))
    return Expected(share.p, low, high, "seen")


def _told(found: Expected) -> dict[str, Any]:
    return {
        "share": found.p,
        "low": found.low,
        "high": found.high,
        "share_said": words.share(found.p),
        "interval_said": words.between(found.low, found.high),
    }


def _side(found: tuple[Term, Expected] | None) -> dict[str, Any] | None:
    if found is None:
        return None
    tier, expected = found
    return {
        **_told(expected),
        "tier": tier_name(tier),
        "basis": expected.basis,
        "basis_said": words.BASIS[expected.basis],
    }


def _decision(one: TierMove) -> dict[str, Any]:
    return {
        "level": one.level,
        "to_level": one.to_level,
        "why": one.why,
        "at": one.at,
        "by": one.by.get_full_name() or one.by.get_username(),
    }


def _late_weeks(asked: Asked, shown: Sequence[OfClass], goal: float) -> dict[int, int]:
    """For how many of the newest weeks in a row each class was over the goal; no further back than :data:`LOOKED_BACK`."""
    every = asked.by_week(Played)
    newest = every.order_by("-week").values_list("week", flat=True).first()
    if newest is None:
        return {}
    found = {one.sorted_as.pk: 0 for one in shown}
    left, until = set(found), newest
    for since in (newest - LOOKED_AT_FIRST, newest - LOOKED_BACK):
        of = every.filter(sorted_as__in=left, week__gt=since, week__lte=until)
        for row in of.values("sorted_as", "week").annotate(c=Sum("late"), n=Sum("frames")).order_by("-week"):
            if row["sorted_as"] not in left or not row["n"]:
                continue
            if row["c"] / row["n"] > goal:
                found[row["sorted_as"]] += 1
            else:
                left.discard(row["sorted_as"])
        until = since
    return found


def _splits(rows: Sequence[dict[str, Any]], tiers: dict[int, Term]) -> list[str]:
    """Tiers that hold two kinds of devices."""
    found = []
    for key, tier in tiers.items():
        own = [row for row in rows if row["tier"] == key and row["of_sessions"] >= 2]
        if len(own) < LEAST_MODELS or not dealt(tier):
            continue
        told = shrunk_models(own)
        play = np.array([float(row["of_frames"]) for row in own])
        apart = cut(told.mean, play)
        if apart is None or apart[1] < ODDS:  # how likely two kinds are is a matter of more time
            continue
        two = split(told.mean, told.variance, play)
        if two is not None and two.advised:
            found.append(f"{tier_name(tier)}: {words.split(two.odds, two.below, len(own))}")
    return found


def decide(asked: Asked, of: Term, to_level: int, level: int, why: str, user: Any) -> None:
    """Keep what was decided about a class's tier."""
    at = next((row for row in page(asked)["rows"] if row["id"] == of.pk), None)
    TierMove.objects.create(
        book=asked.book, sorted_as=of, build=asked.build, level=level, to_level=to_level, share=at["share"] if at else 0.0,
        why=why, by=user,
    )  # fmt: skip
