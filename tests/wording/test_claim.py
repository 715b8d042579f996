"""Spoken sentences held against data whose numbers are known."""

import re
import sys
from re import _constants as constants
from re import _parser as parser

import pytest
from hypothesis import given
from hypothesis import strategies as st

from vigilant.wording import claim
from vigilant.wording.claim import check_claim, read_claim
from wording.made import MADE, result

# 12.5 to 10 ms: 20 % less time, 25 % more rate, 1.25 times as fast. 10 to 6 stutters a minute.
FIGURES = {
    "mean_ms": result("mean_ms", 12.5, 10.0, -2.7, -2.3),
    "rate_fps": result("rate_fps", 80.0, 100.0, 17.0, 23.0),
    "stutters_per_min": result("stutters_per_min", 10.0, 6.0, -6.0, -2.5),
    "late_share": result("late_share", 0.02, 0.018, -0.012, 0.008),
    "p99_ms": result("p99_ms", 30.0, 20.0, None, None),
}


@pytest.mark.parametrize(
    ("said", "state", "part"),
    [
        ("a fifth less time", "holds", "Claimed: 12.50 ms to 10.00 ms (-20.0 %)"),
        ("a quarter faster", "holds", "-20.0 % time, +25.0 % rate, 1.25 times as fast"),
        ("25 % faster", "holds", "inside the interval"),
        ("1.25x", "holds", "inside the interval"),
        ("1,25 times as fast", "holds", "inside"),
        ("2.5 ms less", "holds", "Claimed: 12.50 ms to 10.00 ms"),
        ("a third faster", "does not hold", "on the side of too much"),
        ("2.2x", "does not hold", "12.50 ms to 5.68 ms"),
        ("twice as fast", "does not hold", "too much"),
        ("twice the time", "does not hold", "12.50 ms to 25.00 ms"),
        ("2 times longer", "does not hold", "12.50 ms to 25.00 ms"),
        ("1.5 times slower", "does not hold", "12.50 ms to 18.75 ms"),
        ("twice the stutters", "does not hold", "10.0 a minute to 20.0 a minute"),
        ("half the time", "does not hold", "12.50 ms to 6.25 ms"),
        ("5 % faster", "at least that much", "beyond the claim, on the better side"),
        ("at least 5 % faster", "holds", "keeps the bound"),
        ("from 80 to 100 fps", "holds", "Claimed: 80 fps to 100 fps (+25.0 %)"),
        ("from 50 to 62.5 fps", "does not hold", "It stood at 80 fps before, not at 50 fps"),
        ("it went from 12.5 ms to 10 ms", "holds", "inside the interval"),
        ("20 frames more", "holds", "Claimed: 80 fps to 100 fps"),
        ("another 20 frames a second", "holds", "inside"),
        ("8 fps more", "at least that much", "on the better side"),
        ("costs us 6 frames a second", "does not hold", "Claimed: 80 fps to 74 fps"),
        ("15 to 25 fps faster", "holds", "meets the range"),
        ("10 % fewer stutters", "at least that much", "better side"),
        ("costs 1 ms", "does not hold", "outside the interval."),
        ("20 % slower", "does not hold", "Claimed: 12.50 ms to 15.62 ms (+25.0 %)"),
        ("40 % fewer stutters", "holds", "from 10.0 a minute to 6.0 a minute"),
        ("half the stutters", "holds", "inside"),
        ("three times fewer stutters", "not understood", "Say it like"),
        ("a tenth fewer late frames", "cannot be told", "and no change at all"),
        ("a third less at the 99th percentile", "cannot be told", "no interval"),
        ("fewer freezes by 10 %", "cannot be told", "no freezes"),
        ("2 to 3 ms less", "holds", "Claimed: 12.50 ms to 10.50 ms or 9.50 ms (-16.0 % to -24.0 %)"),
        ("2 to 3 ms less wherever boats crowd", "holds", "meets the range"),
        ("3 to 4 ms less", "does not hold", "on the side of too much"),
        ("1-2 ms less", "at least that much", "on the better side"),
        ("20 to 30 % fewer late frames", "cannot be told", "no change at all"),
        ("at least 2 ms less", "holds", "a change of at least -2.00 ms (-16.0 %)"),
        ("at least 2.5 ms less", "cannot be told", "reaches over the bound"),
        ("more than 3 ms less", "does not hold", "beyond the bound"),
        ("at most 1 ms more", "holds", "keeps the bound"),
        ("costs less than 1 ms", "holds", "a change of at most 1.00 ms (+8.0 %)"),
        ("2.5 ms a frame less", "holds", "inside the interval"),
        ("no more than a tenth faster", "does not hold", "beyond the bound"),
        ("more than 10 % faster", "holds", "keeps the bound"),
        ("up to 40 % faster", "holds", "keeps the bound"),
        ("13 ms is 77 fps", "holds", "1000 / 13 ms = 76.9 fps"),
        ("13 ms is 80 fps", "does not hold", "1000 / 80 fps = 12.50 ms"),
        ("60 fps is 16.7 ms", "holds", "1000 / 16.7 ms"),
        ("0 ms is 80 fps", "not understood", "zero"),
        ("much nicer", "not understood", "Say it like"),
        ("", "not understood", "Say it like"),
    ],
)
def test_a_claim_is_answered_with_its_arithmetic(said, state, part):
    answer = check_claim(said, "gain", FIGURES)
    assert (answer.state, part in answer.sentence) == (state, True), answer


def test_nothing_is_claimed_of_runs_that_are_not_comparable():
    assert check_claim("2x", "void", FIGURES).state == "cannot be told"


@given(st.floats(0.05, 0.9))
def test_less_time_more_rate_and_times_as_fast_are_one_claim(share):
    less = read_claim(f"{100 * share:.6f} % less time").ratio
    faster = read_claim(f"{100 * (1 / (1 - share) - 1):.6f} % faster").ratio
    times = read_claim(f"{1 / (1 - share):.8f}x").ratio
    assert less == pytest.approx(faster, rel=1e-5) == pytest.approx(times, rel=1e-5)


def _unbounded(parsed):
    """The repeats of a pattern that have no upper bound."""
    for operation, argument in parsed:
        if operation in (constants.MAX_REPEAT, constants.MIN_REPEAT):
            if argument[1] is constants.MAXREPEAT:
                yield operation
            yield from _unbounded(argument[2])
        elif operation is constants.SUBPATTERN:
            yield from _unbounded(argument[3])
        elif operation is constants.BRANCH:
            for branch in argument[1]:
                yield from _unbounded(branch)
        elif operation in (constants.ASSERT, constants.ASSERT_NOT):
            yield from _unbounded(argument[1])


def test_no_pattern_repeats_without_a_bound():
    """So a match is tried in steps that do not grow with the sentence, at each of its places once."""
    patterns = [v for v in vars(claim).values() if isinstance(v, re.Pattern)]
    patterns += [p for table in (claim._BOUNDS, claim._TIMES_WORDS) for p, _ in table]
    assert len(patterns) > 20
    assert [p.pattern for p in patterns if list(_unbounded(parser.parse(p.pattern)))] == []


@pytest.mark.parametrize("said", ["9", "9 ", "9 ms ", "a ", "from 9 to ", "no more than ", "9 fps 9 ms ", "\u00d7 9,9"])
def test_a_sentence_of_a_hundred_thousand_characters_takes_the_steps_of_a_short_one(said):
    def steps(text):
        count = 0

        def counted(frame, event, argument):
            nonlocal count
            count += event in ("call", "c_call")

        sys.setprofile(counted)
        try:
            check_claim(text, "gain", FIGURES)
        finally:
            sys.setprofile(None)
        return count

    assert steps(said * (100_000 // len(said))) <= steps(said * (200 // len(said) + 1)) + 10


@given(st.text(max_size=60))
def test_no_sentence_breaks_it(said):
    assert check_claim(said, MADE.verdict, MADE.figures).sentence
