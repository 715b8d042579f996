"""What the demo book varies on purpose: features of the festival switched off one at a time, and what two builds are made of."""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date
from itertools import product
from typing import Any

import numpy as np

from vigilant.core.schedule import draw_order
from vigilant.plan import EMPTY, ArmRef, with_arms
from vigilant.server.backlog.counter_limits import set_limit
from vigilant.server.books.models import Book
from vigilant.server.entries.models import Entry
from vigilant.server.inventory.services import set_total, take_from_file
from vigilant.server.laps import services as laps
from vigilant.server.ledger.demo_book import AUTUMN, ONE_UNIT, SEVERAL, TARGET_FPS, Session, write_recording
from vigilant.server.rules import services as rules
from vigilant.server.runs.models import Recording
from vigilant.subjects.simulated import SimulatedWork

from .matrices import cell_plan
from .models import Matrix, MatrixCell

#: The course with nothing drawn.
NOTHING = SEVERAL.further[-1][1]
#: What the festival can do without, and what is left of it then; the glow has a cheaper way that asks something of the lists.
SWITCHES = {
    "boats": AUTUMN.but(find_neighbours=0.0, keep_apart=0.0),
    "ripples": AUTUMN.but(ripples=0.0, water=1.9),
    "reflections": AUTUMN.but(reflections=0.0),
    "awnings": AUTUMN.but(awnings=0.0),
    "glow": AUTUMN.but(glow=0.0),
}
GLOW_ONCE = AUTUMN.but("gpu", glow=0.9).but("main", lanterns=1.7)
SWITCHED_S, PASSES = 30.0, 4


def write_screening(book: Book, seed: int) -> Recording:
    """Features switched off one at a time, each by an argument of its own."""
    everything = [argument for name in SWITCHES for argument in ("--without", name)]
    plan = with_arms(
        {
            "scenario": {"name": "River course, short", "target_fps": TARGET_FPS, "duration_s": SWITCHED_S, "seed": 7},
            "arm": [{"name": "everything on", "subject": "lanternfall"},
                    {"name": "nothing drawn", "subject": "lanternfall", "arguments": everything, "empty": True}],
            "switch": [{"name": name, "off": ["--without", name], **({"cure": ["--glow", "once"]} if name == "glow" else {})}
                       for name in SWITCHES],
            "recording": {"runs": PASSES},
            "entry": {"title": "What is each feature of the festival worth?"},
        }
    )  # fmt: skip
    works = {"before": AUTUMN, EMPTY: NOTHING}
    for i, arm in enumerate([arm for arm in plan["arm"] if arm.get("off") or arm.get("cures")], start=1):
        works[ArmRef.at(i).label] = SWITCHES[arm["off"]] if arm.get("off") else GLOW_ONCE
    order = draw_order(PASSES, seed, arms=list(works))
    session = Session(order, works, "2026-07-27", seconds=SWITCHED_S)
    return write_recording(book, plan, session, np.random.default_rng(seed), seed)


#: Three changes that were made at once; the first is the processor's, the others are the picture's.
CHANGES: dict[str, Callable[[SimulatedWork], SimulatedWork]] = {
    "neighbours by cell": lambda work: work.but(find_neighbours=2.6),
    "glow in one pass": lambda work: work.but("gpu", glow=1.2),
    "reflections at half size": lambda work: work.but("gpu", reflections=3.3),
}
COMBINED_S, COMBINED_PASSES = 12.0, 3
#: What loads the river: how much of it, and how rich each is. It has the name of its own, as it is no course that is compared.
CROWDED = {"name": "River course, crowded", "target_fps": TARGET_FPS, "duration_s": COMBINED_S, "seed": 7}
#: The parts of the festival that each load is; together they wait for one another.
LOADS = {"boats": ("find_neighbours", "keep_apart"), "lanterns": ("lanterns",)}
LOADED, WAITING_MS = AUTUMN.scaled("gpu", 0.3).but("main", lanterns=3.8), 0.6
SPARKS, SPARK_MS, SPARKY_BOATS = (1, 4, 16), 0.012, (0, 30, 60, 90, 120)


def write_untangling(book: Book, seed: int) -> Recording:
    """Which of three changes helped, each by an argument of its own."""
    plan = with_arms(
        {
            "scenario": {"name": "River course, short", "target_fps": TARGET_FPS, "duration_s": SWITCHED_S, "seed": 7},
            "arm": [{"name": "none of them", "subject": "lanternfall"}],
            "switch": [{"name": name, "on": [f"--{name.replace(' ', '-')}"]} for name in CHANGES],
            "recording": {"runs": COMBINED_PASSES, "switches": "in combinations"},
            "entry": {"title": "Which of the autumn's three changes helped?"},
        }
    )
    works = {}
    for i, arm in enumerate(plan["arm"]):
        work = AUTUMN
        for name in arm["on"]:
            work = CHANGES[name](work)
        works[ArmRef.at(i).label] = work
    session = Session(draw_order(COMBINED_PASSES, seed, arms=list(works)), works, "2026-07-28", seconds=COMBINED_S)
    return write_recording(book, plan, session, np.random.default_rng(seed), seed)


def write_mixture(book: Book, seed: int) -> Recording:
    """Whether boats and lanterns take together what each takes by itself."""
    plan = with_arms(
        {
            "scenario": CROWDED,
            "arm": [{"name": "nothing of them", "subject": "lanternfall", "arguments": ["--without", *LOADS]}],
            "switch": [{"name": name, "on": [f"--with={name}"]} for name in LOADS],
            "recording": {"runs": 4, "switches": "alone and together"},
            "entry": {"title": "Do boats and lanterns add up?"},
        }
    )
    works = {}
    for i, arm in enumerate(plan["arm"]):
        away = [part for name, parts in LOADS.items() if name not in arm["on"] for part in parts]
        work = LOADED.but(**dict.fromkeys(away, 0.0))
        if not away:
            work = work.but(ripples=work.parts["main"]["ripples",] + WAITING_MS)
        works[ArmRef.at(i).label] = work
    session = Session(draw_order(4, seed, arms=list(works)), works, "2026-08-04", seconds=COMBINED_S)
    return write_recording(book, plan, session, np.random.default_rng(seed), seed)


def write_trade(book: Book, seed: int) -> Recording:
    """Many boats with a spark each, or few with many."""
    plan = with_arms(
        {
            "scenario": CROWDED,
            "arm": [{"subject": "lanternfall"}],
            "sweep": {"name": "boats", "of": "load", "values": [float(n) for n in SPARKY_BOATS], "counter": "boats",
                      "arguments": ["--boats", "{value}"],
                      "richness": {"name": "sparks a boat", "values": [float(n) for n in SPARKS],
                                   "arguments": ["--sparks-a-boat", "{value}"]}},
            "recording": {"runs": COMBINED_PASSES},
            "entry": {"title": "Few boats full of sparks, or many with one?"},
        }
    )  # fmt: skip
    works = [
        _by_cell(boats).scaled("gpu", 0.2).but("main", lanterns=1.5 * boats / AUTUMN.boats + SPARK_MS * boats * sparks)
        for sparks in SPARKS
        for boats in SPARKY_BOATS
    ]
    labels = [ArmRef.at(i).label for i in range(len(works))]
    order = draw_order(COMBINED_PASSES, seed, arms=labels)
    session = Session(order, dict(zip(labels, works, strict=True)), "2026-08-05", seconds=COMBINED_S)
    return write_recording(book, plan, session, np.random.default_rng(seed), seed)


@dataclass(frozen=True)
class Sweep:
    """One setting over its values: ``arms`` are its builds by name ("" of one alone), each with what it does at a value."""

    title: str
    name: str
    of: str
    values: Sequence[int]
    arms: Mapping[str, Callable[[int], SimulatedWork]]
    day: str
    arguments: Sequence[str] = ()
    counter: str = ""
    passes: int = COMBINED_PASSES
    seconds: float = COMBINED_S

    def plan(self) -> dict[str, Any]:
        table = {"name": self.name, "of": self.of, "values": [float(v) for v in self.values],
                 "arguments": list(self.arguments), "counter": self.counter}  # fmt: skip
        return with_arms(
            {
                "scenario": {"name": "River course, short", "target_fps": TARGET_FPS, "duration_s": SWITCHED_S, "seed": 7},
                "arm": [{"subject": "lanternfall", **({"name": name} if name else {})} for name in self.arms],
                "sweep": table,
                "recording": {"runs": self.passes},
                "entry": {"title": self.title},
            }
        )  # fmt: skip


def _with_boats(boats: int) -> SimulatedWork:
    """The lists of boats grow with them, the search for neighbours with their square."""
    many = boats / AUTUMN.boats
    work = (
        AUTUMN.but(find_neighbours=4.9 * many**2, keep_apart=2.2 * many)
        .but("main", lanterns=1.5 * many)
        .but("gpu", lanterns=2.2 * many)
    )
    return replace(work, boats=boats)


def _by_cell(boats: int) -> SimulatedWork:
    """Neighbours by cell: the search grows with the boats alone."""
    return _with_boats(boats).but(find_neighbours=2.1 * boats / AUTUMN.boats)


def _with_ripples(interval: int) -> SimulatedWork:
    """Each time ripples are made, the more of them there are to be made: the mean gains by it, the slowest frames pay."""
    work = AUTUMN.but(ripples=5.0 * (1.0 + 0.3 * (interval - 1)))
    return replace(work, every={**work.every, "ripples": interval})


def _on_cores(cores: int) -> SimulatedWork:
    """Boats and ripples are shared out over the cores; draw lists are not, and every core more has to be waited for."""

    def shared(ms: float) -> float:
        return ms * (1.0 / cores + 0.006 * (cores - 1))

    work = AUTUMN.scaled("main", 1.6).scaled("gpu", 0.2)
    parts = {path: ms if path[0] == "draw lists" else shared(ms) for path, ms in work.parts["main"].items()}
    spread = tuple(path[-1] for path in parts if path[0] != "draw lists")
    return replace(work, parts={**work.parts, "main": parts}, spread=spread, cores=cores)


SWEEPS = (
    Sweep("How many boats does the laptop carry?", "boats", "load", (0, 20, 40, 60, 80, 100), {"": _with_boats}, "2026-07-29",
          ("--boats", "{value}"), "boats", seconds=20.0),
    Sweep("How often must ripples be made?", "ripple interval", "knob", (1, 2, 3, 4), {"": _with_ripples}, "2026-07-30",
          ("--ripple-interval", "{value}"), passes=6, seconds=24.0),
    Sweep("How many more boats with neighbours by cell?", "boats", "load", (0, 25, 50, 75, 100, 125, 150),
          {"all pairs": _with_boats, "by cell": _by_cell}, "2026-07-31", ("--boats", "{value}"), "boats", seconds=20.0),
    Sweep("What do more cores bring the boats?", "cores", "cores", (1, 2, 4, 8), {"": _on_cores}, "2026-08-01"),
)  # fmt: skip


def write_sweep(book: Book, sweep: Sweep, seed: int) -> Recording:
    plan = sweep.plan()
    works = [make(value) for make in sweep.arms.values() for value in sweep.values]
    labels = [ArmRef.at(i).label for i in range(len(works))]
    order = draw_order(sweep.passes, seed, arms=labels)
    session = Session(order, dict(zip(labels, works, strict=True)), sweep.day, seconds=sweep.seconds)
    return write_recording(book, plan, session, np.random.default_rng(seed), seed)


#: What the festival is made of at full and at half reflections: kind, count, draws, triangles, and the size of its picture.
KINDS = """kind;count;draws;triangles;width;height
boat hull;60;2;1240;512;512
paper lantern;310;1;96;128;128
booth awning;26;4;310;256;256
booth;26;6;880;512;256
bridge stone;18;3;2150;1024;1024
river bank;12;5;5400;1024;512
ripple grid;1;1;65536;2048;2048
reflection;1;38;0;{width};{height}
spark;400;0;2;16;16
visitor;30;2;640;;
"""
TOTALS = (
    ("picture memory MiB", "width * height * 4 / 1048576", 225.0, "", "The smallest machine has 256 MiB for pictures, and the screen needs its share."),
    ("draws", "draws", 950.0, "draws", "The driver stalls above it on the smallest machine."),
)  # fmt: skip


def write_inventories(book: Book, user: Any) -> None:
    for build, width, height in (("Reflections at full size", 3200, 1800), ("Reflections at half size", 1600, 900)):
        take_from_file(book, build, "festival kinds.csv", KINDS.format(width=width, height=height), user)
    for name, formula, most, counter, reason in TOTALS:
        values = {"name": name, "formula": formula, "most": most, "counter": counter, "reason": reason}
        set_total(book, values, user)


#: What the festival's counters may be, and what ought to be drawn under the bridge: counter, leg, kind, value, source, measured here.
LIMITS = (
    ("draws", "", "at most", 950.0, "The driver's notes for the handheld", False),
    ("draws", "under the bridge", "expected", 612.0, "Counted by hand from the bank, with nothing behind the bridge", True),
)  # fmt: skip


def set_limits(book: Book, user: Any) -> None:
    entry = Entry.objects.select_related("comparison").get(book=book, title=ONE_UNIT.title)
    assert entry.comparison is not None
    for counter, leg, kind, value, source, here in LIMITS:
        check = ["draw lists"] if leg else []
        set_limit(entry.comparison, {"counter": counter, "leg": leg, "kind": kind, "value": value, "source": source,
                                     "measured_here": here, "check_lane": "main" if check else "", "check_path": check}, "", user)  # fmt: skip


#: One change on two sizes of window, in two tiers and on two rigs: share of the graphics' work at a size, of all of it in a tier.
WINDOWS = {"1280x720": 0.7, "1920x1080": 1.5}
TIERS = {"low": 0.7, "high": 1.0}
MATRIX_RIGS = ("thin laptop", "handheld")
CELL_S, CELL_RUNS = 6.0, 4


def _in_cell(window: str, tier: str, rig: str) -> tuple[SimulatedWork, SimulatedWork]:
    """Before and after the glow was made in one pass, which needs more memory than the handheld has to spare at full size."""
    work = AUTUMN.scaled("gpu", WINDOWS[window] * TIERS[tier]).scaled("main", 0.6 * TIERS[tier])
    glow = next(ms for path, ms in work.parts["gpu"].items() if path == ("glow",))
    short = rig == "handheld" and window == "1920x1080" and tier == "high"
    return work, work.but("gpu", glow=glow * (1.35 if short else 0.5))


def write_calibration(book: Book, user: Any, seed: int) -> None:
    """The same known work on both rigs: what is measured on one can then be carried over to the other."""
    raw = {
        "scenario": {
            "name": "Calibration",
            "target_fps": TARGET_FPS,
            "duration_s": CELL_S,
            "seed": 7,
            "kind": "calibration",
        },
        "arm": [{"name": when, "subject": "lanternfall"} for when in ("once", "again")],
        "recording": {"runs": COMBINED_PASSES},
    }
    title = "What do the rigs take for the same work?"
    sheet = Matrix.objects.create(book=book, title=title, windows=[""], tiers=[""], rigs=[*MATRIX_RIGS], made_by=user)
    for i, rig in enumerate(MATRIX_RIGS):
        plan = cell_plan(raw, "", [], "", [], title)
        session = Session(
            draw_order(COMBINED_PASSES, seed + i),
            {"before": AUTUMN, "after": AUTUMN},
            "2026-08-02",
            seconds=CELL_S,
            rig=rig,
        )
        recording = write_recording(book, plan, session, np.random.default_rng(seed + i), seed + i)
        MatrixCell.objects.create(matrix=sheet, rig=rig, recording=recording)


def write_matrix(book: Book, user: Any, seed: int) -> None:
    raw = {
        "scenario": {"name": "River course, in windows", "target_fps": TARGET_FPS, "duration_s": CELL_S, "seed": 7},
        "arm": [{"name": "glow in two passes", "subject": "lanternfall"},
                {"name": "glow in one pass", "subject": "lanternfall", "arguments": ["--glow", "one pass"]}],
        "recording": {"runs": CELL_RUNS},
    }  # fmt: skip
    title = "Does the glow in one pass hold everywhere?"
    sheet = Matrix.objects.create(
        book=book, title=title, windows=[*WINDOWS], tiers=[*TIERS], rigs=[*MATRIX_RIGS], made_by=user
    )
    for i, (window, tier, rig) in enumerate(product(WINDOWS, TIERS, MATRIX_RIGS)):
        plan = cell_plan(raw, window, ["--window", "{value}"], tier, ["--tier", "{value}"], title)
        order = draw_order(CELL_RUNS, seed + i)
        works = dict(zip(("before", "after"), _in_cell(window, tier, rig), strict=True))
        session = Session(
            order, works, "2026-08-03", seconds=CELL_S, rig=rig, conditions={"window": window, "tier": tier}
        )
        recording = write_recording(book, plan, session, np.random.default_rng(seed + i), seed + i)
        MatrixCell.objects.create(matrix=sheet, window=window, tier=tier, rig=rig, recording=recording)


#: The search for neighbours by itself: ms a call on so many boats, in both versions of entry 1; every frame calls it once.
LAPPED = (10, 20, 40, 80, 160)
CALL_MS: dict[str, Callable[[int], float]] = {
    "all pairs": lambda boats: 0.02 + 0.0031 * boats**2,
    "by river cell": lambda boats: 0.35 + 0.048 * boats,
}
PROCESSES, SAMPLES = 5, 12


def write_laps(book: Book, user: Any, seed: int) -> None:
    rng = np.random.default_rng(seed)
    sides = [{"name": name, "files": [_process(name, number, rng) for number in range(PROCESSES)]} for name in CALL_MS]
    sheet = laps.keep(book, "find neighbours", {"before": sides[0], "after": sides[1]}, user)
    laps.join(sheet, 1, "", 1.0, 40.0)


def _process(version: str, number: int, rng: np.random.Generator) -> dict[str, str]:
    """A fresh start: its first samples are slow, and all of it a little quicker or slower as a whole."""
    own = float(np.exp(0.012 * rng.standard_normal()))
    rows = [json.dumps({"vigilant_laps": 1, "name": "find neighbours", "version": version})]
    for boats in LAPPED:
        repeats = max(1, 800 // boats)
        for sample in range(SAMPLES):
            warm = 1.0 + 0.4 * float(np.exp(-1.2 * sample)) if boats == LAPPED[0] else 1.0
            seconds = (
                repeats * CALL_MS[version](boats) * 1e-3 * own * warm * float(np.exp(0.015 * rng.standard_normal()))
            )
            rows.append(json.dumps([boats, repeats, round(seconds, 9), f"{boats * 7919 % 10007:x}"]))
    return {"name": f"{version} {number + 1}.jsonl", "text": "\n".join(rows) + "\n"}


#: What is believed of the festival: text, reason, rig and day it was found, and what tested it here: an entry or a sweep, and what came out.
RULES = (
    ("The river carries a hundred boats", "Counted on the first evening, when all of them were out.", "tall desk", "2026-03-02",
     SWEEPS[0].title, False, "The laptop carries 72 by the mean frame, and far fewer by the slowest 1 %."),
    ("Ripples are best made every second frame", "The grid moves slower than the river.", "tall desk", "2026-03-20",
     SWEEPS[1].title, True, "By the mean and by the slowest 1 %."),
    ("Sorting what is drawn front to back pays", "What is hidden is then never painted.", "tall desk", "2025-11-14",
     4, False, "Awnings hide little from the river."),
    ("Half precision halves what ripples cost", "The grid is read twice a frame, and memory is the limit.", "handheld", "2025-12-08",
     None, False, ""),
)  # fmt: skip


def write_rules(book: Book, user: Any, sweeps: Mapping[str, Recording]) -> None:
    for text, reason, rig, day, tested_by, holds, note in RULES:
        rule = rules.write(book, {"text": text, "reason": reason, "rig": rig, "said_on": date.fromisoformat(day)}, user)
        if tested_by is not None:
            by = {"entry": tested_by, "recording": None} if isinstance(tested_by, int) else {"entry": None, "recording": sweeps[tested_by].pk}  # fmt: skip
            rules.try_here(rule, {**by, "holds": holds, "note": note}, user)


def load(book: Book, user: Any) -> None:
    set_limits(book, user)
    write_screening(book, 4400)
    write_untangling(book, 4500)
    sweeps = {sweep.title: write_sweep(book, sweep, 4600 + 100 * i) for i, sweep in enumerate(SWEEPS)}
    write_rules(book, user, sweeps)
    write_mixture(book, 5000)
    write_trade(book, 5050)
    write_inventories(book, user)
    write_laps(book, user, 5100)
    write_calibration(book, user, 5150)
    write_matrix(book, user, 5200)
