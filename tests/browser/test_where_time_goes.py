"""From a stutter to its frame, from late frames to their cause, from a part to its bound, to the backlog, to a planned test."""

import re

from playwright.sync_api import expect


def test_from_a_stutter_to_its_frame_and_on_to_the_next(page, demo):
    page.goto(f"{demo['base']}/lanternfall/entries/7/stutters")
    page.get_by_role("table", name="Stutters").get_by_role("link", name="its work").first.click()
    frame = page.get_by_role("table", name="The frame")
    expect(page.get_by_test_id("sentence")).to_contain_text("collect alone took")
    collect = frame.get_by_role("row").filter(has=page.get_by_role("cell", name="collect", exact=True))
    took, usual, over = (collect.get_by_role("cell").nth(i) for i in (2, 3, 4))
    expect(usual).to_have_text("0.000")
    assert over.inner_text() == f"+{took.inner_text()}"
    first = page.get_by_role("heading", level=1).inner_text()
    page.keyboard.press("s")
    expect(page.get_by_role("heading", level=1)).not_to_have_text(first)
    page.keyboard.press("Shift+S")
    expect(page.get_by_role("heading", level=1)).to_have_text(first)
    page.get_by_role("link", name="next frame").click()
    number = int(re.sub(r"\D", "", first))
    expect(page).to_have_url(re.compile(f"/frames/{number + 1}$"))
    page.get_by_role("link", name=re.compile("^Run .* of entry 7")).click()
    expect(page.get_by_role("status", name="Chosen frame")).to_contain_text(f"Frame {number + 1:,}")
    page.get_by_role("status", name="Chosen frame").get_by_role("link", name="its work").click()
    expect(page).to_have_url(re.compile(f"/frames/{number + 1}$"))


def test_late_frames_name_their_cause_and_what_they_go_with(page, demo):
    page.goto(f"{demo['base']}/lanternfall/entries/7/work")
    page.get_by_role("link", name="late frames").click()
    after = page.get_by_role("region", name="Excess after").first
    expect(after).to_contain_text(re.compile(r"frames were late after.*is collect \(main\)"))
    row = after.get_by_role("row").filter(has_text="collect")
    share = int(re.search(r"(\d+) %", row.get_by_role("cell").nth(2).inner_text())[1])
    assert 90 < share < 110
    both = page.get_by_role("table", name="Excess of both arms")
    expect(both.get_by_role("row").filter(has_text="collect")).to_contain_text("more")
    goes = page.get_by_role("table", name="What they go with after")
    expect(goes.get_by_role("row").nth(1)).to_contain_text("main / collect", timeout=60_000)
    expect(goes.get_by_role("row").nth(1)).to_contain_text("goes with late frames")
    expect(page.get_by_text("Association. A test is a run without it")).to_be_visible()
    page.get_by_label("Of which frames").select_option("stutters")
    expect(page).to_have_url(re.compile("of=stutters"))
    expect(page.get_by_role("region", name="Excess after").first).to_contain_text("frames of stutters")


def test_from_a_part_to_its_bound_to_the_backlog_to_a_planned_test(page, demo):
    page.goto(f"{demo['base']}/lanternfall/entries/1/work?see=free")
    parts = page.get_by_role("table", name="If it were free")
    first = parts.get_by_role("row").nth(1)
    expect(first).to_contain_text("reflections")
    together = page.get_by_role("region", name="Together")
    slider = first.get_by_role("slider")
    slider.focus()
    for _ in range(4):
        slider.press("ArrowLeft")
    expect(first).to_contain_text("80 %")
    expect(together.get_by_role("status")).to_contain_text("At most: the mean frame")
    page.get_by_role("button", name="Into the backlog").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("Idea").fill("Reflect lanterns alone")
    dialog.get_by_label("Why").fill("Nobody looks at the rest.")
    with page.expect_response(lambda r: r.url.endswith("/backlog/") and r.request.method == "POST") as kept:
        dialog.get_by_role("button", name="Write it down").click()
    assert kept.value.status == 201
    page.get_by_role("link", name="Backlog").click()
    idea = page.get_by_role("table", name="Ideas").get_by_role("row").filter(has_text="Reflect lanterns alone")
    expect(idea).to_contain_text(re.compile(r"\(± [\d.]+\) points of late frames"))
    expect(idea).to_contain_text("reflections at 80 %")
    idea.get_by_role("button", name="plan its test").click()
    expect(page).to_have_url(re.compile(r"/bench/plan\?entry=\d+$"))
    expect(page.locator("select[name=entry] option:checked")).to_contain_text("Reflect lanterns alone")
    page.get_by_role("link", name="Backlog").click()
    idea.get_by_role("button", name="drop").click()
    page.get_by_role("dialog").get_by_label("Why").fill("It looks wrong.")
    page.get_by_role("dialog").get_by_role("button", name="Drop it").click()
    expect(idea).to_contain_text("dropped: It looks wrong.")


def test_what_the_frame_is_made_of_adds_up_to_what_it_saved(page, demo):
    page.goto(f"{demo['base']}/lanternfall/entries/12/work")
    expect(page.get_by_text(re.compile("its share of the work of main went from"))).to_have_count(3)
    table = page.get_by_role("table", name="What the frame is made of")
    expect(table).to_be_visible()
    before = [float(t) for t in table.locator("tbody tr td:nth-child(2)").all_inner_texts()]
    indents = table.locator("tbody tr td:first-child > span:first-child").evaluate_all("all => all.map(s => s.style.paddingLeft || getComputedStyle(s).paddingLeft)")  # fmt: skip
    tops = [ms for ms, indent in zip(before, indents, strict=False) if indent == "0px"]
    assert abs(sum(tops) - before[-1]) < 0.05


def test_counters_are_told_as_facts_and_lead_to_the_first_frame_that_is_not_zero(page, demo):
    page.goto(f"{demo['base']}/lanternfall/entries/7/work?see=counters")
    table = page.get_by_role("table", name="Counters beside time")
    expect(table.get_by_role("row").filter(has_text="loads")).to_contain_text("none in")
    heap = table.get_by_role("row").filter(has_text="heap MiB")
    expect(heap).to_contain_text(re.compile(r"flat: .* by what is left after each of \d+ collections a run"))
    page.get_by_label("Seconds left out").fill("5")
    page.keyboard.press("Enter")
    expect(page).to_have_url(re.compile("from=5"))
    expect(table.get_by_role("row").filter(has_text="loads")).to_contain_text("none after 5.0 s in")
    heap.get_by_role("link", name=re.compile("^the first: frame")).click()
    expect(page.get_by_role("table", name="The frame")).to_be_visible()


def test_allowances_are_taken_from_what_is_proposed_and_need_a_reason(page, demo):
    page.goto(f"{demo['base']}/lanternfall/entries/6/work?see=budget")
    page.get_by_role("button", name="Set allowances").click()
    page.get_by_role("button", name="take what is proposed").click()
    field = page.get_by_label("Allowed for ripples of main")
    proposed = float(field.input_value())
    page.get_by_role("button", name="Set them").click()
    expect(page.get_by_role("alert")).to_contain_text("set for a reason")
    page.get_by_label("Allowed for steer boats of main").fill("40")
    page.get_by_label("Why", exact=True).fill("As the crews agreed.")
    page.get_by_role("button", name="Set them").click()
    expect(page.get_by_role("alert")).to_contain_text("the budget is 16.6667")
    page.get_by_label("Allowed for steer boats of main").fill("6")
    page.get_by_role("button", name="Set them").click()
    ripples = page.get_by_role("table", name="Budget split").get_by_role("row").filter(has_text="ripples")
    expect(ripples).to_contain_text("As the crews agreed.")
    expect(ripples.get_by_role("cell").nth(2)).to_have_text(f"{proposed:.1f}")
    expect(ripples.get_by_role("cell").nth(3)).to_contain_text("%")


def test_what_next_proposes_with_its_evidence_and_by_rules_of_the_books_own(page, demo):
    page.goto(f"{demo['base']}/lanternfall/entries/7/work?see=next")
    proposals = page.get_by_role("list", name="Proposals")
    collect = proposals.get_by_role("listitem").filter(has_text="The course without collect")
    expect(collect).to_contain_text(re.compile(r"Since: .* frames were late after.*is collect \(main\)"))
    page.get_by_role("button", name="Another rule").click()
    form = page.get_by_role("form", name="Another rule")
    form.get_by_role("button", name="Add the rule").click()
    expect(page.get_by_role("alert")).to_contain_text("What is proposed?")
    form.get_by_label("Counter").select_option("draws")
    form.get_by_label("Value of the counter").fill("700")
    form.get_by_label("What is proposed").fill("Draw far lanterns as one")
    form.get_by_label("Whom to ask").fill("who draws lanterns: which of them may be one?")
    form.get_by_role("button", name="Add the rule").click()
    added = proposals.get_by_role("listitem").filter(has_text="Draw far lanterns as one")
    expect(added).to_contain_text(re.compile(r"draws is \d+\.\d\d in the mean frame, over 700.00"))
    added.get_by_role("button", name="ask a specialist").click()
    dialog = page.get_by_role("dialog")
    expect(dialog.get_by_label("What is asked")).to_have_value(
        re.compile("which of them may be one\\? What was found: draws is")
    )
    dialog.get_by_role("button", name="Leave").click()
    page.get_by_role("button", name="take away Draw far lanterns as one").click()
    expect(added).to_have_count(0)
    collect.get_by_role("link", name="see it").click()
    expect(page).to_have_url(re.compile("see=late$"))
