"""Recompute a verdict's mean frame, slowest 1 % and late share, with their intervals, from the frames beside this file.

It is meant to be read. It needs NumPy and SciPy, and nothing of the tool that wrote the bundle:

    python check.py            in the folder that the bundle was unpacked in

What it takes as given: which frames count (``counted`` in comparison.json), the timer's step, the level of the
intervals, and the design. ``vigilant verify`` finds these anew, and everything else, and checks the signature.
"""

from __future__ import annotations

import csv
import hashlib
import json
import math
import sys
from pathlib import Path
from typing import Any

import numpy as np
from scipy.special import expit, gammaln
from scipy.stats import t as student

HERE = Path(sys.argv[1]) if len(sys.argv) > 1 else Path(__file__).parent
#: Numbers agree where they differ by a smaller share.
AGREE = 1e-6


def frames_of(run: dict[str, Any]) -> Any:
    """The frame times of a run that count, in ms."""
    with (HERE / run["file"]).open(encoding="utf-8", newline="") as lines:
        next(lines)  # what the file says of itself
        rows = csv.DictReader(lines)
        frames = np.array([float(row["frame_ms"]) for row in rows])
    return np.concatenate([frames[a:b] for a, b in run["counted"]])


def expected_late(share: float, n: float) -> float:
    """Expectation of ln((c + 1/2) / (n - c + 1/2)), c Poisson with mean share x n, at most n."""
    mean = share * n
    c = np.arange(max(0.0, mean - 12 * math.sqrt(mean) - 30), mean + 12 * math.sqrt(mean) + 31)
    c = np.unique(np.floor(c))
    weight = np.exp(c * math.log(mean) - mean - gammaln(c + 1))
    capped = np.minimum(c, n)
    return float((weight * np.log((capped + 0.5) / (n - capped + 0.5))).sum() / weight.sum())


def position_terms(slots: Any, total: int, smaller: int, sessions: list[int] | None) -> Any:
    """1, u and u^2 of a run's place in the session, u from -1 to 1; with several sessions a 1 and a u for each."""
    if sessions is None or len(set(sessions)) == 1:
        u = 2 * slots / (total - 1) - 1
        return np.column_stack([np.ones(u.size), u] + ([u**2] if smaller >= 4 else []))
    of_slot, columns = np.array(sessions), []
    for session in dict.fromkeys(sessions):
        inside = of_slot[slots] == session
        if inside.any():
            first, last = np.flatnonzero(of_slot == session)[[0, -1]]
            u = 2 * (slots - first) / (last - first) - 1 if last > first else np.zeros(slots.size)
            columns += [inside * 1.0, inside * u]
    return np.column_stack(columns)


def effect(y: Any, floors: list[float], kb: int, slots: Any, total: int, sessions: Any, design: str) -> Any:
    """Difference of the arms on the scale of y, its standard error and degrees of freedom (docs/statistics.md)."""
    ka = y.size - kb
    k, few = np.array([kb, ka]), min(kb, ka)
    scarce = few in (2, 3) and max(kb, ka) > 2 * few
    if design == "order-unknown":  # Welch
        v = np.maximum([y[:kb].var(ddof=1), y[kb:].var(ddof=1)], floors) / k
        df = v.sum() ** 2 / (v**2 / (k - 1)).sum()
        return y[kb:].mean() - y[:kb].mean(), math.sqrt(v.sum()), min(df, few - 1) if scarce else df
    if design != "position":  # one run an arm, or arm and time cannot be told apart
        return y[kb:].mean() - y[:kb].mean(), None, None
    arm = np.repeat([0.0, 1.0], [kb, ka])
    x = np.column_stack([position_terms(slots, total, few, sessions), arm])
    hat = np.linalg.pinv(x)
    c, maker = hat[-1], np.eye(y.size) - x @ hat
    squares, free = (maker @ y) ** 2, y.size - x.shape[1]
    if kb == ka:
        s2 = max(squares.sum() / free, float(np.mean(floors)))
        return c @ y, math.sqrt(s2 * (c @ c)), free
    groups = (slice(0, kb), slice(kb, None))
    system = np.array([[(maker[g, h] ** 2).sum() for h in groups] for g in groups])
    own = np.array([np.trace(maker[g, g]) for g in groups])
    spread = np.linalg.lstsq(system, np.array([squares[g].sum() for g in groups]), rcond=None)[0]
    v = np.maximum(spread, floors) * np.array([(c[g] ** 2).sum() for g in groups])
    df = v.sum() ** 2 / (v**2 / own).sum()
    return c @ y, math.sqrt(v.sum()), min(df, max(1.0, own[0 if kb < ka else 1])) if scarce else df


def main() -> int:
    comparison = json.loads((HERE / "comparison.json").read_text(encoding="utf-8"))
    altered = [
        name
        for name, said in json.loads((HERE / "manifest.json").read_text(encoding="utf-8"))["files"].items()
        if hashlib.sha256((HERE / name).read_bytes()).hexdigest() != said["sha256"]
    ]
    for name in altered:
        print(f"{name} is not what the manifest says: it was altered")
    basis, result, after = comparison["basis"], comparison["result"], comparison["after"]
    policy, q = basis["policy"], result["timer_step_ms"]
    arms = [[frames_of(run) for run in comparison["arms"][name]] for name in ("before", after)]
    kb, runs = len(arms[0]), [*arms[0], *arms[1]]
    order = basis["order"] or []
    slots = np.array([i for name in ("before", after) for i, arm in enumerate(order) if arm == name])
    n = np.array([float(run.size) for run in runs])
    count = [math.ceil(run.size / 100) for run in runs]
    made = {
        "mean_ms": np.array([run.mean() for run in runs]),
        "slowest_1pct_ms": np.array([np.sort(run)[-m:].mean() for run, m in zip(runs, count, strict=True)]),
    }
    scales = {}
    for name, values in made.items():
        y = np.log(values)
        level = [math.exp(part.mean()) for part in (y[:kb], y[kb:])]
        scales[name] = (y, np.zeros(y.size), [max(0.0005, 0.05 * q / ms) ** 2 for ms in level], np.exp)
    if policy["target_fps"]:
        budget = 1000 / policy["target_fps"]
        limit = max((1 + policy["late_tolerance"]) * budget, budget + q)
        late = np.array([float((run > limit).sum()) for run in runs])
        share = late.sum() / n.sum()
        if share > 0:
            lean = np.array([expected_late(share, size) for size in n]) if np.ptp(n) > 0 else np.zeros(n.size)
            among = [float(part.mean()) for part in (n[:kb], n[kb:])]
            floors = [min(2.0, 1 / (share * m + 0.5) + 1 / (m - share * m + 0.5)) for m in among]
            scales["late_share"] = (np.log((late + 0.5) / (n - late + 0.5)), lean - lean.mean(), floors, expit)
    wrong = 0
    for name, (y, lean, floors, back) in scales.items():
        d, se, df = effect(y - lean, floors, kb, slots, len(order), basis["sessions"], result["design"])
        start = float(y[:kb].mean())
        found = {"before": float(back(start)), "after": float(back(start + d))}
        if se is not None:
            half = float(student.ppf(1 - result["alpha"] / 2, df)) * se
            found["ci_low"], found["ci_high"] = (float(back(start + d + s * half)) - found["before"] for s in (-1, 1))
        for key, value in found.items():
            said = result["figures"][name][key]
            same = said is not None and abs(value - said) <= AGREE * max(abs(value), abs(said), found["before"])
            wrong += not same
            print(f"{name:16} {key:8} {value: .9g}  {'as stated' if same else f'but {said} is stated'}")
    print("Not as stated." if wrong or altered else "All as stated.")
    return 1 if wrong or altered else 0


if __name__ == "__main__":
    sys.exit(main())
