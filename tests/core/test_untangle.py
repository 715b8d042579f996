"""Untangled: designs, effects, interactions, and credit that adds up."""

import numpy as np
import pytest

from core.test_cells import VARY
from vigilant.core.errors import InvalidComparison
from vigilant.core.vary.untangle import alike, configurations, passes_needed, untangled

CASE = VARY["untangle"]


def bits(row):
    return tuple(c == "1" for c in row)


@pytest.mark.parametrize("changes", range(2, 9))
def test_the_designs_are_those_of_the_specification(changes):
    told = VARY["designs"][str(changes)]
    assert configurations(changes) == [bits(row) for row in told["rows"]]
    groups = [group for group in alike(configurations(changes)) if len(group) > 1]
    assert sorted(groups) == sorted([tuple(pair) for pair in group] for group in told["aliases"])
    for effect in (1, 2):
        passes, runs = told[f"runs_needed_1pct_spread_{effect}pct_effect"]
        assert (passes_needed(changes, 0.01, effect / 100), passes * len(told["rows"])) == (passes, runs)


@pytest.mark.parametrize("changes", [0, 1, 9])
def test_one_change_and_nine_are_no_design(changes):
    with pytest.raises(InvalidComparison, match="from 2 to 8"):
        configurations(changes)


def given():
    values, slots = {}, {}
    for slot, (number, ms) in enumerate(zip(CASE["configuration_of_slot"], CASE["mean_ms"], strict=True)):
        config = (bool(number & 1), bool(number & 2))
        values.setdefault(config, []).append(ms)
        slots.setdefault(config, []).append(slot)
    return values, slots, len(CASE["mean_ms"])


def test_the_worked_case():
    found = untangled("mean_ms", *given())
    told = CASE["expect"]
    for effect in (*found.effects, *found.interactions):
        want = told["effects"][str(effect.changes)]
        assert (effect.ms.value, effect.ms.low, effect.ms.high) == pytest.approx(
            (want["ms"], want["low"], want["high"]), rel=1e-7
        )
        assert (100 * effect.share, effect.ms.p_value, effect.shown) == (
            pytest.approx(want["pct"], rel=1e-7),
            pytest.approx(want["p"], rel=1e-5),
            want["shown"],
        )
    credit = told["credit"]
    assert [c.value for c in found.credit] == pytest.approx(credit["credit"], rel=1e-7)
    assert [c.low for c in found.credit] == pytest.approx(credit["low"], rel=1e-7)
    assert (found.total.value, found.total.high - found.total.value, found.gap) == (pytest.approx(credit["total"], rel=1e-7), pytest.approx(credit["total_half"], rel=1e-6), None)  # fmt: skip


def session(rng, changes, passes, ms_of, spread=0.01):
    """Values and slots of a design whose configurations take ``ms_of`` them."""
    configs = configurations(changes)
    order = [config for _ in range(passes) for config in [configs[i] for i in rng.permutation(len(configs))]]
    values, slots = {}, {}
    for slot, config in enumerate(order):
        values.setdefault(config, []).append(ms_of(config) * float(np.exp(spread * rng.standard_normal())))
        slots.setdefault(config, []).append(slot)
    return values, slots, len(order)


@pytest.mark.parametrize("changes", [3, 4])
def test_credit_adds_up_whatever_interacts(changes):
    rng = np.random.default_rng(95)
    gain = [1.0, 0.4, 0.0, 0.2][:changes]

    def ms_of(config):
        both = 0.8 if config[0] and config[1] else 0.0  # the first makes the second superfluous
        three = 0.5 if all(config[:3]) else 0.0
        return 12.0 - float(np.dot(gain, config)) + both - three

    found = untangled("mean_ms", *session(rng, changes, 3, ms_of))
    assert sum(c.value for c in found.credit) == pytest.approx(found.total.value, abs=1e-9)
    assert found.credit[0].value == pytest.approx(-(1.0 - 0.4 + 0.5 / 3), abs=0.12)
    (pair,) = (e for e in found.interactions if e.changes == (0, 1))
    assert pair.shown
    assert pair.ms.value == pytest.approx(0.8 - 0.25, abs=0.2)
    assert found.whole


def test_more_than_four_are_told_if_no_three_interact():
    rng = np.random.default_rng(96)
    found = untangled(
        "mean_ms",
        *session(rng, 6, 2, lambda c: 12.0 - 0.6 * c[0] - 0.3 * c[4] - (0.9 if c[0] and c[1] and c[5] else 0.0)),
    )
    assert not found.whole
    assert found.gap is not None
    (group,) = (e for e in found.interactions if e.changes == (0, 4))
    assert group.also == ((1, 2), (3, 5))  # shown as a group: which of them it is cannot be told
    eight = untangled("mean_ms", *session(rng, 8, 2, lambda c: 12.0 - 0.6 * c[0]))
    assert eight.gap is None  # nothing by construction: it says nothing of three that interact
    assert eight.credit[0].value == pytest.approx(-0.6, abs=0.12)


def test_credit_is_covered_and_nothing_is_shown_of_no_change():
    rng = np.random.default_rng(97)
    held, false, trials = 0, 0, 150
    for _ in range(trials):
        found = untangled("mean_ms", *session(rng, 3, 2, lambda c: 12.0 - 0.5 * c[0]))
        held += found.credit[0].low <= -0.5 <= found.credit[0].high
        false += any(e.shown for e in found.effects[1:])
    assert held / trials > 0.9
    assert false / trials < 0.1


def test_a_configuration_without_a_run_is_named():
    values, slots, total = given()
    values[(True, False)] = []
    with pytest.raises(InvalidComparison, match="configuration 10 has no run"):
        untangled("mean_ms", values, slots, total)
