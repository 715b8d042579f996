"""Several arms of stored runs side by side, in one family."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict
from itertools import combinations
from typing import Any, Literal
from uuid import UUID

from vigilant.core import ComparisonResult, CoreError, compare_several, refuse_repeats
from vigilant.core.several import MOST_RANKED
from vigilant.server.books.models import Book
from vigilant.server.jobs import services as jobs
from vigilant.server.jobs.models import Job
from vigilant.server.problems import unprocessable
from vigilant.server.runs.models import Run
from vigilant.server.runs.plans import policy_of
from vigilant.server.runs.store import read_every
from vigilant.wording import comparison_document

from .models import ComparisonRun
from .results import in_words
from .stored_arms import placed, recorded_order, runs_by_id, unlike, usable

#: The kind of job that sets arms side by side; what it finds stays with the job.
SIDE_BY_SIDE = "set arms side by side"
#: What is said of each pair of several arms; the rest of a result is for an entry.
_OF_PAIR = ("verdict", "stamp", "sentence", "material", "runs_needed", "design", "primaries", "runs", "frames", "figures",
         "findings", "core_version")  # fmt: skip


def chosen_arms(book: Book, wanted: Sequence[Mapping[str, Any]]) -> dict[str, list[Run]]:
    """Named arms: a side of an entry, or single runs. A run in two of them is a problem."""
    arms: dict[str, list[Run]] = {}
    taken: dict[UUID, str] = {}
    for arm in wanted:
        ids = [UUID(str(run)) for run in arm["runs"]]
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


def begin(
    book: Book, wanted: Sequence[Mapping[str, Any]], against: Literal["reference", "all"], empty: int | None
) -> Job:
    """A job sets arms of stored runs side by side. Raises a problem at once for arms that are none."""
    arms = chosen_arms(book, wanted)
    if len(arms) - (empty is not None) > MOST_RANKED:
        raise unprocessable("too-many-arms", f"At most {MOST_RANKED} arms are set side by side, and an empty one.")
    usable([run for runs in arms.values() for run in runs])
    asked = [{**arm, "runs": [str(run) for run in arm["runs"]]} for arm in wanted]
    arguments = {"wanted": asked, "against": against, "empty": empty}
    return jobs.start(SIDE_BY_SIDE, jobs.digest_of(book.pk, arguments), book, **arguments)


def compare_arms(
    book: Book, wanted: Sequence[Mapping[str, Any]], against: Literal["reference", "all"], empty: int | None
) -> dict[str, Any]:
    """Arms of stored runs side by side, in one family. ``empty`` is the place of
    the empty arm among them. Raises a problem."""
    arms = chosen_arms(book, wanted)
    names = list(arms)
    every = [run for runs in arms.values() for run in runs]
    version = usable(every)
    recorded = recorded_order(arms)
    ordered = recorded.arms if recorded else arms
    series = {name: read_every(runs) for name, runs in ordered.items()}
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
            {"before": names.index(a), "after": names.index(b), "result": _document(c)}
            for (a, b), c in several.pairs.items()
        ],
        "ranks": in_words(placed(several, {n: n for n in names})),
        "net": [asdict(n) for n in several.net],
    }


def _document(result: ComparisonResult) -> dict[str, Any]:
    document = comparison_document(result)
    return {key: document[key] for key in _OF_PAIR}


def _arm(name: str, runs: Sequence[Run]) -> dict[str, Any]:
    return {
        "name": name,
        "runs": [str(r.pk) for r in runs],
        "frames": sum(r.frames for r in runs),
        "scenario": ", ".join(dict.fromkeys(str(r.scenario_version) for r in runs)),
        "rig": ", ".join(dict.fromkeys(str(r.rig) for r in runs)),
    }
