"""Who reads by ear, by keyboard or by night: axe on every screen, and what axe does not see."""

from pathlib import Path

import pytest
from playwright.sync_api import expect

AXE = (Path(__file__).parents[2] / "web" / "node_modules" / "axe-core" / "axe.min.js").read_text()
RULES = {"runOnly": ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa", "best-practice"]}
PLACES = (
    "", "/entries/3", "/entries/1/stutters", "/entries/1/course", "/entries/2", "/entries/8", "/runs", "/runs/{run}", "/bench", "/bench/{recording}", "/bench/plan",
    "/arms?arm=9.before&arm=9.after&arm=10.after&against=all", "/chain?entry=1&entry=3", "/bench/rigs", "/scenarios", "/scenarios/1",
    "/scenarios/write", "/bring", "/book", "/book/new", "/you", "/nowhere/at/all",
)  # fmt: skip

#: Those whose layout is another on a narrow screen.
NARROW = (
    "",
    "/entries/3",
    "/runs",
    "/runs/{run}",
    "/bench/{recording}",
    "/bench/plan",
    "/chain?entry=1&entry=3",
    "/book",
)


def violations(page, rules):
    found = page.evaluate(f"{AXE}; axe.run(document, {rules})")["violations"]
    return [f"{v['id']}: {n['target']} {n['failureSummary'][:160]}" for v in found for n in v["nodes"][:4]]


@pytest.mark.parametrize("width", [1280, 390])
def test_no_screen_shuts_anybody_out_by_day_or_by_night(width, page, demo):
    api = f"{demo['base']}/api"
    run = page.request.get(f"{api}/runs/?book=lanternfall").json()["results"][0]["id"]
    recording = page.request.get(f"{api}/books/lanternfall/recordings/").json()["results"][0]["id"]
    page.set_viewport_size({"width": width, "height": 800})
    found = {}
    for place in PLACES if width > 390 else NARROW:
        page.goto(f"{demo['base']}/lanternfall{place.format(run=run, recording=recording)}")
        page.get_by_role("main").locator("h1, h2").first.wait_for()
        expect(page.locator("[data-loading]")).to_have_count(0)
        said = violations(page, RULES)
        page.evaluate("document.documentElement.setAttribute('data-scheme', 'dark')")
        said += violations(page, {"runOnly": ["color-contrast"]})
        if said:
            found[place] = said
    assert not found, found


def test_no_style_is_let_in_that_does_not_carry_the_pages_nonce(visitor, demo):
    answer = visitor.request.get(demo["base"])
    policy = answer.headers["content-security-policy"]
    assert "unsafe" not in policy
    nonce = policy.split("'nonce-")[1].split("'")[0]
    assert f'content="{nonce}"' in answer.text()
    assert nonce not in visitor.request.get(demo["base"]).headers["content-security-policy"]


@pytest.mark.usefixtures("ledger")
def test_the_tab_key_skips_to_the_page_and_a_new_page_takes_the_focus(page):
    page.keyboard.press("Tab")
    skip = page.get_by_role("link", name="To the page")
    expect(skip).to_be_focused()
    expect(skip).to_be_in_viewport()
    page.keyboard.press("Enter")
    expect(page.get_by_role("main")).to_be_focused()
    page.get_by_role("link", name="Scenarios").focus()
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="Scenarios")).to_be_visible()
    expect(page.get_by_role("main")).to_be_focused()
    expect(page).to_have_title("Scenarios, Lanternfall")


def test_day_turns_to_night_where_one_stands_and_the_trace_with_it(page, demo):
    run = page.request.get(f"{demo['base']}/api/runs/?book=lanternfall").json()["results"][0]["id"]
    page.goto(f"{demo['base']}/lanternfall/runs/{run}")
    # Is anything of the trace drawn in the ink of this light?
    inked = """() => {
      const [r, g, b] = getComputedStyle(document.body).color.match(/[0-9]+/g).map(Number);
      const c = document.querySelector('[data-testid=trace] canvas');
      const d = c.getContext('2d').getImageData(0, 0, c.width, c.height).data;
      for (let i = 0; i < d.length; i += 4)
        if (d[i] === r && d[i + 1] === g && d[i + 2] === b && d[i + 3] === 255) return `${r} ${g} ${b}`;
      return '';
    }"""
    page.locator("[data-testid=trace] canvas").first.wait_for()
    day = page.evaluate(inked)
    page.get_by_role("button", name="by night").click()
    page.get_by_role("button", name="by day").wait_for()
    night = page.evaluate(inked)
    assert day
    assert night
    assert day != night


def test_where_the_system_chooses_the_colours_drawings_keep_theirs(page, demo):
    page.emulate_media(forced_colors="active")
    page.goto(f"{demo['base']}/lanternfall/entries/3")
    strip = page.get_by_role("table", name="Figures").get_by_role("img").first
    assert strip.evaluate("e => getComputedStyle(e).forcedColorAdjust") == "none"
    assert strip.evaluate("e => getComputedStyle(e).backgroundColor") == "rgb(255, 253, 247)"
    page.goto(f"{demo['base']}/lanternfall")
    page.get_by_role("heading", name="Entries").wait_for()
    page.keyboard.press("j")
    row = page.locator("tr.Mui-selected")
    assert row.evaluate("e => getComputedStyle(e).outlineStyle") == "solid"


@pytest.mark.usefixtures("ledger")
def test_paper_takes_the_sheet_alone_by_day_and_every_row(page, demo):
    page.evaluate("localStorage.setItem('mui-mode', 'dark')")
    page.goto(f"{demo['base']}/lanternfall/runs")
    rows = page.get_by_role("table", name="Runs").locator("tbody tr[data-index]")
    rows.first.wait_for()
    assert rows.count() < 60
    page.evaluate("window.dispatchEvent(new Event('beforeprint'))")
    page.emulate_media(media="print")
    expect(rows).to_have_count(100)  # as many as were fetched
    expect(page.get_by_role("navigation", name="Sections")).to_be_hidden()
    expect(page.get_by_label("Find an entry")).to_be_hidden()
    ink = page.locator("h1").evaluate("e => getComputedStyle(e).color")
    assert max(int(part) for part in ink[4:-1].split(",")) < 60
    page.evaluate("window.dispatchEvent(new Event('afterprint'))")
    page.emulate_media(media="screen")
    expect(page.get_by_role("navigation", name="Sections")).to_be_visible()
