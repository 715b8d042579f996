"""Arms made of stored runs: what order they were recorded in, whether they may be compared, and
several of them side by side."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from itertools import combinations
from typing import Any, Literal
from uuid import UUID

from vigilant.core import CoreError, Finding, FrameSeries, Several, compare_several, refuse_repeats
from vigilant.core.several import MOST_RANKED
from vigilant.formats import limits
from vigilant.server.books.models import Book
from vigilant.server.problems import unprocessable
from vigilant.server.runs.ingest import policy_of
from vigilant.server.runs.models import Run, Slot
from vigilant.server.runs.store import read_series
from vigilant.server.scenarios.models import ScenarioVersion
from vigilant.wording import FIGURE_TEXTS, comparison_document

from .models import ComparisonRun

#: What is told of each pair of several arms; the rest of a result is for an entry.
_TOLD = ("verdict", "stamp", "sentence", "material", "runs_needed", "design", "primaries", "runs", "frames", "figures",
         "findings", "core_version")  # fmt: skip


@dataclass(frozen=True)
class Recorded:
    """Arms in the order of their runs, the arm of every slot, and each slot's session."""

    arms: dict[str, list[Run]]
    order: list[str | None]
    sessions: list[int]


def recorded_order(arms: Mapping[str, Sequence[Run]]) -> Recorded | None:
    """The order that the recordings of these runs have kept; None if one of them has none, or is in two arms.

    Each recording is a session. Slots of other runs keep their place.
    """
    arm_of = {run.pk: (name, run) for name, runs in arms.items() for run in runs}
    found = {s.run_id: s for s in Slot.objects.filter(run__in=arm_of).select_related("recording")}
    if set(found) != set(arm_of) or len(arm_of) < sum(len(runs) for runs in arms.values()):
        return None
    recordings = sorted({s.recording for s in found.values()}, key=lambda r: (r.created_at, r.pk))
    made = Recorded({name: [] for name in arms}, [], [])
    for session, recording in enumerate(recordings):
        last = {s.position: s for s in recording.slots.order_by("position", "attempt") if s.run_id in arm_of}
        total = 1 + max(recording.slots.values_list("position", flat=True))
        for position in range(total):
            name, run = arm_of[last[position].run_id] if position in last else (None, None)
            made.order.append(name)
            made.sessions.append(session)
            if name is not None and run is not None:
                made.arms[name].append(run)
    counted = sum(len(runs) for runs in made.arms.values())
    return made if counted == len(arm_of) else None


def unlike(before: Sequence[Run], after: Sequence[Run]) -> list[Finding]:
    """What makes stored runs void together beside what their frames say: versions and rigs that differ."""
    runs = [*before, *after]
    found = []
    versions = {run.scenario_version_id: run.scenario_version for run in runs}
    if len(versions) > 1:
        named = [f"{v.scenario.name} {v.number}" for v in versions.values()]
        found.append(Finding("scenario-versions-differ", "void", {"versions": named}))
    if len({run.rig_id for run in runs}) > 1:
        rigs = [sorted({str(run.rig) for run in arm}) for arm in (before, after)]
        difference = {"condition": "rig", "before": rigs[0], "after": rigs[1]}
        found.append(Finding("conditions-differ", "void", {"differences": [difference]}))
    return found


def usable(runs: Sequence[Run]) -> ScenarioVersion:
    """The newest scenario version of runs that may enter an arm. Raises a problem for others, and for more
    frames than are read for one answer."""
    frames = sum(run.frames for run in runs)
    if frames > limits.FRAMES_AT_ONCE:
        raise unprocessable(
            "too-many-frames", f"These runs hold {frames:,} frames; {limits.FRAMES_AT_ONCE:,} are read for one answer."
        )
    bad = [run for run in runs if run.state != Run.State.COMPLETE or run.excluded_at]
    if bad:
        raise unprocessable("run-not-complete", f"Run {bad[0].pk} is {bad[0].state} and enters no arm.")
    return max((run.scenario_version for run in runs), key=lambda v: v.pk)


def read_runs(runs: Sequence[Run]) -> list[FrameSeries]:
    """The stored frames of each run."""
    return [read_series(run) for run in runs]


def runs_by_id(book: Book, ids: Sequence[UUID]) -> list[Run]:
    """Runs of a book in the order asked for. Raises a problem for one that is not there."""
    found = {
        run.pk: run
        for run in Run.objects.filter(book=book, pk__in=ids).select_related(
            "scenario_version__scenario", "rig", "conditions", "build"
        )
    }
    missing = [str(i) for i in ids if i not in found]
    if missing:
        raise unprocessable("run-unknown", f"Run {missing[0]} is not in this book.")
    return [found[i] for i in ids]


def placed(several: Several, names: Mapping[str, str]) -> list[dict[str, Any]]:
    """The places that significant differences leave each arm, per primary (named by the figure)."""
    primaries = next(iter(several.pairs.values())).primaries
    return [
        {"figure": figure, "arm": names[arm], "best": best, "worst": worst}
        for figure in primaries
        if figure in several.ranks
        for arm, (best, worst) in several.ranks[figure].items()
    ]


def in_words(places: Sequence[Mapping[str, Any]]) -> list[dict[str, Any]]:
    """The places with their figures' labels."""
    return [
        {**p, "figure": FIGURE_TEXTS[p["figure"]].label if p["figure"] in FIGURE_TEXTS else p["figure"]} for p in places
    ]


def chosen_arms(book: Book, wanted: Sequence[Mapping[str, Any]]) -> dict[str, list[Run]]:
    """Named arms: a side of an entry, or single runs. A run in two of them is a problem."""
    arms: dict[str, list[Run]] = {}
    taken: dict[UUID, str] = {}
    for arm in wanted:
        ids = arm["runs"]
        if arm["entry"] is not None:
            used = ComparisonRun.objects.filter(
                arm__comparison__book=book, arm__comparison__entry__number=arm["entry"], arm__label=arm["side"]
            )
            ids = list(used.values_list("run_id", flat=True))
            if not ids:
                raise unprocessable("arm-empty", f"Entry {arm['entry']} has no runs {arm['side']}.")
        runs = runs_by_id(book, ids)
        name = _name(arm, runs, arms)
        for run in runs:
            if run.pk in taken:
                raise unprocessable(
                    "run-in-two-arms", f"Run {run.pk} is in {taken[run.pk]} and {name}; it can be in one."
                )
            taken[run.pk] = name
        arms[name] = runs
    return arms


def _name(arm: Mapping[str, Any], runs: Sequence[Run], others: Mapping[str, Any]) -> str:
    """The build's name where it tells the arm from the others, else with where the arm comes from."""
    builds = list(dict.fromkeys(str(run.build) for run in runs))
    name = " and ".join(builds[:2]) + (" and more" if len(builds) > 2 else "")
    if arm["entry"] is not None:
        name = f"{name} (no. {arm['entry']} {arm['side']})"
    same = sum(other == name or other.startswith(f"{name}, ") for other in others)
    return f"{name}, {same + 1}" if same else name


def compare_arms(
    book: Book, wanted: Sequence[Mapping[str, Any]], against: Literal["reference", "all"], empty: int | None
) -> dict[str, Any]:
    """Arms of stored runs side by side, in one family; nothing is kept. ``empty`` is the place of
    the empty arm among them. Raises a problem."""
    arms = chosen_arms(book, wanted)
    if len(arms) - (empty is not None) > MOST_RANKED:
        raise unprocessable("too-many-arms", f"At most {MOST_RANKED} arms are set side by side, and an empty one.")
    names = list(arms)
    every = [run for runs in arms.values() for run in runs]
    version = usable(every)
    recorded = recorded_order(arms)
    ordered = recorded.arms if recorded else arms
    series = {name: read_runs(runs) for name, runs in ordered.items()}
    try:
        refuse_repeats(series)
        several = compare_several(
            series,
            policy_of(version.definition),
            recorded.order if recorded else None,
            against,
            None if empty is None else names[empty],
            {pair: unlike(arms[pair[0]], arms[pair[1]]) for pair in combinations(names, 2)},
            sessions=recorded.sessions if recorded else None,
        )
    except CoreError as error:
        raise unprocessable(error.code, str(error)) from error
    return {
        "arms": [_arm(name, runs) for name, runs in ordered.items()],
        "empty": empty,
        "sessions": len(set(recorded.sessions)) if recorded else 0,
        "pairs": [
            {"before": names.index(a), "after": names.index(b), "result": _told(comparison_document(c))}
            for (a, b), c in several.pairs.items()
        ],
        "ranks": in_words(placed(several, {n: n for n in names})),
        "net": [asdict(n) for n in several.net],
    }


def _told(document: Mapping[str, Any]) -> dict[str, Any]:
    return {key: document[key] for key in _TOLD}


def _arm(name: str, runs: Sequence[Run]) -> dict[str, Any]:
    return {
        "name": name,
        "runs": [str(r.pk) for r in runs],
        "frames": sum(r.frames for r in runs),
        "scenario": ", ".join(dict.fromkeys(str(r.scenario_version) for r in runs)),
        "rig": ", ".join(dict.fromkeys(str(r.rig) for r in runs)),
    }
