"""What stands behind a verdict: leaves are turned, the course and its legs, stutters that recur, remarks that lead there."""

import re

from playwright.sync_api import expect


def leaves(page):
    return page.get_by_role("navigation", name="Leaves of the entry")


def test_leaves_are_turned_by_link_and_key_and_load_only_what_is_open(page, demo):
    asked = []
    page.on("request", lambda r: asked.append(r.url) if "/evidence/" in r.url else None)
    page.goto(f"{demo['base']}/lanternfall/entries/3")
    expect(page.get_by_role("table", name="Figures")).to_be_visible()
    assert asked == []
    expect(leaves(page).get_by_role("link", name="Verdict")).to_have_attribute("aria-current", "page")
    page.keyboard.press(".")
    expect(page).to_have_url(re.compile("/entries/3/spread$"))
    expect(page.get_by_role("table", name="Frames over the budget")).to_be_visible()
    page.keyboard.press(".")
    expect(page).to_have_url(re.compile("/entries/3/course$"))
    expect(page.get_by_role("table", name="Legs")).to_be_visible()
    assert [re.search(r"evidence/(\w+)/", url)[1] for url in asked] == ["spread", "course"]
    page.keyboard.press("Shift+J")
    expect(page).to_have_url(re.compile("/entries/4/course$"))
    expect(page.get_by_text("Entry 4: ")).to_be_visible()
    page.keyboard.press(",")
    expect(page).to_have_url(re.compile("/entries/4/spread$"))
    page.goto(f"{demo['base']}/lanternfall/entries/3/stickers")
    expect(page.get_by_text("There is nothing at this address")).to_be_visible()


def test_the_course_shows_where_the_change_is_leg_by_leg(page, demo):
    page.goto(f"{demo['base']}/lanternfall/entries/3/course")
    api = page.request.get(f"{demo['base']}/api/books/lanternfall/entries/3/evidence/course/").json()
    expect(page.get_by_text(api["sentence"])).to_be_visible()
    read = page.get_by_role("slider", name="Frame times along the course")
    read.focus()
    page.keyboard.press("Home")
    size = f"{abs(api['difference_ms'][0]):.2f} ms saved"
    expect(read).to_have_attribute("aria-valuetext", re.compile(rf"^0.0 to .*, landing stage: .*{re.escape(size)}"))
    rows = page.get_by_role("table", name="Legs").locator("tbody tr")
    expect(rows).to_have_count(5)
    rain = api["legs"][2]["figures"]["mean_ms"]["words"]
    expect(rows.nth(2)).to_contain_text(f"rain on open water{rain['before']}{rain['after']}{rain['difference']}")
    for said in api["said"]["mean_ms"]:
        expect(page.get_by_text(said)).to_be_visible()
    page.get_by_label("Figure of the legs").select_option("Late frames")
    expect(page).to_have_url(re.compile("figure=late_share"))
    page.get_by_label("draws").click()
    expect(page).to_have_url(re.compile("with=counter%3Adraws"))
    expect(page.get_by_role("img", name="Frame times along the course").get_by_text("draws")).to_be_visible()
    page.get_by_label("Where a frame is").select_option("placed by draws")
    # It falls again and again: nothing is drawn by it, and there is a way back.
    expect(page.get_by_role("alert")).to_contain_text("draws")
    page.get_by_role("button", name="Place frames by leg instead").click()
    expect(page.get_by_role("img", name="Frame times along the course")).to_be_visible()
    page.keyboard.press("t")
    expect(page.get_by_role("table", name="What is drawn").locator("tbody tr")).to_have_count(len(api["edges_s"]) - 1)


def test_a_stutter_that_is_gone_is_remarked_bracketed_and_opened(page, demo):
    page.goto(f"{demo['base']}/lanternfall/entries/1")
    remark = page.get_by_role("list", name="Remarks").get_by_role("listitem").filter(has_text="is gone: 8 of 8 runs before, 0 of 8 after")  # fmt: skip
    remark.get_by_role("link", name="stutters").click()
    expect(page).to_have_url(re.compile("/entries/1/stutters$"))
    strip = page.get_by_role("img", name="Stutters along the course")
    expect(strip.get_by_text("8 of 8", exact=True)).to_be_visible()
    page.get_by_label("Kind of stutters").select_option("recurring")
    rows = page.get_by_role("table", name="Stutters", exact=True).locator("tbody tr")
    expect(rows).to_have_count(8)
    expect(rows.first).to_contain_text("rain on open water")
    expect(rows.first).to_contain_text("main")  # the lane that stood out
    page.get_by_label("Arm of the stutters").select_option("after")
    expect(rows).to_have_count(0)
    page.get_by_label("Arm of the stutters").select_option("before")
    link = rows.first.get_by_role("link").first
    frame = re.search(r"frame ([\d,]+)", link.inner_text())[1]
    link.click()
    expect(page.get_by_role("status", name="Chosen frame")).to_contain_text(f"Frame {frame}")
    page.go_back()
    expect(page.get_by_label("Kind of stutters")).to_have_value("recurring")


def test_on_a_narrow_screen_the_row_is_a_chooser(page, demo):
    page.set_viewport_size({"width": 390, "height": 800})
    page.goto(f"{demo['base']}/lanternfall/entries/1")
    page.get_by_label("Leaf").select_option("Stutters")
    expect(page).to_have_url(re.compile("/entries/1/stutters$"))
    expect(page.get_by_role("img", name="Stutters along the course")).to_be_visible()


def test_the_method_says_what_a_naive_reading_would_have_said(page, demo):
    page.goto(f"{demo['base']}/lanternfall/entries/4/method")
    table = page.get_by_role("table", name="What naive readings would have said")
    expect(table.get_by_role("row")).to_have_count(8)
    api = page.request.get(f"{demo['base']}/api/books/lanternfall/entries/4/").json()
    expect(page.get_by_text(f"The comparison: {api['result']['sentence']}")).to_be_visible()
    # No change is shown, and frames pooled call one all the same.
    assert api["verdict"] == "no material change"
    expect(table.get_by_role("row").filter(has_text="All frames pooled")).to_contain_text("p ")


def test_the_work_leaf_says_what_changed_in_which_lane_and_what_is_left(page, demo):
    page.goto(f"{demo['base']}/lanternfall/entries/13/work")
    api = page.request.get(f"{demo['base']}/api/books/lanternfall/entries/13/evidence/work/").json()
    expect(page.get_by_text(api["overlap"])).to_be_visible()
    rows = page.get_by_role("table", name="Lanes").locator("tbody tr")
    expect(rows).to_have_count(len(api["lanes"]) + 1)
    words = {lane["name"]: lane["words"] for lane in api["lanes"]}["rendering"]
    cells = rows.filter(has_text="rendering").locator("td")
    expect(cells.nth(3)).to_have_text(words["difference"])  # in the column of what was saved
    expect(cells.nth(4)).to_have_text("")
    expect(cells.nth(6)).to_have_text("less")
    expect(rows.filter(has_text="animation callbacks").locator("td").last).to_have_text("not shown")
    for room in api["headroom"]:
        expect(page.get_by_text(room["said"])).to_be_visible()
    page.get_by_text("Headroom", exact=True).hover()
    expect(page.get_by_text("what more it could carry")).to_be_visible()
