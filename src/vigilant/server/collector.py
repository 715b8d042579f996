"""Python's collector of cycles in a process that lasts."""

from __future__ import annotations

import gc


def spare_what_is_loaded() -> None:
    """What is loaded now stays: it need not be walked again and again under every answer or job (a sixth of a worker's time was)."""
    gc.collect()
    gc.freeze()
    gc.set_threshold(10_000, 20, 50)
