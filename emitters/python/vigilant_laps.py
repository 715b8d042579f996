"""Time a routine by itself for Vigilant Ledger: copy this one file beside it.

    from vigilant_laps import Laps

    laps = Laps("find neighbours", version="by cell")
    for items in (100, 200, 500, 1000):
        boats = make(items, seed=7)                # the same in every version
        for _ in range(15):
            with laps.lap(items, repeats=100) as lap:
                for _ in range(100):
                    found = find(boats)
            lap.result(checksum(found))            # was the work done?
    laps.close()

One process is one stream: start the program anew for each, five times for each version. Laps go to the file that the
environment variable VIGILANT_LAPS names; without it nothing is written. Only the standard library is used.
Licence: Apache-2.0.
"""

import json
import os
import time


class _Lap:
    def __init__(self, laps, items, repeats):
        self._laps, self._items, self._repeats = laps, items, repeats
        self._result = None

    def __enter__(self):
        self._began = time.perf_counter_ns()
        return self

    def __exit__(self, *exc):
        seconds = (time.perf_counter_ns() - self._began) / 1e9
        if exc[0] is None:
            self._laps._rows.append((self, seconds))
        return False

    def result(self, checksum):
        """What came out, as a text or a number: two versions that give different results are not compared."""
        self._result = str(checksum)


class Laps:
    """The laps of one process. ``lap(items, repeats)`` times so many calls on so many items."""

    def __init__(self, name, version="", path=None):
        self._head = {"vigilant_laps": 1, "name": name, "version": version}
        self._path = path or os.environ.get("VIGILANT_LAPS")
        self._rows = []

    def lap(self, items, repeats=1):
        """A sample, as a context manager: the time of all its calls."""
        return _Lap(self, items, repeats)

    def close(self):
        """Write them: nothing is written while a lap is timed."""
        if not self._path:
            return
        with open(self._path, "w", encoding="utf-8", newline="\n") as file:
            file.write(json.dumps(self._head) + "\n")
            for lap, seconds in self._rows:
                more = [] if lap._result is None else [lap._result]
                file.write(json.dumps([lap._items, lap._repeats, seconds, *more]) + "\n")
        self._path = None
