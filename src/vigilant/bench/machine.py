"""Facts of the machine that the recorder can read; an alias stands in for its name."""

from __future__ import annotations

import hashlib
import json
import os
import platform
from pathlib import Path


def _first_line(path: str) -> str | None:
    try:
        return Path(path).read_text(encoding="utf-8", errors="replace").strip().splitlines()[0]
    except (OSError, IndexError):
        return None


def _field(path: str, name: str) -> str | None:
    try:
        for line in Path(path).read_text(encoding="utf-8", errors="replace").splitlines():
            if line.startswith(name):
                return line.split(":", 1)[1].strip()
    except OSError:
        pass
    return None


def rig_facts() -> dict[str, str]:
    """What this machine tells of itself; a fact that cannot be read is left out."""
    memory = _field("/proc/meminfo", "MemTotal")
    facts = {
        "processor": _field("/proc/cpuinfo", "model name") or platform.processor() or platform.machine(),
        "cores": str(os.cpu_count() or 1),
        "memory": f"{int(memory.split()[0]) / 2**20:.1f} GiB" if memory else None,
        "system": f"{platform.system()} {platform.release()}",
        "architecture": platform.machine(),
        "clock governor": _first_line("/sys/devices/system/cpu/cpu0/cpufreq/scaling_governor"),
    }
    return {k: v for k, v in facts.items() if v}


def fingerprint(facts: dict[str, str]) -> str:
    """Stable digest of a sheet of facts or conditions."""
    return hashlib.sha256(json.dumps(facts, sort_keys=True, ensure_ascii=False).encode()).hexdigest()


def background_load() -> float | None:
    """Processes wanting a core, averaged over a minute; None where the system does not tell."""
    try:
        return round(os.getloadavg()[0], 2)
    except OSError:
        return None
