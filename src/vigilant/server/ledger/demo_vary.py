"""What the demo book varies on purpose: features of the festival switched off one at a time."""

from __future__ import annotations

import numpy as np

from vigilant.core.schedule import draw_order
from vigilant.plan import EMPTY, ArmRef, with_arms
from vigilant.server.books.models import Book
from vigilant.server.runs.models import Recording

from .demo_book import AUTUMN, SEVERAL, TARGET_FPS, Session, write_recording

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


def load(book: Book) -> None:
    write_screening(book, 4400)
