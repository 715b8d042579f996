"""The evidence of an entry over HTTP, held against its server's key; a whole book computed anew."""

import io
import json
import subprocess
import sys
import zipfile

import pytest
from click.testing import CliRunner
from django.core.exceptions import ImproperlyConfigured
from django.core.management import CommandError, call_command

from server.delivering import compared
from server.standing import doors, kept_recording
from vigilant.cli.main import main
from vigilant.core import CORE_VERSION
from vigilant.formats import limits
from vigilant.server import signing
from vigilant.server.entries.models import Comparison, Decision
from vigilant.server.runs.models import FrameChunk, Run

pytestmark = pytest.mark.django_db
_shared = doors("module")
book, people, token, recorder = _shared.book, _shared.people, _shared.token, _shared.recorder
editor, owner = _shared.editor, _shared.owner
RIVER = "/api/books/river/"


@pytest.fixture(autouse=True)
def own_key(settings, tmp_path):
    settings.SIGNING_KEY = str(tmp_path / "keys" / "signing-key")


@pytest.fixture(scope="module")
def two(recorder, editor):
    """An entry that was recorded and decided, one of its runs and others compared after the fact, and one that waits."""
    runs = [slot["run"] for slot in kept_recording(recorder)["slots"]]
    editor.post(f"{RIVER}entries/1/decisions/", {"choice": "kept", "why": "It holds."})
    more = [slot["run"] for slot in kept_recording(recorder, 10.5, 10.0, 2)["slots"]]
    arms = {"title": "After the fact", "before": runs[:3], "after": more[:4]}
    compared(editor, arms)
    editor.post(f"{RIVER}entries/", {"title": "Waits", "why": "", "expected": ""})


def bundle(client, number):
    answer = client.get(f"{RIVER}entries/{number}/bundle/")
    assert answer.status_code == 200, answer.content
    return b"".join(answer.streaming_content)


@pytest.mark.parametrize("number", [1, 2, 3])
def test_a_bundle_is_verified_in_an_empty_folder_by_tool_and_script(number, editor, recorder, two, tmp_path):
    path = tmp_path / "evidence.zip"
    path.write_bytes(bundle(recorder, number))
    key = editor.get("/api/signing-key/").json()
    done = CliRunner().invoke(main, ["verify", str(path), "--key", key["fingerprint"]])
    assert (done.exit_code, "All as stated." in done.output) == (0, True), done.output
    said = " ".join(editor.get(f"{RIVER}entries/{number}/").json()["result"]["sentence"].split())
    assert said in " ".join(done.output.split())
    with zipfile.ZipFile(path) as archive:
        archive.extractall(tmp_path / "out")
    plain = subprocess.run(
        [sys.executable, "-I", tmp_path / "out/check.py"], capture_output=True, text=True, check=False
    )
    assert (plain.returncode, plain.stderr) == (0, "")
    entry = json.loads((tmp_path / "out/entry.json").read_text())
    assert entry["seal"][0]["subject"] == f"entry {number}"
    if number == 1:
        assert entry["statement"]["entries"][0]["decision"]["choice"] == "kept"


def test_one_byte_of_a_bundle_changed_is_found(editor, two, tmp_path):
    written = bundle(editor, 1)
    with zipfile.ZipFile(io.BytesIO(written)) as archive:
        info = next(i for i in archive.infolist() if i.filename.startswith("runs/"))
    path = tmp_path / "evidence.zip"
    at = info.header_offset + 30 + len(info.filename) + 40
    path.write_bytes(written[:at] + bytes([written[at] ^ 1]) + written[at + 1 :])
    done = CliRunner().invoke(main, ["verify", str(path)])
    assert isinstance(done.exception, SystemExit)
    assert (done.exit_code, f"{info.filename} was altered" in " ".join(done.output.split())) == (1, True)


def test_who_gets_one_and_of_what_there_is_none(editor, people, client, django_user_model, two, monkeypatch):
    assert editor.get(f"{RIVER}entries/4/bundle/").json()["code"] == "nothing-recorded"
    assert editor.get(f"{RIVER}entries/99/bundle/").status_code == 404
    monkeypatch.setattr(limits, "BUNDLE_FRAMES", 10)
    assert editor.get(f"{RIVER}entries/1/bundle/").json()["code"] == "bundle-too-large"
    client.force_login(django_user_model.objects.create_user("stranger"))
    assert client.get(f"{RIVER}entries/1/bundle/").status_code == 404


def test_the_key_is_made_once_kept_private_and_refused_where_it_is_none(settings, tmp_path):
    key = signing.signing_key()
    path = tmp_path / "keys" / "signing-key"
    assert (path.stat().st_mode & 0o777, [p.name for p in path.parent.iterdir()]) == (0o600, ["signing-key"])
    kept = path.read_bytes()
    signing._make(path)  # another process, at the same time
    assert path.read_bytes() == kept
    signing._read.cache_clear()
    assert signing.signing_key().public_key() == key.public_key()
    settings.SIGNING_KEY = str(tmp_path / "other")
    (tmp_path / "other").write_text("not a key")
    with pytest.raises(ImproperlyConfigured, match="cannot be read"):
        signing.signing_key()


def verified():
    out = io.StringIO()
    try:
        call_command("verify", "river", stdout=out)
    except CommandError as error:
        return out.getvalue(), str(error), error.returncode
    return out.getvalue(), "", 0


def test_a_whole_book_is_computed_anew_to_the_bit(two):
    said, wrong, code = verified()
    assert (wrong, code) == ("", 0)
    assert [line.split(":")[0] for line in said.splitlines()] == [
        "entry 1",
        "entry 2",
        "entry 3",
        "seal",
        "All as kept.",
    ]
    assert said.count(f"to the bit as core {CORE_VERSION} made it") == 3


def _result(**changed):
    made = Comparison.objects.get(entry__number=1)
    made.result["figures"]["mean_ms"].update(changed)
    made.save()


def _frames():
    one, other = (FrameChunk.objects.filter(run=run, column="frame").first() for run in Run.objects.order_by("pk")[:2])
    FrameChunk.objects.filter(pk=one.pk).update(checksum=other.checksum, body=other.body, codec=other.codec)


def _bytes():
    chunk = FrameChunk.objects.filter(run__comparison_runs__arm__comparison__entry__number=1).first()
    FrameChunk.objects.filter(pk=chunk.pk).update(body=bytes(chunk.body)[:-1] + b"\0")


@pytest.mark.parametrize(
    ("alter", "said"),
    [
        (lambda: _result(d=-0.1), "entry 1: not as core"),
        (lambda: _result(smuggled=1), "mean_ms.smuggled is 1, not None"),
        (lambda: Comparison.objects.filter(entry__number=1).update(verdict="regression"), "verdict is 'regression'"),
        (lambda: Comparison.objects.filter(entry__number=1).update(ledger_line={}), "entry 1: not as core"),
        (lambda: Comparison.objects.filter(entry__number=1).update(fingerprint="0"), "other frames"),
        (_frames, "entry"),
        (_bytes, "cannot be computed anew"),
        (lambda: Decision.objects.update(choice="dropped"), "seal: Decision"),
    ],
)
def test_what_is_not_as_kept_is_named_and_ends_with_one(alter, said, two):
    alter()
    shown, wrong, code = verified()
    assert (said in shown, code) == (True, 1), shown
    assert "not as kept" in wrong


def test_what_differs_since_which_core_is_said_and_is_no_fault(two):
    made = Comparison.objects.get(entry__number=2)
    made.result["figures"]["mean_ms"]["d"] += 1e-12
    Comparison.objects.filter(pk=made.pk).update(core_version="1", result=made.result)
    shown, _, _ = verified()
    assert f"entry 2: made by core 1; core {CORE_VERSION} differs: figures.mean_ms.d is" in shown
    assert "not as core" not in shown


def test_a_book_that_is_not_there():
    with pytest.raises(CommandError, match="no book"):
        call_command("verify", "nowhere")
