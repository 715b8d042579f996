"""What the recorder can read of its machine: the rig, the conditions of a run, and other work on it.

A fact that the system does not tell is left out, never guessed.
"""

from __future__ import annotations

import hashlib
import json
import os
import platform
import subprocess
import time
from collections.abc import Mapping, Sequence
from contextlib import suppress
from pathlib import Path
from typing import Any

import psutil

from .sampled import Sample

_SYS = Path("/sys")
TOOL_S = 5.0
LEAST_LOOK_S = 0.02


def _first_line(path: Path) -> str | None:
    try:
        return path.read_text(encoding="utf-8", errors="replace").strip().splitlines()[0]
    except (OSError, IndexError):
        return None


def _processor() -> str:
    try:
        for line in Path("/proc/cpuinfo").read_text(encoding="utf-8", errors="replace").splitlines():
            if line.startswith("model name"):
                return line.split(":", 1)[1].strip()
    except OSError:
        pass
    return platform.processor() or platform.machine()


def _graphics() -> tuple[str | None, str | None]:
    """Vendor and device number of the first graphics card, and its driver."""
    for card in sorted((_SYS / "class/drm").glob("card[0-9]")):
        vendor, device = _first_line(card / "device/vendor"), _first_line(card / "device/device")
        driver = card / "device/driver"
        if vendor and device:
            return f"{vendor} {device}", driver.resolve().name if driver.exists() else None
    return None, None


def _displays() -> str | None:
    """The first mode of every connected display."""
    modes = []
    for status in sorted((_SYS / "class/drm").glob("card*-*/status")):
        if _first_line(status) == "connected":
            modes.append(_first_line(status.parent / "modes") or "unknown mode")
    return ", ".join(modes) or None


def rig_facts() -> dict[str, str]:
    """What makes this machine the machine it is; the same until somebody changes it."""
    graphics, driver = _graphics()
    facts = {
        "processor": _processor(),
        "cores": str(os.cpu_count() or 1),
        "memory": f"{psutil.virtual_memory().total / 2**30:.1f} GiB",
        "system": f"{platform.system()} {platform.release()}",
        "architecture": platform.machine(),
        "graphics": graphics,
        "graphics driver": driver,
        "display": _displays(),
    }
    return {k: v for k, v in facts.items() if v}


def run_conditions() -> dict[str, str]:
    """What may change between two runs on one machine and must not: clock governor and power source."""
    battery = None
    with suppress(OSError):  # in a container nothing may be told of the machine
        battery = psutil.sensors_battery() if hasattr(psutil, "sensors_battery") else None
    governors = {_first_line(p) for p in (_SYS / "devices/system/cpu").glob("cpu[0-9]*/cpufreq/scaling_governor")}
    found = {
        "clock governor": ", ".join(sorted(g for g in governors if g)),
        "power": "" if battery is None else "mains" if battery.power_plugged else "battery",
    }
    return {k: v for k, v in found.items() if v}


def source_revision(folder: Path | None) -> dict[str, str]:
    """The revision of the sources in a folder, and whether they are clean; empty outside a repository."""

    def git(*arguments: str) -> str | None:
        try:
            done = subprocess.run(
                ["git", "-C", str(folder or "."), *arguments],
                capture_output=True,
                text=True,
                timeout=TOOL_S,
                check=False,
            )
        except (OSError, subprocess.TimeoutExpired):
            return None
        return done.stdout.strip() if done.returncode == 0 else None

    revision = git("rev-parse", "--short=12", "HEAD")
    if not revision:
        return {}
    changed = git("status", "--porcelain", "--untracked-files=no")
    return {"revision": revision, "sources": "unknown" if changed is None else "changed" if changed else "clean"}


def file_digests(names: Sequence[str], base: Path, prefix: str) -> dict[str, str]:
    """A short SHA-256 of every named file, under ``prefix`` and its name; "missing" is a value too."""
    digests = {}
    for name in names:
        try:
            digests[f"{prefix} {name}"] = hashlib.sha256((base / name).read_bytes()).hexdigest()[:16]
        except OSError:
            digests[f"{prefix} {name}"] = "missing"
    return digests


def fingerprint(facts: Mapping[str, Any]) -> str:
    """Stable digest of a sheet of facts or conditions."""
    return hashlib.sha256(json.dumps(facts, sort_keys=True, ensure_ascii=False).encode()).hexdigest()


def temperature_c() -> float | None:
    """The hottest reading of the processor's sensors, in degrees Celsius."""
    read: dict[str, Any] = getattr(psutil, "sensors_temperatures", dict)()
    values = [s.current for group in read.values() for s in group if s.current and s.current > 0]
    return max(values) if values else None


def clock_mhz() -> float | None:
    """The processor's present clock in MHz, averaged over cores."""
    try:
        clock = psutil.cpu_freq()
    except (OSError, NotImplementedError):
        return None
    return float(clock.current) if clock and clock.current else None


#: The processor packages' own count of energy, where the system lets it be read.
_ENERGY = "class/powercap/intel-rapl:[0-9]"


def energy_j() -> float | None:
    """Joules that the processor's packages counted so far; None where they do not count, or none may read it."""
    try:
        read = [int((zone / "energy_uj").read_text()) for zone in _SYS.glob(_ENERGY)]
    except (OSError, ValueError):
        return None
    return sum(read) / 1e6 if read else None


def power_w(before_j: float | None, after_j: float | None, seconds: float) -> float | None:
    """Mean watts between two readings; None where one is missing, or the count began anew in between."""
    if before_j is None or after_j is None or after_j < before_j or seconds <= 0:
        return None
    return (after_j - before_j) / seconds


def _busy_s() -> float:
    times = psutil.cpu_times()
    return float(sum(times) - times.idle - getattr(times, "iowait", 0.0) - getattr(times, "guest", 0.0))


def _own_s() -> float:
    own = os.times()
    return own.user + own.system


def _of_group(group: int | None) -> tuple[float, float]:
    """Processor seconds and resident memory (MiB) of a process group, as far as its members still run."""
    seconds = resident = 0.0
    for pid in psutil.pids() if group is not None else ():
        try:
            if os.getpgid(pid) == group:
                process = psutil.Process(pid)
                times = process.cpu_times()
                seconds += times.user + times.system
                resident += process.memory_info().rss / 2**20
        except (ProcessLookupError, psutil.Error):
            continue
    return seconds, resident


class OtherWork:
    """How much of one core everything else used between two looks: neither subject nor recorder. ``samples`` is what
    the subject took at each of them."""

    def __init__(self, clock: Any) -> None:
        self.clock = clock
        self.group: int | None = None
        self.at, self.busy, self.own = clock(), _busy_s(), _own_s()
        self.subject_s = 0.0
        self.samples: list[Sample] = []

    def follow(self, group: int) -> None:
        """From now on the processes of this group are the subject."""
        self.group = group
        self.at, self.busy, self.own = self.clock(), _busy_s(), _own_s()
        self.subject_s, _ = _of_group(group)

    def share(self) -> float | None:
        """Share of one core since the last look (1.0 is one core kept busy); None for no time at all. Notes what the
        subject itself took meanwhile."""
        now, busy, own = self.clock(), _busy_s(), _own_s()
        subject_s, resident = _of_group(self.group)
        seconds = now - self.at
        used = max(0.0, subject_s - self.subject_s)
        other = busy - self.busy - used - max(0.0, own - self.own)
        if self.group is not None and resident and seconds > LEAST_LOOK_S:
            self.samples.append(Sample(time.monotonic(), resident, used / seconds))
        self.at, self.busy, self.own, self.subject_s = now, busy, own, subject_s
        return None if seconds <= LEAST_LOOK_S else max(0.0, other) / seconds
