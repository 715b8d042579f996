"""Stills that differ by one lantern: found, looked at in three ways, ruled on, masked, put by hand."""

import re

from playwright.sync_api import expect
from server.pictures import encoded, river

AT = "/lanternfall/entries/7/stills"


def stills(page):
    return page.get_by_role("list", name="Stills")


def test_a_lantern_that_is_gone_is_remarked_on_and_seen_in_three_ways(page, demo):
    page.goto(f"{demo['base']}/lanternfall/entries/7")
    remark = page.get_by_role("list", name="Remarks").get_by_role("listitem").filter(has_text="bank.png")
    remark.get_by_role("link", name="stills").click()
    expect(page).to_have_url(re.compile("/entries/7/stills$"))
    expect(stills(page).get_by_role("button", name="bank.png")).to_contain_text("changed")
    expect(stills(page).get_by_role("button", name="bridge.png")).to_contain_text("same")
    for arm in ("before", "after"):
        expect(page.get_by_role("img", name=f"bank.png {arm}")).to_have_js_property("naturalWidth", 640)
    page.get_by_label("Shown").select_option("one over the other")
    divider = page.get_by_role("slider", name="The divider")
    divider.focus()
    for _ in range(5):
        page.keyboard.press("ArrowRight")
    expect(divider).to_have_value("55")
    expect(page.get_by_role("img", name="bank.png after").locator("..")).to_have_css(
        "clip-path", "inset(0px 0px 0px 55%)"
    )
    page.get_by_label("Shown").select_option("the difference")
    ink = page.get_by_role("img", name="Where bank.png differs")
    expect(ink).to_have_js_property("naturalWidth", 640)
    stills(page).get_by_role("button", name="overdraw.png").click()
    expect(page.get_by_text("a picture of cost over the view")).to_be_visible()
    expect(page.get_by_role("heading", name="What was seen")).to_have_count(0)


def test_what_was_seen_is_written_down_and_moves_the_remark(page, demo):
    page.goto(f"{demo['base']}{AT}")
    page.get_by_role("button", name="It is the same").click()
    expect(page.get_by_text("This is needed.")).to_be_visible()
    page.get_by_label("Why", exact=True).fill("The fifth lantern is lit by hand each evening.")
    page.get_by_role("button", name="It is the same").click()
    expect(page.get_by_role("note").filter(has_text="The same, Mira Quill")).to_be_visible()
    page.goto(f"{demo['base']}/lanternfall/entries/7")
    expect(page.get_by_role("heading", name="Lantern glow in one pass")).to_be_visible()
    expect(page.get_by_role("list", name="Remarks").get_by_text("bank.png")).to_have_count(0)
    page.goto(f"{demo['base']}{AT}?still=market+bank/bank.png")
    page.get_by_label("Why", exact=True).fill("It is gone after all.")
    page.get_by_role("button", name="It changed").click()
    expect(page.get_by_role("note").filter(has_text="Changed, Mira Quill")).to_be_visible()


def test_a_part_is_drawn_left_out_and_taken_back(page, demo):
    page.goto(f"{demo['base']}{AT}?still=market+bank/bank.png")
    picture = page.get_by_role("img", name="bank.png before")
    expect(picture).to_have_js_property("complete", True)
    box = picture.bounding_box()
    page.mouse.move(box["x"] + 0.54 * box["width"], box["y"] + 0.28 * box["height"])
    page.mouse.down()
    page.mouse.move(box["x"] + 0.81 * box["width"], box["y"] + 1.05 * box["height"], steps=4)
    page.mouse.up()
    page.get_by_role("button", name="Let what is drawn differ").click()
    expect(page.get_by_label("From the left, %")).to_have_value(re.compile(r"^5[34]\."))
    page.get_by_label("Why it may").fill("lit by hand")
    page.get_by_role("button", name="Leave it out").click()
    expect(page.get_by_role("list", name="What may differ")).to_contain_text("lit by hand")
    expect(page.get_by_text(re.compile("^Same: "))).to_be_visible()
    page.get_by_role("button", name="take away").click()
    page.get_by_role("button", name="Take it away").click()
    expect(page.get_by_text(re.compile("^Changed: "))).to_be_visible()


def test_a_still_is_put_by_hand(page, demo):
    page.goto(f"{demo['base']}/lanternfall/entries/1/stills")
    expect(page.get_by_text("No picture was taken")).to_be_visible()
    page.get_by_role("button", name="Put a still").click()
    page.get_by_label("Name").fill("dusk.png")
    page.get_by_role("button", name="Put it", exact=True).click()
    expect(page.get_by_text("Choose a picture.")).to_be_visible()
    for body, done in ((b"no picture", False), (encoded(river(1)), True)):
        page.locator("input[type=file]").set_input_files({"name": "dusk.png", "mimeType": "image/png", "buffer": body})
        page.get_by_role("button", name="Put it", exact=True).click()
        if not done:
            expect(page.get_by_text("no PNG, JPEG or WebP that can be read")).to_be_visible()
    expect(stills(page).get_by_role("button", name="dusk.png")).to_contain_text("not compared")
    expect(page.get_by_text("only before has it")).to_be_visible()


def test_a_sequence_is_turned_by_key_and_by_itself(page, demo):
    page.goto(f"{demo['base']}{AT}")
    stills(page).get_by_role("button", name="lantern in the wind").click()
    expect(page.get_by_role("heading", name="lantern in the wind")).to_be_visible()
    turner = page.get_by_role("slider", name="Picture of the sequence")
    expect(turner).to_have_value("2")  # the first that changed
    expect(page.get_by_role("img", name="swing 2.png after")).to_have_js_property("naturalWidth", 240)
    turner.focus()
    page.keyboard.press("ArrowRight")
    expect(page.get_by_role("img", name="swing 3.png after")).to_be_visible()
    expect(page.get_by_text(re.compile(r"^Changed: of 8 pictures 6 changed, 2 same"))).to_be_visible()
    page.get_by_role("button", name="Turn them").click()
    expect(page.get_by_role("img", name="swing 1.png after")).to_be_visible()  # round, and from the start
    page.get_by_role("button", name="Hold").click()
    page.get_by_label("Why", exact=True).fill("It is tied tighter this year.")
    page.get_by_role("button", name="It changed").click()
    expect(page.get_by_role("note").filter(has_text="tied tighter")).to_be_visible()
    expect(stills(page).get_by_role("button", name="lantern in the wind")).to_contain_text("changed, seen")
