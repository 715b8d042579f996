"""What takes long to make and is the same for many tests: made by whoever is first, then copied."""

import fcntl
import hashlib
import shutil
import subprocess
from collections.abc import Callable, Iterable
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]


def copy_of(name: str, comes_from: Iterable[Path], make: Callable[[Path], None], to: Path, also: str = "") -> None:
    """Copy to ``to`` the folder that ``make`` fills; filled again once a file that it comes from, or ``also``, is another."""
    told = hashlib.sha256(also.encode())
    for path in sorted(comes_from):
        told.update(path.read_bytes())
    kept = ROOT / "var" / f"tests-{name}"
    folder = kept / told.hexdigest()[:16]
    kept.mkdir(parents=True, exist_ok=True)
    with (kept / "lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if not folder.exists():
            for old in kept.glob("*/"):
                shutil.rmtree(old)
            make(kept / "new")
            (kept / "new").rename(folder)
    to.parent.mkdir(parents=True, exist_ok=True)
    subprocess.run(["cp", "-a", "--reflink=auto", folder, to], check=True)
