"""Ramps: one that chooses its levels, planned, recorded for real and read; two arms; what the demo has of cores."""

import re

from playwright.sync_api import expect

from browser.driving import LONG_MS


def test_a_ramp_chooses_its_levels_and_tells_how(scenario):
    page = scenario
    base = page.url.split("/lanternfall")[0]
    page.goto(f"{base}/lanternfall/bench")
    page.get_by_label("Plan something else").select_option("ramp a load")
    page.get_by_label("What is asked").fill("How many boats does the bench carry?")
    page.get_by_label("Scenario").select_option("Short course")
    page.get_by_label("Subject of every value").fill("lanternfall")
    page.get_by_label("Arguments of every value").fill("--seconds 0.4 --neighbours pairs")
    page.get_by_label("What is loaded").fill("boats")
    page.get_by_label("Values", exact=True).fill("0, 100, 400")
    page.get_by_label("Arguments", exact=True).fill("--boats {value}")
    page.get_by_label("Counter").fill("boats")
    page.get_by_label("Further levels").select_option("chosen around the budget")
    page.get_by_label("Most runs").fill("14")
    expect(page.get_by_label("Runs an arm")).to_have_count(0)
    expect(page.get_by_text(re.compile(r"^3 . 2 runs of .* to begin with"))).to_be_visible()
    expect(page.get_by_label("Record on")).to_have_value("workbench", timeout=LONG_MS)
    page.get_by_role("button", name="Start recording").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Ramp: How many boats does the bench carry?")
    # Levels come to the schedule that were in no plan.
    expect(page.get_by_text(re.compile(r"of (1[0-4]) runs"))).to_be_visible(timeout=LONG_MS)
    page.get_by_role("link", name="Read the account", exact=True).click(timeout=LONG_MS)
    expect(page.get_by_test_id("sentence")).to_have_text(
        re.compile(r"^By the mean frame the budget carries [\d,.]+ boats")
    )
    steps = page.get_by_role("listitem")
    expect(steps.first).to_have_text(re.compile(r"^After 6 runs: .*; next "))
    expect(steps.last).to_have_text(re.compile(r"; (narrow enough|the runs are spent)\.$"))
    page.keyboard.press("t")
    boats = [float(cell.replace(",", "")) for cell in page.locator("table tbody tr td:first-child").all_inner_texts()]
    assert {0.0, 100.0, 400.0} <= set(boats)  # where noise leads it, further runs are of these again
    if page.get_by_role("link", name="Confirm it").count():  # where there is a capacity
        page.get_by_role("link", name="Confirm it").click()
        expect(page.get_by_label("Values", exact=True)).to_have_value(re.compile(r"^[\d.]+(, [\d.]+)+$"))
        expect(page.get_by_label("Runs an arm")).to_have_value("3")
        page.go_back()
    page.get_by_role("link", name="The recording").click()
    page.get_by_role("link", name="Plan another like it").click()
    expect(page.get_by_label("Values to begin with")).to_have_value("0, 100, 400")
    expect(page.get_by_label("Until half the interval is")).to_have_value("2")
    expect(page.get_by_label("Arguments of every value")).to_have_value("--seconds 0.4 --neighbours pairs")


def test_two_arms_of_a_ramp_are_read_and_planned(page, demo):
    page.goto(f"{demo['base']}/lanternfall/bench")
    page.get_by_role("row").filter(has_text="How many more boats with neighbours by cell?").get_by_role(
        "link", name="account"
    ).click()
    expect(page.get_by_test_id("sentence")).to_have_text(
        re.compile(
            r"^By the mean frame all pairs carries 7\d\.\d boats \(.*\), by cell 1\d\d boats \(.*\): \d\d\.\d % more \("
        )
    )
    equal = page.get_by_role("table", name="At equal load")
    expect(equal.get_by_role("row")).to_have_count(8)
    expect(equal.get_by_role("row").nth(1)).to_contain_text("not shown")
    expect(equal.get_by_role("row").last).to_contain_text("-5")
    expect(page.get_by_text(re.compile("^At 75 boats, less the empty scene, each costs .* less"))).to_be_visible()
    expect(page.get_by_role("heading", name=re.compile("What one more costs"))).to_have_count(2)
    page.goto(f"{demo['base']}/lanternfall/bench/plan?what=load")
    page.get_by_role("button", name="another arm").click()
    expect(page.get_by_label("Further levels")).to_have_count(0)  # levels are chosen of one arm
    page.get_by_label("Subject of before").fill("lanternfall")
    page.get_by_label("Subject of after").fill("lanternfall")
    page.get_by_label("Build of before").fill("pairs")
    page.get_by_label("Build of after").fill("cells")
    page.get_by_label("Arguments of after").fill("--neighbours cells")
    page.get_by_label("What is loaded").fill("boats")
    page.get_by_label("Values", exact=True).fill("0, 100, 200, 400")
    page.get_by_label("Arguments", exact=True).fill("--boats {value}")
    expect(page.get_by_text(re.compile(r"^8 . 5 runs"))).to_be_visible()
    page.get_by_label("Record on").select_option("elsewhere")
    page.get_by_role("button", name="Plan it").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Ramp: How much does it carry?")
    page.get_by_role("button", name="Call it off").click()
    page.get_by_role("dialog").get_by_role("button", name="Call it off").click()
    expect(page.get_by_text("called off before it began")).to_be_visible()
    page.get_by_role("link", name="Plan another like it").click()
    expect(page.get_by_label("Build of after")).to_have_value("cells")
    expect(page.get_by_label("Arguments of after")).to_have_value("--neighbours cells")
    expect(page.get_by_label("Arguments of before")).to_have_value("")


def test_a_capacity_is_confirmed_and_carried_over_to_another_rig(page, demo):
    page.goto(f"{demo['base']}/lanternfall/bench")
    page.get_by_role("row").filter(has_text="How many boats does the laptop carry?").get_by_role(
        "link", name="account"
    ).click()
    page.get_by_label("On another rig").select_option("on handheld")
    expect(
        page.get_by_text(re.compile("^On handheld it would carry .* boats .* and the scenario Calibration take 1"))
    ).to_be_visible()
    expect(page).to_have_url(re.compile("on=handheld"))
    page.get_by_role("link", name="Confirm it").click()
    expect(page.get_by_label("Values", exact=True)).to_have_value("40, 60, 80, 100")
    expect(page.get_by_label("Runs an arm")).to_have_value("3")
    expect(page.get_by_text(re.compile("^4 . 3 runs"))).to_be_visible()


def test_the_demos_cores_say_what_stays_serial(page, demo):
    page.goto(f"{demo['base']}/lanternfall/bench")
    page.get_by_role("row").filter(has_text="What do more cores bring the boats?").get_by_role(
        "link", name="account"
    ).click()
    expect(page.get_by_test_id("sentence")).to_have_text(
        re.compile(r"^The mean frame on 8 cores against 1 is [23]\.\d\d \(.*\) times as fast")
    )
    expect(page.get_by_text(re.compile("of what one core does stays serial"))).to_be_visible()
    rows = page.get_by_role("table", name="Cores").get_by_role("row")
    assert [row.get_by_role("cell").first.inner_text() for row in rows.all()[1:]] == ["1", "2", "4", "8"]
    expect(
        page.get_by_text(re.compile(r"^Of [\d.]+ core-ms a frame the longest chain takes [\d.]+ ms"))
    ).to_be_visible()
    expect(rows.nth(4)).to_contain_text(re.compile(r"(any order|room for scheduling).*\([\d.]+ to [\d.]+ ms\)"))
    page.get_by_label("Figure").select_option("the slowest 1 %")
    expect(page.get_by_test_id("sentence")).to_contain_text("The slowest 1 % on 8 cores")


def test_a_matrix_is_read_and_another_is_planned_over_its_cells(page, demo):
    page.goto(f"{demo['base']}/lanternfall/bench")
    page.get_by_role("row").filter(has_text="Does the glow in one pass hold everywhere?").first.get_by_role(
        "link", name="account"
    ).click()
    expect(page.get_by_test_id("sentence")).to_have_text("It gains in 7 cells and loses in 1920x1080, high, handheld.")
    expect(
        page.get_by_text(re.compile("^The worst change anywhere lies from .*: nowhere is it more than"))
    ).to_be_visible()
    sheet = page.get_by_role("table", name="Matrix")
    expect(sheet.get_by_role("row")).to_have_count(5)
    expect(sheet.get_by_role("row").last).to_contain_text("the worst, or not told from it")
    expect(page.get_by_text("The cells do not say one thing")).to_be_visible()
    sheet.get_by_role("link").first.click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("A cell of a matrix")
    page.goto(f"{demo['base']}/lanternfall/bench")
    page.get_by_label("Plan something else").select_option("a matrix over windows, tiers and rigs")
    for arm in ("before", "after"):
        page.get_by_label(f"Subject of {arm}").fill("lanternfall")
    page.get_by_label("Arguments of after").fill("--glow once")
    page.get_by_label("Window sizes").fill("1280x720, 1920x1080")
    page.get_by_label("Record on").select_option("elsewhere")
    page.get_by_role("button", name="Plan it").click()
    expect(page.get_by_role("alert").first).to_contain_text("must hold {value} somewhere")
    page.get_by_label("Added for a size").fill("--window {value}")
    page.get_by_label("Tiers").fill("low, high")
    page.get_by_label("Added for a tier").fill("--tier {value}")
    expect(page.get_by_text(re.compile(r"^4 cells: 8 . 5 runs"))).to_be_visible()
    page.get_by_role("button", name="Plan it").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Does it hold everywhere?")
    expect(page.get_by_role("table", name="Matrix").get_by_text("not recorded yet")).to_have_count(4)
    for left in (3, 2, 1, 0):
        page.get_by_role("link", name="not recorded yet").first.click()
        page.get_by_role("button", name="Call it off").click()
        page.get_by_role("dialog").get_by_role("button", name="Call it off").click()
        expect(page.get_by_text("called off before it began")).to_be_visible()
        page.go_back()
        expect(page.get_by_text("not recorded yet")).to_have_count(left)
    expect(page.get_by_text("not recorded: called off before it began")).to_have_count(4)


def test_few_rich_or_many_simple_is_read_and_planned(page, demo):
    page.goto(f"{demo['base']}/lanternfall/bench")
    page.get_by_role("row").filter(has_text="Few boats full of sparks").get_by_role("link", name="account").click()
    expect(page.get_by_test_id("sentence")).to_have_text(
        re.compile(
            r"^By the mean frame the budget carries 10\d boats \(.*\) at 1 sparks a boat, or 4\d\.\d boats \(.*\) at 16 "
        )
    )
    expect(page.get_by_text(re.compile(r"grows in a straight line with sparks a boat: 0\.01"))).to_be_visible()
    expect(page.get_by_text("All 3 intervals hold together, at 95 %")).to_be_visible()
    page.get_by_role("link", name="The recording").click()
    page.get_by_role("link", name="Plan another like it").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Few rich or many simple")
    expect(page.get_by_label("Richnesses")).to_have_value("1, 4, 16")
    expect(page.get_by_text(re.compile(r"^15 . 3 runs of "))).to_be_visible()
    page.get_by_label("Richnesses").fill("1, 4, 4")
    page.get_by_role("button", name=re.compile("Plan it|Start recording")).click()
    expect(page.get_by_text("two values of [sweep.richness] are the same")).to_be_visible()


def test_loads_alone_and_together_are_planned_recorded_and_read(scenario):
    """Of two arguments that say how many boats there are the last one counts: together they are the crowd alone."""
    page = scenario
    page.goto(f"{page.url.split('/lanternfall')[0]}/lanternfall/bench")
    page.get_by_label("Plan something else").select_option("loads alone and together")
    page.get_by_label("Scenario").select_option("Short course")
    page.get_by_label("Subject of none on").fill("lanternfall")
    page.get_by_label("Arguments of none on").fill("--seconds 0.4")
    for i, (name, added) in enumerate((("boats", "--boats 200"), ("a crowd", "--boats 400"))):
        page.get_by_label(f"Load {i + 1}", exact=True).fill(name)
        page.get_by_label(f"Added when load {i + 1} is there").fill(added)
    page.get_by_label("Runs an arm").fill("3")
    expect(page.get_by_label("Record on")).to_have_value("workbench", timeout=LONG_MS)
    page.get_by_role("button", name="Start recording").click()
    page.get_by_role("link", name="Read the account", exact=True).click(timeout=LONG_MS)
    expect(page.get_by_test_id("sentence")).to_have_text(re.compile(r"^(Boats and a crowd take .* less|Whether )"))
    expect(page.get_by_role("table", name="The sum").get_by_role("row")).to_have_count(6)


def test_every_run_plays_all_loads(scenario):
    page = scenario
    page.goto(f"{page.url.split('/lanternfall')[0]}/lanternfall/bench/plan?what=load&scenario=Short+course")
    page.get_by_label("Subject of every value").fill("lanternfall")
    page.get_by_label("Arguments of every value").fill("--seconds 3 --neighbours cells")
    page.get_by_label("What is loaded").fill("boats")
    page.get_by_label("Values", exact=True).fill("0, 200, 400")
    page.get_by_label("Every run plays").select_option("all values, in legs of it")
    expect(page.get_by_label("Further levels")).to_have_count(0)
    page.get_by_label("Arguments", exact=True).fill("--boats-in-turn {value}")
    page.get_by_label("Counter").fill("boats")
    page.get_by_label("Runs an arm").fill("2")
    expect(page.get_by_label("Record on")).to_have_value("workbench", timeout=LONG_MS)
    page.get_by_role("button", name="Start recording").click()
    expect(page.get_by_text("must hold {values} somewhere")).to_be_visible()
    page.get_by_label("Arguments", exact=True).fill("--boats-in-turn {values}")
    page.get_by_role("button", name="Start recording").click()
    page.get_by_role("link", name="Read the account", exact=True).click(timeout=LONG_MS)
    expect(page.get_by_text("3 levels in each of 2 runs")).to_be_visible()
    expect(page.get_by_text("The run is the unit: legs of one are no repeats of each other.")).to_be_visible()
