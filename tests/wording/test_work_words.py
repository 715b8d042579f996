"""Where time goes, in words: counters, switches, inventories and the amount of work."""

from datetime import UTC, datetime

import pytest

from vigilant.wording import counters, inventory, switched, work
from wording.made import contrast, some

# -- counters beside time


def states(**changes):
    values = {"fresh": 0.9, "stale": 0.0, "missing": 0.0, "below": 0.0, "age_frames": 1200, "every_frames": 0}
    return some(**{**values, **changes})


@pytest.mark.parametrize(
    ("found", "said"),
    [
        (states(fresh=1.0), ""),
        (states(missing=0.1), "90 % fresh, 10 % missing; 1,200 frames at most without a value"),
        (
            states(stale=0.05, missing=0.03, below=0.02, every_frames=4),
            "90 % fresh, 5.0 % not refreshed, 3.0 % missing, 2.0 % below the resolution; 1,200 frames at most without a value;"
            " sampled every 4 frames",
        ),
    ],
)
def test_what_of_a_counter_is_fresh(found, said):
    assert counters.states_sentence(found) == said


def zero(**changes):
    values = {
        "holds": False, "known": 7200, "minutes": 2.0, "not_told": 0, "below": 0, "frames": 30, "most_a_minute": 0.0, "first": None,
    }  # fmt: skip
    return some(**{**values, **changes})


@pytest.mark.parametrize(
    ("found", "constant", "after_s", "said"),
    [
        (zero(known=0), zero(), 0.0, "no value"),
        (zero(known=0), zero(), 3.0, "no value after 3.0 s"),
        (zero(holds=True), zero(), 0.0, "none in 7,200 frames, 2.0 minutes"),
        (
            zero(holds=True, most_a_minute=1.5, not_told=12, below=4),
            zero(),
            3.0,
            "none after 3.0 s in 7,200 frames, 2.0 minutes: under 1.50 a minute at 95 %, if they come by chance; not told in 12;"
            " below the resolution in 4",
        ),
        (zero(), zero(holds=True), 0.0, "constant in 7,200 frames"),
        (zero(), zero(), 3.0, "not zero after 3.0 s in 30 of 7,200 frames"),
    ],
)
def test_a_counter_is_zero_or_constant_or_neither(found, constant, after_s, said):
    assert counters.zero_sentence(found, constant, after_s) == said


def flat(**changes):
    values = {"call": "rises", "collections": 0.0, "half": 0.2, "slope": 1.23, "least": 0.3}
    return some(**{**values, **changes})


@pytest.mark.parametrize(
    ("found", "said"),
    [
        (flat(), "rises: 1.23 a minute (± 0.20)"),
        (flat(call="flat", slope=0.01), "flat: 0.01 a minute (± 0.20)"),
        (flat(collections=7.0), "rises: 1.23 a minute (± 0.20), by what is left after each of 7 collections a run"),
        (flat(call="too-few-collections", collections=1.5), "falls back 1.5 times a run: too few to tell whether what is left rises; record longer"),
        (flat(half=None), "cannot be told from one run"),
        (flat(call="cannot be told"), "cannot be told: 1.23 a minute (± 0.20); 0.30 a minute would have shown"),
    ],
)  # fmt: skip
def test_whether_a_counter_rises(found, said):
    assert counters.flat_sentence(found) == said


@pytest.mark.parametrize(("over", "said"), [(None, ""), (0.5, "; the mean frame then is 0.50 ms longer than the others of its leg"), (-0.5, "; the mean frame then is 0.50 ms shorter than the others of its leg")])  # fmt: skip
def test_when_a_counter_is_active(over, said):
    found = some(share=0.25, changes_a_minute=3.2, longest_s=1.5, over_ms=over)
    assert counters.active_sentence(found) == f"active in 25 % of frames, 3.2 changes a minute, 1.50 s at longest{said}"


def test_a_counter_of_steps_is_told_by_frame():
    assert counters.steps_sentence([]) == ""
    rows = [some(steps=1, share=0.9, mean_ms=16.0), some(steps=2, share=0.1, mean_ms=33.0)]
    assert counters.steps_sentence(rows) == "a frame holds 1 in 90 % (16.00 ms), 2 in 10 % (33.00 ms)"


@pytest.mark.parametrize(
    ("found", "said"),
    [
        (None, "no frame tells it"),
        (some(frames=0, largest=380.0, share=0.0, low=None, high=None), "held: 380 at most, 20 left"),
        (some(frames=5, largest=412.5, share=0.02, low=0.01, high=0.03), "over in 2.0 % (1.0 to 3.0) of frames, by 12.5 at most"),
        (some(frames=5, largest=1200.0, share=0.02, low=None, high=None), "over in 2.0 % of frames, by 800 at most"),
    ],
)  # fmt: skip
def test_a_limit_of_a_counter_is_held_or_not(found, said):
    assert counters.limit_sentence(found, 400.0) == said


def drawn(call, mean, expected=100.0, **changes):
    values = {
        "call": call,
        "mean": mean,
        "half": 2.5,
        "expected": expected,
        "over": mean - expected,
        "cost_ms": None,
        "cost_half_ms": None,
    }
    return some(**{**values, **changes})


@pytest.mark.parametrize(
    ("found", "said"),
    [
        (None, "no frame tells it"),
        (drawn("more", 130.0), "130 (± 2.5) for 100 expected: 30 too many, 30 %"),
        (drawn("more", 30.0, 0.0), "30 (± 2.5) for 0 expected: 30 too many"),
        (drawn("less", 80.0), "80 (± 2.5) for 100 expected: 20 fewer"),
        (drawn("as expected", 100.0, half=None), "100 for 100 expected: as expected"),
        (drawn("less", 80.0, cost_ms=0.25, cost_half_ms=0.01), "80 (± 2.5) for 100 expected: 20 fewer; culling itself takes 0.250 ms (± 0.010) a frame there"),
        (drawn("less", 80.0, cost_ms=0.25), "80 (± 2.5) for 100 expected: 20 fewer; culling itself takes 0.250 ms a frame there"),
    ],
)  # fmt: skip
def test_what_is_drawn_at_a_fixed_view(found, said):
    assert counters.drawn_sentence(found, "culling") == said


@pytest.mark.parametrize(
    ("ms", "half", "refused", "along", "place"),
    [
        (None, None, "", "", "needs three runs"),
        (0.0123, None, "", "0.0123 ms a unit: same place, not same cause", "needs three runs"),
        (0.0123, 0.002, "", "0.0123 ms a unit (± 0.0020): same place, not same cause", "0.0123 ms a unit (± 0.0020)"),
        (0.001, 0.002, "", "0.0010 ms a unit (± 0.0020): same place, not same cause", "0.0010 ms a unit (± 0.0020), not shown"),
        (0.0123, 0.002, "no-variation", "0.0123 ms a unit (± 0.0020): same place, not same cause", "runs hardly differ in it: vary it on purpose"),
        (0.0123, 0.002, "few-runs", "0.0123 ms a unit (± 0.0020): same place, not same cause", "needs three runs"),
    ],
)  # fmt: skip
def test_what_goes_with_a_counter_and_what_differs_between_runs(ms, half, refused, along, place):
    found = some(ms=ms, half=half, refused=refused)
    assert (counters.along_sentence(found), counters.place_sentence(found)) == (along, place)


# -- switches


def switch(name, saved, rank=1, shown=True):
    return some(name=name, shown=shown, saved_ms=contrast(saved, 0.1), rank=rank, saved_ln=contrast(-0.1))


def screening(switches=(), **changes):
    values = {
        "figure": "mean_ms", "switches": tuple(switches), "fit": some(tested=True, df=9, runs=(3, 3), terms=2), "gap_ms": None, "sum_ms": contrast(1.5, 0.2),
        "total_ms": contrast(1.2, 0.1),
    }  # fmt: skip
    return some(**{**values, **changes})


@pytest.mark.parametrize(
    ("found", "said"),
    [
        (screening(fit=some(tested=False, df=1)), "Too few runs to test anything: 1 degrees of freedom, 4 are the least. Record more passes."),
        (screening(), "Cures alone: each stands net, with its own price in it, of the mean frame."),
        (screening([switch("rain", 0.5, shown=False), switch("fog", -0.5)]), "No switch is shown to save anything of the mean frame by itself. Two together may."),
        (screening([switch("rain", 0.5), switch("fog", 0.9, rank=2)]), "Switching fog off saves most of the mean frame: 0.90 ms (0.80 to 1.00)."),
        (screening([switch("rain", 0.9), switch("fog", 0.85)]), "Switching rain off saves most of the mean frame: 0.90 ms (0.80 to 1.00), not told apart from fog."),
    ],
)  # fmt: skip
def test_the_switch_that_saves_most(found, said):
    assert switched.sentence(found) == said


@pytest.mark.parametrize(
    ("gap", "ends"),
    [
        (None, ""),
        (contrast(0.3), "everything off saves 1.20 ms (1.10 to 1.30)."),
        (
            contrast(0.3, 0.1),
            "The parts make 0.30 ms (0.20 to 0.40) more than the whole: some of it is saved by any one of several.",
        ),
        (contrast(-0.3, 0.1), "0.30 ms (0.20 to 0.40) go only when several are off, or belong to no switch."),
        (contrast(0.05, 0.1), "No gap is shown between them (0.05 ms (-0.05 to 0.15))."),
    ],
)
def test_whether_the_parts_make_the_whole(gap, ends):
    told = switched.gap_sentence(screening([switch("rain", 0.9)], gap_ms=gap))
    assert told.endswith(ends)
    assert bool(told) is bool(ends)
    assert switched.gap_sentence(screening([], gap_ms=gap)) == ""


@pytest.mark.parametrize(
    ("price", "said"),
    [
        (None, "What rain costs in all was not recorded, so that the cure's own price is not known."),
        (contrast(0.05, 0.1), "Its own price, against rain off, cannot be told from nothing: 0.05 ms (-0.05 to 0.15)."),
        (contrast(0.5, 0.1), "Its own price: 0.50 ms (0.40 to 0.60) more than with rain off."),
        (contrast(0.5), "Its own price: 0.50 ms more than with rain off."),
    ],
)
def test_a_cure_has_a_price_of_its_own(price, said):
    assert switched.cure_words(some(of="rain", price_ms=price)) == said


def test_what_a_screening_is_not_is_noted():
    plain = switched.notes(screening(), [], [])
    assert len(plain) == 1
    told = switched.notes(screening(total_ms=None, fit=some(runs=(2, 4), terms=0)), ["fog"], ["rain"])
    assert told[1:] == [
        "fog has no complete run and stands in no row.",
        "rain: a refresh cap holds most of its runs, so that it stands in no row.",
        "Without an empty arm nothing tells what all of them cost together.",
        "2 passes: 3 are the recommended least.",
        "The place in the session is not taken out: too few runs, or their order is not known.",
    ]
    assert switched.refused({"lamp": ["on", "off"], "rig": [1]}) == "The runs cannot be set against each other: conditions that must match differ (lamp: on, off; rig: 1)."  # fmt: skip
    assert switched.ratio_words(switch("rain", 0.5)) == "+10.5 %"


# -- inventories


@pytest.mark.parametrize(
    ("value", "said"),
    [(12.0, "12"), (1234567.0, "1,234,567"), (1234.5, "1,234"), (12.3456, "12.35"), (0.012345, "0.0123"), (-0.5, "-0.500"), (0.0, "0")],
)  # fmt: skip
def test_amounts_have_digits_by_their_size(value, said):
    assert inventory.amount(value) == said


def kind(name, total, share=None, count=4, a_piece=2.5):
    return some(kind=name, total=total, share=share, count=count, a_piece=a_piece)


def ranked(total=100.0, rows=(), few=1, untold=()):
    return some(total=total, rows=tuple(rows), few=few, untold=tuple(untold))


def test_what_makes_most_of_a_total():
    rows = [kind("boats", 70.0, 0.7), kind("lamps", 20.0, 0.2), kind("rope", 10.0, 0.04)]
    assert inventory.ranked_sentence(ranked(0.0), "memory") == "Nothing here weighs anything in memory."
    assert inventory.ranked_sentence(ranked(rows=rows[:1]), "memory") == "Most of memory is boats: 70 of 100 (70 %)."
    assert inventory.ranked_sentence(ranked(rows=rows, few=2), "memory") == f"Most of memory is boats: 70 of 100 (70 %); 2 of 3 kinds make {100 * inventory.MOST_OF_IT:.0f} % of it."  # fmt: skip
    assert inventory.row_words(rows[2]) == {"count": "4", "a_piece": "2.500", "total": "10", "share": "4.0 %"}
    assert inventory.row_words(kind("x", None, a_piece=None)) == {
        "count": "4",
        "a_piece": "not told",
        "total": "not told",
        "share": "",
    }


@pytest.mark.parametrize(
    ("names", "said"),
    [
        ([], ""),
        (["rope"], "What a piece weighs is not told of 1 kind (rope): the total is at least 100."),
        (
            list("abcdef"),
            "What a piece weighs is not told of 6 kinds (a, b, c, d, e and more): the total is at least 100.",
        ),
    ],
)
def test_what_is_not_told_is_said(names, said):
    assert inventory.untold(ranked(untold=names)) == said


@pytest.mark.parametrize(
    ("most", "untold", "said"),
    [
        (120.0, (), "At most 120 (mira: the handheld has no more): 20 left."),
        (
            120.0,
            ("rope",),
            "At most 120 (mira: the handheld has no more): 20 left, if what is not told weighs no more than that.",
        ),
        (100.0, (), "At most 100 (mira: the handheld has no more): 0 left."),
        (90.0, ("rope",), "At most 90 (mira: the handheld has no more): over by 10."),
    ],
)
def test_a_total_is_held_against_its_limit(most, untold, said):
    assert inventory.limit(ranked(untold=untold), most, "the handheld has no more. ", "mira") == said
    assert inventory.set_by("mira", datetime(2026, 5, 4, tzinfo=UTC), "less rope") == "mira, 2026-05-04: less rope"


def change(name, before, after, d, from_count=None, from_weight=None):
    sides = [None if total is None else kind(name, total) for total in (before, after)]
    return some(kind=name, before=sides[0], after=sides[1], d=d, from_count=from_count, from_weight=from_weight)


def test_a_change_says_where_it_comes_from():
    assert inventory.change_words(change("boats", 70.0, 50.0, -20.0, -25.0, 5.0)) == {
        "before": "70", "after": "50", "less": "20", "more": "", "from_count": "-25", "from_weight": "+5", "note": "",
    }  # fmt: skip
    new, gone = (
        inventory.change_words(change("rope", None, 5.0, 5.0)),
        inventory.change_words(change("rope", 5.0, None, -5.0)),
    )
    assert (new["before"], new["more"], new["note"], gone["after"], gone["note"]) == (
        "",
        "5",
        "only after",
        "",
        "only before",
    )


@pytest.mark.parametrize(
    ("after", "changes", "said"),
    [
        (100.0, [change("boats", 1.0, 1.0, 0.0)], "Nothing changed: 100 on both sides."),
        (
            80.0,
            [change("boats", 70.0, 50.0, -20.0)],
            "100 to 80, 20 less (-20.0 %); most of it moved in boats, 20 less.",
        ),
        (110.0, [change("rope", 5.0, 15.0, 10.0)], "100 to 110, 10 more (+10.0 %); most of it moved in rope, 10 more."),
        (
            100.0,
            [change("rope", 5.0, 15.0, 10.0), change("boats", 70.0, 60.0, -10.0)],
            "100 to 100; most of it moved in rope, 10 more.",
        ),
    ],
)
def test_what_changed_most(after, changes, said):
    assert inventory.change_sentence(ranked(100.0), ranked(after), changes) == said


@pytest.mark.parametrize(("same", "said"), [(0, ""), (1, "1 kind did not change."), (3, "3 kinds did not change.")])
def test_kinds_that_did_not_change(same, said):
    assert inventory.unchanged([*[change("a", 1.0, 1.0, 0.0)] * same, change("b", 1.0, 2.0, 1.0)]) == said


@pytest.mark.parametrize(
    ("now", "said"),
    [
        (None, "No complete run of this build has the counter boats."),
        ((1, 80.0, 100.0), "in 1 run of this build: all of the inventory is there at once."),
        ((3, 80.0, 98.5), "in 3 runs of this build: all of the inventory is there at once."),
        ((3, 30.0, 50.0), "in 3 runs of this build: at most 50 % of what the inventory holds is there at once."),
        (
            (3, 80.0, 200.0),
            "more than the inventory's 100, so that something is counted more than once, or is in no kind.",
        ),
    ],
)
def test_a_counter_beside_the_inventory(now, said):
    assert inventory.counter_sentence("boats", ranked(), now, None, None).endswith(said)


def test_both_move_between_two_builds():
    told = inventory.counter_sentence("boats", ranked(110.0), (3, 88.0, 110.0), ranked(100.0), (3, 80.0, 100.0))
    assert told.endswith(" Between the two builds the inventory moved by +10.0 %, the counter by +10.0 %.")


# -- the amount of work


def share(amount, change=-0.12, low=-0.131, high=-0.108, leg="", witness="boats", amount_ms=-1.2, cost_ms=0.3):
    return some(amount=amount, change=change, low=low, high=high, leg=leg, witness=witness, amount_ms=amount_ms, cost_ms=cost_ms)  # fmt: skip


@pytest.mark.parametrize(
    ("found", "said"),
    [
        (share("less", leg="market bank"), "boats, market bank: 12.0 % less work (95 % interval -13.1 % to -10.8 %)"),
        (share("more", change=0.12, low=None), "boats: 12.0 % more work"),
        (share("same", change=0.001, low=-0.002, high=0.004), "boats: the same amount of work (95 % interval -0.20 % to +0.40 %)"),
        (share("unknown", change=0.03, low=-0.02, high=0.08), "boats: +3.0 %, not shown to be the same (95 % interval -2.0 % to +8.0 %)"),
    ],
)  # fmt: skip
def test_a_witness_says_how_much_work_there_was(found, said):
    assert work.work_sentence(found) == said


@pytest.mark.parametrize(
    ("shares", "said"),
    [
        ([], ""),
        ([share("same"), share("less", leg="pier")], ""),
        ([share("less"), share("more", 0.05, witness="lamps")], " By boats (-12.0 %): 1.20 ms less from less work, 0.30 ms more from dearer work."),
        ([share("more", 0.2, amount_ms=2.0, cost_ms=-0.5)], " By boats (+20.0 %): 2.00 ms more from more work, 0.50 ms less from cheaper work."),
    ],
)  # fmt: skip
def test_a_change_splits_by_the_witness_that_differs_most(shares, said):
    assert work.split_sentence(shares) == said
