"""The demo book's line over builds: sixty builds of the festival on two rigs, recorded night by night; made up, as all of the demo."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from typing import Any

import numpy as np

from vigilant.core.trend import hunted
from vigilant.core.trend.hunt import FIRST
from vigilant.plan import ArmRef
from vigilant.plan.tables import SPREAD_PCT
from vigilant.server.books.models import Book
from vigilant.server.runs.models import Recording
from vigilant.server.scenarios.models import Scenario
from vigilant.server.trend.alarms import explain, set_following
from vigilant.server.trend.models import Alarm
from vigilant.server.trend.ordering import set_order
from vigilant.subjects.simulated import RIGS as SIMULATED
from vigilant.subjects.simulated import SimulatedRun, SimulatedWork, simulate_run

from .demo_book import Session, write_recording

BUILDS, FIRST_NUMBER = 60, 101
RUNS, RUN_S, TARGET_FPS = 3, 10.0, 40
FIRST_NIGHT = datetime(2026, 6, 1)
SCENARIO = "River course, nightly"
#: What separates two nights of one build beside its runs.
NIGHTS_DIFFER = 0.002


def name_of(build: int) -> str:
    return f"b{FIRST_NUMBER + build}"


@dataclass(frozen=True)
class Nightly:
    """How a rig saw the builds: ``steps`` and ``odd`` ones as shares of the work by place, a drift, and from when on its sheet is another
    one, which by itself changes the frame; ``both`` are recorded under both sheets."""

    rig: str
    steps: Mapping[int, float]
    odd: Mapping[int, float]
    drift: tuple[int, int, float]
    sheets: tuple[Mapping[str, str], Mapping[str, str]]
    changes_at: int
    offset: float
    both: Sequence[int] = field(default_factory=tuple)

    def share(self, build: int) -> float:
        """The work of a build, as a share of the first one's."""
        first, last, size = self.drift
        drifted = size * min(1.0, max(0.0, (build - first) / (last - first)))
        return (
            1.0
            + sum(size for at, size in self.steps.items() if build >= at)
            + self.odd.get(build, 0.0)
            + drifted
        )  # fmt: skip


#: Boats that look for their neighbours twice, pictures that pile up, a night with a window open, and the newest build.
STEP, NEWEST = 14, BUILDS - 1
PILED_UP = (26, 38, 0.05)
HANDHELD = Nightly(
    "handheld", {STEP: 0.035, 46: -0.03}, {}, PILED_UP, ({"system": "spring"}, {"system": "summer"}), 30, 0.03
)
LAPTOP = Nightly(
    "thin laptop", {STEP: 0.035, NEWEST: 0.05}, {49: 0.06}, PILED_UP, ({"driver": "24.1"}, {"driver": "24.2"}), 42,
    -0.02, (40, 41),
)  # fmt: skip


def _plan(build: int) -> dict[str, Any]:
    return {
        "scenario": {"name": SCENARIO, "target_fps": TARGET_FPS, "duration_s": RUN_S, "seed": 7},
        "arm": [{"name": name_of(build), "subject": "lanternfall"}],
        "line": {"build": name_of(build)},
        "recording": {"runs": RUNS},
    }


def write_night(book: Book, of: Nightly, build: int, later_sheet: bool, seed: int, again: int = 0) -> Recording:
    """One session of a build on a rig."""
    rng = np.random.default_rng(seed)
    share = (
        of.share(build)
        * (1.0 + (of.offset if later_sheet else 0.0))
        * float(np.exp(NIGHTS_DIFFER * rng.standard_normal()))
    )
    work = _work(share)
    night = FIRST_NIGHT + timedelta(days=build + again)
    session = Session(
        ["before"] * RUNS, {"before": work}, f"{night:%Y-%m-%d}", seconds=RUN_S, rig=of.rig,
        conditions=of.sheets[later_sheet], parts=False,
    )  # fmt: skip
    return write_recording(book, _plan(build), session, rng, seed)


#: Commits between the last build of a level and the first of the next, and the one that did it.
COMMITS, DID_IT = 24, 15


def write_hunt(book: Book, seed: int) -> Recording:
    """Which commit between two nights made the step: one after the other is chosen by what its run would tell, as a recorder does it."""
    rng = np.random.default_rng(seed)
    names = [f"{name_of(STEP - 1)}.{i:02}" for i in range(COMMITS)]
    places, runs = [0, COMMITS - 1] * FIRST, list[SimulatedRun]()
    taken: dict[int, list[float]] = {}
    for place in places:  # grows by what is chosen
        work = _work(1.0 + (LAPTOP.steps[STEP] if place >= DID_IT else 0.0))
        runs.append(simulate_run(SIMULATED[LAPTOP.rig], work, rng, RUN_S))
        taken.setdefault(place, []).append(math.log(float(runs[-1].frame_ms.mean())))
        if len(runs) == len(places) and (following := hunted(COMMITS, taken, SPREAD_PCT / 100).next) is not None:
            places.append(following)
    chosen = list(dict.fromkeys(places))
    plan = _plan(0) | {
        "arm": [{"name": names[place], "subject": "lanternfall", "value": float(place)} for place in chosen],
        "hunt": {"builds": names, "command": ["make", "{build}"]},
        "entry": {"title": f"Which commit made {name_of(STEP)} worse?"},
    }
    del plan["line"]
    session = Session(
        [ArmRef.at(chosen.index(place)).label for place in places], {}, f"{FIRST_NIGHT + timedelta(days=STEP + 2):%Y-%m-%d}",
        seconds=RUN_S, rig=LAPTOP.rig, conditions=LAPTOP.sheets[0], parts=False, runs=runs,
    )  # fmt: skip
    return write_recording(book, plan, session, rng, seed)


def _work(share: float) -> SimulatedWork:
    return SimulatedWork().scaled("main", share).scaled("gpu", share)


def _place(book: Book, until: int, user: Any) -> None:
    set_order(book, [{"name": name_of(build)} for build in range(until)], "list", False, user)


def load(book: Book, user: Any) -> None:
    """The handheld's builds had no place yet when they were recorded. The laptop's get theirs as they come: a step that was answered, and
    the newest build, which waits for an answer."""
    for build in range(BUILDS):
        write_night(book, HANDHELD, build, build >= HANDHELD.changes_at, 6000 + build)
    for build in range(BUILDS):
        if build in (STEP, NEWEST):
            _place(book, build + 1, user)
        write_night(book, LAPTOP, build, build >= LAPTOP.changes_at, 7000 + build)
        if build in LAPTOP.both:
            write_night(book, LAPTOP, build, True, 7200 + build, again=1)
        if build == STEP:
            _answer(book, user)
    write_hunt(book, 7400)
    scenario = Scenario.objects.get(book=book, name=SCENARIO)
    set_following(scenario, {"false_alarm_in": 200, "recheck_days": 30}, user)


def _answer(book: Book, user: Any) -> None:
    """The step was looked into: recorded again, and explained."""
    write_night(book, LAPTOP, STEP, False, 7300, again=1)
    alarm = Alarm.objects.get(scenario__book=book, build=name_of(STEP))
    explain(alarm, "Boats look for their neighbours twice a frame since the merge of the river cells.", user)
