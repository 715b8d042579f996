"""The demo book: made by the simulated subject, judged by the same core as everything else.

Nothing here is measured. Each story below says what the build asks of the rig; verdicts are
what the comparison makes of the simulated runs, not what is written here.
"""

from __future__ import annotations

import math
import uuid
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime, timedelta
from typing import Any

import numpy as np

from vigilant.core import FrameSeries, Mark, Part
from vigilant.core.schedule import draw_order
from vigilant.core.series import PartRows
from vigilant.formats.run import ReadRun
from vigilant.plan import EMPTY
from vigilant.server.backlog.services import write as write_idea
from vigilant.server.books.models import Book
from vigilant.server.entries.comparing import complete_recording, entry_of_recording
from vigilant.server.entries.deciding import decide, open_entry
from vigilant.server.entries.models import Entry
from vigilant.server.goals.services import move_goal, set_goal
from vigilant.server.ledger.demo_stills import STILL_RUNS, take_stills
from vigilant.server.runs.figures import keep_read_run
from vigilant.server.runs.ingest import create_recording, create_run
from vigilant.server.runs.models import Recording, Run
from vigilant.server.scenarios import services as rigs
from vigilant.server.scenarios.models import Scenario
from vigilant.subjects.simulated import RIGS, SimulatedRun, SimulatedWork, interleaved_order, simulate_run

SECONDS = 120.0
#: What parts are about, wherever they are done.
ABOUT = {"ripples": "water", "water": "water", "reflections": "water", "lanterns": "light", "glow": "light"}
TARGET_FPS = 60
CONDITIONS = {"window": "1600x900", "build": "release", "cap": "off", "tier": "middle", "power": "mains"}


@dataclass(frozen=True)
class Story:
    """One entry of the demo, or one an arm. ``capped`` names an arm that a refresh cap holds, ``crash_at`` a slot that crashed."""

    title: str
    why: str
    expected: str
    before: SimulatedWork
    after: SimulatedWork
    runs: int
    day: str
    decision: str = ""
    decision_why: str = ""
    capped: str = ""
    crash_at: int | None = None
    #: Further arms by name, beside ``after``.
    further: tuple[tuple[str, SimulatedWork], ...] = ()
    blank: bool = False
    #: What became of what was expected, as its people saw it.
    expectation: str = ""
    #: A page's frames, recorded in a browser, instead of the program's.
    page: bool = False
    #: Runs take stills; of each that changed, the lantern that is not lit after.
    gone: dict[str, int] | None = None

    def arms(self) -> dict[str, tuple[str, SimulatedWork]]:
        """Label to name and work, in the order of the plan."""
        if self.blank:
            return {"before": ("before, once", self.before), "after": ("before, again", self.after)}
        first = "Reflections at full size" if self.further else "before"
        arms = {"before": (first, self.before), "after": (self.title, self.after)}
        for i, arm in enumerate(self.further, start=2):
            arms[EMPTY if arm[0] == "nothing drawn" else f"after {i}"] = arm
        return arms


_FIRST = SimulatedWork()
_CELLS = _FIRST.but(find_neighbours=2.9)
_MIRROR = replace(_CELLS, every={"reflections": 2})
_OTHER = _MIRROR.but(ripples=3.1)
#: The table of all pairs is made anew where the boats come out into the rain.
_ALL_PAIRS = replace(_FIRST, hitches=(("rain on open water", 0.04, 24.0),))
#: The first lanterns of the market bank are loaded as they come into view.
_BANK = (("market bank", 0.3, 19.0),)
#: Half as many boats again, and all of them look for their neighbours.
AUTUMN = replace(_OTHER.but(find_neighbours=4.9), boats=60)
#: A page has one thread for both, and less to draw.
_PAGE = replace(SimulatedWork().scaled("main", 0.15).scaled("gpu", 0.5), beside=False)

STORIES = (
    Story(
        "Find neighbour boats by river cell",
        "All pairs grow with the square of the boats.",
        "2 to 3 ms less wherever boats crowd.",
        _ALL_PAIRS,
        _CELLS,
        8,
        "2026-05-04",
        "kept",
        "The same boats meet the same neighbours.",
        expectation="not supported",
    ),
    Story(
        "Half-precision ripples",
        "The ripple grid is read twice a frame.",
        "About 0.5 ms less on open water.",
        _CELLS,
        _CELLS.but(ripples=2.3),
        8,
        "2026-05-11",
        "record again",
        "The cap was on in one arm.",
        "after",
    ),
    Story(
        "Reflections every second frame",
        "Nobody sees a reflection lag by one frame.",
        "1 to 2 ms less on open water, nothing under the bridge.",
        _CELLS,
        _MIRROR,
        8,
        "2026-05-19",
        "kept",
        "Ripples lag by a frame; nobody noticed in the blind look.",
        "",
        5,
        expectation="exceeded",
        gone={},
    ),
    Story(
        "Draw awnings front to back",
        "Hidden awnings are painted and painted over.",
        "A little less on the market bank.",
        _MIRROR,
        _MIRROR.but(awnings=0.89),
        16,
        "2026-06-02",
        "dropped",
        "Not worth the sorting.",
        expectation="not supported",
    ),
    Story(
        "Sparks from a table",
        "Sparks are computed one by one.",
        "0.1 to 0.3 ms less in the fireworks.",
        _OTHER,
        _OTHER.but(keep_apart=2.12),
        3,
        "2026-06-12",
        "more runs",
        "",
        expectation="undecided",
    ),
    Story(
        "Finer ripple grid near the boats",
        "The wakes look blocky.",
        "Costs less than 1 ms.",
        replace(_OTHER, hitches=_BANK),
        replace(_OTHER.but(ripples=4.1), hitches=_BANK),
        10,
        "2026-06-23",
        "dropped",
        "Too dear for what it shows.",
        expectation="supported",
    ),
    Story(
        "Lantern glow in one pass",
        "Two passes touch every lantern twice.",
        "0.3 ms less; the tail must not suffer.",
        _OTHER,
        replace(_OTHER.but(glow=1.2), pause_factor=3.2),
        8,
        "2026-07-07",
        gone={"bank.png": 4, "overdraw.png": 0},
    ),
)

#: Recorded last: three ways to draw reflections and the course with nothing drawn, in one recording.
SEVERAL = Story(
    "Reflections at half size", "They ripple anyway.", "0.3 ms less at half size, little more at a third.",
    _OTHER, _OTHER.but("gpu", reflections=3.6), 5, "2026-07-14", "more runs", "The stills come first.",
    further=(("Reflections at a third", _OTHER.but("gpu", reflections=3.5)),
             ("nothing drawn", _OTHER.scaled("main", 0.25).scaled("gpu", 0.15))),
)  # fmt: skip

#: One build as both arms: what the bench sees.
BLANK = Story(
    "Blank test before the autumn",
    "The laptop got new fans.",
    "Nothing.",
    _OTHER,
    _OTHER,
    8,
    "2026-07-20",
    blank=True,
)

#: Everything the processor does gets cheaper alike: no part's share of it moves.
ONE_UNIT = Story(
    "Build the festival as one unit", "The compiler then sees all of it at once.", "5 % less of whatever the processor does.",
    AUTUMN, AUTUMN.scaled("main", 0.94), 8, "2026-07-24", "more runs", "Every build takes an hour longer; is it worth that?", expectation="supported",
)  # fmt: skip

#: The festival drawn by a page, on the machine that players hold.
IN_THE_PAGE = Story(
    "Glow from a table, in the page", "Every point of a glow sums twelve layers.", "2 ms less rendering; callbacks as before.",
    _PAGE, _PAGE.but(glow=0.2),
    6, "2026-05-25", "kept", "The callbacks did not move.", expectation="supported", page=True,
)  # fmt: skip
PAGE_CONDITIONS = {"recorded by": "page", "browser": "Chromium 150", "renderer": "Lantern 1", "viewport": "1280x720",
                   "pixel ratio": "1.5", "network": "off but for the page's own origin",
                   "frames asked to be": "unpaced; expect tearing where there is a screen"}  # fmt: skip


def _series(run: SimulatedRun, session: Session, conditions: Mapping[str, str]) -> FrameSeries:
    if not session.parts:
        return FrameSeries(run.frame_ms, conditions={**conditions, "frame_is": "start to start"})
    legs = [Mark(i, name) for i, name in run.legs]
    page = session.page
    if not page:
        made = run.parts
        ms, calls = (np.bincount(made.part, w, len(made.names)) for w in (made.ms, made.calls))
        totals = [
            Part(path, float(ms[i]), int(calls[i]), lane, kind=ABOUT.get(path[-1], ""))
            for i, (lane, path) in enumerate(made.names)
        ]
        return FrameSeries(
            run.frame_ms, run.lanes, run.lane_roles, run.counters, legs, {**conditions, "frame_is": "start to start"},
            parts=totals, part_rows=PartRows(totals, made.frame, made.part, made.ms, made.at_ms, made.calls),
        )  # fmt: skip
    busy = {"animation callbacks": run.lanes["main"], "rendering": run.lanes["gpu"]}
    waiting = np.maximum(0.0, run.frame_ms - sum(busy.values()))
    roles = {**dict.fromkeys(busy, "processor"), "waiting": "waiting"}
    sheet = {**conditions, "frame_is": "shown to shown"}
    return FrameSeries(run.frame_ms, {**busy, "waiting": waiting}, roles, {}, legs, sheet)


def _plan(story: Story) -> dict[str, Any]:
    return {
        "scenario": {
            "name": "Lanternfall, in the page" if story.page else "River course",
            "target_fps": TARGET_FPS,
            "duration_s": SECONDS,
            "seed": 7,
        },
        "arm": [
            {
                "name": name,
                "subject": "lanternfall, in the page" if story.page else "lanternfall",
                **({"empty": True} if label == EMPTY else {}),
            }
            for label, (name, _) in story.arms().items()
        ],
        "recording": {"runs": story.runs, **({"blank": True} if story.blank else {})},
        "entry": {"title": story.title, "why": story.why, "expected": story.expected},
    }


@dataclass(frozen=True)
class Session:
    """How a recording of the demo was made: arms to works, in their order, each run of ``seconds``."""

    order: Sequence[str]
    works: Mapping[str, SimulatedWork]
    day: str
    page: bool = False
    capped: str = ""
    crash_at: int | None = None
    gone: Mapping[str, int] | None = None
    seconds: float = SECONDS
    rig: str = ""
    #: Of its sheet, where they are others than usual.
    conditions: Mapping[str, str] = field(default_factory=dict)
    #: Whether the runs state their legs, lanes and parts.
    parts: bool = True
    #: Runs that were simulated before, in the order of their slots; none: they are simulated as they come.
    runs: Sequence[SimulatedRun] = ()


def write_recording(
    book: Book, plan: Mapping[str, Any], session: Session, rng: np.random.Generator, seed: int
) -> Recording:
    """Simulate a recording and take it through the same services as a delivered one."""
    order = session.order
    start = datetime.fromisoformat(session.day).replace(hour=9, tzinfo=UTC)
    ids = [uuid.UUID(bytes=rng.bytes(16), version=4) for _ in order]
    rig = RIGS[session.rig or ("handheld" if session.page else "thin laptop")]
    conditions = {**(PAGE_CONDITIONS if session.page else CONDITIONS), **session.conditions}
    frame_is = "shown to shown" if session.page else "start to start"
    taken, pictures = Counter[str](), np.random.default_rng(seed)
    outcomes = ["crashed" if i == session.crash_at else "complete" for i in range(len(order))]
    recording, _ = create_recording(
        book,
        {
            "id": uuid.UUID(bytes=rng.bytes(16), version=4),
            "created": start,
            "plan": plan,
            "order_seed": seed,
            "rig": {"alias": rig.alias, "facts": rig.facts},
            "conditions": conditions,
            "slots": [
                {"position": i, "arm": arm, "run": ids[i], "outcome": outcomes[i]} for i, arm in enumerate(order)
            ],
        },
    )
    for i, arm in enumerate(order):
        crashed = outcomes[i] == "crashed"
        run, _ = create_run(
            book,
            ids[i],
            {
                "recording": recording.pk,
                "position": i,
                "started": start + timedelta(seconds=i * (session.seconds + 10)),
                "outcome": outcomes[i],
                "detail": "ended by SIGSEGV" if crashed else "",
                "head": None if crashed else {"vigilant_frames": 1, "columns": ["frame"], "conditions": conditions,
                                              "frame_is": frame_is},
            },
        )  # fmt: skip
        if crashed:
            continue
        refresh_hz = float(TARGET_FPS) if session.capped == arm else None
        made = (
            session.runs[i]
            if session.runs
            else simulate_run(rig, session.works[arm], rng, session.seconds, i / len(order), refresh_hz)
        )
        keep_read_run(run, ReadRun(source="simulated", series=_series(made, session, conditions)), Run.State.COMPLETE)
        if session.gone is not None and taken[arm] < STILL_RUNS:
            taken[arm] += 1
            take_stills(run, arm, session.gone, pictures)
    complete_recording(book, recording.pk)
    return recording


def write_story(book: Book, story: Story, seed: int) -> Entry:
    """A story's recording, and the entry that it fills."""
    rng = np.random.default_rng(seed)
    arms = story.arms()
    order = interleaved_order(story.runs, rng) if not story.further else draw_order(story.runs, seed, arms=list(arms))
    works = {label: work for label, (_, work) in arms.items()}
    session = Session(order, works, story.day, story.page, story.capped, story.crash_at, story.gone)
    entry = entry_of_recording(write_recording(book, _plan(story), session, rng, seed))
    assert entry is not None
    return entry


#: What must hold on the festival's course: figure, legs, rig, and its thresholds with their reasons.
GOALS = (
    ("slowest_second_fps", ["fireworks"], "thin laptop", [(50.0, "the finale is what people remember")]),
    ("late_share", [], "thin laptop", [(0.05, "one frame in twenty was thought to be fine"),
                                       (0.01, "players of the first evening saw it")]),
    ("p99_ms", [], "handheld", [(33.3, "two refreshes at most")]),
    ("most:draws", [], "", [(950.0, "the driver stalls above it on the smallest machine")]),
)  # fmt: skip


def _time(book: Book, rig: Any, slowed: bool) -> None:
    """A timing of the calibration load each week of a quarter; a fan that fills with dust slows one of them in the last three."""
    rng = np.random.default_rng(31)
    for week in range(12, -1, -1):
        slow = 1.0 if slowed and week < 3 else 0.92 if slowed else 1.0
        ms = 4.0 / rig.speed * slow * (math.exp(rng.normal(0.0, 0.006)) if week else 1.0)
        at = datetime(2026, 7, 20, 8, tzinfo=UTC) - timedelta(weeks=week)
        rigs.rig(book, rig.alias, rig.facts, {"load": "boats 1", "ms": round(ms, 4), "log_error": 0.004}, at)


def _set_goals(book: Book, user: Any) -> None:
    """The goals, one of them moved, and the calibration load of the made-up rigs."""
    scenario = Scenario.objects.get(book=book, name="River course")
    for name in ("thin laptop", "handheld"):
        rig = RIGS[name]
        _time(book, rig, slowed=name == "handheld")
    for figure, legs, alias, moves in GOALS:
        threshold, reason = moves[0]
        values = {"figure": figure, "legs": legs, "load": "", "rig": alias, "threshold": threshold, "reason": reason}
        goal = set_goal(scenario, values, user)
        for threshold, reason in moves[1:]:
            move_goal(goal, threshold, reason, user)


#: What could be tried next: title, entry, its parts with what would be left of their cost, effort, risk, why.
IDEAS = (
    ("Reflect the far bank only", 12, [("gpu", "reflections", 0.5)], "middle", "middle", "Nobody looks at the rest."),
    ("Collect a little in every frame", 12, [("main", "collect", 0.0)], "large", "middle", "Pauses are most of what late frames have more of."),
    ("Sparks and glow in one table", 12, [("gpu", "glow", 0.6)], "small", "small", "Both look up the same colours."),
    ("Look for neighbours in every second frame", 12, [("main", "steer boats/find neighbours", 0.5)], "small", "large", "Boats hardly move in a frame."),
)  # fmt: skip


def _write_ideas(book: Book, user: Any) -> None:
    for title, entry, parts, effort, risk, why in IDEAS:
        asked = [{"lane": lane, "path": path.split("/"), "left": left} for lane, path, left in parts]
        write_idea(book, {"title": title, "scenario": None, "entry": entry, "arm": "before", "parts": asked,
                          "effort": effort, "risk": risk, "why": why}, user)  # fmt: skip
    scenario = Scenario.objects.get(book=book, name="River course")
    write_idea(book, {"title": "Draw the far boats as one", "scenario": scenario.pk, "entry": None, "arm": "after", "parts": [],
                      "effort": "large", "risk": "middle", "why": "From the bridge nobody can tell them apart."}, user)  # fmt: skip


def load(book: Book, user: Any) -> None:
    """Write every story, its decision, the goals, and one entry that waits for its recording."""
    for number, story in enumerate(STORIES, start=1):
        entry = write_story(book, story, seed=4000 + number)
        if story.decision:
            at = entry.recorded_at + timedelta(hours=6)
            decide(entry, story.decision, story.decision_why, user, story.expectation, at=at)
        if number == 1:  # each later entry is then read for all goals at once
            _set_goals(book, user)
    open_entry(book, "Half-precision ripples, second try", "The cap was on in one arm of no. 2.", "About 0.5 ms less.")
    write_story(book, SEVERAL, seed=4100)
    several = list(Entry.objects.filter(book=book, number__gt=len(STORIES) + 1))
    write_story(book, BLANK, seed=4202)
    for story, seed in ((ONE_UNIT, 4250), (IN_THE_PAGE, 4300)):
        entry = write_story(book, story, seed)
        at = entry.recorded_at + timedelta(hours=6)
        decide(entry, story.decision, story.decision_why, user, story.expectation, at=at)
    _write_ideas(book, user)
    for entry in several:  # decided last: the ledger opens on the festival's own line
        decide(entry, SEVERAL.decision, SEVERAL.decision_why, user)
