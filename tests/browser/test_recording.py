"""From a scenario and a goal to a recording watched as it goes on, and the entry that comes of it."""

import re

import pytest
from playwright.sync_api import expect

from browser.driving import LONG_MS, RUN_S, posted


def plan(page, title, runs):
    page.get_by_role("button", name="Plan a recording").click()
    page.get_by_label("What changes").fill(title)
    for arm, kind in (("before", "pairs"), ("after", "cells")):
        page.get_by_label(f"Subject of {arm}").fill("lanternfall")
        page.get_by_label(f"Arguments of {arm}").fill(f"--neighbours {kind}")
    page.get_by_label("Runs an arm").fill(str(runs))
    expect(page.get_by_label("Record on")).to_have_value("workbench", timeout=LONG_MS)
    page.get_by_role("button", name="Start recording").click()


def test_a_recording_is_planned_watched_paused_gone_on_with_and_becomes_its_entry(scenario):
    page = scenario
    plan(page, "Neighbours by cell", 3)
    expect(page.get_by_text(re.compile(r"^Now: run 1"))).to_be_visible(timeout=LONG_MS)
    expect(page.get_by_text(re.compile(r"Mean over the last \d\.\d\d s \(\d+ frames\)"))).to_be_visible(timeout=LONG_MS)
    expect(page.get_by_text(re.compile(r"This view costs 0\.\d+ ms of processor time a frame"))).to_be_visible()
    page.get_by_role("button", name="Pause after this run").click()
    expect(page.get_by_role("status").filter(has_text="Paused before run")).to_be_visible(timeout=LONG_MS)
    done = page.get_by_role("list", name="Schedule").get_by_role("link")
    expect(done.first).to_be_visible()  # a run is a link once it is closed
    assert done.count() < 6
    page.get_by_role("button", name="Go on").click()
    page.get_by_role("link", name="Read the verdict").click(timeout=LONG_MS)
    expect(page.get_by_role("heading", name="Neighbours by cell")).to_be_visible()
    expect(page.get_by_text(f"3 + 3 runs of {RUN_S} s, interleaved")).to_be_visible()
    page.get_by_role("navigation", name="Leaves of the entry").get_by_role("link", name="Method").click()
    page.get_by_role("button", name="show all").click()
    sheet = page.get_by_role("table", name="Conditions")
    expect(sheet.get_by_role("row", name=re.compile("^build release release"))).to_be_visible()


def tab_to(page, target, by="Tab"):
    """Press Tab, as who has no mouse, until the target has the focus."""
    expect(target).to_be_visible()
    for _ in range(120):
        if target.evaluate("e => e === document.activeElement"):
            # What has the focus shows it.
            assert (
                target.evaluate("e => getComputedStyle(e.closest('.MuiInputBase-root') ?? e).outlineStyle") == "solid"
            )
            return
        page.keyboard.press(by)
    raise AssertionError(f"{target} is not reached by {by}")


def test_the_whole_way_from_a_goal_to_a_decision_by_the_keyboard_alone(scenario):
    page = scenario
    page.keyboard.press("Tab")
    tab_to(page, page.get_by_role("button", name="Another goal"))
    page.keyboard.press("Enter")
    tab_to(page, page.get_by_label("Figure"))
    page.keyboard.type("Late")
    tab_to(page, page.get_by_label("Threshold"))
    page.keyboard.type("50")
    page.keyboard.press("Enter")
    expect(page.get_by_text(re.compile("^Late frames: at most 50 %"))).to_be_visible()

    tab_to(page, page.get_by_role("button", name="Plan a recording"), "Shift+Tab")
    page.keyboard.press("Enter")
    tab_to(page, page.get_by_label("What changes"))
    page.keyboard.type("Neighbours, without a mouse")
    for arm, kind in (("before", "pairs"), ("after", "cells")):
        tab_to(page, page.get_by_label(f"Subject of {arm}"))
        page.keyboard.type("lanternfall")
        tab_to(page, page.get_by_label(f"Arguments of {arm}"))
        page.keyboard.type(f"--neighbours {kind}")
    runs = page.get_by_label("Runs an arm")
    tab_to(page, runs)
    page.keyboard.press("Control+a")
    page.keyboard.type("3")
    expect(page.get_by_label("Record on")).to_have_value("workbench", timeout=LONG_MS)
    tab_to(page, page.get_by_role("button", name="Start recording"))
    page.keyboard.press("Enter")

    verdict = page.get_by_role("link", name="Read the verdict")
    expect(verdict).to_be_visible(timeout=LONG_MS)
    tab_to(page, verdict)
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="Neighbours, without a mouse")).to_be_visible()
    expect(page.get_by_role("navigation", name="Leaves of the entry")).to_be_visible()
    for leaf in ("spread", "course", "stutters", "work", "stills", "watch", "runs"):
        page.keyboard.press(".")
        expect(page).to_have_url(re.compile(f"/{leaf}$"))
        if leaf == "work":  # the part that the change is about
            # What it counts, not what it takes: whether three runs show that depends on what else the machine does.
            part = page.get_by_role("table", name="Parts").get_by_role("row").filter(has_text="find neighbours")
            counts = part.get_by_role("cell", name=re.compile(r"^[\d,]+ to [\d,]+$")).last.inner_text()
            before, after = (int(number.replace(",", "")) for number in counts.split(" to "))
            assert before > 2 * after, counts
    tab_to(page, page.get_by_role("link", name=re.compile("^Run 6, ")))
    page.keyboard.press("Home")
    expect(page.get_by_role("link", name=re.compile("^Run 1, "))).to_be_focused()
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", level=1)).to_contain_text("Run 1 of entry")
    page.keyboard.press("ArrowRight")
    expect(page.get_by_role("status", name="Chosen frame")).to_be_visible()
    tab_to(page, page.get_by_role("link", name="Neighbours, without a mouse"))
    page.keyboard.press("Enter")
    why = page.get_by_label("Why, and what it costs elsewhere")
    tab_to(page, why)
    page.keyboard.type("Fewer pairs are looked at.")
    tab_to(page, page.get_by_role("button", name="Keep", exact=True))
    page.keyboard.press("Enter")
    expect(page.get_by_role("note")).to_contain_text("Kept by Mira Quill")


def test_a_recording_goes_on_until_it_is_decided_and_its_entry_answers_a_claim(scenario):
    page = scenario
    page.get_by_role("button", name="Plan a recording").click()
    page.get_by_label("What changes").fill("Neighbours, until decided")
    for arm, kind in (("before", "pairs"), ("after", "cells")):
        page.get_by_label(f"Subject of {arm}").fill("lanternfall")
        page.get_by_label(f"Arguments of {arm}").fill(f"--neighbours {kind} --seconds 1")
    page.get_by_label("How long").select_option("until decided")
    expect(page.get_by_label("Most runs an arm")).to_have_value("15")
    page.get_by_label("Most runs an arm").fill("6")
    expect(page.get_by_label("Record on")).to_have_value("workbench", timeout=LONG_MS)
    page.get_by_role("button", name="Start recording").click()
    expect(page.get_by_text("the first look is after 4 of at most 6 pairs")).to_be_visible()
    looks = page.get_by_role("table", name="Looks")
    expect(looks.get_by_role("row", name=re.compile("^4 "))).to_be_visible(timeout=LONG_MS)
    page.get_by_role("link", name="Read the verdict").click(timeout=LONG_MS)
    expect(page.get_by_role("table", name="Guards and work")).to_contain_text("same work")
    page.get_by_label("What is claimed").fill("100x")
    page.get_by_role("button", name="Check it").click()
    expect(page.get_by_role("status").filter(has_text="does not hold")).to_be_visible()
    leaves = page.get_by_role("navigation", name="Leaves of the entry")
    leaves.get_by_role("link", name="Spread").click()
    expect(page.get_by_role("img", name="Difference at every quantile")).to_be_visible()
    leaves.get_by_role("link", name="Runs").click()
    planner = page.get_by_role("table", name="What more runs would see")
    expect(planner.get_by_role("row", name=re.compile("^Mean frame"))).to_contain_text("2.0 %")
    leaves.get_by_role("link", name="Method").click()
    expect(page.get_by_text("The unit of evidence is the run")).to_be_visible()


def test_a_run_is_skipped_and_the_rest_stopped_and_kept(scenario):
    page = scenario
    plan(page, "Stopped halfway", 4)
    places = page.get_by_role("list", name="Schedule")
    expect(page.get_by_text(re.compile(r"^Now: run 1"))).to_be_visible(timeout=LONG_MS)
    page.get_by_role("button", name="Skip this run").click()
    page.get_by_role("button", name="No", exact=True).click()
    page.get_by_role("button", name="Skip this run").click()
    page.get_by_role("button", name="Skip it").click()
    expect(places.get_by_text("skipped", exact=True)).to_be_visible(timeout=LONG_MS)
    expect(page.get_by_text(re.compile(r"^Now: run [5-8]"))).to_be_visible(timeout=LONG_MS)
    page.get_by_role("button", name="Stop and keep").click()
    expect(page.get_by_role("dialog", name="End the recording here?")).to_contain_text("is kept and compared")
    page.get_by_role("button", name="Stop it").click()
    expect(page.get_by_text("stopped by hand")).to_be_visible(timeout=LONG_MS)
    page.get_by_role("link", name="Read the verdict").click()
    expect(page.get_by_text(re.compile("fewer than the recommended|a single run")).first).to_be_visible()


def test_a_plan_for_elsewhere_shows_its_command_and_can_be_called_off(scenario):
    page = scenario
    page.get_by_role("button", name="Plan a recording").click()
    page.get_by_label("What changes").fill("Elsewhere")
    for arm in ("before", "after"):
        page.get_by_label(f"Subject of {arm}").fill("lanternfall")
    page.get_by_label("Record on").select_option("elsewhere")
    page.get_by_role("button", name="Plan it").click()
    expect(page.get_by_text(re.compile(r"vigilant record --entry \d+"))).to_be_visible()
    assert page.evaluate("Object.keys(localStorage).filter((key) => key.startsWith('draft'))") == ["draft owner"]
    page.get_by_role("button", name="Call it off").click()
    page.get_by_role("dialog").get_by_role("button", name="Call it off").click()
    expect(page.get_by_text("called off before it began")).to_be_visible()


def test_a_plan_that_cannot_be_followed_is_refused_with_its_reason(scenario):
    page = scenario
    page.get_by_role("button", name="Plan a recording").click()
    page.get_by_label("What changes").fill("One name twice")
    for arm in ("before", "after"):
        page.get_by_label(f"Build of {arm}").fill("release")
        page.get_by_label(f"Subject of {arm}").fill("lanternfall")
    page.get_by_label("Record on").select_option("elsewhere")
    page.get_by_role("button", name="Plan it").click()
    expect(page.get_by_role("alert")).to_have_text(re.compile("two arms have one name: release, release"))


def test_a_goal_is_set_and_moved_and_results_are_shown_under_both(page, demo):
    page.goto(f"{demo['base']}/lanternfall/scenarios")
    page.get_by_role("link", name="River course", exact=True).click()
    page.get_by_role("button", name="Another goal").click()
    page.get_by_label("Figure").select_option("slowest_1pct_ms")
    page.get_by_label("Threshold").fill("10")
    page.get_by_label("On the rig").fill("thin laptop")
    page.get_by_role("button", name="Set the goal").click()
    said = "Slowest 1 %: at most 10 ms, on thin laptop"
    item = page.get_by_role("listitem").filter(has_text=said)
    item.get_by_role("button", name="move").click()
    item.get_by_label("New threshold").fill("30")
    item.get_by_label("Why it is moved").fill("ten was a wish")
    item.get_by_role("button", name="Move the goal").click()
    expect(page.get_by_text("Slowest 1 %: at most 30 ms, on thin laptop")).to_be_visible()
    page.goto(f"{demo['base']}/lanternfall/entries/1")
    row = page.get_by_role("table", name="Goals").get_by_role("row").filter(has_text="Slowest 1 %")
    expect(row.get_by_text("met", exact=True)).to_be_visible()
    expect(row).to_contain_text("at most 10 ms: not met under it (ten was a wish)")
    hand = page.get_by_role("table", name="Goals").get_by_role("row").filter(has_text="on handheld")
    expect(hand).to_contain_text("extrapolated from another rig, never proof")


def test_a_used_scenario_gets_a_new_version_that_says_what_changed(page, demo):
    page.goto(f"{demo['base']}/lanternfall/scenarios")
    page.get_by_role("link", name="River course", exact=True).click()
    page.get_by_role("button", name="Write a new version").click()
    page.get_by_label("Warm-up").fill("5")
    page.get_by_role("button", name="another leg").click()
    page.get_by_label("Leg 1", exact=True).fill("landing stage")
    page.get_by_label("not play").check()
    page.get_by_role("button", name="Keep this version").click()
    versions = page.get_by_role("table", name="Versions")
    expect(versions).to_contain_text("Legs: not stated landing stage (not play)")
    expect(versions).to_contain_text("Warm-up: ")


def test_a_run_is_played_by_hand_with_a_mark(scenario):
    page = scenario
    page.get_by_role("button", name="Plan a recording").click()
    page.get_by_label("What changes").fill("Played by a person")
    for arm in ("before", "after"):
        page.get_by_label(f"Subject of {arm}").fill("lanternfall")
        page.get_by_label(f"Arguments of {arm}").fill("--seconds 300")
    page.get_by_label("Runs an arm").fill("1")
    page.get_by_label("Played").select_option("by hand")
    expect(page.get_by_label("Record on")).to_have_value("workbench", timeout=LONG_MS)
    page.get_by_role("button", name="Start recording").click()
    for number in (1, 2):
        expect(page.get_by_text(re.compile(rf"^Now: run {number}"))).to_be_visible(timeout=LONG_MS)
        expect(page.get_by_text(re.compile(r"Mean over the last"))).to_be_visible(timeout=LONG_MS)
        page.get_by_label("Name of the mark").fill("the mooring")
        page.get_by_role("button", name="Set a mark").click()
        expect(page.get_by_text("the mooring is marked")).to_be_visible()
        expect(page.get_by_text(re.compile(r"\b[2-9]\d* of \d+ s"))).to_be_visible(timeout=LONG_MS)
        page.get_by_role("button", name="End this run").click()
    page.get_by_role("link", name="Read the verdict").click(timeout=LONG_MS)
    expect(page.get_by_text(re.compile("^Played by hand: runs differ by"))).to_be_visible()
    page.get_by_role("navigation", name="Leaves of the entry").get_by_role("link", name="Runs").click()
    page.get_by_role("link", name=re.compile(r"^Run \d+, ")).click()
    expect(page.get_by_test_id("overview")).to_be_visible()
    run = page.request.get(f"{page.url.split('/lanternfall')[0]}/api/runs/{page.url.split('/runs/')[1]}/").json()
    assert "the mooring" in [leg["name"] for leg in run["legs"]]
    assert run["conditions"]["played"] == "by hand"


def test_what_a_definition_says_beyond_the_form_stays(page, demo):
    definition = {
        "target_fps": 60, "duration_s": 30, "settle": {"counter": "boats", "within": 0.07, "for_s": 2},
        "policy": {"primaries": ["p90_ms", "mean_ms"], "margins": {"p90_ms": 0.07, "late_share": 0.003},
                   "must_match": ["driver"], "late_tolerance": 0.1},
    }  # fmt: skip
    written = {"name": "Written elsewhere", "definition": definition}
    made = posted(page, f"{demo['base']}/api/books/lanternfall/scenarios/", written)
    page.goto(f"{demo['base']}/lanternfall/scenarios/{made['id']}")
    page.get_by_role("button", name="Change it").click()
    page.get_by_label("Seconds a run").fill("45")
    page.get_by_role("button", name="Keep this version").click()
    expect(page.get_by_role("heading", name="Versions")).to_be_visible()
    kept = page.request.get(f"{demo['base']}/api/books/lanternfall/scenarios/{made['id']}/").json()["definition"]
    assert kept["duration_s"] == 45
    assert kept["settle"] == definition["settle"]
    assert {k: kept["policy"][k] for k in definition["policy"]} == {
        **definition["policy"],
        "primaries": ["mean_ms", "p90_ms"],
    }


def test_a_blank_test_is_planned_from_the_scenario_recorded_and_told_there(scenario):
    """The bench is a shared machine: a false alarm is told as one, so either sentence is right."""
    page = scenario
    address = page.url
    page.get_by_role("button", name="Plan a blank test").click()
    page.get_by_label("Title").fill("Blank test of the cells")
    page.get_by_label("Build of both arms").fill("cells")
    page.get_by_label("Subject of both arms").fill("lanternfall")
    page.get_by_label("Arguments of both arms").fill("--neighbours cells --seconds 1")
    page.get_by_label("Runs an arm").fill("3")
    expect(page.get_by_label("Record on")).to_have_value("workbench", timeout=LONG_MS)
    page.get_by_role("button", name="Start recording").click()
    page.get_by_role("link", name="Read the verdict").click(timeout=LONG_MS)
    expect(page.get_by_test_id("sentence")).to_contain_text("One build as both arms, 3 + 3 runs:")
    expect(page.get_by_role("heading", name="Decision")).to_have_count(0)
    number = page.url.rsplit("/", 1)[1]
    page.goto(address)
    expect(page.get_by_text(f"Last blank test, entry {number}")).to_be_visible()
    expect(page.get_by_text(re.compile("nothing was called different|the bench is noisy"))).to_be_visible()


@pytest.mark.usefixtures("alone", "ledger")
def test_the_guided_first_case_is_walked_left_and_taken_up_again(page, demo):
    """Each step is done for real and known by what the book holds; the live view also as a strip and a tone."""
    page.keyboard.press("g")
    guide = page.get_by_role("complementary", name="First case")
    expect(guide.get_by_role("heading")).to_have_text("Fix a course")
    expect(guide).to_contain_text("A wrong reading.")
    guide.get_by_role("link", name="Go there").click()
    page.get_by_label("Name", exact=True).fill("First case")
    page.get_by_label("Target").fill("120")
    page.get_by_label("Seconds a run").fill("3")
    page.get_by_label("Witnesses").fill("boats")
    page.get_by_role("button", name="Keep the scenario").click()
    expect(guide.get_by_role("heading")).to_have_text("Say what must hold")
    page.get_by_role("button", name="Another goal").click()
    page.get_by_label("Figure").select_option("late_share")
    page.get_by_label("Threshold").fill("50")
    page.get_by_role("button", name="Set the goal").click()
    expect(guide.get_by_role("heading")).to_have_text("Write what you expect")
    # Left, and taken up where it was.
    page.keyboard.press("g")
    expect(guide).to_have_count(0)
    page.goto(f"{demo['base']}/lanternfall")
    page.get_by_role("button", name="first case: g").click()
    expect(guide.get_by_role("heading")).to_have_text("Write what you expect")
    page.get_by_role("button", name="New entry").click()
    page.get_by_label("What changes").fill("Neighbours by cell")
    page.get_by_label("What is expected").fill("a third faster")
    page.get_by_role("button", name="Open the entry").click()
    expect(guide.get_by_role("heading")).to_have_text("Record both builds")
    guide.get_by_role("link", name="Go there").click()
    expect(page.get_by_label("Scenario")).to_have_value("First case")
    for arm, kind in (("before", "pairs"), ("after", "cells")):
        page.get_by_label(f"Subject of {arm}").fill("lanternfall")
        page.get_by_label(f"Arguments of {arm}").fill(f"--neighbours {kind}")
    page.get_by_label("Runs an arm").fill("4")
    expect(page.get_by_label("Record on")).to_have_value("workbench", timeout=LONG_MS)
    page.get_by_role("button", name="Start recording").click()
    expect(guide.get_by_role("heading")).to_have_text("Leave it alone")

    expect(page.get_by_text(re.compile(r"^Now: run 1"))).to_be_visible(timeout=LONG_MS)
    with page.context.expect_page() as opened:
        page.get_by_role("button", name="as a small strip").click()
    strip = opened.value
    expect(strip.get_by_role("status", name="The run in progress")).to_have_text(
        re.compile(r"Run \d+, (before|after).*the budget of 8\.33 ms\d+\.\d\d ms"), timeout=LONG_MS
    )
    assert strip.evaluate("getComputedStyle(document.querySelector('[role=status]')).backgroundColor") == "rgb(255, 253, 247)"  # fmt: skip
    page.get_by_role("button", name="close the strip").click()
    expect(page.get_by_role("button", name="as a small strip")).to_be_visible()
    tone = page.get_by_role("button", name="with a tone")
    expect(tone).to_have_attribute("aria-pressed", "false")  # off until it is asked for
    tone.click()
    page.get_by_role("button", name="silent").click()
    expect(tone).to_have_attribute("aria-pressed", "false")
    ticks = page.get_by_role("button", name="with ticks")
    expect(ticks).to_have_attribute("aria-pressed", "false")
    page.evaluate("""() => {
        let begun = 0;
        const make = AudioContext.prototype.createOscillator;
        AudioContext.prototype.createOscillator = function () {
            document.documentElement.dataset.begun = ++begun;
            return make.call(this);
        };
    }""")
    ticks.click()
    expect(page.get_by_text("A tick where each frame ended")).to_be_visible()
    # A second's frames and beats.
    expect(page.locator("html")).to_have_attribute("data-begun", re.compile(r"^\d{3,}$"), timeout=LONG_MS)
    page.get_by_role("button", name="no ticks").click()

    expect(guide.get_by_role("heading")).to_have_text("Read the verdict", timeout=LONG_MS)
    guide.get_by_role("link", name="Go there").click()
    expect(guide.get_by_role("heading")).to_have_text("Look at single frames")
    guide.get_by_role("link", name="Go there").click()
    page.get_by_role("link", name=re.compile(r"^Run \d+, ")).click()
    expect(guide.get_by_role("heading")).to_have_text("Decide")
    guide.get_by_role("link", name="Go there").click()
    page.get_by_label("Why, and what it costs elsewhere").fill("Fewer pairs are looked at.")
    page.get_by_role("button", name="Keep", exact=True).click()
    expect(guide.get_by_role("heading")).to_have_text("The first case is closed")
