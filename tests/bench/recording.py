"""A plan over small subjects, for tests that really record."""

import sys
from pathlib import Path

from vigilant.bench.record import prepare, record
from vigilant.plan import parse_plan

ROOT = Path(__file__).resolve().parents[2]
LANTERNFALL = ROOT / "src" / "vigilant" / "subjects" / "lanternfall.py"

# Frames of a stated level without real time passing: what the recorder does with them is under test. They spread
# wide enough never to look like a refresh cap, which a few hundred narrow ones may do by chance.
#: A subject's seed: its place among the runs of its recording, so that each differs and all are the same every time.
TURN = "len(os.listdir(os.path.dirname(os.path.abspath(os.environ['VIGILANT_FRAMES']))))"
QUICK = """
import json, os, random, sys
level = float(sys.argv[1])
rng = random.Random(TURN)
with open(os.environ["VIGILANT_FRAMES"], "w") as out:
    print(json.dumps({"vigilant_frames": 1, "columns": ["frame"]}), file=out)
    for _ in range(300):
        print(json.dumps([level * rng.uniform(0.8, 1.2)]), file=out)
    print(json.dumps({"end": {"frames": 300}}), file=out)
""".replace("TURN", TURN)


class Silent:
    """Watches nothing; ``controls`` are answered one after the other, then "run"."""

    def __init__(self, controls=()):
        self.controls = list(controls)
        self.told = []

    def slot_started(self, slot, total): ...

    def slot_running(self, slot, seconds): ...

    def slot_ended(self, slot): ...

    def looked(self, looks): ...

    def chosen(self, spool, step): ...

    def waiting(self, slot, why):
        self.told.append(why)

    def marks(self):
        return []

    def control(self):
        return self.controls.pop(0) if self.controls else "run"


def run_plan(raw, tmp_path, watcher=None, **clock):
    parsed = parse_plan(raw, tmp_path)
    spool = prepare(parsed, tmp_path / "spool", speed=False)
    record(parsed, spool, watcher or Silent(), **clock)
    return parsed, spool


def quick(level: float) -> list[str]:
    return [sys.executable, "-c", QUICK, str(level)]


def lanternfall(neighbours: str) -> list[str]:
    return [sys.executable, str(LANTERNFALL), "--neighbours", neighbours, "--seconds", "{seconds}", "--seed", "{seed}"]


def plan(before: list[str], after: list[str], runs: int = 5, duration_s: float = 0.2, **tables) -> dict:
    recording = {"runs": runs, "order_seed": 5, **tables.pop("recording", {})}
    return {
        "scenario": {"name": "river course", "target_fps": 60, "duration_s": duration_s},
        "arm": [{"command": before}, {"command": after}],
        "recording": recording,
        **tables,
    }


def as_toml(raw: dict) -> str:
    """The few TOML values that plans in tests hold."""
    import json

    lines = []
    for table, value in raw.items():
        for part in value if isinstance(value, list) else [value]:
            lines.append(f"[[{table}]]" if isinstance(value, list) else f"[{table}]")
            lines += [f"{key} = {json.dumps(item)}" for key, item in part.items()]
    return "\n".join(lines) + "\n"
