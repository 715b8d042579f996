"""Blind trials: sides are drawn evenly, and what guesses are worth is the binomial's tail."""

import numpy as np
import pytest
from scipy import stats

from vigilant.core.evidence.blind import BlindResult, InvalidTrial, blind_result, drawn_sides
from vigilant.wording.evidence import blind_sentence

L, R = "left", "right"


@pytest.mark.parametrize("hits", range(9))
def test_the_odds_of_so_many_by_guessing(hits):
    sides = (L, R, L, L, R, R, L, R)
    other = {L: R, R: L}
    answers = tuple(s if i < hits else other[s] for i, s in enumerate(sides))
    found = blind_result(sides, answers, "after")
    assert (found.hits, found.answers) == (hits, 8)
    assert found.p_value == pytest.approx(stats.binomtest(hits, 8, 0.5, alternative="greater").pvalue)
    assert blind_result(sides, answers, "before").hits == 8 - hits


def test_a_trial_broken_off_counts_what_was_answered_and_says_nothing_of_four():
    sides = (L,) * 8
    assert blind_result(sides, (L, L, R), "after") == BlindResult(2, 3, None)
    assert blind_result(sides, (L,) * 4, "after").p_value is None
    assert blind_result(sides, (L,) * 5, "after").p_value == pytest.approx(1 / 32)
    assert blind_result(sides, (), "after") == BlindResult(0, 0, None)


def test_sides_are_drawn_evenly_and_again_from_the_same_seed():
    assert drawn_sides(60, np.random.default_rng(4)) == drawn_sides(60, np.random.default_rng(4))
    lefts = sum(drawn_sides(60, np.random.default_rng(seed)).count(L) for seed in range(100))
    assert abs(lefts - 3000) < 4 * np.sqrt(1500)
    for wrong in (4, 61):
        with pytest.raises(InvalidTrial, match=f"5 to 60 presentations, got {wrong}"):
            drawn_sides(wrong, np.random.default_rng(1))


@pytest.mark.parametrize(
    ("found", "said"),
    [
        (BlindResult(7, 8, 9 / 256), "7 of 8 took after for the smoother one: by guessing 1 time in 28."),
        (BlindResult(4, 8, 163 / 256), "4 of 8 took after for the smoother one: by guessing 64 times in 100."),
        (BlindResult(3, 3, None), "3 of 3 took after for the smoother one: of fewer than 5 answers nothing is said."),
    ],
)
def test_what_is_said(found, said):
    assert blind_sentence(found, "after") == said
