"""Stills: which pixels differ, how alike two pictures are, and what is called changed, by known answers and by simulation."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra import numpy as arrays

from vigilant.core import CoreError
from vigilant.core.evidence import judge_stills
from vigilant.core.evidence.stills import difference, differing, ink, ssim

HEIGHT, WIDTH = 90, 160
rng_of = np.random.default_rng


def river(rng=None, grain=0.0, lantern=None):
    """Dusk over water, with film grain; ``lantern`` (x, y, radius) is a bright disc."""
    y, x = np.mgrid[:HEIGHT, :WIDTH]
    base = 30 + 60 * y / HEIGHT + 8 * np.sin(x / 5.0)
    picture = np.stack([base, base * 0.9, base * 1.2], axis=-1)
    if lantern:
        picture[(x - lantern[0]) ** 2 + (y - lantern[1]) ** 2 <= lantern[2] ** 2] = (250, 190, 90)
    if rng is not None and grain:
        picture = picture + rng.normal(0, grain, picture.shape)
    return np.clip(np.round(picture), 0, 255).astype(np.uint8)


@pytest.mark.parametrize(("by", "share"), [(0, 0.0), (3, 0.0), (4, 1.0), (8, 1.0), (9, 1.0)])
def test_a_whole_picture_differs_by_its_mean_from_the_fourth_step_on(by, share):
    a = np.full((20, 30, 3), 100, np.uint8)
    assert difference(a, a + np.uint8(by)).share == share


@pytest.mark.parametrize(("by", "seen"), [(8, 0), (9, 1)])
def test_one_pixel_alone_differs_from_the_ninth_step_on(by, seen):
    """Alone it is lost in the mean over nine."""
    a = np.full((20, 30, 3), 100, np.uint8)
    b = a.copy()
    b[7, 9, 1] += np.uint8(by)
    assert (int(differing(a, b).sum()), difference(a, b).region) == (seen, seen)


def test_the_largest_region_counts_corners_and_has_its_box():
    a = np.zeros((40, 60, 3), np.uint8)
    b = a.copy()
    for i in range(6):
        b[10 + i, 20 + i] = 200  # touching at corners alone
    b[30, 50] = 200
    found = difference(a, b)
    # Neighbours of a bright pixel differ in the mean over nine.
    assert found.box == (19, 9, 8, 8)
    assert found.region > 6
    assert found.share == differing(a, b).mean()


def test_what_is_masked_differs_nowhere_and_is_not_counted():
    a, b = river(), river(lantern=(80, 40, 8))
    mask = np.zeros((HEIGHT, WIDTH), bool)
    mask[28:52, 68:92] = True
    assert difference(a, b, mask).region == 0
    b[0, 0] = 255
    left = difference(a, b, mask)
    assert left.share == differing(a, b, mask).sum() / (~mask).sum()


def test_similarity_is_one_for_the_same_falls_with_noise_and_agrees_with_a_plain_twin():
    a = river()
    assert ssim(a, a) == pytest.approx(1.0, abs=1e-12)
    noisy = [ssim(a, river(rng_of(1), grain)) for grain in (2.0, 6.0, 18.0)]
    assert noisy == sorted(noisy, reverse=True)
    assert noisy[-1] < 0.6
    assert ssim(a, river(rng_of(1), 6.0)) == pytest.approx(twin(a, river(rng_of(1), 6.0)), abs=1e-9)


def twin(a, b):
    """Window by window, as the paper defines it."""
    at = np.arange(-5, 6)
    w = np.exp(-(at[:, None] ** 2 + at[None, :] ** 2) / (2 * 1.5**2))
    w /= w.sum()
    grey = [p @ np.array([0.2126, 0.7152, 0.0722]) for p in (a, b)]
    c1, c2 = (0.01 * 255) ** 2, (0.03 * 255) ** 2
    values = []
    for i in range(5, HEIGHT - 5):
        for j in range(5, WIDTH - 5):
            x, y = (g[i - 5 : i + 6, j - 5 : j + 6] for g in grey)
            mx, my = (w * x).sum(), (w * y).sum()
            vx, vy, cov = (w * x * x).sum() - mx**2, (w * y * y).sum() - my**2, (w * x * y).sum() - mx * my
            values.append((2 * mx * my + c1) * (2 * cov + c2) / ((mx**2 + my**2 + c1) * (vx + vy + c2)))
    return np.mean(values)


def arm(rng, n, grain, lantern=None):
    return [river(rng, grain, lantern) for _ in range(n)]


@pytest.mark.parametrize("grain", [0.0, 2.0, 6.0])
def test_one_lantern_more_is_a_changed_picture_and_grain_alone_is_none(grain):
    rng = rng_of(7)
    same = judge_stills(arm(rng, 3, grain), arm(rng, 3, grain))
    lit = judge_stills(arm(rng, 3, grain), arm(rng, 3, grain, lantern=(40, 50, 6)))
    assert (same.state in ("same", "to be looked at"), lit.state) == (True, "changed")
    assert (lit.limits.channel > 8.0) == (grain > 1.0)
    left, top, width, height = lit.difference.box
    assert left <= 40 <= left + width
    assert top <= 50 <= top + height


def test_grain_is_rarely_called_changed():
    """False *changed* of 60 pairs of arms of three runs, by grain and by a bobbing boat: at most one in twenty."""
    rng = rng_of(11)
    changed = 0
    for _ in range(60):
        boats = [(80 + rng.normal(0, 2.0), 60 + rng.normal(0, 1.0), 5) for _ in range(6)]
        pictures = [river(rng, 5.0, boat) for boat in boats]
        changed += judge_stills(pictures[:3], pictures[3:]).state == "changed"
    assert changed <= 3


def test_a_boat_that_moves_in_every_run_hides_no_lantern_elsewhere():
    rng = rng_of(5)
    boats = [(90 + 6 * i, 70, 6) for i in range(6)]
    pictures = [river(rng, 1.0, boat) for boat in boats]
    y, x = np.mgrid[:HEIGHT, :WIDTH]
    for picture in pictures[3:]:
        picture[(x - 30) ** 2 + (y - 30) ** 2 <= 14**2] = (140, 120, 90)
    assert judge_stills(pictures[:3], pictures[3:]).state == "changed"


@pytest.mark.parametrize(
    ("before", "after", "state", "why"),
    [
        ([river()], [river()], "same", ""),
        ([river()], [river(lantern=(40, 50, 6))], "to be looked at", ""),
        ([river()], [], "not compared", "only before has it"),
        ([], [river()], "not compared", "only after has it"),
        ([river()], [river()[:, :100]], "not compared", "its sizes differ: 100 x 90 and 160 x 90"),
        ([river(), river()[:50]], [river()], "not compared", "its sizes differ: 160 x 50 and 160 x 90"),
    ],
)
def test_without_repeats_or_at_other_sizes_nothing_is_called_changed(before, after, state, why):
    found = judge_stills(before, after)
    assert (found.state, found.why) == (state, why)


def test_other_sizes_are_refused():
    for act in (difference, ssim):
        with pytest.raises(CoreError, match="160 x 90 and 100 x 90"):
            act(river(), river()[:, :100])


@given(arrays.arrays(np.uint8, (12, 15, 3)), arrays.arrays(np.uint8, (12, 15, 3)), st.booleans())
def test_the_order_does_not_matter_and_ink_is_where_pixels_differ(a, b, masked):
    mask = np.zeros((12, 15), bool)
    mask[3:6, 2:9] = masked
    found, back = difference(a, b, mask), difference(b, a, mask)
    assert (found.share, found.region) == (back.share, back.region)
    assert ((ink(a, b, mask) < 255) == differing(a, b, mask)).all()
    assert not differing(a, b, mask)[mask].any()
