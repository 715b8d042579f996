"""Drawings are read by pointer and by key, copied in every form, and the trace is walked: zoom, pan, stutters, Back."""

import re

import pytest
from playwright.sync_api import expect

from browser.driving import until


@pytest.fixture
def run(page, demo):
    """A run with late frames and stutters, on its page."""
    entry = page.request.get(f"{demo['base']}/api/books/lanternfall/entries/7/").json()
    found = next(d["run"] for d in entry["dots"] if d["counted"] and d["arm"] == "after")
    page.goto(f"{demo['base']}/lanternfall/runs/{found}")
    page.get_by_test_id("trace").locator("canvas").first.wait_for()
    return page.request.get(f"{demo['base']}/api/runs/{found}/").json()


def window(page):
    found = re.search(r"from=(\d+)&to=(\d+)", page.url)
    return (int(found[1]), int(found[2])) if found else None


@pytest.mark.usefixtures("ledger")
def test_a_drawing_is_read_by_the_arrows_and_opens_what_it_shows(page, demo):
    points = page.request.get(f"{demo['base']}/api/books/lanternfall/standing/").json()["points"]
    newest = page.get_by_role("link", name=re.compile(f"^after entry {points[-1]['entry']}: mean "))
    newest.focus()
    page.keyboard.press("t")
    rows = page.get_by_role("table", name="What is drawn").locator("tbody tr")
    expect(rows).to_have_count(len(points))
    expect(rows.last).to_contain_text(str(points[-1]["entry"]))
    page.keyboard.press("t")
    page.keyboard.press("ArrowLeft")
    second = points[-2]
    reading = f"after entry {second['entry']}: mean {second['mean_ms']:.2f} ms"
    expect(page.get_by_role("link", name=re.compile(f"^{reading}"))).to_be_focused()
    page.keyboard.press("Shift+ArrowLeft")
    page.keyboard.press("Home")
    expect(page.get_by_role("link", name=re.compile(f"^after entry {points[0]['entry']}: "))).to_be_focused()
    page.keyboard.press("Enter")
    expect(page).to_have_url(re.compile(f"/entries/{points[0]['entry']}$"))

    page.goto(f"{demo['base']}/lanternfall/entries/3/spread")
    band = page.get_by_role("slider", name="Difference at every quantile")
    band.focus()
    slowest = band.get_attribute("aria-valuetext")
    page.keyboard.press("Home")
    expect(band).to_have_attribute(
        "aria-valuetext", re.compile(r"^at 1 %: \d\.\d\d ms saved \(\d\.\d\d to \d\.\d\d\)$")
    )
    page.keyboard.press("End")
    expect(band).to_have_attribute("aria-valuetext", slowest)
    # The browser's own keys are left alone.
    page.keyboard.press("Control+Home")
    expect(band).to_have_attribute("aria-valuetext", slowest)


def test_a_drawing_is_copied_with_its_colours_as_svg_and_png(page, demo):
    page.context.grant_permissions(["clipboard-read", "clipboard-write"])
    page.goto(f"{demo['base']}/lanternfall/entries/3/spread")
    part = page.get_by_role("region", name="Where the change is").or_(
        page.locator("section", has=page.get_by_role("heading", name="Where the change is"))
    )
    part.get_by_role("button", name="copy SVG").click()
    expect(part.get_by_role("status").filter(has_text="SVG copied")).to_be_visible()
    svg = page.evaluate("navigator.clipboard.readText()")
    assert svg.startswith("<svg")
    assert "var(" not in svg
    assert 'fill="rgb(178, 93, 18)"' in svg
    assert "slowest frames" in svg
    part.get_by_role("button", name="copy PNG").click()
    expect(part.get_by_role("status").filter(has_text="PNG copied")).to_be_visible()
    size = """async () => {
      const [item] = await navigator.clipboard.read();
      const bitmap = await createImageBitmap(await item.getType('image/png'));
      return [bitmap.width, bitmap.height];
    }"""
    drawn = part.get_by_role("img", name="Difference at every quantile").bounding_box()
    assert page.evaluate(size) == pytest.approx([2 * drawn["width"], 2 * drawn["height"]], abs=2)


def test_the_trace_is_walked_by_keys_buttons_and_wheel_and_back_walks_the_same_way(page, run):
    total = run["frames"]
    expect(page.get_by_role("button", name="wider")).to_be_disabled()
    page.keyboard.press("+")
    expect(page).to_have_url(re.compile("from="))
    first = window(page)
    assert first[1] - first[0] == pytest.approx(total / 2, abs=1)
    page.get_by_role("button", name="later").click()
    expect(page).to_have_url(re.compile(f"to={total}$"))
    page.get_by_role("slider", name="The window on the whole run").focus()
    page.keyboard.press("Home")
    expect(page).to_have_url(re.compile("from=0&"))
    trace = page.get_by_test_id("trace").locator(".u-over").first
    box = trace.bounding_box()
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + 60)
    held = []  # a hand is quicker than a server: each turn goes on from the window asked for, not from what is drawn
    page.route("**/trace/*", lambda route: held.append(route))
    page.keyboard.down("Control")
    for _ in range(3):
        page.mouse.wheel(0, -100)
    page.keyboard.up("Control")
    wide = first[1] - first[0]
    for _ in range(3):
        wide = round(wide / 1.25)
    until(
        page, "wide => /from=(\\d+)&to=(\\d+)/.exec(location.search)?.slice(1).reduce((a, b) => b - a) === wide", wide
    )
    closer = window(page)
    until(page, lambda: held)  # it was asked for, a moment after the address said so, and is still not answered
    page.unroute("**/trace/*")
    page.keyboard.down("Shift")
    page.mouse.wheel(0, 100)
    page.keyboard.up("Shift")
    expect(page).not_to_have_url(re.compile(f"from={closer[0]}&"))
    assert page.evaluate("visualViewport.scale") == 1
    for expected in (r"from=0&", re.compile(f"to={total}$").pattern, f"from={first[0]}&to={first[1]}"):
        page.go_back()
        expect(page).to_have_url(re.compile(expected))
    page.go_back()
    expect(page).not_to_have_url(re.compile("from="))
    page.keyboard.press("+")
    start = window(page)
    # With Shift a drag takes the window along; all of it at once, quicker than the window is asked for.
    trace.evaluate("""over => {
      const { left, top, width } = over.getBoundingClientRect();
      const at = (kind, share) => over.dispatchEvent(new MouseEvent(kind, {
        bubbles: true, shiftKey: true, clientX: left + share * width, clientY: top + 60,
      }));
      at('mousedown', 0.6);
      for (const share of [0.5, 0.4, 0.3]) at('mousemove', share);
      at('mouseup', 0.3);
    }""")
    span = start[1] - start[0]
    let_go = start[0] + round(0.3 * span)  # where the hand let go
    until(page, lambda: window(page)[0] == pytest.approx(let_go, abs=span / 500))
    assert window(page)[1] - window(page)[0] == span


def test_stutters_are_found_one_after_the_other(page, run):
    worst = sorted(s["worst"] for s in run["stutters"])
    chosen = page.get_by_role("status", name="Chosen frame")
    page.keyboard.press("s")
    expect(chosen).to_contain_text(f"Frame {worst[0]:,}")
    page.get_by_role("button", name="next stutter").click()
    expect(chosen).to_contain_text(f"Frame {worst[1]:,}")
    expect(chosen).to_contain_text("stutter,")
    page.keyboard.press("Shift+S")
    expect(chosen).to_contain_text(f"Frame {worst[0]:,}")
    page.keyboard.press("Shift+S")  # there is none before the first
    expect(chosen).to_contain_text(f"Frame {worst[0]:,}")


def test_what_of_a_frame_is_over_the_budget_is_hatched(page, run, demo):
    """Beside the line that rises to a late frame there is ink over the budget, and none over a frame in time."""
    worst = run["stutters"][0]["worst"]
    page.goto(f"{demo['base']}/lanternfall/runs/{run['id']}?from={worst - 8}&to={worst + 8}")
    page.get_by_test_id("trace").locator("canvas").first.wait_for()
    ink = """([from, to]) => {
      const c = document.querySelector('[data-testid=trace] canvas');
      const over = document.querySelector('[data-testid=trace] .u-over');
      const ratio = c.width / c.clientWidth;
      const place = over.getBoundingClientRect(), own = c.getBoundingClientRect();
      const x = (s) => (place.left - own.left + s * place.width) * ratio;
      const y = (place.top - own.top + 0.06 * place.height) * ratio;
      const d = c.getContext('2d').getImageData(x(from), y, x(to) - x(from), 0.3 * place.height * ratio).data;
      let inked = 0;
      for (let i = 3; i < d.length; i += 4) if (d[i] > 128) inked += 1;
      return inked / (d.length / 4);
    }"""
    # Of the 15 steps between 16 frames the late one stands at the eighth; to its right, before the line falls away.
    late, quiet = page.evaluate(ink, [8.1 / 15, 8.4 / 15]), page.evaluate(ink, [12.1 / 15, 12.4 / 15])
    assert late > 0.1 > 0.02 > quiet
