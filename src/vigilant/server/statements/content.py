"""What a statement says: one document, which every form of it (page, PDF, Markdown, CSV, JSON) is made of."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from django.utils import timezone

from vigilant.core import CORE_VERSION
from vigilant.formats import limits
from vigilant.server.books.models import Book, name_of
from vigilant.server.entries.models import Comparison, Entry
from vigilant.server.entries.results import result_of
from vigilant.server.evidence.leaves import LEAST_BEYOND, leaf_of
from vigilant.server.goals.models import Goal
from vigilant.server.goals.services import judged
from vigilant.server.ledger.book_lines import key_of
from vigilant.server.ledger.entry import entry_of
from vigilant.server.ledger.lines import entries_of, line_of
from vigilant.server.ledger.standing import of_book
from vigilant.server.problems import Problem, unprocessable
from vigilant.server.runs.models import Recording
from vigilant.server.seals.models import Chain
from vigilant.server.seals.services import newest
from vigilant.wording.goals import goal_sentence, threshold

from .accounts import account_part
from .models import HandOver

VERSION = 1
#: Of the figures that do not carry the verdict, those that a page has room for.
ALSO = ("mean_ms", "p50_ms", "p99_ms", "slowest_1pct_ms", "late_share", "stutters_per_min")
#: Legs whose rows a page has room for.
MOST_LEGS = 8
#: Numbers that a title names one by one.
MOST_NAMED = 8
#: Entries that a goal is held against, the newest.
MOST_HELD = 12


@dataclass(frozen=True)
class Asked:
    """What a statement is of: entries ("1,3-5"), a goal, what is handed over of an entry, or the account of a recording; one of them."""

    entries: str = ""
    goal: int | None = None
    hand_over: int | None = None
    account: str = ""

    def document(self) -> dict[str, Any]:
        return {key: value for key, value in vars(self).items() if value not in ("", None)}


def statement_of(book: Book, asked: Asked) -> dict[str, Any]:
    """The document of a statement. Raises a problem for what is not there."""
    if len(asked.document()) != 1:
        raise unprocessable(
            "statement-of-what", "A statement is of entries, of a goal, of a hand-over, or of an account: say one."
        )
    if asked.goal is not None:
        made = _of_goal(book, asked.goal)
    elif asked.hand_over is not None:
        made = _of_hand_over(book, asked.hand_over)
    elif asked.account:
        made = _of_account(book, asked.account)
    else:
        numbers, ranged = numbers_of(asked.entries)
        found = list(entries_of(book).filter(number__in=numbers).order_by("number"))
        missing = sorted(set(numbers) - set(ranged) - {e.number for e in found})
        if missing or not found:
            which = f"no entry {missing[0]}" if missing else "no entry in that range"
            raise unprocessable("entry-missing", f"The book {book.slug} has {which}.")
        made = _of_entry(found[0]) if len(numbers) == 1 else _of_several(book, found)
    chain = Chain.objects.filter(book=book).first()
    return {
        "vigilant_statement": VERSION,
        "seal": {"length": chain.length, "head": chain.head} if chain else None,
        "book": {"slug": book.slug, "name": book.name},
        "made_at": timezone.now(),
        "core_version": CORE_VERSION,
        **made,
    }


def numbers_of(text: str) -> tuple[list[int], list[int]]:
    """ "1,3-5": every number named, and those named by a range alone, which need not all be there. Raises a problem."""
    named: set[int] = set()
    ranged: set[int] = set()
    for part in text.split(","):
        low, dash, high = (side.strip() for side in part.partition("-"))
        if not (low.isdecimal() and low.isascii()) or (dash and not (high.isdecimal() and high.isascii())):
            raise unprocessable("entries-unreadable", f"{part.strip()!r} names no entries; say 4, or 4-9, or 1,4-9.")
        first, last = int(low[:12]), int((high or low)[:12])
        if last < first or last - first >= limits.STATEMENT_ENTRIES:
            raise unprocessable(
                "too-many-entries" if last >= first else "entries-unreadable",
                f"{part.strip()} names {max(0, last - first + 1)} entries; {limits.STATEMENT_ENTRIES} are allowed.",
            )
        (ranged if dash else named).update(range(first, last + 1))
    numbers = sorted(named | ranged)
    if len(numbers) > limits.STATEMENT_ENTRIES:
        raise unprocessable(
            "too-many-entries", f"{len(numbers)} entries are named; {limits.STATEMENT_ENTRIES} are allowed."
        )
    return numbers, sorted(ranged - named)


# -- one entry


def _of_entry(entry: Entry) -> dict[str, Any]:
    return {"kind": "entry", "title": f"No. {entry.number}: {entry.title}", "entries": [entry_part(entry)]}


def entry_part(entry: Entry) -> dict[str, Any]:
    """Everything a page says of one entry."""
    whole = entry_of(entry)
    result = whole["result"]
    return {
        "number": entry.number,
        "title": entry.title,
        "why": entry.why,
        "expected": entry.expected,
        "scenario": whole["scenario"],
        "version": whole["version"],
        "rig": whole["rig"],
        "target_fps": whole["target_fps"],
        "budget_ms": whole["budget_ms"],
        "recorded_at": entry.recorded_at,
        "caption": whole["caption"],
        "verdict": whole["verdict"],
        "stamp": whole["stamp"],
        "sentence": result["sentence"] if result else "",
        "withdrawn": whole["withdrawal"],
        "figures": _figures(result),
        "legs": _legs(entry, result),
        "remarks": whole["remarks"],
        "conditions": whole["sheets"],
        "findings": result["findings"] if result else [],
        "aside": whole["aside"],
        "goals": whole["goals"],
        "held": whole["held"],
        "decision": whole["decision"],
        "band": _band(result),
        "dots": whole["dots"],
        "method": result.get("method", []) if result else [],
        "core_version": result["core_version"] if result else "",
        "fingerprint": entry.comparison.fingerprint if entry.comparison else "",
        "seal": _seal(entry),
    }


def _seal(entry: Entry) -> dict[str, Any] | None:
    """The newest link of the book's chain that seals the entry."""
    link = newest(entry.book, f"entry {entry.number}")
    return {"number": link.number, "hash": link.hash} if link else None


def _band(result: dict[str, Any] | None) -> dict[str, Any] | None:
    """The difference at each quantile that ten frames of a run lie beyond."""
    band = result.get("band") if result else None
    if result is None or band is None:
        return None
    frames = min(result["frames"][arm] / max(result["runs"][arm], 1) for arm in ("before", "after"))
    kept = sum(1 for at in band["at"] if at <= 1.0 - LEAST_BEYOND / max(frames, 1.0))
    return {key: values[:kept] if values is not None else None for key, values in band.items()}


def _figures(result: dict[str, Any] | None) -> list[dict[str, Any]]:
    """The figures that carry the verdict, then those a reader asks for first. Runs that are not comparable show
    nothing: no call and no interval is said of them."""
    if result is None:
        return []
    figures = result["figures"]
    names = dict.fromkeys((*result["primaries"], *ALSO))
    found = [figures[name] for name in names if name in figures] + list(result.get("guards", {}).values())
    if result["verdict"] != Comparison.Verdict.VOID:
        return found
    untold = {"call": "not comparable", "ci_low": None, "ci_high": None, "p_value": None}
    return [{**f, **untold, "words": {**f["words"], "interval": "", "low": None, "high": None}} for f in found]


def course_of(entry: Entry) -> dict[str, Any] | None:
    """The leaf of the course; None where there is none."""
    if entry.comparison is None:
        return None
    try:
        return leaf_of(entry.comparison, "course", {"with": "", "position": ""})
    except Problem:
        return None


def _legs(entry: Entry, result: dict[str, Any] | None) -> dict[str, Any]:
    """Every leg's first figure that carries the verdict, and what is said of the legs together."""
    course = course_of(entry)
    if result is None or course is None or not course["judged"] or result["verdict"] == Comparison.Verdict.VOID:
        return {"figure": "", "rows": [], "said": [], "more": 0}
    names = [*result["primaries"], "mean_ms"]
    name = next((n for n in names if any(n in leg["figures"] for leg in course["legs"])), "")
    rows = [{"leg": leg["name"], **leg["figures"][name]} for leg in course["legs"] if name in leg["figures"]]
    return {
        "figure": rows[0]["words"]["label"] if rows else "",
        "rows": rows[:MOST_LEGS],
        "said": course["said"].get(name, []),
        "more": max(0, len(rows) - MOST_LEGS),
    }


# -- several entries, a goal, a hand-over


def _of_several(book: Book, found: Sequence[Entry]) -> dict[str, Any]:
    """Their lines as the ledger has them, with each one's sentence, and the balance of every line they touch."""
    rows = []
    for entry in found:
        result = result_of(entry.comparison)
        rows.append({**line_of(entry), "sentence": result["sentence"] if result else ""})
    return {
        "kind": "entries",
        "title": title_of([entry.number for entry in found]),
        "lines": rows,
        "balance": _balance(book, found),
    }


def title_of(numbers: Sequence[int]) -> str:
    """ "Entries 3 to 7" of those in a row, "Entries 1, 3 and 7" of others."""
    if len(numbers) == 1:
        return f"Entry {numbers[0]}"
    if len(numbers) > 2 and numbers[-1] - numbers[0] == len(numbers) - 1:
        return f"Entries {numbers[0]} to {numbers[-1]}"
    if len(numbers) > MOST_NAMED:
        return f"{len(numbers)} entries from {numbers[0]} to {numbers[-1]}"
    return f"Entries {', '.join(map(str, numbers[:-1]))} and {numbers[-1]}"


def _balance(book: Book, found: Sequence[Entry]) -> list[dict[str, Any]]:
    """Of every scenario on a rig that the entries touch: its level before the first and after the last of them."""
    groups: dict[tuple[int, int], list[Entry]] = {}
    for entry in found:
        line = getattr(entry, "balance", None)
        if line is not None and entry.withdrawn_at is None and not entry.comparison.blank:
            groups.setdefault((line.scenario_id, line.rig_id), []).append(entry)
    made = []
    for (scenario, rig), entries in groups.items():
        entries = sorted(entries, key=lambda e: (e.recorded_at, e.number))
        whole = of_book(book, key_of(scenario, rig))
        own = {e.number for e in entries}
        points = [p for p in whole["points"] if p["entry"] in own]
        # What stood before the first of them: the level of the line's entry before it, or else what it measured.
        order = [p["entry"] for p in whole["points"]]
        at = order.index(points[0]["entry"]) if points else 0
        mean = entries[0].comparison.ledger_line["mean"]
        begin = whole["points"][at - 1]["mean_ms"] if points and at > 0 else mean["before"] if mean else None
        made.append(
            {
                "scenario": whole["scenario"],
                "rig": whole["rig"],
                "budget_ms": whole["budget_ms"],
                "from_ms": begin,
                "to_ms": points[-1]["mean_ms"] if points else None,
                "points": points,
                "unaccounted_ms": sum(e.balance.unaccounted_ms or 0.0 for e in entries),
            }
        )
    return made


def _of_account(book: Book, key: str) -> dict[str, Any]:
    found = Recording.objects.filter(pk=key, book=book).select_related("scenario_version__scenario", "rig").first()
    if found is None:
        raise unprocessable("recording-missing", f"The book {book.slug} has no such recording.")
    part = account_part(found)
    return {"kind": "account", "title": part["title"], "account": part}


def _of_goal(book: Book, key: int) -> dict[str, Any]:
    goal = Goal.objects.filter(pk=key, scenario__book=book).select_related("scenario").first()
    if goal is None:
        raise unprocessable("goal-missing", f"The book {book.slug} has no goal {key}.")
    moves = list(goal.moves.select_related("moved_by"))
    sentence = goal_sentence(goal.figure, moves[0].threshold, goal.legs, goal.load, goal.rig)
    compared = entries_of(book).filter(comparison__scenario_version__scenario=goal.scenario, withdrawn_at=None)
    rows = []
    for entry in compared.exclude(comparison__verdict="void").order_by("-recorded_at", "-number")[:MOST_HELD]:
        decision = entry.balance.decision
        arm = "before" if decision and decision.choice == "dropped" else "after"
        line = judged(entry.comparison, arm, [goal])[0]
        rows.append(
            {"number": entry.number, "title": entry.title, "rig": str(entry.comparison.rig), "arm": arm,
             "recorded_at": entry.recorded_at, **line}
        )  # fmt: skip
    return {
        "kind": "goal",
        "title": f"Goal: {sentence}",
        "goal": {
            "id": goal.pk,
            "sentence": sentence,
            "figure": goal.figure,
            "scenario": goal.scenario.name,
            "dropped_at": goal.dropped_at,
            "moves": [
                {
                    "threshold": move.threshold,
                    "said": threshold(goal.figure, move.threshold),
                    "reason": move.reason,
                    "by": name_of(move.moved_by),
                    "at": move.moved_at,
                }
                for move in moves
            ],
            "rows": rows,
        },
    }


def _of_hand_over(book: Book, key: int) -> dict[str, Any]:
    found = HandOver.objects.filter(pk=key, entry__book=book).select_related("made_by").first()
    if found is None:
        raise unprocessable("hand-over-missing", f"The book {book.slug} has no hand-over {key}.")
    entry = entries_of(book).get(pk=found.entry_id)
    return {
        "kind": "hand-over",
        "title": f"To {found.to}: {entry.title}",
        "hand_over": {
            "id": found.pk,
            "to": found.to,
            "asked": found.asked,
            "ruled_out": found.ruled_out,
            "by": name_of(found.made_by),
            "at": found.made_at,
        },
        "entries": [entry_part(entry)],
    }
