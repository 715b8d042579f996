"""The worked cases of the specification, from an independent reading of it."""

import math

import pytest

from core.worked_cases import CASES, policy, series
from vigilant.core import compare, summarize

TOLERANCE = 1e-8


def same(got, expected):
    if got is None or expected is None:
        return got is None and expected is None
    return math.isclose(got, expected, rel_tol=TOLERANCE, abs_tol=1e-9)


@pytest.mark.parametrize("name", [n for n, c in CASES.items() if c["kind"] == "summarize"])
def test_one_run(name):
    case = CASES[name]
    got = summarize(series(case["run"]), policy(case["policy"]))
    for key, expected in case["expect"].items():
        value = getattr(got, key)
        assert tuple(expected) == value if isinstance(expected, list) else same(value, expected), key


#: Judged on blocks alone, one of its runs of 200 frames passes for uncapped; on every window it is found,
#: and the arm's period is the median of one run more.
ONE_MORE_CAPPED = "cap on both sides"
#: Checks that the worked cases were written without; their data do drift, and have odd runs.
LATER_CHECKS = {"drift", "odd-run", "warm-up-left-in", "timer-coarse", "rate-given-as-time"}


@pytest.mark.parametrize("name", [n for n, c in CASES.items() if c["kind"] == "compare"])
def test_two_arms(name):
    case = CASES[name]
    arms = ([series(run) for run in case[arm]] for arm in ("before", "after"))
    got = compare(*arms, policy(case["policy"]), case["order"])
    expect = case["expect"]
    assert got.verdict == expect["verdict"]
    assert list(got.reasons) == expect["reasons"]
    assert got.design == expect["design"]
    assert [f.code for f in got.findings if f.code not in LATER_CHECKS] == expect["findings"]
    if name == ONE_MORE_CAPPED:
        assert got.caps == pytest.approx(expect["caps"], rel=1e-4)
    else:
        assert all(same(a, b) for a, b in zip(got.caps, expect["caps"], strict=True))
    for figure, wanted in expect["figures"].items():
        result = got.figures[figure]
        for key, expected in wanted.items():
            value = getattr(result, key)
            assert value == expected if isinstance(expected, str) else same(value, expected), (figure, key)
