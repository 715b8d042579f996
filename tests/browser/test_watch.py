"""How both arms move: lanterns at the recorded intervals, even rates, slow motion, and a blind trial to its end."""

import re

import pytest
from playwright.sync_api import expect

from browser.driving import until

HANGS = re.compile(r"rotate\((-?[\d.]+) ")


def angles(page):
    return page.evaluate("[...document.querySelectorAll('figure svg > g')].map(g => g.getAttribute('transform'))")


def swings(page, side, than):
    until(
        page,
        "([side, than]) => document.querySelectorAll('figure svg > g')[side].getAttribute('transform') !== than",
        [side, than],
    )


def test_lanterns_swing_at_what_was_recorded_and_are_held(page, demo):
    page.goto(f"{demo['base']}/lanternfall/entries/4/watch")
    expect(page.get_by_role("img", name="Lantern, before")).to_be_visible()
    assert angles(page) == [None, None]  # they hang still until they are let go
    page.keyboard.press("p")
    for side in (0, 1):
        swings(page, side, None)
    assert all(abs(float(HANGS.match(a)[1])) <= 34 for a in angles(page))
    expect(
        page.get_by_text(re.compile(r"This page draws \d+ pictures a second, [\d.]+ ms the longest"))
    ).to_be_visible()
    page.get_by_role("button", name="Hold it").click()
    held = angles(page)
    page.evaluate("() => new Promise(done => requestAnimationFrame(() => requestAnimationFrame(done)))")
    assert angles(page) == held
    # Beside an even rate, slowed down, elsewhere on the course.
    page.get_by_label("Right lantern").select_option("24 a second, even")
    expect(page.get_by_role("img", name="Lantern, 24 a second, even")).to_be_visible()
    page.get_by_label("Speed").select_option("a tenth")
    page.get_by_label("Where on the course").select_option(index=2)
    expect(page).to_have_url(re.compile(r"from=\d"))
    frames = page.request.get(f"{demo['base']}/api/books/lanternfall/entries/4/evidence/watch/?from_s=0").json()
    assert len(frames["before"]["frame_ms"]) > 100
    assert sum(frames["before"]["frame_ms"]) / 1000 == pytest.approx(frames["to_s"] - frames["from_s"], rel=0.1)


def test_the_sound_is_off_until_it_is_asked_for(page, demo):
    page.add_init_script(
        "window.ticks = 0; const start = OscillatorNode.prototype.start;"
        "OscillatorNode.prototype.start = function (...at) { window.ticks++; return start.apply(this, at); }"
    )
    page.goto(f"{demo['base']}/lanternfall/entries/4/watch")
    page.get_by_role("button", name="Let it swing").click()
    swings(page, 0, None)
    assert page.evaluate("window.ticks") == 0
    page.get_by_label("Sound").select_option("tick, left")
    until(page, "window.ticks > 5")


def test_a_blind_trial_hides_the_arms_and_is_kept_with_its_odds(page, demo):
    page.goto(f"{demo['base']}/lanternfall/entries/3/watch")
    page.get_by_label("Presentations").select_option("5 times")
    page.get_by_role("button", name="Begin a blind trial").click()
    for number in range(1, 6):
        expect(page.get_by_text(f"Which swings more smoothly? {number} of 5")).to_be_visible()
        expect(page.get_by_role("img", name="Lantern, left")).to_be_visible()
        assert page.get_by_role("img", name="Lantern, before").count() == 0
        drawn = page.evaluate("[...document.querySelectorAll('figure svg > g')].map(g => g.innerHTML)")
        assert drawn[0] == drawn[1]  # nothing tells the arms apart but how they move
        if number % 2:
            page.keyboard.press("ArrowLeft")
        else:
            page.get_by_role("button", name="The right one").click()
    said = page.get_by_text(re.compile(r"\d of 5 took after for the smoother one: by guessing")).first
    expect(said).to_be_visible()
    trials = page.request.get(f"{demo['base']}/api/books/lanternfall/entries/3/evidence/trials/").json()
    assert [t["answers"] for t in trials] == [["left", "right", "left", "right", "left"]]
    hits = sum(a == s for a, s in zip(trials[0]["answers"], trials[0]["sides"], strict=True))
    assert trials[0]["result"]["hits"] == hits
    page.reload()
    expect(page.get_by_role("region", name="Blind trials")).to_contain_text(trials[0]["result"]["said"])
    page.get_by_role("button", name="Begin a blind trial").click()
    page.get_by_role("button", name="break it off").click()
    expect(page.get_by_text("0 of 0 took after for the smoother one: of fewer than 5 answers nothing is said.").first).to_be_visible()  # fmt: skip
