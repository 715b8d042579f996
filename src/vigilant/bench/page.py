"""A page under test in Chromium, through Playwright: its animation frames, what they take, and a course of steps."""

from __future__ import annotations

import json
import os
import shutil
import time
from collections.abc import Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import IO, Annotated, Any, Literal
from urllib.parse import urlsplit

from pydantic import BaseModel, ConfigDict, Field, ValidationError, model_validator

from vigilant.formats.run import fit_name
from vigilant.plan.faults import refused
from vigilant.plan.read import read_toml

from .errors import BenchError

#: Switches of the browser's own: what else it does is not the page's, and frames are not held to a screen's rate.
QUIET = (
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
)
UNPACED = ("--disable-frame-rate-limit", "--disable-gpu-vsync")
BROWSERS = ("chromium", "chromium-browser")
LOOK_MS = 20
#: A page that drew nothing by then draws nothing.
FIRST_FRAME_S = 20.0
#: The same for all runs of a seed: a page's chance is part of its course.
SEEDED = """(() => { let state = SEED >>> 0; Math.random = () => {
  state = (state + 0x6D2B79F5) >>> 0; let mixed = state;
  mixed = Math.imul(mixed ^ (mixed >>> 15), mixed | 1);
  mixed ^= mixed + Math.imul(mixed ^ (mixed >>> 7), mixed | 61);
  return ((mixed ^ (mixed >>> 14)) >>> 0) / 4294967296; }; })();"""
#: What draws, as the page's own interface names it; asked of an empty page, before the one under test.
RENDERER = """() => { const gl = document.createElement("canvas").getContext("webgl2"); if (!gl) return "no WebGL 2";
  const more = gl.getExtension("WEBGL_debug_renderer_info");
  return String(gl.getParameter(more ? more.UNMASKED_RENDERER_WEBGL : gl.RENDERER)).slice(0, 200); }"""

DOES = ("mark", "click", "press", "pointer", "wheel", "script", "still")


class Step(BaseModel):
    """One step of a page's course, so many seconds after its first frame: a leg's mark, a click, a key, the pointer, the
    wheel, a script, or a still. A picture takes time: best taken in a leg that is not play."""

    model_config = ConfigDict(extra="forbid")

    at_s: Annotated[float, Field(ge=0, lt=1e6)]
    mark: Annotated[str, Field(min_length=1, max_length=100)] | None = None
    play: bool = True
    click: str | None = None
    press: str | None = None
    pointer: tuple[float, float] | None = None
    wheel: tuple[float, float] | None = None
    script: str | None = None
    still: str | None = None

    @model_validator(mode="after")
    def _does_something(self) -> Step:
        if sum(getattr(self, what) is not None for what in DOES) != 1:
            raise ValueError(f"a step does one of {', '.join(DOES)}")
        if self.still is not None and not (fit_name(self.still) and self.still.endswith((".png", ".jpg"))):
            raise ValueError("a still is called like a file in no folder, and ends in .png or .jpg")
        return self


class Course(BaseModel):
    model_config = ConfigDict(extra="forbid")

    step: Annotated[list[Step], Field(max_length=10_000)] = []


def read_course(path: Path) -> list[Step]:
    """The steps of a course file (TOML), in order of their time. Raises :class:`PlanError`."""
    try:
        course = Course.model_validate(read_toml(path))
    except ValidationError as error:
        raise refused(error, Course, str(path)) from None
    return sorted(course.step, key=lambda step: step.at_s)


@dataclass(frozen=True)
class PageAsked:
    """A page and how it is shown. ``address`` is that of a page, or a file; times in seconds, sizes in CSS pixels."""

    address: str
    seconds: float
    seed: int | None = None
    viewport: tuple[int, int] = (1280, 720)
    pixel_ratio: float = 1.0
    network: bool = False
    paced: bool = False
    steps: Sequence[Step] = field(default=())

    @property
    def url(self) -> str:
        if urlsplit(self.address).scheme in ("http", "https", "file"):
            return self.address
        name, mark, query = self.address.partition("?")
        path = Path(name).resolve()
        if not path.is_file():
            raise BenchError(f"there is no page {name}: a file, or an address that begins with http")
        return f"{path.as_uri()}{mark}{query}"

    def conditions(self, version: str, renderer: str) -> dict[str, str]:
        """What stands on the run's sheet."""
        return {
            "recorded by": "page",
            "browser": f"Chromium {version.partition('.')[0]}",
            "renderer": renderer,
            "viewport": f"{self.viewport[0]}x{self.viewport[1]}",
            "pixel ratio": f"{self.pixel_ratio:g}",
            "network": "on" if self.network else "off but for the page's own origin",
            "frames asked to be": "paced by the screen"
            if self.paced
            else "unpaced; expect tearing where there is a screen",
        }


def browser_path() -> str:
    """The browser: the one VIGILANT_CHROMIUM names, else the system's. Raises :class:`BenchError`."""
    named = os.environ.get("VIGILANT_CHROMIUM")
    found = shutil.which(named) if named else next(filter(None, map(shutil.which, BROWSERS)), None)
    if found is None:
        raise BenchError(f"no browser: {named or 'Chromium'} is not installed; VIGILANT_CHROMIUM names another one")
    return found


def emitter_source() -> str:
    """The JavaScript emitter, as a plain script."""
    path = Path(__file__).resolve().parents[3] / "emitters" / "js" / "vigilant_emitter.js"
    return path.read_text(encoding="utf-8").replace("\nexport ", "\n")


class _Lines:
    """What the page reports, written as it comes. A second head is another page's: its frames are not this run's."""

    def __init__(self, out: IO[str]) -> None:
        self.out = out
        self.begun = self.ended = False
        self.went_on = False
        self.first_s: float | None = None

    def take(self, text: str) -> None:
        """Whole lines, several of them."""
        if text.startswith('{"vigilant_frames"'):
            self.went_on = self.went_on or self.begun
            self.begun = True
        if self.went_on or self.ended:
            return
        if self.first_s is None and "\n[" in text:
            self.first_s = time.monotonic()
        self.out.write(text)
        self.out.flush()
        self.ended = '{"end"' in text.rsplit("\n", 2)[-2]


def play(asked: PageAsked, out: IO[str]) -> Literal["complete", "went on", "no frame"]:
    """Show the page for so long after its first frame, and write what it reports. Raises :class:`BenchError`."""
    try:
        from playwright.sync_api import Error, sync_playwright
    except ImportError as error:
        raise BenchError("pages need Playwright, which is not here: .venv/bin/pip install playwright") from error
    url, executable = asked.url, browser_path()
    switches = [*QUIET, *(() if asked.paced else UNPACED)]
    if hasattr(os, "geteuid") and os.geteuid() == 0:
        switches.append("--no-sandbox")  # as root it starts no other way
    lines = _Lines(out)
    try:
        with sync_playwright() as playwright:
            browser = playwright.chromium.launch(executable_path=executable, args=switches)
            width, height = asked.viewport
            context = browser.new_context(
                viewport={"width": width, "height": height}, device_scale_factor=asked.pixel_ratio
            )
            page = context.new_page()
            if not asked.network:
                own = urlsplit(url)[:2]
                context.route(
                    lambda other: urlsplit(other)[:2] != own and not other.startswith(("data:", "blob:")),
                    lambda route: route.abort(),
                )
            page.expose_function("__vigilantLines", lines.take)
            page.add_init_script(_script(asked, asked.conditions(browser.version, page.evaluate(RENDERER))))
            page.goto(url, wait_until="commit")
            ended = _course(asked, page, lines)
            browser.close()
            return ended
    except Error as error:
        raise BenchError(f"the page cannot be shown: {str(error).splitlines()[0][:300]}") from error


def _script(asked: PageAsked, conditions: dict[str, str]) -> str:
    seeded = "" if asked.seed is None else SEEDED.replace("SEED", str(asked.seed))
    given: dict[str, Any] = {"conditions": conditions, "frameIs": "shown to shown", "clock": "coarse"}
    if asked.seed is not None:
        given["seed"] = asked.seed
    return (
        f"{seeded}\nif (window === window.top && !location.href.startsWith('about:')) (() => {{\n{emitter_source()}\n"
        f"window.__vigilant = watchPage({{ write: (text) => window.__vigilantLines(text), ...{json.dumps(given)} }});\n}})();"
    )


def _course(asked: PageAsked, page: Any, lines: _Lines) -> Literal["complete", "went on", "no frame"]:
    steps = list(asked.steps)
    began = time.monotonic()
    while not lines.went_on:
        page.wait_for_timeout(LOOK_MS)
        now = time.monotonic()
        if lines.first_s is None:
            if now - began > FIRST_FRAME_S:
                return "no frame"
            continue
        while steps and now - lines.first_s >= steps[0].at_s:
            _step(page, steps.pop(0))
        if now - lines.first_s >= asked.seconds:
            page.evaluate("window.__vigilant.emitter.close()")
            while not lines.ended:
                page.wait_for_timeout(LOOK_MS)
            return "complete"
    return "went on"


def _step(page: Any, step: Step) -> None:
    if step.mark is not None:
        page.evaluate("([name, play]) => window.__vigilant.mark(name, play)", [step.mark, step.play])
    elif step.click is not None:
        page.click(step.click, timeout=2000)
    elif step.press is not None:
        page.keyboard.press(step.press)
    elif step.pointer is not None:
        page.mouse.move(*step.pointer)
    elif step.wheel is not None:
        page.mouse.wheel(*step.wheel)
    elif step.script is not None:
        page.evaluate(step.script)
    elif step.still is not None and (folder := os.environ.get("VIGILANT_STILLS")):
        page.evaluate("(name) => window.__vigilant.emitter.still(name)", step.still)
        page.screenshot(path=Path(folder) / step.still)
