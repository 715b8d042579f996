"""Where minutes are lost: classes by their late minutes, what goes with lateness, sessions left early, and a build against another."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import replace
from typing import Any

import numpy as np
from django.db.models import Sum

from vigilant.core.field import (
    Compared,
    GoesWith,
    Stratum,
    compared,
    goes_with,
    labelled,
    left_early,
    none_seen,
    wilson,
)
from vigilant.core.field.alike import LEAST
from vigilant.core.field.shares import LEAST_SESSIONS
from vigilant.core.levels import holm_adjusted
from vigilant.server.books.models import Book
from vigilant.wording import field as words

from . import others
from .folding import GROUPS, counts_of
from .models import AfterBursts, FieldSettings, LabelledSeconds, Refused, Term
from .reading import Asked, OfClass, builds, classes, goal_of, seen_terms, tier_name, waiting, weeks


def page(asked: Asked, against: Term | None) -> dict[str, Any]:
    """All of the leaf."""
    goal = goal_of(asked.book)
    found = classes(asked)
    shown = sorted(
        (one for one in found if not one.hidden(asked.own)), key=lambda one: (-one.total("late_ms"), one.sorted_as.name)
    )
    hidden = [one for one in found if one.hidden(asked.own)]
    all_late = sum(one.total("late_ms") for one in found)
    rows = [_row(one, asked, goal) for one in shown]
    return {
        **_choices(asked, against),
        "goal": goal,
        "goals": list(FieldSettings.GOALS),
        "sentence": _headline(asked, rows, goal, all_late),
        "rows": rows,
        "folded": _folded(hidden),
        "labels": labels(asked, [one.sorted_as for one in shown]),
        "left": left(asked, shown),
        "compared": None if against is None else against_page(asked, against),
        "others": others.page(asked.book, asked.own, asked.build.name),
        "waiting": waiting(asked.book),
        "refused": _refused(asked.book),
    }


def nothing(book: Book, own: bool) -> dict[str, Any]:
    """The leaf while no session of the asked sort has come in."""
    return {
        "build": "", "against": "", "own": own, "builds": [], "tiers": [], "places": [], "weeks": [], "tier": None, "place": None,
        "since": None, "until": None, "goal": goal_of(book), "goals": list(FieldSettings.GOALS), "sentence": "", "rows": [],
        "folded": "", "labels": None, "left": None, "compared": None, "others": others.page(book, own, None), "waiting": waiting(book), "refused": _refused(book),
    }  # fmt: skip


def _choices(asked: Asked, against: Term | None) -> dict[str, Any]:
    return {
        "build": asked.build.name,
        "against": against.name if against else "",
        "own": asked.own,
        "builds": [{"name": b.term.name, "sessions": b.sessions} for b in builds(asked.book, asked.own)],
        "tiers": [{"id": term.pk, "name": tier_name(term)} for term in seen_terms(asked, "tier")],
        "places": [{"id": term.pk, "name": term.name} for term in seen_terms(asked, "place")],
        "weeks": weeks(asked.book, asked.own),
        "tier": asked.tier.pk if asked.tier else None,
        "place": asked.place.pk if asked.place else None,
        "since": asked.since,
        "until": asked.until,
    }


def _row(one: OfClass, asked: Asked, goal: float) -> dict[str, Any]:
    share = one.share
    late, whole = one.total("late"), not asked.where
    at = FieldSettings.GOALS.index(goal) if goal in FieldSettings.GOALS else None
    over = None if at is None or not whole or not one.sessions else wilson(int(one.over[at]), one.sessions)
    standing = words.standing(share, goal) if share else "open"
    notes = [
        words.few(one.sessions),
        words.held(one.held, one.held_untold, one.sessions, one.total("work_frames") >= 0.5 * one.total("frames")),
        words.none_late(none_seen(share.effective)) if share and not late else "",
    ]
    return {
        "id": one.sorted_as.pk,
        "name": one.sorted_as.name,
        "sessions": one.sessions,
        "installations": one.installations,
        "play_minutes": one.total("play_s") / 60.0,
        "late_minutes": one.total("late_ms") / 60_000.0,
        "late_said": words.minutes(one.total("late_ms") / 60_000.0),
        "play_said": words.minutes(one.total("play_s") / 60.0),
        "share": late / one.total("frames") if one.total("frames") else 0.0,
        "low": share.low if share else None,
        "high": share.high if share else None,
        "share_said": words.share(late / one.total("frames")) if one.total("frames") else "",
        "interval_said": words.between(share.low, share.high) if share else "",
        "standing": standing,
        "standing_said": words.STANDING[standing],
        "over_said": words.sessions_over(over, goal) if over else "",
        "limits_said": words.limited_by(one.total("late_processor"), one.total("late_graphics"), late),
        "notes": [note for note in notes if note],
    }


def _headline(asked: Asked, rows: Sequence[dict[str, Any]], goal: float, all_late: float) -> str:
    def named(standing: str) -> list[str]:
        return [row["name"] for row in rows if row["standing"] == standing]

    worst = rows[0] if rows and rows[0]["late_minutes"] > 0 else None
    part = worst["late_minutes"] * 60_000.0 / all_late if worst and all_late else 0.0
    return words.headline(
        asked.build.name, named("over"), named("open"), len(rows), goal, worst["name"] if worst else "", part
    )


def _folded(hidden: Sequence[OfClass]) -> str:
    if not hidden:
        return ""
    names = [one.sorted_as.name for one in hidden]
    return words.folded(names, sum(one.sessions for one in hidden), max(one.sessions for one in hidden), LEAST_SESSIONS)


def _refused(book: Book) -> list[str]:
    sums = Refused.objects.filter(book=book).values("why").annotate(all=Sum("count")).order_by("why")
    return [f"{row['all']:,} uploads {words.REFUSED.get(row['why'], row['why'])}" for row in sums]


# -- labels


def labels(asked: Asked, shown: Sequence[Term]) -> dict[str, Any] | None:
    """The account of late frames by exact set of labels, which closes; and what each goes with, like with like. Of the classes that are
    shown; None where nothing is labelled."""
    names = [
        term.name
        for term in Term.objects.filter(book=asked.book, kind=Term.Kind.LABEL, facts__build=asked.build.pk).order_by(
            "pk"
        )
    ]
    if not names or not shown:
        return None
    rows = [
        (
            f"{row.place_id} {row.tier_id} {row.sorted_as_id}",
            row.labels,
            counts_of(row.by_group, 3 * GROUPS).reshape(3, GROUPS),
        )
        for row in asked.within(LabelledSeconds, sorted_as__in=shown)
    ]
    sets: dict[int, list[int]] = defaultdict(lambda: [0, 0, 0])
    for _, bits, counts in rows:
        for i, total in enumerate(counts.sum(axis=1)):
            sets[bits][i] += int(total)
    kept = {bits: (s, n, c) for bits, (s, n, c) in sets.items() if s and n}
    if not kept or not any(bits for bits in kept):
        return None
    account = labelled(kept, len(names))

    def listed(bits: int) -> list[str]:
        return [name for i, name in enumerate(names) if bits >> i & 1]

    parts = [
        {
            "name": words.set_name(listed(bits)), "labels": len(listed(bits)), "late": one.late, "late_said": words.share(one.late),
            "play_said": words.share(one.play), "share_said": words.share(one.share),
            "excess_said": "" if one.excess is None or not bits else words.excess(one.excess),
        }
        for bits, one in sorted(account.sets.items(), key=lambda item: (len(listed(item[0])), item[0]))
    ]  # fmt: skip
    alone = [_goes_with(rows, i) for i in range(len(names))]
    told = [found.p for found in alone if found and found.told]
    adjusted = iter(holm_adjusted(told) if told else [])
    each = []
    for name, label, found in zip(names, account.labels, alone, strict=True):
        p = next(adjusted) if found and found.told else None
        each.append(
            {
                "name": name, "only_said": words.share(label.only), "shared_said": words.share(label.shared),
                "play_said": words.share(label.play), "said": words.goes_with(name, found, p),
                "found": bool(p is not None and p < 0.05),
            }
        )  # fmt: skip
    return {"parts": parts, "labels": each}


def _goes_with(rows: Sequence[tuple[str, int, Any]], bit: int) -> GoesWith | None:
    """Groups of installations stand in for sessions: what is cut out of the sum at once is then a person's sessions together."""
    strata: dict[str, Any] = defaultdict(lambda: np.zeros((4, GROUPS)))
    for stratum, labels, (_, frames, late) in rows:
        strata[stratum][0 if labels >> bit & 1 else 2] += late
        strata[stratum][1 if labels >> bit & 1 else 3] += frames
    groups = [{name: tuple(cells[:, g].tolist()) for name, cells in strata.items()} for g in range(GROUPS)]
    used = [one for one in groups if any(sum(cell) for cell in one.values())]
    return goes_with(used) if len(used) >= 2 else None  # type: ignore[arg-type]


# -- left early


def left(asked: Asked, shown: Sequence[OfClass]) -> dict[str, Any]:
    """Whether sessions end more often shortly after a late burst, each against its own past; and how they ended. Of the classes that are
    shown, in the places asked for (tiers are not told apart)."""
    rows = (
        replace(asked, tier=None)
        .within(AfterBursts, sorted_as__in=[one.sorted_as for one in shown])
        .values("place", "minutes")
        .annotate(a=Sum("ended_now"), b=Sum("ended_then"), others_a=Sum("now"), others_b=Sum("then"))
    )
    strata = [Stratum(*(max(0.0, float(row[n])) for n in ("a", "b", "others_a", "others_b"))) for row in rows]
    found = left_early(strata)
    ended: dict[str, int] = defaultdict(int)
    for one in shown:
        for how, count in one.ended.items():
            ended[how] += count
    return {
        "said": words.left_early(found),
        "ratio": found.ratio,
        "low": found.low,
        "high": found.high,
        "pairs": found.pairs,
        "endings": [{"how": how, "sessions": count} for how, count in words.endings(ended)],
    }


# -- a build against another


def against_page(asked: Asked, before: Term) -> dict[str, Any]:
    """As they are, and like with like: never a verdict."""
    sides = [classes(replace(asked, build=before)), classes(asked)]
    many = [{one.sorted_as.name for one in side if one.sessions >= LEAST} for side in sides]
    sessions = [{one.sorted_as.name: _sessions(one) for one in side} for side in sides]
    kept = [{name: found for name, found in side.items() if len(found[1]) > 0} for side in sessions]
    if any(sum(len(found[1]) for found in side.values()) < 2 for side in kept):
        return {"said": f"Too little was played of {before.name} or of {asked.build.name}.", "crude": "", "alike": "", "mix": "", "call": "", "dealt": ""}  # fmt: skip
    found: Compared = compared(kept[0], kept[1], of=many[0] & many[1])
    dealt = all(term.facts.get("assigned") == "random" for term in (before, asked.build))
    return {
        "said": words.compared(found, before.name, asked.build.name),
        "crude": words.difference(found.crude),
        "alike": words.difference(found.alike) if found.alike else "",
        "mix": words.mixed(found),
        "call": found.call(),
        "dealt": words.DEALT if dealt else words.NOT_DEALT,
    }


def _sessions(one: OfClass) -> tuple[list[float], list[float]]:
    """Groups of installations in place of sessions."""
    used = one.groups["frames"] > 0
    return one.groups["late"][used].tolist(), one.groups["frames"][used].tolist()
