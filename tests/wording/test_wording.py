"""Sentences: one formatter, digits by the interval, and only what is true."""

import re
from dataclasses import asdict

import numpy as np
import pytest
from core.generators import PAIRS, POLICY, arm
from core.traps import TRAPS, judged
from hypothesis import given
from hypothesis import strategies as st

from vigilant.core import FIGURES, FrameSeries, Policy, compare, summarize
from vigilant.wording import (  # fmt: skip
    FIGURE_TEXTS,
    STAMPS,
    amount,
    figure_change,
    finding_remedy,
    finding_sentence,
    mean_change,
    verdict_sentence,
)
from vigilant.wording.report import comparison_document
from vigilant.wording.run import run_rows


@given(st.floats(1, 100), st.floats(1, 100))
def test_time_and_rate_agree(before, after):
    text = mean_change(before, after, 4)
    found = re.findall(r"([+-]?)([\d,.]+) % (time|rate)", text)
    if found:
        time, rate = (float(s + v.replace(",", "")) for s, v, _ in found)
        assert abs((1 + time / 100) * (1 + rate / 100) - 1) < 0.02 + 0.006 * (1 + abs(rate) / 100)


def test_every_figure_has_its_words():
    assert set(FIGURE_TEXTS) == set(FIGURES)
    assert all(t.definition.endswith(".") for t in FIGURE_TEXTS.values())


@pytest.mark.parametrize("name", TRAPS)
def test_every_trap_gets_a_true_sentence(name):
    got = judged(name)
    sentence = verdict_sentence(got)
    assert "{" not in sentence
    assert "None" not in sentence
    assert ("if the runs were interleaved" in sentence) == (got.design == "order-unknown")
    assert ("More than the margin" in sentence) == (got.verdict in ("gain", "regression"))
    assert got.verdict in STAMPS
    for finding in got.findings:
        assert finding_sentence(finding).endswith(".")
        assert finding_remedy(finding).endswith(".")
    for result in got.figures.values():
        assert figure_change(result, 60)
        row = amount(result)
        better = (result.difference > 0) == result.higher_is_better
        assert row.column in ("", "saved" if better else "spent")


def test_a_gain_states_time_rate_and_budget():
    rng = np.random.default_rng(5)
    sentence = verdict_sentence(compare(arm(rng, 5), arm(rng, 5, level_ms=10.0), POLICY, PAIRS))
    assert re.match(r"A frame takes [\d.]+ ms less \(95 % interval [\d.]+ to [\d.]+\): -", sentence)
    assert "% of the budget" in sentence


@pytest.mark.parametrize("stored", [False, True])
def test_regular_pauses_stand_beside_the_stutters_of_a_run(stored):
    x = np.full(1200, 12.0) + np.random.default_rng(1).normal(0, 0.1, 1200)
    x[50::100] += 30.0
    summary = summarize(FrameSeries(x))
    values = {**summary.__dict__, "regular": asdict(summary.regular)} if stored else summary.__dict__
    (row,) = [r for r in run_rows(values) if r["name"] == "stutters_per_min"]
    assert row["note"] == "12 in all, every 100 frames in 100 % of gaps"


@pytest.mark.parametrize(
    ("after_ms", "said"),
    [
        (10.0, "Worse: memory_mb: 8"),
        (12.0, "A guard got worse. memory_mb: 8"),
    ],
)
def test_a_guard_that_got_worse_is_said_with_its_size(after_ms, said):
    rng = np.random.default_rng(3)
    sides = [
        [FrameSeries(r.frame_ms, figures={"memory_mb": mb * (1 + 0.004 * i)}) for i, r in enumerate(arm(rng, 5, level_ms=ms, pauses_per_1000=0, run_spread=0.003))]
        for ms, mb in ((12.0, 400.0), (after_ms, 480.0))
    ]  # fmt: skip
    got = compare(*sides, Policy(primaries=["mean_ms"], guards=["memory_mb"]), PAIRS)
    assert said in verdict_sentence(got)
    assert "80.5 more (+20.0 %, from 403.2 to 483.6)" in verdict_sentence(got)
    document = comparison_document(got)
    assert document["guards"]["memory_mb"]["words"]["column"] == "spent"
    assert any("Guards, one-sided" in line for line in document["method"])
