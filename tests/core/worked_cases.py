"""The worked cases: inputs by a stated formula, results from an independent reading of the text."""

import json
from pathlib import Path

import numpy as np

from vigilant.core import FrameSeries, Mark, Policy

CASES = {c["name"]: c for c in json.loads((Path(__file__).parent / "known_answers.json").read_text())["cases"]}


def series(run: dict) -> FrameSeries:
    if "literal" in run:
        frame_ms = np.array(run["literal"], dtype=float)
    else:
        state, values = run["seed"], []
        for _ in range(run["n"]):
            state = (1103515245 * state + 12345) % 2147483648
            values.append(run["base"] + run["spread"] * (state / 2147483648 - 0.5))
        frame_ms = np.array(values)
        for index, add in run["spikes"]:
            frame_ms[index] += add
        if "tick" in run:
            stamps = np.floor(np.cumsum(frame_ms) / run["tick"]) * run["tick"]
            frame_ms = np.diff(np.concatenate(([0.0], stamps)))
    marks = [Mark(*m) for m in run.get("marks", [])]
    return FrameSeries(frame_ms, marks=marks, conditions=run.get("conditions", {}))


def policy(values: dict) -> Policy:
    return Policy(**values)
