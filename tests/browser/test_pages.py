"""The interface as a user drives it, on the demo book."""

import re
import subprocess
import sys

import pytest
from bench.recording import as_toml, plan, quick
from playwright.sync_api import expect
from running_demo import sign_in

from browser.driving import until


def test_the_way_from_the_link_to_single_frames(visitor, demo):
    page = visitor
    sign_in(page, demo["link"])
    page.set_viewport_size({"width": 1280, "height": 1000})  # rows further down are drawn as they come into view
    expect(page.get_by_role("search").get_by_role("status")).to_have_text("12 entries")
    for word in ("Gain", "Regression", "Trade-off", "No material change", "Undecided"):
        expect(page.locator("[data-verdict]:visible", has_text=re.compile(f"^{word}$")).first).to_be_visible()
    expect(page.get_by_text("60 fps = 16.67 ms")).to_be_visible()
    expect(page.get_by_text("Unaccounted since no. 4").first).to_be_visible()

    for _ in range(10):
        page.keyboard.press("j")
    # Rows further down are drawn as they come into view.
    expect(page.locator("[data-verdict]:visible", has_text=re.compile("^Void$")).first).to_be_visible()
    page.keyboard.press("Enter")
    expect(page).to_have_url(re.compile(r"/lanternfall/entries/3$"))
    expect(page.get_by_role("heading", name="Reflections every second frame")).to_be_visible()
    expect(page.get_by_test_id("sentence")).to_contain_text(re.compile(r"A frame takes 1\.\d+ ms less .95 % interval"))
    row = page.get_by_role("table", name="Figures").get_by_role("row").nth(1)
    expect(row).to_contain_text("Mean frame")
    expect(row).to_contain_text("better")
    expect(page.get_by_text("1 of 16 runs did not complete: 1 crashed.")).to_be_visible()

    page.get_by_role("navigation", name="Leaves of the entry").get_by_role("link", name="Runs").click()
    marks = page.get_by_role("img", name="One mark per run, in the order recorded")
    width = marks.bounding_box()["width"]
    marks.hover(position={"x": 46 + 1.5 * (width - 54) / 16, "y": 60})
    page.get_by_role("link", name=re.compile(r"^Run 2, ")).click()
    expect(page.get_by_role("heading", name=re.compile("Run 2 of entry 3"))).to_be_visible()
    said = page.get_by_test_id("said")
    expect(said).to_have_text(re.compile(r"^[789],\d{3} frames as [2-4],\d{3} pairs of lowest and highest$"))
    box = page.get_by_test_id("trace").locator(".u-over").first.bounding_box()
    for _ in range(4):  # drag ever closer, to single frames
        before, drawn = page.url, said.inner_text()
        page.mouse.move(box["x"] + box["width"] * 0.45, box["y"] + 60)
        page.mouse.down()
        page.mouse.move(box["x"] + box["width"] * 0.55, box["y"] + 60, steps=4)
        page.mouse.up()
        expect(page).not_to_have_url(before)
        expect(said).not_to_have_text(drawn)
        page.wait_for_load_state("networkidle")
    window = re.search(r"from=(\d+)&to=(\d+)", page.url)
    frames = int(window[2]) - int(window[1])
    assert 0 < frames < 40
    expect(said).to_have_text(f"{frames} frames, each drawn")
    page.keyboard.press("Home")
    chosen = page.get_by_role("status", name="Chosen frame")
    expect(chosen).to_contain_text(f"Frame {int(window[1]):,}")
    page.keyboard.press("ArrowRight")
    expect(chosen).to_contain_text(f"Frame {int(window[1]) + 1:,}")
    run = page.url.split("/runs/")[1].split("?")[0]
    frame = int(window[1]) + 1
    trace = page.request.get(f"{demo['base']}/api/runs/{run}/trace/?start={frame}&stop={frame + 1}").json()
    expect(chosen).to_contain_text(f"{trace['low'][0]:.2f} ms")
    restored = page.url
    page.goto(restored)
    expect(page.get_by_role("status", name="Chosen frame")).to_contain_text(f"Frame {frame:,}")
    page.keyboard.press("t")
    expect(page.get_by_role("table", name="What is drawn").locator("tbody tr")).to_have_count(frames)
    page.keyboard.press("Escape")
    expect(page).not_to_have_url(re.compile("from="))
    assert all(url.startswith((demo["base"], "data:", "blob:")) for url in page.requests), page.requests


@pytest.mark.usefixtures("ledger")
def test_a_decision_moves_the_standing(page):
    mean = page.get_by_role("table", name="Where we stand").locator("tr", has_text="Mean frame")
    expect(mean).to_contain_text(re.compile(r"\d+\.\d\d ms"))
    stood = re.search(r"(\d+\.\d\d) ms", mean.inner_text())[1]
    page.locator("tr[data-link]", has_text="Lantern glow in one pass").click()
    page.get_by_label("Why, and what it costs elsewhere").fill("The tail suffers.")
    page.get_by_role("button", name="Keep").click()
    expect(page.get_by_role("note")).to_contain_text("Kept by Mira Quill")
    level = page.get_by_role("table", name="Figures").get_by_role("row").nth(1).locator("td").nth(2).inner_text()
    page.get_by_role("link", name="Ledger").click()
    assert stood not in level
    expect(mean).to_contain_text(level)
    expect(page.locator("tr[data-link]", has_text="Lantern glow in one pass")).to_contain_text("kept")


@pytest.mark.usefixtures("ledger")
def test_a_new_entry_is_opened_by_key_and_filled_by_a_recording(page, demo, tmp_path):
    page.keyboard.press("n")
    page.get_by_label("What changes").fill("Sparks from a table, second try")
    page.get_by_label("What is expected").fill("Less in the fireworks.")
    page.get_by_role("button", name="Open the entry").click()
    expect(page.get_by_text("Nothing is recorded yet", exact=True)).to_be_visible()
    number = int(page.url.rsplit("/", 1)[1])

    (tmp_path / "plan.toml").write_text(as_toml(plan(quick(12.0), quick(9.0), entry={"number": number})))
    command = [sys.executable, "-m", "vigilant.cli.main", "record"]
    token = (demo["var"] / "demo-token").read_text().strip()
    done = subprocess.run(
        [*command, str(tmp_path / "plan.toml"), "--spool", str(tmp_path / "spool"), "--server", demo["base"]],
        env={"VIGILANT_TOKEN": token, "PATH": "/usr/bin:/bin", "HOME": str(tmp_path)},
        capture_output=True,
        text=True,
        check=False,
    )
    assert done.returncode == 0, done.stderr
    assert f"Entry {number}: {demo['base']}/lanternfall/entries/{number}" in done.stderr
    page.reload()
    expect(page.get_by_role("article").locator("[data-verdict]").first).to_have_text("Gain")
    sentence = page.get_by_test_id("sentence").inner_text()
    assert " ".join(sentence.split()) in " ".join(done.stdout.split())  # one answer in both


@pytest.mark.usefixtures("ledger")
def test_find_keys_and_neighbours(page):
    page.keyboard.press("/")
    page.keyboard.type("awnings")
    expect(page.locator("tr[data-link]")).to_have_count(1)
    page.keyboard.press("Escape")
    page.locator("tr[data-link]").click()
    expect(page.get_by_role("heading", name="Draw awnings front to back")).to_be_visible()
    page.keyboard.press("Shift+K")
    expect(page.get_by_role("heading", name="Reflections every second frame")).to_be_visible()
    expect(page).to_have_url(re.compile("entries/3$"))
    page.keyboard.press("Shift+J")
    expect(page).to_have_url(re.compile("entries/4$"))
    page.keyboard.press("?")
    expect(page.get_by_role("dialog", name="Keys")).to_contain_text("next and previous entry")
    page.keyboard.press("Escape")
    page.get_by_role("button", name="by night").click()
    assert page.evaluate("getComputedStyle(document.body).backgroundColor") == "rgb(20, 24, 29)"


@pytest.mark.usefixtures("ledger")
def test_a_figure_explains_itself_on_focus(page):
    page.goto(page.url + "/entries/1")
    page.get_by_role("table", name="Figures").get_by_text("Slowest 1 %", exact=True).focus()
    expect(page.get_by_role("tooltip")).to_have_text("Mean of the slowest hundredth of a run's frames.")


@pytest.mark.parametrize(
    ("path", "text"),
    [
        ("/lanternfall/entries/999", "There is nothing at this address"),
        ("/lanternfall/runs/00000000-0000-0000-0000-000000000000", "There is nothing at this address"),
        ("/lanternfall/nowhere", "There is nothing at this address"),
        ("/riverside", "No book “riverside” is open to you"),
        ("/lanternfall?find=zeppelin", 'No entry says "zeppelin"'),
    ],
)
def test_what_is_not_there_says_so(path, text, page, demo):
    page.goto(demo["base"] + path)
    expect(page.get_by_text(text)).to_be_visible()


@pytest.mark.usefixtures("ledger")
def test_a_server_that_fails_is_named_and_tried_again(page):
    page.route("**/standing/", lambda route: route.fulfill(status=500, body="{}", content_type="application/json"))
    page.reload()
    expect(page.get_by_role("alert")).to_contain_text("This could not be shown")
    page.unroute("**/standing/")
    page.get_by_role("button", name="Try again").click()
    expect(page.get_by_role("heading", name="Entries")).to_be_visible()


def test_without_the_link_nothing_is_readable(visitor, demo):
    visitor.goto(demo["base"] + "/lanternfall")
    expect(visitor.get_by_role("button", name="Sign in")).to_be_visible()
    visitor.get_by_label("Name").fill("mira")
    visitor.get_by_label("Password").fill("guess")
    visitor.get_by_role("button", name="Sign in").click()
    expect(visitor.get_by_role("alert")).to_have_text("Name and password do not fit together.")
    visitor.goto(demo["base"] + "/sign-in/wrong")
    expect(visitor.get_by_text("This sign-in link is not good any more.")).to_be_visible()


def test_nothing_is_wider_than_the_window(page, demo):
    for path in (
        "",
        "/entries/1",
        "/entries/1/course",
        "/entries/1/stutters",
        "/runs",
        "/bench",
        "/bench/plan",
        "/bench/rigs",
        "/arms?arm=9.before&arm=9.after&arm=10.after&against=all",
        "/chain?entry=1&entry=3",
        "/scenarios/1",
        "/scenarios/write",
    ):
        page.goto(f"{demo['base']}/lanternfall{path}")
        page.get_by_role("main").locator("h1, h2").first.wait_for()
        page.wait_for_load_state("networkidle")
        for width in (390, 640, 1024, 2560):  # 640 is 1280 at 200 %
            page.set_viewport_size({"width": width, "height": 800})
            fits = "width => document.documentElement.scrollWidth <= width"
            if width > 760:  # below it a wide table may be scrolled within its sheet
                main = "document.querySelector('main')"
                fits = f"width => ({fits})(width) && {main}.scrollWidth <= {main}.clientWidth"
            until(page, fits, width)


def test_runs_are_read_on_a_narrow_screen(page, demo):
    page.set_viewport_size({"width": 390, "height": 800})
    page.goto(f"{demo['base']}/lanternfall/runs?outcome=crashed")
    crashed = page.get_by_role("table", name="Runs").locator("tbody tr[data-index]")
    expect(crashed.get_by_text("(ended by SIGSEGV)").filter(visible=True)).to_have_count(1)
    mean = page.get_by_role("columnheader", name="Mean ms").bounding_box()
    assert mean["x"] + mean["width"] <= 390


@pytest.mark.usefixtures("ledger")
def test_arms_are_chosen_from_entries_and_from_runs_and_a_pair_is_kept(page, demo):
    page.get_by_role("link", name="Arms", exact=True).click()
    expect(page.get_by_text("No arm is chosen yet")).to_be_visible()
    for arm in ("9.before", "9.after"):
        number, side = arm.split(".")
        page.get_by_label("Another arm").fill(number)
        page.get_by_role("option", name=f"no. {number} {side}").click()
    pairs = page.get_by_role("table", name="Pairs").locator("tbody tr")
    expect(pairs).to_have_count(1)
    page.get_by_role("link", name="or from single runs").click()
    page.get_by_label("In the names of builds, scenarios and rigs").fill("AT A THIRD")
    third = page.get_by_role("row").filter(has_text="Reflections at a third")
    expect(third).to_have_count(5)
    third.first.get_by_role("checkbox").check()
    third.last.get_by_role("checkbox").click(modifiers=["Shift"])  # and all between
    expect(page.get_by_role("status")).to_have_text("5 ticked")
    page.get_by_role("button", name="Make an arm of them").click()
    expect(pairs).to_have_count(2)
    page.get_by_label("Held against").select_option("every pair")
    expect(pairs).to_have_count(3)
    places = page.get_by_role("table", name="Places").locator("tbody tr")
    expect(places).to_have_count(3)
    expect(places.filter(has_text="Reflections at full size").locator("td").nth(1)).to_have_text("3")
    pairs.nth(1).click()
    expect(page.get_by_role("heading", name="Reflections at a third against Reflections at full size")).to_be_visible()
    restored = page.url
    page.goto(restored)
    expect(page.get_by_role("heading", name="Reflections at a third against Reflections at full size")).to_be_visible()
    sentence = page.get_by_test_id("sentence").inner_text()
    mean = page.get_by_role("table", name="Figures").get_by_role("row").nth(1).inner_text()
    page.get_by_role("button", name="Write it into the ledger").click()
    expect(page).to_have_url(re.compile(r"/entries/\d+$"))
    expect(page.get_by_text("compared after the fact")).to_be_visible()
    assert page.get_by_role("table", name="Figures").get_by_role("row").nth(1).inner_text() == mean
    assert "A frame takes" in sentence


def test_arms_that_cannot_stand_side_by_side_say_why(page, demo):
    page.goto(f"{demo['base']}/lanternfall/arms?arm=1.before&arm=8.after")
    expect(page.get_by_role("alert")).to_contain_text("Entry 8 has no runs after.")
    page.goto(f"{demo['base']}/lanternfall/arms?arm=1.after&arm=3.before")
    expect(page.get_by_test_id("sentence")).to_contain_text("One arm was recorded after the other")
    expect(page.get_by_role("table", name="Figures")).to_contain_text("not certifiable")


@pytest.mark.usefixtures("ledger")
def test_the_steps_of_a_chain_are_ticked_and_their_product_is_held_against_the_total(page):
    page.get_by_role("link", name="Arms", exact=True).click()
    page.get_by_role("link", name="Do the steps add up?").click()
    expect(page.get_by_text("A chain has two steps or more")).to_be_visible()
    page.get_by_label("Step 1", exact=True).check()
    page.get_by_label("In titles and reasons").fill("second frame")  # what is ticked stays in sight
    page.get_by_label("Step 3", exact=True).check()
    expect(page.get_by_role("table", name="Steps").get_by_role("row")).to_have_count(3)
    page.get_by_label("In titles and reasons").fill("")
    row = page.get_by_role("table", name="Closing").get_by_role("row").nth(1)
    expect(row).to_contain_text("Mean frame")
    factors = [float(page.get_by_role("row").filter(has_text=title).locator("td").nth(3).inner_text().split()[0])
               for title in ("Find neighbour boats by river cell", "Reflections every second frame")]  # fmt: skip
    assert abs(float(row.locator("td").nth(1).inner_text().split()[0]) - factors[0] * factors[1]) < 0.002
    expect(page.get_by_text("First and last were recorded apart")).to_be_visible()
    page.get_by_label("Total").select_option("6")
    expect(page.get_by_role("columnheader", name="95 % interval")).to_be_visible()
    expect(page.get_by_text("Something else changed between the steps").first).to_be_visible()


def test_the_planner_of_a_scenario_says_what_runs_would_see(page, demo):
    page.goto(demo["base"] + "/lanternfall/scenarios/1")
    table = page.get_by_role("table", name="On thin laptop")
    mean = table.get_by_role("row").filter(has_text="Mean frame")
    expect(mean).to_contain_text("2.0 %")
    page.get_by_label("Change to see").fill("1")
    runs = mean.locator("td").last
    expect(table.get_by_role("columnheader", name="Runs for 1 %")).to_be_visible()
    few = int(runs.inner_text())
    page.get_by_label("Change to see").fill("0.5")
    expect(table.get_by_role("columnheader", name="Runs for 0.5 %")).to_be_visible()
    assert int(runs.inner_text()) > 2 * few
    page.get_by_label("Unit of the change").select_option("frames a second")
    page.get_by_label("Change to see").fill("5")
    expect(table.get_by_role("columnheader", name="Runs for 5 fps")).to_be_visible()
    expect(
        page.get_by_text(re.compile(r"^5\.0 frames a second more, from [\d.]+, is [\d.]+ ms less a frame"))
    ).to_be_visible()
    page.get_by_label("Unit of the change").select_option("%")
    page.get_by_label("Change to see").fill("none")
    expect(page.get_by_text("(0.01 to 100)")).to_be_visible()
    expect(page.get_by_text("8 + 8 runs: nothing was called different, and nothing is.")).to_be_visible()
    page.get_by_role("button", name="Plan a blank test").click()
    expect(page.get_by_role("heading", name="Plan a blank test")).to_be_visible()
    expect(page.get_by_role("table", name="Arms").locator("tbody tr")).to_have_count(1)
