"""What devices report: the worked cases, plain twins, and the rates of its intervals in little (the whole: script/timings --field)."""

import json
import math
from datetime import date, timedelta
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.special import expit, logit

from vigilant.core.errors import InvalidComparison, InvalidSeries
from vigilant.core.field import (
    BUCKETS,
    EDGES_MS,
    Bucket,
    Expected,
    Histogram,
    Rule,
    Share,
    Standing,
    Stratum,
    after_ratio,
    after_shift,
    class_of,
    compared,
    explicit,
    exponential,
    goes_with,
    histogram_of,
    labelled,
    left_early,
    merged,
    move,
    must_save,
    none_seen,
    packed,
    packed_each,
    percentile,
    pooled,
    quantile,
    ratio,
    ratio_over,
    session_variance,
    share,
    share_of_buckets,
    share_of_groups,
    share_of_sums,
    share_over,
    shift,
    shift_over,
    shortlist,
    shown,
    shrunk,
    split,
    unpacked,
    wilson,
)

CASES = json.loads((Path(__file__).parent / "field.json").read_text())
close = lambda value: pytest.approx(value, rel=2e-5)  # noqa: E731  (the cases have six digits)


# -- histograms


def test_the_worked_histogram():
    case = CASES["histogram"]
    found, told = histogram_of(np.array(case["given"]["frames_ms"])), case["gives"]
    assert {i: int(c) for i, c in enumerate(found.counts) if c} == {int(i): c for i, c in told["buckets"].items()}
    for name in ("p50", "p95", "p99"):
        read = quantile(found, int(name[1:]) / 100)
        assert [read.value, read.low, read.high] == close(told[name])
    over = share_over(found, case["given"]["edge_ms"])
    assert [over.low, over.value, over.high] == close(told["share_over"])


@given(st.lists(st.floats(1e-3, 5e4), min_size=1, max_size=60), st.floats(0.01, 1.0))
def test_what_is_read_off_a_histogram_lies_within_its_bucket(frames, p):
    x = np.sort(np.array(frames))
    found = histogram_of(x)
    assert (found.frames, found.sum_ms, found.max_ms) == (x.size, pytest.approx(x.sum()), x[-1])
    read = quantile(found, p)
    exact = x[max(0, math.ceil(p * x.size - 1e-9) - 1)]
    assert read.low * (1 - 1e-12) <= exact <= read.high * (1 + 1e-12)
    assert read.low <= read.value <= read.high * (1 + 1e-12)
    for limit in (x[0] * 0.999, float(np.median(x)), x[-1] * 1.001):
        over = share_over(found, limit)
        assert over.low - 1e-12 <= float((x > limit).mean()) <= over.high + 1e-12
        assert over.low <= over.value <= over.high


def test_edges_hold_their_upper_end_and_histograms_add():
    edges = EDGES_MS[:-1]
    assert np.array_equal(histogram_of(edges).counts[:-1], np.ones(BUCKETS - 1))
    assert histogram_of(edges * (1 + 1e-12)).counts[0] == 0
    a, b = histogram_of(np.array([1.0, 20.0])), histogram_of(np.array([20.0, 2000.0]))
    both = a + b
    assert np.array_equal(both.counts, histogram_of(np.array([1.0, 20.0, 20.0, 2000.0])).counts)
    assert (both.sum_ms, both.max_ms) == (2041.0, 2000.0)


@given(st.dictionaries(st.integers(0, BUCKETS - 1), st.integers(1, 2**32 - 1), max_size=40))
def test_a_histogram_survives_the_wire(used):
    counts = np.zeros(BUCKETS, dtype=np.int64)
    for i, count in used.items():
        counts[i] = count
    assert packed(counts) == b"".join(_plain(n) for pair in _pairs(used) for n in pair)
    assert np.array_equal(unpacked(packed(counts)), counts)


def _pairs(used):
    at = -1
    for i in sorted(used):
        yield i - at - 1, used[i]
        at = i


def _plain(number):
    """Seven bits a byte, the lowest first; every byte but the last has the highest bit."""
    return bytes([number]) if number < 0x80 else bytes([number & 0x7F | 0x80]) + _plain(number >> 7)


@given(st.lists(st.lists(st.sampled_from([0, 0, 1, 200, 2**32 - 1]), min_size=BUCKETS, max_size=BUCKETS), max_size=4))
def test_several_histograms_are_packed_each_as_alone(rows):
    counts = np.array(rows, dtype=np.int64).reshape(-1, BUCKETS)
    assert packed_each(counts) == [packed(row) for row in counts]


def test_a_usual_histogram_is_small_on_the_wire():
    x = 12.0 * np.exp(0.25 * np.random.default_rng(1).standard_normal(8000))
    assert len(packed(histogram_of(x).counts)) <= 120


@pytest.mark.parametrize(
    "sent",
    [
        b"\x00",
        b"\x80",
        b"\x00\x00",
        b"\xa2\x01\x01",
        b"\x00\xff\xff\xff\xff\xff\x01",
        b"\x00\x01\x00\xff\xff\xff\xff\x1f",
    ],
)
def test_bytes_that_are_no_histogram_are_refused(sent):
    with pytest.raises(InvalidSeries):
        unpacked(sent)


def test_what_is_no_frame_time_is_refused():
    for bad in ([0.0], [-1.0], [math.nan], [math.inf]):
        with pytest.raises(InvalidSeries):
            histogram_of(np.array(bad))
    nothing = histogram_of(np.array([]))
    for read in (lambda: quantile(nothing, 0.5), lambda: share_over(nothing, 10.0), lambda: Histogram(np.zeros(5), 0, 0)):  # fmt: skip
        with pytest.raises(InvalidSeries):
            read()


def test_histograms_of_others_stay_in_their_own_bounds():
    one = explicit([10.0, 20.0], [3, 2, 1])
    assert one == (Bucket(0.0, 10.0, 3), Bucket(10.0, 20.0, 2), Bucket(20.0, math.inf, 1))
    both = merged([*one, *explicit([10.0, 25.0], [1, 1, 1])])
    assert [(b.low_ms, b.high_ms, b.count) for b in both] == [(0.0, 10.0, 4), (10.0, 20.0, 2), (10.0, 25.0, 1), (20.0, math.inf, 1), (25.0, math.inf, 1)]  # fmt: skip
    over = share_of_buckets(both, 20.0)
    assert (over.low, over.high) == (2 / 9, 3 / 9)
    for bad in (([10.0], [1]), ([10.0, 10.0], [1, 1, 1]), ([-1.0], [1, 1]), ([10.0], [1, -1])):
        with pytest.raises(InvalidSeries):
            explicit(*bad)


@pytest.mark.parametrize("scale", [4, 5, 7])
def test_a_fine_exponential_histogram_in_ms_folds_into_ours_exactly(scale):
    x = np.random.default_rng(2).uniform(0.2, 900.0, 500)
    base = 2.0 ** (2.0**-scale)
    i = np.ceil(np.log(x) / np.log(base)).astype(int) - 1
    counts = np.bincount(i - i.min())
    folded = exponential(scale, int(i.min()), counts)
    assert np.array_equal(folded.counts, histogram_of(x).counts)


def test_a_coarse_exponential_histogram_and_one_in_seconds_are_kept_as_they_are():
    assert exponential(0, 3, [2, 0, 1], zero=4) == (Bucket(0.0, 0.0, 4), Bucket(8.0, 16.0, 2), Bucket(32.0, 64.0, 1))
    seconds = exponential(5, -40, [7], unit_ms=1000.0)
    assert seconds[0].low_ms == pytest.approx(1000.0 * 2.0 ** (-40 / 32))
    for bad in ((40, 0, [1]), (4, 0, [-1]), (4, 2**40, [1])):
        with pytest.raises(InvalidSeries):
            exponential(*bad)


# -- intervals of a group


def test_the_worked_late_share():
    case = CASES["late_share"]
    found, told = share(**case["given"]), case["gives"]
    assert (found.p, found.low, found.high, found.effective, found.df, found.se) == close(tuple(told[k] for k in ("p", "low", "high", "eff", "df", "se")))  # fmt: skip


def fleet(rng, sessions, p=0.02, apart=1.0):
    """Sessions of one group: half of them clean, the others unlike; lengths are lognormal."""
    frames = np.maximum(50, np.round(np.exp(9 + rng.standard_normal(sessions)))).astype(int)
    shares = np.where(rng.random(sessions) < 0.5, 0.0, expit(logit(2 * p) + apart * rng.standard_normal(sessions)))
    return rng.binomial(frames, shares), frames


def test_a_late_share_holds_where_frames_of_a_session_hang_together():
    rng = np.random.default_rng(3)
    true = np.array([c.sum() / n.sum() for c, n in (fleet(rng, 4000) for _ in range(20))]).mean()
    held = naive = 0
    for _ in range(120):
        c, n = fleet(rng, 60)
        found = share(c, n)
        held += found.low is not None and found.low <= true <= found.high
        half = 1.96 * math.sqrt(found.p * (1 - found.p) / n.sum())
        naive += found.p - half <= true <= found.p + half
    assert held >= 0.88 * 120
    assert naive < 0.2 * 120  # frames taken for independent


def test_groups_of_installations_tell_nearly_the_same_as_sessions():
    rng = np.random.default_rng(4)
    c, n = fleet(rng, 3000)
    group = rng.integers(0, 32, 3000)
    by_group = share_of_groups(np.bincount(group, c, 32), np.bincount(group, n, 32))
    by_session = share(c, n)
    assert by_group.p == pytest.approx(by_session.p)
    assert by_group.se == pytest.approx(by_session.se, rel=0.4)
    assert by_group.low < by_session.p < by_group.high
    with pytest.raises(InvalidComparison):
        share_of_groups([1.0] * 7 + [0.0] * 25, [10.0] * 7 + [0.0] * 25)


def test_nothing_late_has_no_interval_of_frames_and_one_of_sessions():
    found = share([0, 0, 0], [100, 200, 300])
    assert (found.p, found.low, found.high) == (0.0, None, None)
    assert none_seen(60.0) == 0.05
    assert (wilson(0, 30).low, round(wilson(3, 30).value, 2)) == (0.0, 0.1)
    for bad in (([1], [10]), ([1, 20], [10, 10]), ([0, 0], [10, 0]), ([0, -1], [5, 5])):
        with pytest.raises(InvalidComparison):
            share(*bad)


def test_a_percentile_lies_between_edges_that_hold_it():
    rng = np.random.default_rng(5)
    counts = [histogram_of(12.0 * np.exp(0.2 * rng.standard_normal() + 0.1 * rng.standard_normal(400))).counts for _ in range(80)]  # fmt: skip
    low, high = percentile(counts, 0.5)
    assert low < 12.0 <= high
    assert high / low < 1.3


@pytest.mark.parametrize(("sessions", "installations", "p", "said"), [
    (49, 49, None, "fewer than 50"), (50, 19, None, "fewer than 20 installations"), (50, 20, None, ""), (99, 30, 0.99, "the tail needs more sessions"),
    (99, 30, 0.95, ""), (100, 30, 0.99, ""),
])  # fmt: skip
def test_what_is_shown_depends_on_numbers_alone(sessions, installations, p, said):
    assert shown(sessions, installations, p) == said


# -- like with like


def test_the_worked_comparison():
    case, told = CASES["standardised"]["given"], CASES["standardised"]["gives"]
    sides = [{name: tuple(own) for name, own in case[side].items()} for side in ("before", "after")]
    found = compared(*sides, least=case["least"])
    for one, gives in ((found.crude, told["crude"]), (found.alike, told["standardised"])):
        assert [one.before, one.after, one.d, one.low, one.high, one.p, one.df] == close([gives[k] for k in ("before", "after", "d", "low", "high", "p", "df")])  # fmt: skip
    assert (found.covered, found.mix_shift, found.findings) == (close(told["covered"]), close(told["mix_shift"]), ("mix-moved",))  # fmt: skip
    assert (found.crude.call(), found.call()) == ("unclear", "unclear")


def test_a_mix_that_moves_is_no_change_like_with_like():
    rng = np.random.default_rng(6)
    before = {"slim": fleet(rng, 400, 0.002), "hand": fleet(rng, 100, 0.05)}
    after = {"slim": fleet(rng, 100, 0.002), "hand": fleet(rng, 400, 0.05)}
    found = compared(before, after)
    assert found.crude.call() == "higher"
    assert found.call() in ("alike", "unclear")
    assert "mix-moved" in found.findings
    apart = compared({"slim": before["slim"]}, {"hand": after["hand"]})
    assert (apart.alike, apart.covered, apart.call(), apart.findings) == (None, 0.0, "", ("mix-uncovered",))
    worse = compared(before, {"slim": fleet(rng, 400, 0.02), "hand": fleet(rng, 100, 0.2)})
    assert worse.call() == "higher"
    with pytest.raises(InvalidComparison):
        compared({}, before)


# -- left early, labels


def test_the_worked_ratio_of_leaving():
    found = left_early([Stratum(*row) for row in CASES["left_early"]["given"]["strata_a_b_A_B"]])
    told = CASES["left_early"]["gives"]
    assert [found.ratio, found.low, found.high, found.p, found.pairs] == close([told[k] for k in ("ratio", "low", "high", "p", "pairs")])  # fmt: skip
    assert not found.few
    few = left_early([Stratum(4, 3, 400, 400)])
    assert (few.ratio, few.few) == (None, True)
    with pytest.raises(InvalidComparison):
        left_early([Stratum(-1, 3, 4, 4)])


def test_what_rises_by_itself_is_taken_out_of_leaving():
    """Bursts grow more frequent with time: exposed now is likelier than exposed before, whether or not the session ends."""
    rng = np.random.default_rng(7)
    others = 4000
    exposed_now = rng.random(others) < 0.12
    exposed_then = rng.random(others) < 0.06
    a = b = 0
    for _ in range(600):  # endings that have nothing to do with it
        now, then = rng.random() < 0.12, rng.random() < 0.06
        a, b = a + (now and not then), b + (then and not now)
    found = left_early(
        [Stratum(a, b, float((exposed_now & ~exposed_then).sum()), float((exposed_then & ~exposed_now).sum()))]
    )
    assert found.low < 1.0 < found.high


def test_the_worked_labels():
    case, told = CASES["labels"]["given"], CASES["labels"]["gives"]
    found = labelled({int(key): tuple(own) for key, own in case["sets"].items()}, case["labels"])
    for key, gives in told["sets"].items():
        own = found.sets[int(key)]
        assert [own.play, own.late, own.share, own.excess] == close([gives[k] for k in ("seconds", "late", "share", "excess")])  # fmt: skip
    for key, gives in told["labels"].items():
        one = found.labels[int(key)]
        assert [one.only, one.shared, one.play] == close([gives[k] for k in ("only", "shared", "seconds")])
    assert found.unlabelled == close(told["unlabelled"])
    assert sum(own.late for own in found.sets.values()) == pytest.approx(1.0)
    without = labelled({1: (10.0, 100, 5), 3: (10.0, 100, 5)}, 2)
    assert {own.excess for own in without.sets.values()} == {None}
    for sets, labels in (({9: (1.0, 1, 0)}, 2), ({0: (1.0, 1, 2)}, 1), ({0: (1.0, 1, 0)}, 9)):
        with pytest.raises(InvalidComparison):
            labelled(sets, labels)


def labelled_sessions(rng, sessions, effect=0.0):
    """A label that is commoner in the market, where more frames are late anyway."""
    made = []
    for _ in range(sessions):
        bad = np.exp(0.6 * rng.standard_normal())
        cells = {}
        for place, p, commoner in (("river", 0.005, 0.1), ("market", 0.05, 0.6)):
            n1, n0 = rng.poisson(3000 * commoner), rng.poisson(3000 * (1 - commoner))
            rate = min(0.5, p * bad)
            cells[place] = (rng.binomial(n1, min(0.9, rate + effect)), n1, rng.binomial(n0, rate), n0)
        made.append(cells)
    return made


def test_a_label_that_is_only_commoner_in_a_bad_place_goes_with_nothing():
    rng = np.random.default_rng(8)
    false = 0
    for _ in range(40):
        made = labelled_sessions(rng, 60)
        found = goes_with(made)
        crude = goes_with([{"all": tuple(np.sum(list(cells.values()), axis=0))} for cells in made])
        assert crude.p < 0.05
        false += found.p < 0.05
        assert found.told
    assert false <= 7
    held = goes_with(labelled_sessions(rng, 200, effect=0.01))
    assert held.low < 0.01 < held.high
    assert held.p < 0.05
    assert goes_with([{"river": (1, 10, 0, 0)}, {"river": (1, 10, 0, 0)}]) is None
    part = goes_with([{"river": (1, 10, 1, 10), "market": (5, 90, 0, 0)}] * 3)
    assert (part.told, part.used) == (False, pytest.approx(0.1))


# -- borrow


def test_the_worked_shortlist():
    case, told = CASES["shortlist"]["given"], CASES["shortlist"]["gives"]
    found = shrunk(case["late"], case["frames"], case["squares"], case["session_variance"])
    assert found.y.tolist() == close(told["y"])
    assert found.v.tolist() == close(told["v"])
    centre, between, mean, variance = told["shrunk"]
    assert (found.centre, found.between) == close((centre, between))
    assert found.mean.tolist() == close(mean)
    assert found.variance.tolist() == close(variance)
    listed = shortlist(found, case["frames"], case["limit"])
    assert [one.score for one in sorted(listed, key=lambda one: one.model)] == close(told["score"])
    assert [one.model for one in listed] == told["order"]  # 60 frames with 3 late do not lead
    assert listed[-1].cumulated == pytest.approx(1.0)
    assert all(one.low < one.p < one.high for one in listed)


def test_models_that_are_few_do_not_lead_and_those_that_tell_say_what_sessions_differ_by():
    rng = np.random.default_rng(9)
    models = []
    for _ in range(8):
        c, n = fleet(rng, 80, 0.02, 1.0)
        models.append((share(c, n), float(c.sum()), float(n.sum()), float((n.astype(float) ** 2).sum())))
    assert 0.3 < session_variance(models) < 30
    assert session_variance(models[:4]) == 2.0
    found = shrunk([3, 900], [60, 30_000], [3600.0, 3e7])
    assert [one.model for one in shortlist(found, [60, 30_000], 0.01)] == [1, 0]
    for bad in (([], [], []), ([5], [4], [16.0])):
        with pytest.raises(InvalidComparison):
            shrunk(*bad)


def test_models_together_are_pooled_as_paule_and_mandel_do():
    rng = np.random.default_rng(10)
    v = rng.uniform(0.01, 0.2, 400)
    y = 0.5 + 0.7 * rng.standard_normal(400) + np.sqrt(v) * rng.standard_normal(400)
    found = pooled(y, v)
    w = 1 / (v + found.between)
    assert float((w * (y - found.mean) ** 2).sum()) == pytest.approx(399.0)
    assert found.between == pytest.approx(0.49, rel=0.2)
    assert abs(found.mean - 0.5) < 4 * found.se
    assert pooled(np.full(5, 1.0), np.ones(5)).between == 0.0


# -- tiers


def of(p, se=0.1, sessions=60):
    return Share(p, float(expit(logit(p) - 2 * se)), float(expit(logit(p) + 2 * se)), (se * p * (1 - p)) ** 2, 40.0, 50.0, sessions)  # fmt: skip


def test_a_shift_over_models_seen_at_both_tiers_holds_for_another_model():
    rng = np.random.default_rng(11)
    held = 0
    for _ in range(60):
        base = logit(0.05) + 0.8 * rng.standard_normal(21)
        step = -1.0 + 0.3 * rng.standard_normal(21)
        before = [of(float(expit(x + 0.1 * rng.standard_normal()))) for x in base]
        after = [of(float(expit(x + s + 0.1 * rng.standard_normal()))) for x, s in zip(base, step, strict=True)]
        moved = shift(before[:20], after[:20])
        found = after_shift(before[20], moved)
        held += found.low <= float(expit(base[20] + step[20])) <= found.high
    assert held >= 52
    assert shift(before[:7], after[:7]) is None
    assert shift([of(0.05, sessions=19)] * 20, [of(0.02)] * 20) is None
    assert after_shift(share([0, 0], [10, 10]), moved) is None


def test_own_work_times_scaled_say_what_a_step_does():
    rng = np.random.default_rng(12)
    b = rng.uniform(8.0, 20.0, 14)
    found = ratio(b, b * 0.7 * np.exp(0.03 * rng.standard_normal(14)))
    assert found.low < 0.7 < found.high
    x = 14.0 * np.exp(0.25 * rng.standard_normal(20_000))
    now = histogram_of(x)
    expected = after_ratio(now, of(float((x > 16.7).mean())), found, 16.7)
    true = float((0.7 * x > 16.7).mean())
    assert (expected.low < true < expected.high, expected.basis) == (True, "scaled")
    outside = after_ratio(histogram_of(x * 3), of(0.9), found, 16.7)
    assert outside.basis == "extrapolated"
    assert ratio(b[:7], b[:7]) is None
    with pytest.raises(InvalidComparison):
        ratio([1.0], [0.0])


def test_steps_one_after_another_hold_what_models_that_stay_unusual_do():
    """Held-out models that differ at the second step much as they did at the first."""
    rng = np.random.default_rng(13)
    kept, kept_shift = 0, 0
    for _ in range(100):
        unusual = rng.standard_normal((21, 1))
        logs = np.array([-0.3, -0.2]) + 0.04 * (0.9 * unusual + 0.44 * rng.standard_normal((21, 2)))
        a = rng.uniform(8.0, 20.0, 21)
        b, c = a * np.exp(logs[:, 0]), a * np.exp(logs.sum(axis=1))
        both = ratio_over([ratio(a[:20], b[:20]), ratio(b[:20], c[:20])])
        kept += both.low <= c[20] / a[20] <= both.high
        moved = np.array([-1.0, -0.8]) + 0.3 * (0.9 * unusual + 0.44 * rng.standard_normal((21, 2)))
        at = np.cumsum(np.hstack([logit(0.1) + 0.5 * rng.standard_normal((21, 1)), moved]), axis=1)
        shares = [[of(float(expit(x))) for x in at[:, i]] for i in range(3)]
        way = shift_over([shift(shares[0][:20], shares[1][:20]), shift(shares[1][:20], shares[2][:20])])
        found = after_shift(shares[0][20], way)
        kept_shift += found.low <= float(expit(at[20, 2])) <= found.high
    assert kept >= 90
    assert kept_shift >= 90
    one = ratio(a[:20], b[:20])
    assert ratio_over([one]) == one


TODAY = date(2026, 9, 30)


def stands(p=0.05, low=0.04, days=20, down=(0.01, 0.02), up=(0.02, 0.05), **more):
    def made(ends, basis="scaled"):
        return None if ends is None else Expected(sum(ends) / 2, *ends, basis)

    now = Share(p, low, 2 * p, 1e-6, 30.0, 40.0, 200)
    return Standing(now, days, made(down), made(up), **more)


@pytest.mark.parametrize(("standing", "said"), [
    (stands(), "down"), (stands(days=13), "stay"), (stands(down=(0.01, 0.06)), "the tier is not what makes it late"), (stands(down=None), "stay"),
    (stands(moved_on=TODAY - timedelta(days=13)), "stay"), (stands(moved_on=TODAY - timedelta(days=14)), "down"),
    (stands(p=0.001, low=0.0005, up=(0.001, 0.0049)), "up"), (stands(p=0.001, low=0.0005, up=(0.001, 0.0051)), "stay"),
    (stands(p=0.006, low=0.0005, up=(0.001, 0.004), came_down_from=0.01), "stay"), (stands(p=0.004, low=0.0005, up=(0.001, 0.004), came_down_from=0.01), "up"),
])  # fmt: skip
def test_a_class_moves_where_it_surely_helps_and_seldom(standing, said):
    assert move(standing, 0.01, TODAY) == said


def test_what_is_extrapolated_moves_nothing():
    down = Expected(0.01, 0.005, 0.02, "extrapolated")
    assert move(Standing(stands().now, 20, down, None), 0.01, TODAY) == "stay"
    up = Expected(0.001, 0.0005, 0.002, "extrapolated")
    assert move(Standing(Share(0.001, 0.0, 0.002, 1e-6, 30.0, 40.0, 200), 0, None, up), 0.01, TODAY) == "stay"


def test_two_kinds_in_one_tier_are_told_from_one_and_from_a_skewed_one():
    rng = np.random.default_rng(13)
    v, play = rng.uniform(0.02, 0.2, 80), rng.uniform(0.5, 2.0, 80)
    advised = {"one": 0, "two": 0}
    for _ in range(8):
        one = -4 + 0.7 * rng.standard_normal(80)
        two = np.where(rng.random(80) < 0.6, -5.0, -2.5) + 0.4 * rng.standard_normal(80)
        for name, centre in (("one", one), ("two", two)):
            found = split(centre + np.sqrt(v) * rng.standard_normal(80), v, play)
            advised[name] += found.advised
    assert advised["one"] == 0
    assert advised["two"] >= 7
    cut = split(np.array([-5.0, -5.1, -2.0, -2.1]), np.full(4, 0.01), np.ones(4))
    assert (cut.below, round(math.log(cut.odds), 1)) == (2, 3.0)
    assert split(np.array([-5.0, -2.0]), np.ones(2), np.array([1.0, 50.0])) is None


def test_sums_over_sessions_tell_the_share_that_the_sessions_do_where_they_are_alike():
    rng = np.random.default_rng(14)
    n = np.full(60, 4000.0)
    c = np.round(n * 0.02 * rng.lognormal(0.0, 0.8, 60))
    whole = share(c, n)
    summed = share_of_sums(c.sum(), n.sum(), (n**2).sum(), (n * c).sum(), (c**2).sum(), 60)
    assert summed.p == whole.p
    assert summed.se == pytest.approx(whole.se, rel=0.03)
    assert (summed.low, summed.high) == pytest.approx((whole.low, whole.high), rel=0.15)
    assert share_of_sums(0, 100, 5000, 0, 0, 2).low is None
    for wrong in ((5, 4, 16, 20, 25, 2), (1, 4, 16, 4, 1, 1), (0, 0, 0, 0, 0, 3)):
        with pytest.raises(InvalidComparison):
            share_of_sums(*wrong)


def test_what_a_further_tier_would_have_to_save_is_what_brings_it_to_the_goal():
    x = 20.0 * np.exp(0.2 * np.random.default_rng(15).standard_normal(50_000))
    times = must_save(histogram_of(x), 17.5, 0.02)
    assert 0.5 < times < 0.65
    assert float((x * times > 17.5).mean()) == pytest.approx(0.02, abs=0.002)
    assert must_save(histogram_of(x / 4), 17.5, 0.02) > 2
    assert must_save(histogram_of(np.full(10, 900.0)), 17.5, 0.02) is None


@pytest.mark.parametrize(("device", "named"), [
    (("Reed 5", "Heron 2", 4.0, "handheld"), "small"), (("reed 9", None, 8.0, None), "reeds"), (("Willow", "heron 2", 16.0, None), "herons"),
    (("Willow", "heron 3", 16.0, None), "other"), (("Willow", None, None, "desk"), "desk"), (("Willow", None, 5.99, None), "small"), (("Willow", None, 6.0, None), "other"),
    (("Rush", "Heron 2", None, None), "herons"),
])  # fmt: skip
def test_a_class_is_the_first_rule_that_fits_all_it_states(device, named):
    rules = [
        Rule("small", memory_from_gib=1, memory_below_gib=6),
        Rule("reeds", models=("Reed *",)),
        Rule("herons", graphics=("HERON 2", "x")),
    ]
    model, graphics, memory, kind = device
    assert class_of(rules, model, graphics, memory, kind) == named


def test_classes_that_are_named_stand_for_those_with_sessions_enough():
    sides = {"a": ([1.0] * 8, [100.0] * 8), "b": ([9.0] * 8, [100.0] * 8)}
    assert compared(sides, sides).alike is None
    found = compared(sides, sides, of={"a"})
    assert (found.covered, found.alike.before) == (0.5, pytest.approx(0.01))
