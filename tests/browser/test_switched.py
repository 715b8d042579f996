"""Features switched off one at a time: planned, recorded for real, and read; the demo's own account."""

import re

from playwright.sync_api import expect

from browser.driving import LONG_MS


def test_switches_are_planned_recorded_and_accounted_for(scenario):
    page = scenario
    base = page.url.split("/lanternfall")[0]
    page.goto(f"{base}/lanternfall/bench")
    page.get_by_label("Plan something else").select_option("switch off one at a time")
    page.get_by_label("What is asked").fill("Ripples or boats?")
    page.get_by_label("Scenario").select_option("Short course")
    page.get_by_label("Subject of all on").fill("lanternfall")
    page.get_by_label("Arguments of all on").fill("--seconds 1 --neighbours pairs --boats 400")
    page.get_by_label("Subject of empty").fill("lanternfall")
    page.get_by_label("Arguments of empty").fill("--seconds 1 --without boats --without ripples --without reflections")
    page.get_by_label("Feature 1", exact=True).fill("boats")
    page.get_by_label("Added when feature 1 is off").fill("--without boats")
    page.get_by_label("Added for a cure of feature 1").fill("--neighbours cells")
    page.get_by_role("button", name="Leave out feature 2").click()
    page.get_by_label("Runs an arm").fill("3")
    expect(page.get_by_text(re.compile(r"^4 . 3 runs"))).to_be_visible()
    expect(page.get_by_label("Record on")).to_have_value("workbench", timeout=LONG_MS)
    page.get_by_role("button", name="Start recording").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Switched off one at a time: Ripples or boats?")
    page.get_by_role("link", name="Read the account", exact=True).click(timeout=LONG_MS)
    # The bench is a shared machine: whether three passes show it is the machine's affair, what they measured is not, as
    # boats are made to cost several times all the rest.
    expect(page.get_by_test_id("sentence")).to_have_text(
        re.compile("Switching boats off saves most|No switch is shown")
    )
    account = page.get_by_role("table", name="Account")
    cure = account.get_by_role("row").filter(has_text="boats cured")
    expect(cure).to_contain_text("Its own price")
    boats, found_by_cell = (float(row.get_by_role("cell").nth(4).inner_text().strip("()")) for row in (account.get_by_role("row").nth(1), cure))  # fmt: skip
    assert boats > 2  # ms: all pairs of 400 boats are most of the frame, about 10
    assert found_by_cell > 2
    page.get_by_role("link", name="The recording").click()
    page.get_by_role("link", name="Plan another like it").click()
    expect(page.get_by_label("Feature 1", exact=True)).to_have_value("boats")
    expect(page.get_by_label("Added for a cure of feature 1")).to_have_value("--neighbours cells")
    expect(page.get_by_label("Arguments of all on")).to_have_value("--seconds 1 --neighbours pairs --boats 400")
    page.get_by_label("Record on").select_option("elsewhere")
    page.get_by_role("button", name="Plan it").click()
    expect(page.get_by_text(re.compile("vigilant record --recording [0-9a-f-]{36}"))).to_be_visible()
    page.get_by_role("button", name="Call it off").click()
    page.get_by_role("dialog").get_by_role("button", name="Call it off").click()
    expect(page.get_by_text("called off before it began")).to_be_visible()


def test_the_demos_account_ranks_features_and_says_what_goes_only_together(page, demo):
    page.goto(f"{demo['base']}/lanternfall/bench")
    row = page.get_by_role("row").filter(has_text="What is each feature of the festival worth?")
    row.get_by_role("link", name="account").click()
    account = page.get_by_role("table", name="Account")
    expect(account.get_by_role("row").nth(1)).to_contain_text("ripples")
    expect(account.get_by_role("row").filter(has_text="glow cured")).to_contain_text("net")
    expect(page.get_by_text("go only when several are off")).to_be_visible()
    page.get_by_label("Figure").select_option("the slowest 1 %")
    expect(page).to_have_url(re.compile("of=slowest_1pct_ms"))
    expect(page.get_by_text("With everything on the slowest 1 % takes")).to_be_visible()


def test_the_demos_changes_are_untangled_and_another_is_planned_from_an_entry(page, demo):
    page.goto(f"{demo['base']}/lanternfall/bench")
    row = page.get_by_role("row").filter(has_text="Which of the autumn's three changes helped?")
    row.get_by_role("link", name="account").click()
    expect(page.get_by_test_id("sentence")).to_contain_text(
        "Most of the change of the mean frame is neighbours by cell"
    )
    credit = page.get_by_role("table", name="Credit")
    expect(credit.get_by_role("row")).to_have_count(5)  # a head, three changes, all of them together
    expect(page.get_by_role("table", name="What they do together").get_by_role("row")).to_have_count(3)
    expect(page.get_by_role("table", name="Configurations").get_by_role("row")).to_have_count(8)
    page.goto(f"{demo['base']}/lanternfall/entries/12")
    page.get_by_role("link", name="untangle this").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Untangle changes")
    expect(page.get_by_label("What is asked")).to_have_value("What of no. 12 helped?")
    page.get_by_label("Subject of none on").fill("lanternfall")
    page.get_by_label("Change 1", exact=True).fill("cells")
    page.get_by_label("Added when change 1 is on").fill("--neighbours cells")
    page.get_by_label("Record on").select_option("elsewhere")
    page.get_by_role("button", name="Plan it").click()
    expect(page.get_by_role("alert").first).to_contain_text("from 2 to 8 changes are untangled, got 1")
    page.get_by_label("Change 2", exact=True).fill("half precision")
    page.get_by_label("Added when change 2 is on").fill("--ripples half")
    expect(page.get_by_text(re.compile("^4 . 5 runs"))).to_be_visible()
    page.get_by_role("button", name="Plan it").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Untangled: What of no. 12 helped?")
    page.get_by_role("button", name="Call it off").click()
    page.get_by_role("dialog").get_by_role("button", name="Call it off").click()
    expect(page.get_by_text("called off before it began")).to_be_visible()


def test_a_ramp_and_a_knob_of_the_demo_are_read_and_another_ramp_is_planned(page, demo):
    page.goto(f"{demo['base']}/lanternfall/bench")
    page.get_by_role("row").filter(has_text="How many boats does the laptop carry?").get_by_role(
        "link", name="account"
    ).click()
    expect(page.get_by_test_id("sentence")).to_have_text(
        re.compile(r"^By the mean frame the budget carries [67]\d\.\d boats \(")
    )
    expect(page.get_by_text(re.compile("16.67 ms budget, less .* for nothing loaded, leaves"))).to_be_visible()
    expect(page.get_by_text("it scales worse than linearly")).to_be_visible()
    page.get_by_label("Figure").select_option("one frame in a hundred late")
    expect(page.get_by_test_id("sentence")).to_contain_text("By one frame in a hundred late the budget carries")
    page.keyboard.press("t")
    expect(page.get_by_role("columnheader", name="boats")).to_be_visible()
    page.goto(f"{demo['base']}/lanternfall/bench")
    page.get_by_role("row").filter(has_text="How often must ripples be made?").get_by_role(
        "link", name="account"
    ).click()
    expect(page.get_by_role("table", name="Values").get_by_role("row")).to_have_count(5)
    page.goto(f"{demo['base']}/lanternfall/bench")
    page.get_by_label("Plan something else").select_option("ramp a load")
    page.get_by_label("Subject of every value").fill("lanternfall")
    page.get_by_label("What is loaded").fill("boats")
    page.get_by_label("Values", exact=True).fill("0, 100, 200")
    page.get_by_label("Arguments", exact=True).fill("--load 10")
    page.get_by_label("Record on").select_option("elsewhere")
    page.get_by_role("button", name="Plan it").click()
    expect(page.get_by_role("alert").first).to_contain_text("must hold {value} somewhere")
    page.get_by_label("Arguments", exact=True).fill("--load {value}")
    expect(page.get_by_text(re.compile("^3 . 5 runs"))).to_be_visible()
    page.get_by_role("button", name="Plan it").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Ramp: How much does it carry?")
    page.get_by_role("button", name="Call it off").click()
    page.get_by_role("dialog").get_by_role("button", name="Call it off").click()
    expect(page.get_by_text("called off before it began")).to_be_visible()
