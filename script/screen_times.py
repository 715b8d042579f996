"""How screens move and weigh: frames while a list of 10,000 runs is scrolled and a trace is panned, a tick, first load."""

from __future__ import annotations

import os
import statistics
from pathlib import Path
from typing import Any

import numpy as np
from book_times import fill
from durable import Stand
from running_demo import CHROMIUM, CHROMIUM_ARGUMENTS, sign_in

RUNS = 10_000
#: Turns of the wheel, and their size in px: as a hand turns it, and as one flings it.
TURNS, STEPS = 120, (120, 700)

# Intervals of the browser's frames while something moves, in ms.
_WATCH = """() => {
  window.intervals = [];
  let last = performance.now();
  window.watching = true;
  const next = (now) => {
    window.intervals.push(now - last);
    last = now;
    if (window.watching) requestAnimationFrame(next);
  };
  requestAnimationFrame(next);
}"""
_WATCHED = "() => { window.watching = false; return window.intervals.slice(2); }"
# From the click to the frame after it is drawn.
_TICK = """(box) => new Promise((done) => {
  const began = performance.now();
  box.click();
  requestAnimationFrame(() => setTimeout(() => done(performance.now() - began)));
})"""
_WEIGHT = """() => performance.getEntriesByType('resource')
  .filter((e) => e.name.endsWith('.js'))
  .reduce((sum, e) => sum + e.encodedBodySize, 0)"""


def _say(what: str, taken: list[float]) -> None:
    late = sum(t > 25.0 for t in taken) / len(taken)
    print(
        f"{what}: {len(taken)} frames, median {statistics.median(taken):.1f} ms, 95th percentile"
        f" {np.quantile(taken, 0.95):.1f}, worst {max(taken):.0f}; {100 * late:.1f} % over 25 ms"
    )


def _moved(page: Any, what: str, turns: int, turn: Any) -> None:
    page.evaluate(_WATCH)
    for i in range(turns):
        turn(i)
    _say(what, page.evaluate(_WATCHED))


def screen_times(folder: Path) -> None:
    """Print them."""
    from playwright.sync_api import sync_playwright

    stand = Stand(folder)
    stand.start()
    try:
        link, run = _filled(stand, folder)
        with sync_playwright() as playwright:
            browser = playwright.chromium.launch(executable_path=CHROMIUM, args=CHROMIUM_ARGUMENTS)
            page = browser.new_page(viewport={"width": 1280, "height": 800})
            sign_in(page, f"{stand.url}/sign-in/{link}")
            page.get_by_role("heading", name="Entries").wait_for()
            print(f"first load: {page.evaluate(_WEIGHT) / 1000:.0f} kB of script as sent; 300 allowed")
            page.goto(f"{stand.url}/lanternfall/runs")
            main = page.get_by_role("main")
            rows = page.locator("tbody tr[data-index]")
            rows.first.wait_for()
            # All of them are fetched first: what is timed is the drawing.
            while rows.last.get_attribute("aria-rowindex") != str(RUNS + 1):
                main.evaluate("e => { e.scrollTop = e.scrollHeight; }")
                page.wait_for_load_state("networkidle")
            page.mouse.move(700, 500)
            for step in STEPS:
                main.evaluate("e => { e.scrollTop = 0; }")
                _moved(page, f"{RUNS:,} runs scrolled by {step} px", TURNS, lambda i, s=step: page.mouse.wheel(0, s))
            box = page.get_by_role("checkbox").nth(5)
            taken = [box.evaluate(_TICK) for _ in range(20)]
            print(f"a tick: median {statistics.median(taken):.0f} ms, worst {max(taken):.0f}; 50 allowed")
            page.goto(f"{stand.url}/lanternfall/runs/{run}?from=1000&to=3000")
            page.get_by_test_id("trace").locator("canvas").first.wait_for()
            page.mouse.move(700, 300)
            page.keyboard.down("Shift")
            _moved(
                page, "a trace of 2,000 frames panned", 40, lambda i: page.mouse.wheel(0, 100 if i % 20 < 10 else -100)
            )
            page.keyboard.up("Shift")
            browser.close()
    finally:
        stand.stop()


def _filled(stand: Stand, folder: Path) -> tuple[str, Any]:
    """The secret of a sign-in link to a full book, and one of its runs."""
    os.environ.update(stand.environment, VIGILANT_REDIS="", DJANGO_ALLOW_ASYNC_UNSAFE="1")
    import django

    django.setup()
    from django.contrib.auth import get_user_model
    from django.core.management import call_command

    from vigilant.server.books.models import Book, SignInLink
    from vigilant.server.runs.models import Run

    call_command("load_demo", token_file=str(folder / "token"))
    book = Book.objects.get(slug="lanternfall")
    user = get_user_model().objects.filter(is_superuser=True).first()
    run = Run.objects.filter(book=book, state="complete", frames__gt=5000).first().pk
    fill(book, user, entries=0, runs=RUNS)
    return SignInLink.issue(user), run
