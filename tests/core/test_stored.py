"""A comparison as a document that lasts: there and back without a loss, sentences nowhere."""

import json

import numpy as np
import pytest

from core.generators import ordinary
from vigilant.core import FrameSeries, Mark, Policy, compare
from vigilant.core.stored import Unreadable, from_document, to_document


def _arm(rng, level, runs=5):
    made = []
    for _ in range(runs):
        x = ordinary(rng, 900, level)
        made.append(FrameSeries(x, counters={"boats": np.round(x * 4)}, marks=[Mark(0, "pier"), Mark(450, "bank")]))
    return made


CASES = {
    "a gain with work and a guard": lambda rng: compare(
        _arm(rng, 12), _arm(rng, 10), Policy(target_fps=60, witnesses=("boats",)), ["before", "after"] * 5
    ),
    "order unknown": lambda rng: compare(_arm(rng, 12), _arm(rng, 12)),
    "one run an arm": lambda rng: compare(_arm(rng, 12, 1), _arm(rng, 12, 1)),
    "no band": lambda rng: compare(_arm(rng, 12, 2), _arm(rng, 12, 2), None, ["before", "after", "after", "before"]),
    "void": lambda rng: compare([FrameSeries(np.full(900, 1000 / 60))] * 3, _arm(rng, 9, 3)),
}


def close(a, b):
    if isinstance(a, dict):
        assert a.keys() == b.keys()
        for key in a:
            close(a[key], b[key])
    elif isinstance(a, list) and a and isinstance(a[0], (dict, float)):
        for x, y in zip(a, b, strict=True):
            close(x, y)
    elif isinstance(a, float):
        assert a == pytest.approx(b, rel=1e-12, abs=1e-12)
    else:
        assert a == b


@pytest.mark.parametrize("case", CASES)
def test_there_and_back(case):
    made = CASES[case](np.random.default_rng(3))
    document = json.loads(json.dumps(to_document(made), allow_nan=False))
    back = from_document(document)
    close(json.loads(json.dumps(to_document(back))), document)
    assert back.figures == made.figures
    assert back.work == made.work
    assert (back.verdict, back.reasons, back.design, back.runs) == (made.verdict, made.reasons, made.design, made.runs)


def test_without_a_verdict_or_a_mean_frame_nothing_is_read():
    document = to_document(CASES["order unknown"](np.random.default_rng(3)))
    for key in ("verdict", "figures"):
        with pytest.raises(Unreadable):
            from_document({k: v for k, v in document.items() if k != key})
