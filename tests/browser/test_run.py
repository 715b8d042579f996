"""A run beside another: laid under it, lanes and a counter of one's choice, its legs and its stutters."""

import re

from playwright.sync_api import expect

from browser.driving import until


def pixels(page):
    return page.evaluate("document.querySelector('[data-testid=trace] canvas').toDataURL()")


def test_another_run_lies_under_it_with_lanes_and_a_counter_of_choice(page, demo):
    entry = page.request.get(f"{demo['base']}/api/books/lanternfall/entries/3/").json()
    run = next(d for d in entry["dots"] if d["counted"] and d["arm"] == "after")
    other = next(d for d in entry["dots"] if d["counted"] and d["arm"] == "before")
    page.goto(f"{demo['base']}/lanternfall/runs/{run['run']}?from=1000&to=1400")
    beside = page.get_by_role("group", name="Beside the frames")
    expect(beside).to_be_visible()
    alone = pixels(page)
    with page.expect_response(lambda r: f"{other['run']}/trace" in r.url and "from_s" in r.url) as asked:
        beside.get_by_label("Another run under it").select_option(f"run {other['position'] + 1}, before, under it")
    under = asked.value.json()
    own = page.request.get(f"{demo['base']}/api/runs/{run['run']}/trace/?start=1000&stop=1400").json()
    # The same time since its start, whichever frames those are.
    assert abs(under["start_s"][0] - own["start_s"][0]) < 0.05
    assert abs(under["start_s"][-1] - own["start_s"][-1]) < 0.05
    expect(page).to_have_url(re.compile(f"under={other['run']}"))
    until(page, "b => document.querySelector('[data-testid=trace] canvas').toDataURL() !== b", alone)
    plots = page.get_by_test_id("trace").locator("canvas")
    expect(plots).to_have_count(2)
    beside.get_by_label("Counter").select_option("draws")
    expect(plots).to_have_count(3)
    for name in ("main", "gpu"):
        beside.get_by_label(name).click()
    expect(plots).to_have_count(2)
    page.reload()
    expect(beside.get_by_label("Counter")).to_have_value("draws")
    expect(beside.get_by_label("gpu")).not_to_be_checked()
    expect(beside.get_by_label("Another run under it")).to_have_value(other["run"])


def test_a_leg_and_a_stutter_of_the_lists_are_shown(page, demo):
    entry = page.request.get(f"{demo['base']}/api/books/lanternfall/entries/3/").json()
    run = next(d["run"] for d in entry["dots"] if d["counted"])
    api = page.request.get(f"{demo['base']}/api/runs/{run}/").json()
    page.goto(f"{demo['base']}/lanternfall/runs/{run}")
    legs = page.get_by_role("table", name="Legs of the run")
    expect(legs.locator("tbody tr")).to_have_count(5)
    legs.get_by_role("button", name="rain on open water").click()
    begin, end = (api["legs"][i]["index"] for i in (2, 3))
    expect(page).to_have_url(re.compile(f"from={begin}&to={end}"))
    largest = max(api["stutters"], key=lambda s: s["size_ms"])
    rows = page.get_by_role("table", name="Stutters of the run").locator("tbody tr")
    expect(rows.first).to_contain_text(f"{largest['size_ms']:.1f}")
    rows.first.get_by_role("button").click()
    expect(page.get_by_role("status", name="Chosen frame")).to_contain_text(f"Frame {largest['worst']:,}")
