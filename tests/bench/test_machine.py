"""What the machine tells: read from it where it does, left out where it does not."""

import os
import signal
import subprocess
import sys
import time

import psutil
import pytest

from vigilant.bench import machine
from vigilant.bench.rig_speed import LOAD, _load, rig_speed


def test_the_rig_is_what_the_system_says():
    facts = machine.rig_facts()
    assert facts["cores"] == str(os.cpu_count())
    assert facts["memory"] == f"{psutil.virtual_memory().total / 2**30:.1f} GiB"
    assert all(facts.values())
    assert machine.rig_facts() == facts


def test_graphics_displays_governor_and_power_where_the_system_tells(monkeypatch, tmp_path):
    card = tmp_path / "class/drm/card0"
    (card / "device").mkdir(parents=True)
    (card / "device/vendor").write_text("0x1234\n")
    (card / "device/device").write_text("0x5678\n")
    (tmp_path / "drivers/lantern").mkdir(parents=True)
    (card / "device/driver").symlink_to(tmp_path / "drivers/lantern")
    for name, status in (("card0-A-1", "connected"), ("card0-B-1", "disconnected")):
        (tmp_path / "class/drm" / name).mkdir()
        (tmp_path / "class/drm" / name / "status").write_text(status)
        (tmp_path / "class/drm" / name / "modes").write_text("1600x900\n1280x800\n")
    governor = tmp_path / "devices/system/cpu/cpu0/cpufreq"
    governor.mkdir(parents=True)
    (governor / "scaling_governor").write_text("performance\n")
    monkeypatch.setattr(machine, "_SYS", tmp_path)
    monkeypatch.setattr(psutil, "sensors_battery", lambda: type("B", (), {"power_plugged": False})(), raising=False)
    facts = machine.rig_facts()
    assert (facts["graphics"], facts["graphics driver"], facts["display"]) == ("0x1234 0x5678", "lantern", "1600x900")
    assert machine.run_conditions() == {"clock governor": "performance", "power": "battery"}
    monkeypatch.setattr(machine, "_SYS", tmp_path / "nothing")
    monkeypatch.setattr(psutil, "sensors_battery", lambda: None, raising=False)
    assert machine.run_conditions() == {}

    def none_there():
        raise FileNotFoundError("/sys/class/power_supply")

    monkeypatch.setattr(psutil, "sensors_battery", none_there, raising=False)
    assert machine.run_conditions() == {}
    assert "graphics" not in machine.rig_facts()


def git(folder, *arguments):
    identity = ["-c", "user.name=Mira", "-c", "user.email=mira@river.example"]
    subprocess.run(["git", "-C", str(folder), *identity, *arguments], check=True, capture_output=True)


def test_the_revision_and_whether_the_sources_are_clean(tmp_path):
    assert machine.source_revision(tmp_path) == {}
    (tmp_path / "boats.py").write_text("boats = 40")
    git(tmp_path, "init")
    git(tmp_path, "add", ".")
    git(tmp_path, "commit", "-m", "boats")
    found = machine.source_revision(tmp_path)
    assert (len(found["revision"]), found["sources"]) == (12, "clean")
    (tmp_path / "boats.py").write_text("boats = 41")
    assert machine.source_revision(tmp_path) == {**found, "sources": "changed"}


def test_files_are_told_apart_by_their_content(tmp_path):
    (tmp_path / "a.ini").write_text("x")
    first = machine.file_digests(["a.ini", "b.ini"], tmp_path, "file")
    assert first["file b.ini"] == "missing"
    (tmp_path / "a.ini").write_text("y")
    assert machine.file_digests(["a.ini"], tmp_path, "file")["file a.ini"] != first["file a.ini"]


def test_power_is_what_the_processor_counted_between_two_readings(monkeypatch, tmp_path):
    monkeypatch.setattr(machine, "_SYS", tmp_path)
    assert machine.energy_j() is None
    for zone, uj in (("intel-rapl:0", 5_000_000), ("intel-rapl:1", 3_000_000), ("intel-rapl:0:0", 9_000_000)):
        folder = tmp_path / "class" / "powercap" / zone
        folder.mkdir(parents=True)
        (folder / "energy_uj").write_text(f"{uj}\n")
    assert machine.energy_j() == 8.0  # a core's own count is in its package's
    assert machine.power_w(8.0, 33.0, 2.0) == 12.5
    assert [
        machine.power_w(*asked) for asked in ((None, 3.0, 1.0), (3.0, None, 1.0), (9.0, 1.0, 1.0), (1.0, 2.0, 0.0))
    ] == [None] * 4


def test_other_work_leaves_out_the_subject_and_the_recorder(monkeypatch):
    """By made-up processor times: 3 s busy in all, of which the subject used 1.5 and we 0.5, in 2 s."""
    busy, own, now = [0.0, 100.0, 103.0], [0.0, 9.0, 9.5], [0.0, 0.0, 2.0]
    subject = [(10.0, 40.0), (11.5, 48.0)]
    monkeypatch.setattr(machine, "_busy_s", lambda: busy.pop(0))
    monkeypatch.setattr(machine, "_own_s", lambda: own.pop(0))
    monkeypatch.setattr(machine, "_of_group", lambda group: subject.pop(0))
    other = machine.OtherWork(lambda: now.pop(0))
    other.follow(7)
    assert other.share() == pytest.approx(0.5)
    assert [(s.memory_mib, s.cores_busy) for s in other.samples] == [(48.0, 0.75)]


def test_what_a_running_group_takes_is_counted():
    """Two processes, one of which holds 64 MiB."""
    code = "import os; held = b'x' * 64 * 2**20; os.fork()\nwhile True: pass"
    busy = subprocess.Popen([sys.executable, "-c", code], start_new_session=True)
    try:
        until = time.monotonic() + 30
        seconds, resident = machine._of_group(busy.pid)
        while seconds < 0.2 or resident < 64:
            assert time.monotonic() < until
            seconds, resident = machine._of_group(busy.pid)
        assert resident < 400
        assert machine._of_group(None) == (0.0, 0.0)
    finally:
        os.killpg(busy.pid, signal.SIGKILL)
        busy.wait()


def test_the_calibration_load_is_fixed_and_its_error_small():
    assert _load() == pytest.approx(578.1217166923394, rel=1e-9)  # its own answer: another load needs another name
    found = rig_speed()
    assert found["load"] == LOAD
    assert found["ms"] > 0
    assert 0 < found["log_error"] < 1
