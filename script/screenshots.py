"""Pictures of the main views from the demo data, and of the command line, into docs/screenshots/."""

import argparse
import os
import re
import subprocess
import sys
import tempfile
from pathlib import Path

from playwright.sync_api import FloatRect, Page, expect, sync_playwright
from rich.console import Console
from rich.text import Text

ROOT = Path(__file__).resolve().parents[1]
sys.path.insert(0, str(ROOT / "tests"))
from bench.recording import as_toml, lanternfall, plan  # noqa: E402
from running_demo import CHROMIUM, CHROMIUM_ARGUMENTS, running, sign_in  # noqa: E402


def settled(page: Page) -> None:
    page.wait_for_load_state("networkidle")
    expect(page.locator("[data-loading]")).to_have_count(0, timeout=30_000)
    page.evaluate("document.fonts.ready")


def views(page: Page, out: Path, base: str) -> None:
    def shot(name: str, address: str) -> None:
        page.goto(f"{base}{address}")
        settled(page)
        page.screenshot(path=out / f"{name}.png")

    shot("ledger", "/lanternfall")
    shot("entry", "/lanternfall/entries/3")
    shot("stills", "/lanternfall/entries/7/stills")
    page.goto(f"{base}/lanternfall/entries/3/watch")
    page.get_by_role("button", name="Let it swing").click()
    expect(page.get_by_text("This page draws")).to_be_visible()
    page.screenshot(path=out / "watch.png")
    runs = page.request.get(f"{base}/api/runs/?book=lanternfall&page_size=1000").json()["results"]
    complete = next(r for r in runs if r["outcome"] == "complete" and r["build"].startswith("Lantern glow"))
    run = page.request.get(f"{base}/api/runs/{complete['id']}/").json()
    worst = max(run["stutters"], key=lambda s: s["size_ms"])["worst"]
    shot("run-frames", f"/lanternfall/runs/{run['id']}?from={worst - 60}&to={worst + 60}&frame={worst}")
    shot("frame", f"/lanternfall/runs/{run['id']}/frames/{worst}")
    page.goto(f"{base}/lanternfall/entries/7/work?see=late")
    expect(page.get_by_role("table", name="What they go with after")).to_be_visible(timeout=60_000)
    shot("late-frames", "/lanternfall/entries/7/work?see=late")
    shot("field", "/lanternfall/field?against=river%2040")
    for name, asked in (
        ("ramp", "How many more boats with neighbours by cell?"),
        ("matrix", "Does the glow in one pass hold everywhere?"),
        ("hunt", "Which commit made b115 worse?"),
    ):
        page.goto(f"{base}/lanternfall/bench")
        page.get_by_role("row").filter(has_text=asked).first.get_by_role("link", name="account").click()
        page.get_by_test_id("sentence").first.wait_for()
        settled(page)
        page.screenshot(path=out / f"{name}.png")
    shot("laps", "/lanternfall/laps/1")
    people(page, out, base)
    page.goto(f"{base}/lanternfall/bench/rigs")
    settled(page)
    # The last row is the machine that takes the pictures: of what it is made is in none of them.
    whole = page.locator("body").bounding_box()
    own = page.get_by_role("row").filter(has_text="workbench").bounding_box()
    assert whole
    assert own
    page.screenshot(path=out / "rigs.png", clip=FloatRect(x=0, y=0, width=whole["width"], height=own["y"]))
    page.goto(f"{base}/lanternfall/trend")
    page.get_by_role("table", name="Lines").get_by_role("row").filter(has_text="thin laptop").get_by_role(
        "link"
    ).click()
    page.get_by_test_id("sentence").wait_for()
    settled(page)
    page.screenshot(path=out / "trend.png")
    shot("statement", "/lanternfall/statement?entries=3")
    page.evaluate("localStorage.setItem('mui-mode', 'dark')")
    shot("work-night", "/lanternfall/entries/12/work")
    page.evaluate("localStorage.removeItem('mui-mode')")
    bench(page, out, base)


def people(page: Page, out: Path, base: str) -> None:
    """The book's page, somebody being let in."""
    page.goto(f"{base}/lanternfall/book")
    page.get_by_role("button", name="Add somebody").click()
    page.get_by_label("Signs in as").fill("tomas.reed")
    page.get_by_role("combobox", name="Role", exact=True).select_option("editor")
    page.get_by_label("Somebody new").check()
    page.get_by_role("button", name="Add", exact=True).click()
    page.get_by_text("has not signed in yet").wait_for()
    settled(page)
    page.screenshot(path=out / "members.png")


def bench(page: Page, out: Path, base: str) -> None:
    """Plan a recording of the real-time festival, and watch its fourth run."""
    page.goto(f"{base}/lanternfall/scenarios/write")
    page.get_by_label("Name").fill("Short course")
    page.get_by_label("Target").fill("240")
    page.get_by_label("Seconds a run").fill("8")
    page.get_by_role("button", name="Keep the scenario").click()
    page.get_by_role("button", name="Plan a recording").click()
    page.get_by_role("combobox", name=re.compile("^Entry")).select_option(label="8. Half-precision ripples, second try")
    for arm, kind in (("before", "double"), ("after", "half")):
        page.get_by_label(f"Build of {arm}").fill(f"{kind} precision")
        page.get_by_label(f"Subject of {arm}").fill("lanternfall")
        page.get_by_label(f"Arguments of {arm}").fill(f"--neighbours cells --ripples {kind}")
    expect(page.get_by_label("Record on")).to_have_value("workbench", timeout=20_000)
    page.get_by_role("button", name="Start recording").click()
    expect(page.get_by_text(re.compile(r"^Now: run 4"))).to_be_visible(timeout=90_000)
    expect(page.get_by_text(re.compile(r"[5-7] of 8 s"))).to_be_visible(timeout=20_000)
    page.screenshot(path=out / "bench.png")
    page.get_by_role("button", name="Stop and keep").click()
    page.get_by_role("button", name="Stop it").click()
    expect(page.get_by_text("stopped by hand")).to_be_visible(timeout=60_000)


def terminal(page: Page, out: Path, folder: Path) -> None:
    """What recording prints."""
    raw = plan(
        lanternfall("pairs"), lanternfall("cells"), 5, 2.0,
        scenario={"name": "River course", "target_fps": 120, "duration_s": 2.0, "seed": 7},
        entry={"title": "Find neighbour boats by river cell"},
    )  # fmt: skip
    (folder / "plan.toml").write_text(as_toml(raw))
    printed(page, out / "record.png", "record", folder)


def printed(page: Page, picture: Path, name: str, folder: Path) -> None:
    command = [str(ROOT / ".venv" / "bin" / "vigilant"), name, "plan.toml", "--spool", "spool"]
    environment = {**os.environ, "FORCE_COLOR": "1", "COLUMNS": "92"}
    done = subprocess.run(command, cwd=folder, env=environment, capture_output=True, text=True, check=False)
    console = Console(record=True, width=94, file=open(os.devnull, "w"))  # noqa: SIM115
    console.print(f"$ vigilant {name} plan.toml", style="bold")
    console.print(Text.from_ansi(done.stdout))
    html = console.export_html(
        inline_styles=True, code_format="<pre style='font:14px/1.35 monospace;margin:0'>{code}</pre>"
    )
    page.goto("about:blank")  # the demo's page lets no style of ours in
    page.set_content(f"<div style='display:inline-block;padding:18px;background:#fffdf7;color:#1c2733'>{html}</div>")
    page.locator("div").first.screenshot(path=picture)


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--out", type=Path, default=ROOT / "docs" / "screenshots")
    parser.add_argument("--width", type=int, default=1280)
    parser.add_argument("--skip-terminal", action="store_true")
    arguments = parser.parse_args()
    arguments.out.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory(prefix="vl-shots-") as folder, running(Path(folder) / "var") as link:
        base = link.split("/sign-in/")[0]
        with sync_playwright() as playwright:
            browser = playwright.chromium.launch(executable_path=CHROMIUM, args=CHROMIUM_ARGUMENTS)
            page = browser.new_page(viewport={"width": arguments.width, "height": 800})
            sign_in(page, link)
            settled(page)
            views(page, arguments.out, base)
            if not arguments.skip_terminal:
                terminal(page, arguments.out, Path(folder))
            browser.close()


if __name__ == "__main__":
    main()
