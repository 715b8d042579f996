"""The line over builds as one walks it: from the ledger's open question to the line, its steps, its table, the answer; and the hunt."""

import re

import pytest
from playwright.sync_api import expect


def line_of(page, demo, rig):
    page.goto(f"{demo['base']}/lanternfall/trend")
    row = page.get_by_role("table", name="Lines").get_by_role("row").filter(has_text=f"on {rig}")
    row.get_by_role("link").click()
    expect(page.get_by_role("heading", level=1)).to_have_text(f"River course, nightly on {rig}")


@pytest.mark.usefixtures("ledger")
def test_from_the_ledgers_open_question_to_the_line_and_its_builds(page, demo):
    page.get_by_role("link", name=re.compile("^b160 is worse than its line: the mean frame .* on thin laptop$")).click()
    expect(page.get_by_role("heading", level=1)).to_have_text("River course, nightly on thin laptop")
    expect(page.get_by_text("40 fps = 25.00 ms")).to_be_visible()
    said = page.get_by_test_id("sentence")
    expect(said).to_have_text(
        re.compile(r"over 60 builds: \+3\.\d % .* from b115 on; a drift of \+4\.\d % from b12\d to b1[34]\d")
    )
    chart = page.get_by_role("img", name=re.compile("^Mean frame over builds"))
    for written in ("drift", "driver 24.1, then 24.2", "b160"):
        expect(chart.get_by_text(written, exact=True)).to_be_visible()
    happened = page.locator("section", has=page.get_by_role("heading", name="What happened"))
    expect(happened).to_contain_text("Joined by b141 and b142, recorded on both: the set-ups differ by -")
    expect(happened).to_contain_text("Seen on 2 of 2 rigs: thin laptop, handheld.")
    expect(happened).to_contain_text("Boats look for their neighbours twice a frame")
    newest = page.get_by_role("table", name="The newest build")
    expect(newest.get_by_role("row").nth(1)).to_contain_text("worse: +")
    expect(newest.get_by_role("row").filter(has_text="Stutters a minute")).to_contain_text("no alarm")
    expect(page.get_by_text("One false alarm in 200 builds is expected, 4 figures watched")).to_be_visible()
    # Another figure is a click, and stays in the address.
    newest.get_by_role("button", name="Late frames").click()
    expect(page).to_have_url(re.compile("of=late_share"))
    expect(said).to_contain_text("The share of late frames over 60 builds")
    # Build by build: by the arrows, and as a table.
    page.get_by_label("Figure").select_option("Mean frame")
    page.get_by_role("link", name=re.compile("^b160: ")).focus()
    page.keyboard.press("ArrowLeft")
    expect(page.get_by_role("link", name=re.compile(r"^b159: \d+\.\d\d ms \(.*\), 3 runs"))).to_be_focused()
    page.keyboard.press("t")
    table = page.get_by_role("table", name="What is drawn")
    expect(table.get_by_role("row")).to_have_count(63)  # a head, sixty builds, two of them on both set-ups
    page.keyboard.press("t")
    with page.expect_download() as taken:
        page.get_by_role("link", name="CSV", exact=True).click()
    rows = taken.value.path().read_text().splitlines()
    assert rows[0].startswith("figure,unit,build,set_up,runs")
    assert len(rows) == 1 + 4 * 62


def test_a_break_without_a_bridge_says_what_would_join_it(page, demo):
    line_of(page, demo, "handheld")
    happened = page.locator("section", has=page.get_by_role("heading", name="What happened"))
    expect(happened).to_contain_text("System spring, then summer.")
    expect(happened).to_contain_text("To join them record b130 or b131 on the other side")
    expect(happened).to_contain_text("Seen on 1 of 2 rigs: handheld; not on thin laptop: ")
    page.get_by_label("Rig").select_option(label="thin laptop, 60 builds to b160")
    expect(page.get_by_role("heading", level=1)).to_have_text("River course, nightly on thin laptop")
    page.goto(f"{demo['base']}/lanternfall/scenarios")
    page.get_by_role("link", name="River course, nightly").click()
    small = page.get_by_role("region", name="Over builds")
    expect(small.get_by_role("img")).to_have_count(2)
    expect(page.get_by_text("to be recorded every 30 days: overdue since 2026-08-29")).to_be_visible()


def test_an_alarm_is_followed_recorded_again_and_explained_once(page, demo):
    line_of(page, demo, "thin laptop")
    question = page.get_by_role("group", name="Open question: b160 on thin laptop")
    question.get_by_role("link", name="record b160 again").click()
    expect(page.get_by_label("Its name in the order of builds")).to_have_value("b160")
    expect(page.get_by_label("Subject of the build")).to_have_value("lanternfall")
    page.go_back()
    question.get_by_role("button", name="Explain").click()
    form = page.get_by_role("dialog")
    form.get_by_role("button", name="Close the question").click()
    expect(form.get_by_text("This is needed.")).to_be_visible()
    form.get_by_role("button", name="Leave").click()
    page.get_by_role("button", name="How closely it is followed").click()
    form.get_by_label("One false alarm in so many builds").fill("20")
    form.get_by_role("button", name="Follow it so").click()
    expect(form.get_by_text("At least 50.")).to_be_visible()
    form.get_by_label("One false alarm in so many builds").fill("100")
    form.get_by_role("button", name="Follow it so").click()
    expect(page.get_by_text("One false alarm in 100 builds is expected")).to_be_visible()
    question.get_by_role("button", name="Explain").click()
    form.get_by_label("What was found out").fill("The lists are copied once more a frame.")
    form.get_by_role("button", name="Close the question").click()
    expect(question).to_have_count(0)
    expect(page.get_by_text("Explained by Mira Quill: The lists are copied once more a frame.")).to_be_visible()
    page.get_by_role("link", name="Ledger").click()
    expect(page.get_by_role("heading", name="Entries")).to_be_visible()
    expect(page.get_by_role("link", name=re.compile("^b160 is worse"))).to_have_count(0)


def test_builds_get_their_place_by_hand(own):
    page = own
    page.get_by_role("link", name="Trend").click()
    expect(page.get_by_text("No line yet")).to_be_visible()
    page.get_by_role("link", name="the order of builds").click()
    page.get_by_role("button", name="Give builds their place").click()
    form = page.get_by_role("dialog")
    form.get_by_label("Builds, a line each").fill("b1\nb2\nb1")
    form.get_by_role("button", name="Order them so").click()
    expect(form.get_by_role("alert")).to_contain_text("listed twice")
    form.get_by_label("Builds, a line each").fill("b1\nb2\n\n b3 ")
    form.get_by_role("button", name="Order them so").click()
    expect(form).to_have_count(0)
    rows = page.get_by_role("table", name="Builds").get_by_role("row")
    expect(rows).to_have_count(4)
    expect(rows.nth(1)).to_contain_text("b3")
    page.get_by_role("button", name="Move b3").click()
    form.get_by_label("Right after this build").fill("b1")
    form.get_by_role("button", name="Move it").click()
    expect(rows.nth(1)).to_contain_text("b2")
    expect(rows.nth(2)).to_contain_text("b3")


def test_the_hunt_shows_where_the_step_begins(page, demo):
    page.goto(f"{demo['base']}/lanternfall/bench")
    row = page.get_by_role("row").filter(has_text="Which commit made b115 worse?")
    row.get_by_role("link", name="account").click()
    expect(page.get_by_test_id("sentence")).to_have_text(
        re.compile(r"^It begins with b114\.15 \(\+3\.\d % between the ends\)")
    )
    chart = page.get_by_role("img", name=re.compile("^the mean frame of the builds that were recorded"))
    expect(chart.get_by_text(re.compile("where it begins: .* % at the highest"))).to_be_visible()
    page.get_by_role("link", name=re.compile("^b114.23: ")).focus()
    page.keyboard.press("Home")
    expect(page.get_by_role("link", name=re.compile(r"^b114\.00: \d+\.\d\d ms over 3 runs, 0\.0 %"))).to_be_focused()
    page.keyboard.press("t")
    expect(page.get_by_role("table", name="What is drawn").get_by_role("row")).to_have_count(25)
    page.get_by_role("link", name="Statement", exact=True).last.click()
    expect(page.frame_locator("iframe").get_by_text("A hunt for the build that did it").first).to_be_visible()


@pytest.mark.usefixtures("ledger")
def test_rules_of_thumb_are_written_tested_and_told_apart(page, demo):
    page.get_by_role("link", name="Rules").click()
    table = page.get_by_role("table", name="Rules")
    expect(table.get_by_role("row")).to_have_count(5)
    page.get_by_role("button", name="Another rule").click()
    form = page.get_by_role("dialog")
    form.get_by_label("What is believed").fill("Sparks from a table are free")
    form.get_by_label("Why, or who says so").fill("They were, once.")
    form.get_by_label("Found on").fill("2026-01-05")
    form.get_by_label("On what machine").fill("tall desk")
    form.get_by_role("button", name="Write it down").click()
    row = table.get_by_role("row").filter(has_text="Sparks from a table are free")
    expect(row).to_contain_text("never tested")
    row.get_by_role("button", name="Test: Sparks from a table are free").click()
    form.get_by_label("By the entry no.").fill("5")
    form.get_by_label("What it says").select_option("not here")
    form.get_by_label("In a sentence").fill("It is not told.")
    form.get_by_role("button", name="Keep what was found").click()
    expect(row).to_contain_text("not here")
    row.get_by_role("link", name=re.compile("^no. 5, ")).click()
    expect(page).to_have_url(re.compile("/entries/5$"))
    page.go_back()
    page.get_by_label("State").select_option("not here (3)")
    expect(table.get_by_role("row")).to_have_count(4)
    row.get_by_role("button", name="Drop: Sparks from a table are free").click()
    expect(table.get_by_role("row")).to_have_count(3)


def test_a_build_is_planned_for_its_line(page, demo):
    page.goto(f"{demo['base']}/lanternfall/bench")
    page.get_by_label("What for").select_option("builds for their line")
    expect(page.get_by_role("table", name="Recordings").get_by_role("row")).to_have_count(
        101
    )  # a head, the newest hundred
    expect(page.get_by_text("the newest 100 of 123 recordings")).to_be_visible()
    page.get_by_label("Plan something else").select_option("one build, for its line")
    page.get_by_role("button", name=re.compile("Start recording|Plan it")).click()
    expect(page.get_by_text("This is needed.").first).to_be_visible()
    page.get_by_label("Scenario").select_option("River course, nightly, version 1")
    page.get_by_label("Its name in the order of builds").fill("b161")
    page.get_by_label("Subject of the build").fill("lanternfall")
    page.get_by_label("Record on").select_option("another machine, by a command")
    expect(page.get_by_text(re.compile("^1 . 5 runs of 10 s"))).to_be_visible()
    page.get_by_role("button", name="Plan it").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("For its line: One build more on its line")
    expect(page.get_by_text(re.compile("vigilant record --recording [0-9a-f-]{36}"))).to_be_visible()
    page.get_by_role("button", name="Call it off").click()
    page.get_by_role("dialog").get_by_role("button", name="Call it off").click()
    expect(page.get_by_text("called off before it began")).to_be_visible()
