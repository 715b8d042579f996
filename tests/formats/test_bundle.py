"""The evidence of a verdict: computed anew by the tool and by the plain script it carries; what was altered is found."""

import hashlib
import json
import subprocess
import sys
import zipfile
from dataclasses import replace

import numpy as np
import pytest
from click.testing import CliRunner
from core.generators import PAIRS, arm, capped
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey

from vigilant.cli.main import main
from vigilant.core import CORE_VERSION, Basis, Finding, FrameSeries, Mark, Part, Policy
from vigilant.core.stored import to_document
from vigilant.formats import FormatError
from vigilant.formats.bundle import RunOut, checked, fingerprint, public_hex, write_bundle

KEY = Ed25519PrivateKey.from_private_bytes(bytes(range(32)))
POLICY = Policy(target_fps=72, guards=({"name": "peak_mb", "margin": 0.1},), witnesses=("boats",))


def runs(seed, k, level_ms, **more):
    """Runs with legs, a loading leg, a counter with gaps, a stated figure, parts and what the machine did meanwhile."""
    rng = np.random.default_rng(seed)
    made = []
    for s in arm(rng, k, frames=900, level_ms=level_ms, **more):
        n = s.frame_ms.size
        boats = np.full(n, 40.0)
        boats[5] = np.nan
        marks = [Mark(0, "loading", False), Mark(40, "landing stage"), Mark(n // 2, "fireworks")]
        made.append(
            replace(
                s,
                counters={"boats": boats},
                marks=marks,
                conditions={"window": "1280x720"},
                stated_s=n * level_ms / 1e3,
                figures={"peak_mb": 300 + rng.normal()},
                measured={"load_share": 0.1},
                parts=[Part(("lanterns",), 9.0, 3)],
            )
        )
    return made


def welch():
    return Basis({"before": runs(1, 6, 13.0), "after": runs(2, 5, 12.0)}, POLICY)


SHAPES = {
    "in turn": lambda: Basis({"before": runs(1, 5, 13.0), "after": runs(2, 5, 12.0)}, POLICY, PAIRS),
    "unlike arms": lambda: Basis(
        {"before": runs(1, 5, 13.0), "after": runs(2, 4, 12.0)}, POLICY, [*PAIRS[:-1], None],
        findings={("before", "after"): [Finding("runs-failed", "note", {"failed": 1})]},
    ),
    "few against many": lambda: Basis({"before": runs(1, 2, 13.0), "after": runs(2, 6, 12.5)}, POLICY, ["after", "before", "after", "after", "after", "after", "before", "after"]),
    "two sessions": lambda: Basis(
        {"before": runs(1, 5, 13.0), "after": runs(2, 5, 12.0)}, POLICY, PAIRS, [0] * 4 + [1] * 6
    ),
    "order unknown": welch,
    "all before first": lambda: Basis(
        {"before": runs(1, 4, 13.0), "after": runs(2, 4, 12.0)}, POLICY, ["before"] * 4 + ["after"] * 4
    ),
    "one run each": lambda: Basis({"before": runs(1, 1, 13.0), "after": runs(2, 1, 12.0)}, POLICY),
    "no target": lambda: Basis({"before": runs(1, 4, 13.0), "after": runs(2, 4, 12.0)}, Policy()),
    "none late": lambda: Basis({"before": runs(1, 4, 3.0, pauses_per_1000=0), "after": runs(2, 4, 3.0, pauses_per_1000=0)}, Policy(target_fps=60)),
    "warm-up and legs": lambda: Basis(
        {"before": runs(1, 4, 13.0), "after": runs(2, 4, 12.0)},
        Policy(target_fps=72, trim_s=3.0, legs=({"name": "fireworks", "play": False},), margins={"mean_ms": 0.02}),
        None,
    ),
    "until decided": lambda: Basis(
        {"before": runs(1, 5, 13.0), "after": runs(2, 5, 12.8)}, POLICY, PAIRS, look=(5, 12)
    ),
    "three arms and an empty one": lambda: Basis(
        {"before": runs(1, 3, 13.0), "after": runs(2, 3, 12.0), "after 2": runs(3, 3, 12.6), "empty": runs(4, 3, 2.0)},
        POLICY, ["before", "after", "after 2", "empty"] * 3, empty="empty",
    ),
    "held by a cap": lambda: Basis(
        {a: [FrameSeries(capped(np.random.default_rng(s + i))) for i in range(4)] for s, a in ((1, "before"), (9, "after"))},
        Policy(target_fps=60),
    ),
}  # fmt: skip


def written(tmp_path, basis, after="after", key=KEY, name="evidence.zip"):
    result = json.loads(json.dumps(to_document(basis.judged().pairs["before", after])))
    result["ranks"] = [{"kept": "beside"}]
    out = {a: [RunOut(s, {"run": str(i)}) for i, s in enumerate(listed)] for a, listed in basis.arms.items()}
    about = {"entry": 4, "title": "Draw awnings front to back", "book": {"slug": "river", "name": "River"}}
    said = {"statement": {"entries": [{"sentence": "1.00 ms less a frame."}]}}
    write_bundle(tmp_path / name, basis, out, after, result, CORE_VERSION, said, about, key)
    return tmp_path / name


def plain(folder):
    """The script that the bundle carries, with nothing of ours to be found."""
    return subprocess.run(
        [sys.executable, "-I", folder / "check.py"], capture_output=True, text=True, cwd="/", check=False
    )


@pytest.mark.parametrize("shape", SHAPES)
def test_every_number_is_computed_anew_by_tool_and_by_the_plain_script(shape, tmp_path):
    basis = SHAPES[shape]()
    after = "after 2" if "after 2" in basis.arms else "after"
    path = written(tmp_path, basis, after)
    found = checked(path)
    assert found.faults == []
    assert (found.exact, found.recomputed, found.signer) == (True, True, public_hex(KEY.public_key()))
    assert found.numbers > 100
    with zipfile.ZipFile(path) as archive:
        archive.extractall(tmp_path / "out")
    done = plain(tmp_path / "out")
    figures = json.loads((tmp_path / "out/comparison.json").read_text())["result"]["figures"]
    assert (done.returncode, done.stderr) == (0, "")
    assert "All as stated" in done.stdout
    expected = {"mean_ms": 2, "slowest_1pct_ms": 2, "late_share": 2}
    for name, least in expected.items():
        if name in figures and figures[name]["before"] > 0:
            lines = [line for line in done.stdout.splitlines() if line.startswith(name)]
            assert len(lines) == least + 2 * (figures[name]["ci_low"] is not None), name


def rewritten(path, change, sign=None):
    """The bundle again, with some files otherwise; ``sign`` makes the manifest true again and signs it by that key."""
    with zipfile.ZipFile(path) as archive:
        files = {name: archive.read(name) for name in archive.namelist()}
    change(files)
    if sign is not None:
        manifest = json.loads(files["manifest.json"])
        own = [n for n in files if n not in ("manifest.json", "signature.json")]
        manifest["files"] = {n: {"bytes": len(files[n]), "sha256": hashlib.sha256(files[n]).hexdigest()} for n in own}
        files["manifest.json"] = json.dumps(manifest).encode()
        said = {
            "algorithm": "Ed25519",
            "public_key": public_hex(sign.public_key()),
            "signature": sign.sign(files["manifest.json"]).hex(),
        }
        files["signature.json"] = json.dumps(said).encode()
    with zipfile.ZipFile(path, "w") as archive:
        for name, body in files.items():
            archive.writestr(name, body)
    return path


def one_byte(name, old, new):
    def change(files):
        assert old in files[name]
        files[name] = files[name].replace(old, new, 1)

    return change


def put(name, body):
    return lambda files: files.__setitem__(name, body)


FIRST = "runs/before-01.csv"
ALTERED = {
    "a frame": (one_byte(FIRST, b"\n1", b"\n2"), f"{FIRST} was altered"),
    "the policy": (one_byte("comparison.json", b'"alpha": 0.05', b'"alpha": 0.15'), "comparison.json was altered"),
    "a sentence": (one_byte("entry.json", b"1.00", b"9.00"), "entry.json was altered"),
    "the script": (one_byte("check.py", b"1e-6", b"1e+6"), "check.py was altered"),
    "the manifest": (one_byte("manifest.json", b"awnings", b"boats"), "signature is not good"),
    "the signature": (one_byte("signature.json", b"1", b"2"), "signature is not good"),
    "no signature": (lambda files: files.pop("signature.json"), "signature is not good"),
    "a file put in": (put("runs/after-99.csv", b"#\n"), "was put in later"),
    "a file outside": (put("../outside.csv", b"#\n"), "was put in later"),
    "a script gone": (lambda files: files.pop("check.py"), "check.py is missing"),
    "a run gone": (lambda files: files.pop(FIRST), f"{FIRST} is missing"),
}


@pytest.mark.parametrize("what", ALTERED)
def test_what_was_altered_is_found_and_named(what, tmp_path):
    change, said = ALTERED[what]
    found = checked(rewritten(written(tmp_path, welch()), change))
    assert any(said in fault for fault in found.faults), found.faults
    assert not (tmp_path.parent / "outside.csv").exists()


STATED = {
    "a level": (b'"difference": -', b'"difference": -1', "figures"),
    "the verdict": (b'"verdict": "gain"', b'"verdict": "regression"', "verdict"),
    "a figure that is none": (b'"guards": {', b'"guards": {"speed": {"before": 1},', "guards.speed"),
    "which frames count": (b'"counted": [\n     [\n      40', b'"counted": [\n     [\n      41', "Which frames count"),
}


@pytest.mark.parametrize("what", STATED)
def test_what_is_stated_otherwise_is_found_though_somebody_signed_it(what, tmp_path):
    old, new, said = STATED[what]
    forger = Ed25519PrivateKey.generate()
    path = rewritten(written(tmp_path, SHAPES["in turn"]()), one_byte("comparison.json", old, new), forger)
    found = checked(path)
    assert found.signer == public_hex(forger.public_key())
    assert any(said in fault for fault in found.faults), found.faults
    asked = CliRunner().invoke(main, ["verify", str(path), "--key", fingerprint(public_hex(KEY.public_key()))])
    assert asked.exit_code == 1
    assert "signed by another key" in asked.output


def test_the_plain_script_finds_a_frame_and_a_number_that_were_altered(tmp_path):
    def a_frame(files):
        at = files[FIRST].rindex(b"\n1")
        files[FIRST] = files[FIRST][:at] + b"\n2" + files[FIRST][at + 2 :]

    def a_number(files):
        comparison = json.loads(files["comparison.json"])
        comparison["result"]["figures"]["slowest_1pct_ms"]["ci_low"] *= 1.001
        files["comparison.json"] = json.dumps(comparison).encode()

    for change, sign in ((a_frame, None), (a_frame, KEY), (a_number, KEY)):
        path = rewritten(written(tmp_path, welch()), change, sign)
        with zipfile.ZipFile(path) as archive:
            archive.extractall(tmp_path / "out")
        done = plain(tmp_path / "out")
        assert (done.returncode, "is stated" in done.stdout or "altered" in done.stdout) == (1, True)


def test_a_bundle_of_another_core_is_said_to_be(tmp_path):
    path = rewritten(
        written(tmp_path, welch()),
        one_byte("comparison.json", f'"core_version": "{CORE_VERSION}"'.encode(), b'"core_version": "1"'),
        KEY,
    )
    assert (checked(path).faults, checked(path).otherwise, checked(path).exact) == ([], [], True)
    assert CliRunner().invoke(main, ["verify", str(path)]).exit_code == 0
    rewritten(path, one_byte("comparison.json", b'"difference": -', b'"difference": -1'), KEY)
    said = CliRunner().invoke(main, ["verify", str(path)])
    assert (said.exit_code, checked(path).faults) == (3, [])
    assert "judged by core 1" in said.output
    assert "Cannot be told here." in said.output


@pytest.mark.parametrize(
    "change",
    [
        put("manifest.json", b"[]"),
        put("manifest.json", b'{"vigilant_bundle": 9, "files": {}}'),
        put("manifest.json", b"\xff"),
        lambda files: files.pop("manifest.json"),
        lambda files: files.pop("comparison.json"),
        put("comparison.json", b"[1]"),
        put("comparison.json", b'{"arms": {"before": [{"file": "../../etc/passwd"}]}, "after": "after"}'),
        put("comparison.json", b'{"arms": 7}'),
        put("signature.json", b"[]"),
        one_byte("comparison.json", b'"order": null', b'"order": 7'),
        one_byte("comparison.json", b'"look": null', b'"look": [3, []]'),
        one_byte("comparison.json", b'"empty": null', b'"empty": {}'),
        one_byte("comparison.json", b'"sessions": null', b'"sessions": "no"'),
        one_byte("comparison.json", b'"target_fps": 72', b'"target_fps": "72"'),
    ],
)
def test_what_is_no_bundle_is_a_clear_error_or_a_fault_and_never_a_traceback(change, tmp_path):
    path = rewritten(written(tmp_path, welch()), change)
    said = CliRunner().invoke(main, ["verify", str(path)])
    assert said.exit_code in (1, 2)
    assert isinstance(said.exception, SystemExit) or said.exit_code == 2
    assert "Traceback" not in said.output


def test_half_a_bundle_and_no_bundle_are_refused(tmp_path):
    path = written(tmp_path, welch())
    whole = path.read_bytes()
    for body in (whole[: len(whole) // 2], b"not a zip", b""):
        path.write_bytes(body)
        with pytest.raises(FormatError, match="no bundle"):
            checked(path)


def test_the_command_says_what_it_checked(tmp_path):
    path = written(tmp_path, welch())
    key = public_hex(KEY.public_key())
    for said in (key, fingerprint(key), fingerprint(key).upper().replace(" ", "")):
        done = CliRunner().invoke(main, ["verify", str(path), "--key", said])
        assert (done.exit_code, "the key you named" in " ".join(done.output.split())) == (0, True)
    assert "all agree to the bit" in " ".join(done.output.split())
    assert CliRunner().invoke(main, ["verify", str(path), "--key", "12"]).exit_code == 2
    document = json.loads(CliRunner().invoke(main, ["verify", "--json", str(path)]).output)
    assert (document["as_stated"], document["signer"], document["exact"]) == (True, key, True)
