"""Files of three makings, brought in on the screen: what is in doubt is asked, what is agreed ends in a verdict."""

import io
import json
import re

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq
import pytest
from core.generators import ordinary
from playwright.sync_api import expect


def frames(level, seed):
    return np.round(ordinary(np.random.default_rng(seed), 400, level), 3)


def text(frame_ms):
    rows = "".join(f"{x * 1000:.0f};{x / 2:.3f}\n".replace(".", ",") for x in frame_ms)
    return f"Pond recorder; 4 May\nduration (us);river_ms\n{rows}".encode()


def rows_of_json(frame_ms):
    return json.dumps([{"frame_ms": x} for x in frame_ms.tolist()]).encode()


def parquet(frame_ms):
    sink = io.BytesIO()
    pq.write_table(pa.table({"dt": frame_ms / 1000, "draws": (frame_ms * 9).astype(int)}), sink)
    return sink.getvalue()


#: How a file is made, and what has to be said of it before it is taken.
KINDS = {"csv": (text, "river_ms"), "json": (rows_of_json, ""), "parquet": (parquet, "dt")}


@pytest.mark.parametrize("kind", KINDS)
def test_files_are_read_as_is_agreed_and_become_an_entry(own, kind):
    page = own
    make, doubtful = KINDS[kind]
    files = [
        {
            "name": f"{arm}_pond_{seed}.{kind}",
            "mimeType": "application/octet-stream",
            "buffer": make(frames(level, seed)),
        }
        for seed, (arm, level) in enumerate([("olden", 16.0), ("newer", 14.0)] * 5)
    ]
    page.get_by_role("link", name="Bring in").click()
    page.get_by_label("Files to send").set_input_files(files)
    table = page.get_by_role("table", name="Files")
    expect(table.get_by_role("row")).to_have_count(11)
    expect(page.get_by_role("table", name="Read so")).to_contain_text("400")
    expect(page.get_by_label("In the names of files before")).to_have_value("olden")
    expect(page.get_by_label("Arm of newer_pond_1")).to_have_value("after")
    expect(page.get_by_label("Order of recording")).to_have_value("number")

    take = page.get_by_role("button", name="Write into a new entry")
    page.get_by_label("Scenario", exact=True).fill("Pond at dusk")
    page.get_by_label("Target", exact=True).fill("60")
    page.get_by_label("Rig", exact=True).fill("thin laptop")
    page.get_by_label("Build after").fill("cells")
    page.get_by_label("Title of the entry").fill("Neighbours by cells")
    if doubtful:
        expect(page.get_by_text("10 files are still to be answered")).to_be_visible()
        expect(take).to_be_disabled()
    if kind == "csv":
        page.get_by_label("Role of river_ms").select_option("processor")
    if kind == "parquet":
        expect(page.get_by_text(re.compile("its unit is not named; ms is usual, and no frame"))).to_be_visible()
        page.get_by_label("What dt is").select_option("the time since the frame before")
        expect(page.get_by_label("Unit of dt")).to_have_value("s")
    page.get_by_label("Conditions of all files").fill("window = 1600x900\nno condition")
    expect(page.get_by_text("“no condition” is no condition")).to_be_visible()
    page.get_by_label("Conditions of all files").fill("window = 1600x900")
    take.click()
    expect(page.get_by_test_id("sentence")).to_contain_text(re.compile(r"A frame takes [12]\.\d+ ms less"))
    expect(page.get_by_text("5 + 5 runs, interleaved")).to_be_visible()
    page.get_by_role("navigation", name="Leaves of the entry").get_by_role("link", name="Runs").click()
    page.get_by_role("link", name=re.compile(r"^Run \d+, ")).click()
    original = page.get_by_role("link", name=re.compile(rf"^(olden|newer)_pond_\d\.{kind}$"))
    with page.expect_download() as download:
        original.click()
    sent = next(file["buffer"] for file in files if file["name"] == original.inner_text())
    assert download.value.path().read_bytes() == sent
    page.get_by_role("link", name="Bring in").click()
    expect(page.get_by_text("Delimited text of any making")).to_be_visible()


def test_what_cannot_be_read_says_why_and_can_be_taken_away(own):
    page = own
    page.get_by_role("link", name="Bring in").click()
    holes = "frame_ms\n" + "16.5\n" * 20 + "x\n" + "16.5\n" * 20
    page.get_by_label("Files to send").set_input_files([
        {"name": "picture.csv", "mimeType": "image/png", "buffer": b"\x89PNG\r\n\x1a\n\0\0" + bytes(range(200))},
        {"name": "holes.csv", "mimeType": "text/csv", "buffer": holes.encode()},
        {"name": "empty.csv", "mimeType": "text/csv", "buffer": b""},
    ])  # fmt: skip
    expect(page.get_by_text("It is empty.")).to_be_visible()
    page.get_by_role("button", name="picture.csv", exact=True).click()
    expect(page.get_by_role("alert")).to_contain_text("not UTF-8 or UTF-16 text")
    page.get_by_role("button", name="Take picture.csv away").click()
    expect(page.get_by_role("button", name="picture.csv", exact=True)).to_have_count(0)
    expect(page.get_by_role("alert")).to_have_text("Line 22: 'x' is not a number.")
    page.get_by_label("Leave lines out that cannot count").check()
    expect(page.get_by_role("table", name="Read so")).to_contain_text("1 lines")
    expect(page.get_by_role("button", name="Write into a new entry")).to_be_disabled()
    page.get_by_label("Scenario", exact=True).fill("Pond")
    page.get_by_label("Rig", exact=True).fill("thin laptop")
    page.get_by_role("button", name="Keep as runs").click()
    expect(page.get_by_text("time not known")).to_be_visible()
    page.get_by_role("link", name="time not known").click()
    expect(
        page.get_by_text(re.compile("1 line was left out, the first at line 22: 'x' is not a number"))
    ).to_be_visible()


def test_what_was_cut_off_on_its_way_goes_on_and_a_folder_sorts_itself(own, tmp_path):
    page = own
    page.get_by_role("link", name="Bring in").click()
    body = "frame_ms\n" + "16.25\n" * 1_000_000
    path = tmp_path / "long.csv"
    path.write_text(body)
    pieces = []
    page.on("request", lambda r: pieces.append(r.url.rsplit("/", 2)[1]) if r.method == "PUT" else None)
    page.route("**/pieces/1/", lambda route: route.abort())
    page.get_by_label("Files to send").set_input_files(path)
    expect(page.get_by_text("cut off on its way")).to_be_visible()
    page.unroute("**/pieces/1/")
    page.get_by_label("Files to send").set_input_files(path)
    expect(page.get_by_role("table", name="Read so")).to_contain_text("1,000,000")
    assert pieces == ["0", "1", "1"]
    expect(page.get_by_role("table", name="Files").get_by_role("row")).to_have_count(2)
    page.get_by_role("button", name="Take long.csv away").click()
    for arm, level in (("before", 16.0), ("after", 14.0)):
        (tmp_path / "ponds" / arm).mkdir(parents=True)
        (tmp_path / "ponds" / arm / "1.csv").write_bytes(text(frames(level, 1)))
    page.get_by_label("Folder to send").set_input_files(tmp_path / "ponds")
    expect(page.get_by_label("Arm of ponds/before/1.csv")).to_have_value("before")
    expect(page.get_by_label("Arm of ponds/after/1.csv")).to_have_value("after")
    expect(page.get_by_label("Order of recording")).to_have_value("unknown")


def test_readings_at_another_rate_go_beside_the_runs(own, demo):
    page = own
    page.get_by_role("link", name="Bring in").click()
    frame_ms = frames(16.0, 1)
    power = "time_s,power [W]\n" + "".join(f"{i},{20 + i * i % 7}\n" for i in range(1, 9))
    page.get_by_label("Files to send").set_input_files([
        {"name": "pond.csv", "mimeType": "text/csv", "buffer": ("frame_ms\n" + "\n".join(map(str, frame_ms))).encode()},
        {"name": "power.csv", "mimeType": "text/csv", "buffer": power.encode()},
    ])  # fmt: skip
    page.get_by_role("button", name="power.csv", exact=True).click()
    page.get_by_label("Arm of power.csv").select_option("beside the runs")
    expect(page.get_by_text("8 readings of power [W], from 1.00 to 8.00 s")).to_be_visible()
    page.get_by_label("Scenario", exact=True).fill("Pond")
    page.get_by_label("Rig", exact=True).fill("thin laptop")
    page.get_by_role("button", name="Keep as runs").click()
    page.get_by_role("link", name="time not known").click()
    expect(page.get_by_text("Brought in from")).to_be_visible()
    run = page.request.get(f"{demo['base']}/api/runs/{page.url.rsplit('/', 1)[1]}/").json()
    assert run["counters"] == ["power [W]"]


def test_a_log_of_work_is_read_by_a_pattern_and_stands_in_the_frames(own, demo):
    page = own
    page.get_by_role("link", name="Bring in").click()
    log = "the river opens\n" + "".join(f"[{i}.001] drew boats in {250 + i}us\n" for i in range(1, 6))
    page.get_by_label("Files to send").set_input_files([
        {"name": "pond.csv", "mimeType": "text/csv", "buffer": ("frame_ms\n" + "\n".join(map(str, frames(16.0, 1)))).encode()},
        {"name": "pond.log", "mimeType": "text/plain", "buffer": log.encode()},
    ])  # fmt: skip
    page.get_by_role("button", name="pond.log", exact=True).click()
    page.get_by_label("Arm of pond.log").select_option("work in the frames")
    page.get_by_label("Pattern of the lines").fill(r"\[(?P<at>[\d.]+)\] drew (?P<part>\w+) in (?P<took_us>\d+)us")
    page.get_by_role("button", name="read so").click()
    # A stamp without a unit is asked for; the rest is read from the groups' names.
    expect(page.get_by_text("Still to be said: what at is")).to_be_visible()
    page.get_by_label("What at is").select_option("when it began")
    page.get_by_label("Unit of at").select_option("s")
    expect(page.get_by_text("5 pieces of 1 part, from 1.00 to 5.00 s")).to_be_visible()
    page.get_by_label("Scenario", exact=True).fill("Pond")
    # What is typed survives leaving.
    page.get_by_role("link", name="Runs", exact=True).click()
    page.get_by_role("link", name="Bring in").click()
    expect(page.get_by_label("Scenario", exact=True)).to_have_value("Pond")
    page.get_by_label("Rig", exact=True).fill("thin laptop")
    page.get_by_role("button", name="Keep as runs").click()
    page.get_by_role("link", name="time not known").click()
    expect(page.get_by_text("Brought in from")).to_be_visible()
    boats = page.get_by_role("table", name="Work of the stretch").get_by_role("row").filter(has_text="boats")
    expect(boats.get_by_role("cell").last).to_have_text("253.0")  # us a call, over five calls
    run = page.url.rsplit("/", 1)[1]
    found = page.request.get(f"{demo['base']}/api/runs/{run}/parts/?start=0&stop=400").json()
    assert (found["parts"][0]["path"], found["ms"]) == (["boats"], [(250 + i) / 1000 for i in range(1, 6)])


def test_what_is_said_in_a_hurry_arrives_in_the_order_it_was_said(own):
    page = own
    page.get_by_role("link", name="Bring in").click()
    body = "t,load\n" + "\n".join(f"{i * 0.016:.4f},{i}" for i in range(40))
    page.get_by_label("Files to send").set_input_files(
        [{"name": "t.csv", "mimeType": "text/csv", "buffer": body.encode()}]
    )
    page.get_by_role("button", name="t.csv", exact=True).click()
    held = []
    page.route("**/files/reading/", lambda route: held.append(route))
    load = page.get_by_label("What load is")
    with page.expect_request("**/files/reading/"):
        load.select_option("left out")
    load.select_option("counter")
    expect(load).to_have_value("counter")
    # What is asked later has its answer: a second saying under way would have been seen. It waits for the first's answer.
    assert page.evaluate("fetch('/api/session/').then((answer) => answer.status)") == 200
    assert len(held) == 1
    with page.expect_request("**/files/reading/") as second:
        held[0].continue_()
    assert second.value.post_data_json["reading"]["columns"]["load"]["is"] == "counter"
