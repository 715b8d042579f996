"""The front end's functions that draw nothing, run by node: what goes in, what comes out."""

import json
import os
import subprocess
import sys
from pathlib import Path

import pytest

#: As script/setup installs it.
NODE = Path(sys.executable).with_name("node")
HERE = Path(__file__).parent
WEB = HERE.parents[1] / "web"
CASES = json.loads((HERE / "cases.json").read_text())


def called(calls):
    done = subprocess.run(
        [NODE, "tools/call.mjs"], input=json.dumps(calls), capture_output=True, text=True, cwd=WEB, check=True,
        env={**os.environ, "TZ": "Pacific/Auckland"},
    )  # fmt: skip
    return json.loads(done.stdout)


@pytest.fixture(scope="module")
def results():
    """One node for all cases."""
    return called([{k: case[k] for k in ("module", "name", "arguments")} for case in CASES])


@pytest.mark.parametrize("i", range(len(CASES)), ids=[f"{c['name']}: {c['says']}" for c in CASES])
def test_a_function_of_the_screens(i, results):
    assert results[i] == CASES[i]["gives"]


FIGURES = [
    {"name": "mean_ms", "margin_scale": 100, "usual": True},
    {"name": "late_share", "margin_scale": 100, "usual": False},
]
DEFINITIONS = {
    "every key of the form": {
        "target_fps": 60, "duration_s": 90, "warm_up_s": 5, "cool_down_s": 2, "seed": 3, "kind": "worst case",
        "legs": [{"name": "landing stage", "play": True}, {"name": "lock", "from_s": 30.5, "play": False}],
        "load": {"knob": "lanterns", "values": [100, 200]},
        "settle": {"counter": "particles", "within": 0.02, "for_s": 3},
        "policy": {
            "primaries": ["mean_ms"], "margins": {"mean_ms": 0.015, "late_share": 0.001}, "witnesses": ["draws"],
            "guards": ["late_share"], "must_match": ["window"], "may_differ": ["note"], "change": ["build"],
        },
    },
    "a key the form does not know": {
        "target_fps": 60, "duration_s": 90, "warm_up_s": 0, "cool_down_s": 0, "seed": 0, "kind": "typical", "legs": [],
        "starts_with": "a loaded save",
        "policy": {
            "primaries": ["mean_ms", "own figure"], "margins": {}, "witnesses": [], "must_match": [], "may_differ": [],
            "change": [], "guards": [{"figure": "late_share", "margin": 0.002}], "alpha": 0.01,
        },
    },
}  # fmt: skip


@pytest.mark.parametrize("definition", DEFINITIONS.values(), ids=DEFINITIONS)
def test_a_definition_survives_its_form(definition):
    module = "pages/scenarios/definition.ts"
    (form,) = called([{"module": module, "name": "fromDefinition", "arguments": ["River", definition, FIGURES]}])
    (back,) = called([{"module": module, "name": "asDefinition", "arguments": [form, FIGURES]}])
    assert back == definition
