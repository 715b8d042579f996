"""Accounts in words: hunts, untangled changes, mixtures, trades, chains, allowances and single frames."""

from types import SimpleNamespace

import numpy as np
import pytest

from vigilant.core import Remainder
from vigilant.core.trend import Where
from vigilant.core.work.budget import PartBudget
from vigilant.wording import budget, chain, hunt, in_one_run, mixture, one_frame, trade, untangled
from wording.made import contrast, result

# -- the hunt

BUILDS = [f"b{i}" for i in range(7)]


def where(posterior, why="", fits=True):
    return Where(np.array(posterior), None, why, fits)


@pytest.mark.parametrize(
    ("found", "change", "said"),
    [
        (
            where([0.01, 0.01, 0.96, 0.01, 0.005, 0.005], "certain"),
            0.042,
            "It begins with b3 (+4.2 % between the ends): 96.0 % certain after 22 runs.",
        ),
        (
            where([0, 0, 1.0, 0, 0, 0], "certain"),
            None,
            "It begins with b3: 99.9 % certain after 22 runs.",
        ),
        (
            where([0.0, 0.5, 0.5, 0.0, 0.0, 0.0], "certain"),
            0.042,
            "It begins between b2 and b3 (+4.2 % between the ends): 2 builds hold 95 % after 22 runs.",
        ),
        (
            where([0.1, 0.3, 0.3, 0.3, 0.0, 0.0], "the runs are spent"),
            -0.042,
            "It begins between b1 and b4 (-4.2 % between the ends): 4 builds hold 95 % after 22 runs.",
        ),
        (
            where([1 / 6] * 6, "not reproduced"),
            0.0012,
            "Not reproduced: after 22 runs b6 cannot be told from b0 (+0.12 %), so that there is no step to look for.",
        ),
        (
            where([1 / 6] * 6, "not reproduced"),
            None,
            "Not reproduced: after 22 runs b6 cannot be told from b0 (0.00 %), so that there is no step to look for.",
        ),
    ],
)
def test_a_hunt_says_where_it_begins_and_how_sure_that_is(found, change, said):
    assert hunt.sentence(found, BUILDS, change, 22) == said


def test_what_a_hunt_could_not_do_is_noted():
    assert hunt.notes(where([1.0]), []) == []
    assert hunt.notes(where([1.0], fits=False), ["b2", "b5"]) == [
        "One step fits the recorded builds badly: more than one change may lie between.",
        "Could not be recorded, and left out: b2, b5.",
    ]


def test_the_chances_stand_in_a_strip_however_many_builds_there_are():
    assert hunt.strip(where([0.001, 0.5, 0.25, 0.249])) == "·█▄▄"
    long = np.zeros(150)
    long[100] = 1.0
    strip = hunt.strip(where(long))
    assert len(strip) == 50
    assert strip.index("█") == 100 // 3
    assert set(strip) == {"·", "█"}
    assert len(hunt.strip(where(np.full(hunt.STRIP, 1 / hunt.STRIP)))) == hunt.STRIP


# -- changes untangled


def effect(changes, shown=True, ms=-1.0, share=-0.1, also=()):
    return SimpleNamespace(changes=changes, shown=shown, ms=contrast(ms, 0.2), share=share, also=also)


def account(effects, credit, total=None, gap=None, tested=True, whole=True, df=6, s2=1e-4):
    fit = SimpleNamespace(tested=tested, df=df, s2=s2)
    return SimpleNamespace(figure="mean_ms", effects=effects, credit=credit, total=total, gap=gap, fit=fit, whole=whole)


NAMES = ["fog", "rain", "lamps"]


@pytest.mark.parametrize(
    ("found", "said"),
    [
        (
            account([], [], tested=False, df=2),
            "Too few runs to test anything: 2 degrees of freedom, 4 are the least. Record more passes.",
        ),
        (
            account([effect((0,), shown=False)], [contrast(-1.0, 0.2)]),
            "None of them is shown to change the mean frame.",
        ),
        (
            account([effect((0,)), effect((1,), shown=False)], [contrast(-1.0, 0.2), contrast(0.3, 0.2)]),
            "Most of the change of the mean frame is fog: 1.00 ms saved (0.80 to 1.20); of the others nothing is shown.",
        ),
        (
            account([effect((0,)), effect((1,))], [contrast(-1.0, 0.2), contrast(1.5, 0.2)], contrast(0.5, 0.9)),
            "Most of the change of the mean frame is rain: 1.50 ms spent (1.30 to 1.70); also shown: fog."
            " Together they make 0.5 ms spent (0.4 saved to 1.4 spent).",
        ),
    ],
)
def test_the_change_that_brought_most_is_named(found, said):
    assert untangled.sentence(found, NAMES) == said


def test_changes_that_act_on_each_other_are_named_together():
    assert untangled.pair_name((0, 2), NAMES) == "fog with lamps"
    assert untangled.effect_name(effect((0, 1), also=((0, 2),)), NAMES) == "fog with rain, or fog with lamps"


@pytest.mark.parametrize(
    ("found", "said"),
    [
        (effect((0, 1), shown=False), "not shown"),
        (effect((0, 1), ms=-0.4), "together they save more than alone"),
        (effect((0, 1), ms=0.4), "together they save less than alone"),
    ],
)
def test_what_two_changes_do_together(found, said):
    assert untangled.interaction_sentence(found) == said
    assert untangled.share_words(found) == "-10.0 %"


@pytest.mark.parametrize(
    ("gap", "said"),
    [
        (None, ""),
        (contrast(0.1, 0.3), "The credits leave 0.1 ms spent (0.2 saved to 0.4 spent) of the total. That may be nothing."),
        (contrast(0.1), "The credits leave 0.10 ms spent of the total. That may be nothing."),
        (contrast(0.9, 0.3), "The credits leave 0.9 ms spent (0.6 to 1.2) of the total. Three of them interact: record all combinations of the two to four that were shown, the others left on."),
        (contrast(-0.9, 0.3), "The credits leave 0.9 ms saved (0.6 to 1.2) of the total. Three of them interact: record all combinations of the two to four that were shown, the others left on."),
    ],
)  # fmt: skip
def test_what_the_credits_leave(gap, said):
    assert untangled.gap_sentence(account([], [], gap=gap)) == said


def test_the_limits_of_an_account_are_noted():
    shown = account([effect((0,))], [contrast(-1.0, 0.2)], total=contrast(-1.0, 0.2))
    assert untangled.notes(shown, 3) == [
        "A change that could not be switched gets no credit here; what was not switched is in all configurations."
    ]
    all_of_them = untangled.notes(account([effect((0,), shown=False)] * 3, [], whole=False), 1)
    assert [note.split(":")[0].split(",")[0] for note in all_of_them[:2]] == [
        "Every credit holds if no three of them interact",
        "One pass",
    ]
    assert "passes would show a change of 2 %." in all_of_them[2]
    assert all_of_them[3].startswith("All of them on together is no configuration")
    wide = untangled.notes(account([effect((0,), shown=False)] * 3, [], s2=1.0), 3)
    assert "more than twelve passes would show" in wide[0]


# -- mixtures, trades, and loads in one run


def mixed(call, value, half=0.05, runs=12, needed=None):
    return SimpleNamespace(
        figure="mean_ms", beyond=contrast(value, half), call=call, share=value / 10.0, runs_needed=needed, runs=runs
    )


@pytest.mark.parametrize(
    ("found", "said"),
    [
        (mixed("adds up", 0.01), "Boats, lamps and rain add up: together they take what they take one by one, within 2 % (-0.04 to 0.06 ms beyond, the mean frame)."),
        (mixed("cannot be told", 0.2, 0.4), "Whether boats, lamps and rain add up cannot be told: together they take -0.2 to 0.6 ms beyond their sum (the mean frame)."),
        (mixed("more than the sum", 0.5), "Boats, lamps and rain take 0.50 ms more together than one by one (0.45 to 0.55, 5.0 % of the mix; the mean frame): they get in each other's way."),
        (mixed("less than the sum", -0.5), "Boats, lamps and rain take 0.50 ms less together than one by one (0.45 to 0.55, 5.0 % of the mix; the mean frame): they share some of their work."),
        (mixed("cannot be told", 0.5, None), "Too few runs to test anything: 4 degrees of freedom are the least. Record more passes."),
    ],
)  # fmt: skip
def test_a_mix_against_the_sum_of_its_parts(found, said):
    assert mixture.sentence(found, ["boats", "lamps", "rain"]) == said


@pytest.mark.parametrize(("needed", "said"), [(None, False), (12, False), (40, True)])
def test_how_many_runs_would_tell_of_a_mix(needed, said):
    notes = mixture.notes(mixed("cannot be told", 0.2, 0.4, needed=needed))
    assert ("About 40 runs of all scenes together would tell it, half of the time; there are 12." in notes) is said
    assert len(mixture.notes(mixed("adds up", 0.0, needed=40))) == 1


def test_what_richness_costs():
    found = SimpleNamespace(per_richness=None, lack_of_fit=None, straight=False, richness=(1, 2, 3))
    assert "is not tested: too few levels, or runs." in trade.factor_sentence(found, "boats", "lamps")
    assert trade.note(found) == "All 3 intervals hold together, at 95 %; nothing is said of what lies between."
    found.per_richness, found.lack_of_fit = contrast(0.01, 0.002), 0.6
    assert trade.factor_sentence(found, "boats", "lamps").startswith("It is not shown that lamps costs anything")
    found.lack_of_fit = 0.0004
    assert "does not grow in a straight line with lamps (p under 0.001): no single price holds." in trade.factor_sentence(found, "boats", "lamps")  # fmt: skip
    assert trade.p_words(0.0234) == "p = 0.023"


def in_legs(**changes):
    values = {
        "values_ms": np.array([[4.0, 6.0], [4.0, 6.2]]), "confounded": False, "few_frames": False, "seen": True,
        "asked": (0.0, 100.0), "capacity": SimpleNamespace(value=600.0),
    }  # fmt: skip
    return SimpleNamespace(**{**values, **changes})


def test_loads_of_one_run_are_no_repeats_and_say_what_they_lack():
    assert in_one_run.notes(in_legs(), 0) == ["The run is the unit: legs of one are no repeats of each other."]
    told = in_one_run.notes(in_legs(confounded=True, seen=False, values_ms=np.array([[4.0, 6.0]])), 2)
    assert len(told) == 5
    assert told[1].startswith("Every run played its loads in one order")
    assert told[2] == "One run has no interval. Record more."
    assert told[3].startswith("2 runs lack a leg, or have one twice")
    assert told[4].startswith("The load is as it was asked for")
    assert len(in_one_run.notes(in_legs(few_frames=True), 0)) == 2


def test_the_sum_on_paper_begins_with_an_empty_scene():
    assert in_one_run.paper(in_legs(), 16.0, "boats") == (
        "16.00 ms budget, less 4.00 for nothing loaded, leaves 12.00; at 0.0200 ms each there, that is 600 boats."
    )
    assert in_one_run.paper(in_legs(asked=(50.0, 100.0)), 16.0, "boats") == ""
    assert in_one_run.paper(in_legs(capacity=SimpleNamespace(value=None)), 16.0, "boats") == ""


# -- chains


def remainder(low, high, product=0.842, total=0.85):
    return Remainder("mean_ms", product, total, product / total - 1, low, high)


@pytest.mark.parametrize(
    ("found", "apart", "measured", "meaning"),
    [
        (remainder(-0.02, 0.01), True, True, "Within what chance does: the chain closes."),
        (remainder(0.002, 0.01), True, True, "Something else changed between the steps, or they act on each other."),
        (remainder(-0.03, -0.01), True, True, "Something else changed between the steps, or they act on each other."),
        (remainder(None, None), False, True, "Steps that share runs close nearly by themselves, so this shows little."),
        (remainder(None, None), True, True, "A step was not tested, so whether the gap is chance cannot be told."),
        (remainder(None, None), True, False, "First and last were recorded apart: drift between the recordings is in the gap. Record both interleaved to tell."),
    ],
)  # fmt: skip
def test_whether_a_chain_closes(found, apart, measured, meaning):
    told = chain.remainder_words(found, apart, measured)
    assert told["meaning"] == meaning
    assert (told["product"], told["total"]) == ("0.842 (-15.8 % time)", "0.850 (-15.0 % time)")
    assert told["remainder"] == "-0.94 %"
    assert (told["interval"] == "") is (found.low is None)


def test_a_step_is_a_factor():
    assert chain.factor(result(before=10.0, after=8.42, ratio=0.842)) == "0.842"
    assert chain.factor(result(ratio=None)) == ""


# -- allowances


def part(**changes):
    values = {
        "key": ("main", ("steer",)), "allowed_ms": 2.0, "mean_ms": 1.5, "over": 0.034, "low": 0.02, "high": 0.05, "overrun_ms": 0.0123,
        "overrun_where_ms": 0.36, "headroom_ms": 0.25, "late_over": 0.4, "others_over": 0.02,
    }  # fmt: skip
    return PartBudget(**{**values, **changes})


def test_a_part_is_held_against_what_it_is_allowed():
    assert budget.row_words(part()) == {
        "over": "3.4 %", "interval": "2.0 to 5.0", "overrun": "0.012", "where": "0.36", "headroom": "0.25 left",
        "late": "40 % of late, 2.0 % of other frames",
    }  # fmt: skip
    none = budget.row_words(part(over=0.0, low=None, headroom_ms=-0.1, late_over=None))
    assert (none["interval"], none["where"], none["late"], none["headroom"]) == ("", "", "", "0.10 over")
    assert set(budget.row_words(None).values()) == {""}
    assert budget.set_sentence("room for rain", "mira") == "mira: room for rain"


def test_a_change_of_what_is_over_has_both_arms_or_nothing():
    told = budget.change_words(result(raw_before=0.034, raw_after=0.5, call="worse"))
    assert told == {"before": "3.4 %", "after": "50 %", "call": "worse"}
    assert set(budget.change_words(None).values()) == {""}


# -- one frame


def piece(name, ms, usual, depth=1):
    path = (name,) if depth == 1 else ("outer", name)
    return SimpleNamespace(key=("main", path), ms=ms, usual_ms=usual)


@pytest.mark.parametrize(
    ("typical", "counted", "parts", "late", "said"),
    [
        (None, True, [], False, "Frame 1,234 took 30.00 ms."),
        (None, True, [], True, "Frame 1,234 took 30.00 ms and was late."),
        (10.0, True, [], True, "Frame 1,234 took 30.00 ms and was late; the frames around it take 10.00 ms."),
        (10.0, False, [piece("a", 20.0, 1.0)], False, "Frame 1,234 took 30.00 ms; the frames around it take 10.00 ms. It does not count: it is in the warm-up, or in a leg that is no play."),
        (10.0, True, [piece("rain", 16.0, 1.0), piece("fog", 6.0, 1.0)], False, "Frame 1,234 took 30.00 ms; the frames around it take 10.00 ms. rain alone took 15.00 ms more than it usually does."),
        (10.0, True, [piece("rain", 5.0, 1.0)], False, "Frame 1,234 took 30.00 ms; the frames around it take 10.00 ms."),
        (10.0, True, [piece("inner", 16.0, 1.0, depth=2)], False, "Frame 1,234 took 30.00 ms; the frames around it take 10.00 ms."),
        (40.0, True, [piece("rain", 16.0, 1.0)], False, "Frame 1,234 took 30.00 ms; the frames around it take 40.00 ms."),
    ],
)  # fmt: skip
def test_one_frame_in_a_sentence(typical, counted, parts, late, said):
    assert one_frame.frame_sentence(1234, 30.0, typical, counted, parts, late) == said
