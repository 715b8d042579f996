"""Programs recorded as they are: Debian's own drawing programs on software drivers, and ones on a graphics library of the
tests, whose graphics times are known beforehand."""

import os
import shutil
import subprocess
import sys
import threading
from pathlib import Path

import numpy as np
import pytest
from bench.recording import plan, run_plan
from durable import Stand

from emitters.building import built
from vigilant.bench.errors import BenchError
from vigilant.bench.record import verdict
from vigilant.bench.tapped import MANIFEST, set_mark, tap_library
from vigilant.formats import read_stream
from vigilant.formats.errors import PlanError

HERE = Path(__file__).parent


@pytest.fixture(scope="module")
def display():
    """A screen without a screen."""
    read, write = os.pipe()
    server = subprocess.Popen(
        ["Xvfb", "-displayfd", str(write), "-screen", "0", "800x600x24", "-nolisten", "tcp"],
        pass_fds=(write,), stderr=subprocess.DEVNULL,
    )  # fmt: skip
    os.close(write)
    with os.fdopen(read) as told:
        yield f":{told.readline().strip()}"
    server.terminate()
    server.wait(20)


@pytest.fixture(scope="module")
def stub(tmp_path_factory):
    """The program linked to the tests' graphics library."""
    folder = tmp_path_factory.mktemp("stub")
    built(folder, "libstub_gl.so", (HERE / "stub_gl.c").read_text(), "-shared", "-fPIC")
    program = (HERE / "stub_program.c").read_text()
    return built(folder, "program", program, f"-L{folder}", "-l:libstub_gl.so", f"-Wl,-rpath,{folder}", "-ldl")


def recorded(folder, command, duration_s=20.0, runs=1, **recording):
    """The spool of ``command`` as both arms, tapped."""
    raw = plan([str(part) for part in command], [str(part) for part in command], runs, duration_s, recording=recording)
    raw["recording"]["blank"] = True
    for arm in raw["arm"]:
        arm["tap"] = True
    return run_plan(raw, folder)[1]


def first(spool):
    slot = spool.slots[0]
    return slot, spool.read(slot)


#: By its way to present: a program, its window, what the counters of the picture's size are called, and what else it says.
DRAWING = {
    "GLX": ("glxgears", "300x300", "viewport", {"abilities": "GLX_EXT_swap_control ", "graphics interface": "4."}),
    "EGL": ("es2gears_x11", "300x300", "viewport", {"abilities": "EGL_EXT_buffer_age ", "graphics interface": "OpenGL ES "}),
    "Vulkan": ("vkcube", "500x500", "picture", {"abilities": "VK_KHR_swapchain", "graphics interface": "Vulkan 1.", "present mode": "fifo", "driver": "llvmpipe Mesa"}),
}  # fmt: skip


@pytest.mark.parametrize("interface", DRAWING)
def test_a_drawing_program_plays_until_its_time_is_over(interface, display, tmp_path, monkeypatch):
    program, size, area, told = DRAWING[interface]
    monkeypatch.setenv("DISPLAY", display)
    spool = recorded(tmp_path, [program], 0.8)
    slot, run = first(spool)
    series = run.series
    assert [(s.outcome, s.detail) for s in spool.slots] == [("complete", "")] * 2
    assert 0.7 < series.frame_ms.sum() / 1000 < 3
    assert series.frame_ms.size == slot.frames > 30
    assert series.lane_roles == {"present": "waiting", "presenting thread": "processor"}  # no graphics time of software
    assert (series.lanes["present"] < series.frame_ms).all()
    assert np.nanmean(series.lanes["presenting thread"]) <= np.nanmean(series.counters["process core-ms"]) * 1.01
    sheet = series.conditions
    assert (sheet["recorded by"], sheet["presented through"], sheet["window"]) == ("tap", interface, size)
    assert "llvmpipe" in sheet["renderer"]
    assert sheet["graphics time"] == "not taken: a software renderer"
    assert sheet["frame_is"] == "shown to shown"
    assert set(series.counters[f"{area} width px"]) == {float(size.partition("x")[0])}
    assert {name: sheet[name][: len(begins)] for name, begins in told.items()} == told


def test_a_vulkan_program_that_ends_by_itself_is_whole(display, tmp_path, monkeypatch):
    monkeypatch.setenv("DISPLAY", display)
    monkeypatch.setenv("VK_LOADER_DEBUG", "warn")
    monkeypatch.setenv("VK_INSTANCE_LAYERS", "VK_LAYER_LANTERN_none")  # what was asked for already is asked for still
    slot, run = first(recorded(tmp_path, ["vkcube", "--c", "60", "--present_mode", "0"]))
    assert (slot.outcome, slot.frames, run.complete) == ("complete", 59, True), slot.output_tail
    assert run.series.conditions["present mode"] == "immediate"
    assert "VK_LAYER_LANTERN_none" in slot.output_tail


def test_vulkan_tells_graphics_times_by_time_stamps(display, tmp_path, monkeypatch):
    """Of a software renderer they are only asked for here, to prove the path: they lie within the frames."""
    monkeypatch.setenv("DISPLAY", display)
    monkeypatch.setenv("VIGILANT_TAP_SOFTWARE_TIMES", "1")
    slot, run = first(recorded(tmp_path, ["vkcube", "--c", "120", "--present_mode", "0"]))
    assert (slot.outcome, slot.frames) == ("complete", 119), slot.output_tail
    assert (run.series.conditions["graphics time"], run.series.lane_roles["graphics"]) == ("present", "graphics")
    gpu = run.series.lanes["graphics"]
    known = ~np.isnan(gpu)
    assert known.sum() > 100
    assert (gpu[known] > 0).all()
    assert 0.05 < gpu[known].mean() / run.series.frame_ms[known].mean() < 1.1
    assert not (gpu[8:] == gpu[:-8]).any()  # what a place of the ring held a cycle before is told no more


def test_graphics_times_are_those_of_the_frame_however_late_they_are_known(stub, tmp_path):
    _, run = first(recorded(tmp_path, [stub, "plays", 60]))
    assert run.series.frame_ms.size == 59
    gpu = run.series.lanes["graphics"]
    assert run.series.lane_roles["graphics"] == "graphics"
    known = gpu[~np.isnan(gpu)]
    assert known.tolist() == [2.0] * known.size
    assert known.size > 20
    assert np.isnan(gpu[-1])  # the last ones were never told
    assert (run.series.lanes["present"] >= 1.0).all()
    told = ("renderer", "driver", "graphics interface", "graphics time", "swap interval")
    assert {k: run.series.conditions[k] for k in told} == {
        "swap interval": "0", "renderer": "Lantern 1", "driver": "Lantern works", "graphics interface": "4.6 lantern", "graphics time": "present",
    }  # fmt: skip


@pytest.mark.parametrize(
    ("how", "outcome", "frames", "windows"),
    [
        ("plays", "complete", 39, None),
        ("looks up", "complete", 39, None),
        ("two windows", "complete", 39, "2, of 1 processes; this one had the most frames"),
        ("forks", "complete", 39, "2, of 2 processes; this one had the most frames"),
        ("execs", "complete", 39, "2, of 1 processes; this one had the most frames"),
        ("leaves at once", "complete", None, None),
        ("crashes", "crashed", None, None),
        ("never", "broken", 0, None),
    ],
)
def test_ways_to_present_are_told_apart(how, outcome, frames, windows, stub, tmp_path):
    spool = recorded(tmp_path, [stub, how, 40, stub.parent / "libstub_gl.so"])
    slot = spool.slots[0]
    assert slot.outcome == outcome, (slot.detail, slot.output_tail)
    assert slot.conditions.get("windows that presented") == windows
    if how == "never":
        assert slot.detail == "the subject presented no frames by GLX, EGL or Vulkan; no other way is noted"
    elif frames is None:  # what was not on the disk yet is gone
        assert slot.frames <= 39
    else:
        assert slot.frames == frames


def test_a_program_that_never_presents_and_never_ends_says_so(tmp_path):
    slot, *_ = recorded(tmp_path, [sys.executable, "-c", "import time; time.sleep(60)"], timeout_s=0.5).slots
    assert slot.outcome == "hung"
    assert "presented no frames by GLX, EGL or Vulkan" in slot.detail


def test_a_mark_from_another_process_begins_a_leg(stub, tmp_path):
    spool_at = tmp_path / "spool"
    with pytest.raises(BenchError, match="no run that hears marks"):
        set_mark(spool_at, "dusk")
    (spool_at / "old").mkdir(parents=True)
    (spool_at / "old" / "marks.jsonl").write_text("")  # left by a recorder that was killed: nobody listens
    said = []

    def other_process():
        mark = [sys.executable, "-m", "vigilant.cli.main", "mark", "--spool", str(spool_at)]
        Stand.wait(lambda: list(spool_at.glob("*/tap/*/*.jsonl")), "the first frame was presented")
        said.append(subprocess.run([*mark, "under the bridge"], capture_output=True, text=True, check=False))
        said.append(subprocess.run([*mark, ""], capture_output=True, text=True, check=False))

    thread = threading.Thread(target=other_process)
    thread.start()
    spool = recorded(tmp_path, [stub, "goes on", 40], 3.0)
    thread.join()
    assert [s.returncode for s in said] == [0, 2], said
    assert said[0].stdout.startswith("under the bridge begins")
    _, run = first(spool)
    (mark,) = run.series.marks
    assert (mark.name, run.complete) == ("under the bridge", True)
    assert 0 < mark.index < run.series.frame_ms.size
    with pytest.raises(BenchError, match="no run that hears marks"):
        set_mark(spool_at, "dusk")


def test_a_name_typed_at_the_recorder_begins_a_leg(stub, tmp_path):
    folder = Path(tmp_path) / "plan.toml"
    arm = f'[[arm]]\nname = "NAME"\ntap = true\ncommand = ["{stub}", "goes on", "40"]\n'
    folder.write_text(
        '[scenario]\nname = "river course"\nduration_s = 2.0\n[recording]\nruns = 1\nblank = true\n'
        + arm.replace("NAME", "once") + arm.replace("NAME", "again")
    )  # fmt: skip
    ours, theirs = os.openpty()
    command = [sys.executable, "-m", "vigilant.cli.main", "record", str(folder), "--spool", str(tmp_path / "spool")]
    with subprocess.Popen(command, stdin=theirs, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True) as recorder:
        os.close(theirs)
        Stand.wait(lambda: list(tmp_path.glob("spool/*/tap/*/*.jsonl")), "the first frame was presented")
        os.write(ours, b"under the bridge\n")
        said = recorder.communicate(timeout=120)[1]
    os.close(ours)
    assert "begin a leg of that name" in said
    runs = [read_stream(file) for file in tmp_path.glob("spool/*/runs/*.jsonl")]
    assert sorted(mark.name for run in runs for mark in run.series.marks) == ["under the bridge"]


def test_a_tap_that_is_not_built_or_not_fit_is_found_before_the_first_run(tmp_path, monkeypatch):
    raw = plan(["true"], ["true"], 1, recording={"switching": True})
    raw["arm"][0]["tap"] = raw["arm"][1]["tap"] = True
    raw["arm"][1]["name"] = "other"
    with pytest.raises(PlanError, match="a tapped one has none of its own"):
        run_plan(raw, tmp_path)
    monkeypatch.setenv("VIGILANT_TAP_LIBRARY", str(tmp_path / "none.so"))
    with pytest.raises(BenchError, match="script/setup --recorder builds it"):
        tap_library()


def test_other_libraries_loaded_before_and_a_path_that_the_loader_splits(stub, tmp_path, monkeypatch):
    folder = tmp_path / "with a space: and more"
    folder.mkdir()
    library = folder / "libvigilant_tap.so"
    for file in (tap_library(), tap_library().with_name(MANIFEST)):
        shutil.copy2(file, folder)
    monkeypatch.setenv("VIGILANT_TAP_LIBRARY", str(library))
    monkeypatch.setenv("LD_PRELOAD", "libm.so.6")
    slot, run = first(recorded(tmp_path, [stub, "plays", 40]))
    assert (slot.outcome, run.series.frame_ms.size) == ("complete", 39)


def test_a_program_of_another_kind_runs_unharmed_under_the_tap(tmp_path):
    code = "import numpy, ctypes; print(numpy.arange(5).sum(), ctypes.CDLL(None).getpid() > 0)"
    env = {**os.environ, "LD_PRELOAD": str(tap_library()), "VIGILANT_TAP_FOLDER": str(tmp_path)}
    done = subprocess.run([sys.executable, "-c", code], env=env, capture_output=True, text=True, check=False)
    assert (done.stdout, done.returncode) == ("10 True\n", 0), done.stderr
    assert not list(tmp_path.iterdir())


def test_a_plan_of_tapped_arms_is_judged_as_any_other(stub, tmp_path, monkeypatch):
    raw = plan([str(stub), "plays", "120"], [str(stub), "plays", "120"], 4, 20.0, policy={"primaries": ["mean_ms"]})
    for arm, ns in zip(raw["arm"], ("3000000", "1000000"), strict=True):
        arm |= {"tap": True, "env": {"STUB_WAIT_NS": ns}}
    parsed, spool = run_plan(raw, tmp_path)
    assert verdict(parsed, spool).verdict == "gain"
    assert all(read_stream(spool.stream_path(s)).complete for s in spool.slots)
    assert not list(spool.directory.glob("tap/*"))
