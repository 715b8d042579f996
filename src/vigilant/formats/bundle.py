"""The evidence of one verdict in one file, signed: frames, sheets, order, policy, result (docs/formats.md, *Bundle*).

A zip. ``manifest.json`` lists every other file with its SHA-256; ``signature.json`` holds the Ed25519 signature of its
bytes. An outsider computes everything anew from the frames, with :func:`checked` or with the plain script it carries.
"""

from __future__ import annotations

import hashlib
import json
import platform
import tempfile
import zipfile
import zlib
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import asdict, dataclass, replace
from importlib import resources
from itertools import pairwise
from pathlib import Path
from typing import Any

import numpy as np
import scipy
from cryptography.exceptions import InvalidSignature
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey, Ed25519PublicKey

from vigilant.core import CORE_VERSION, Basis, CoreError, FrameSeries, Part, Policy
from vigilant.core.stored import differences, to_document
from vigilant.core.summary import RunFrames

from . import Asked, limits, read_run, strict_json
from .errors import FormatError
from .tables_out import csv_lines

VERSION = 1
MANIFEST, SIGNATURE, COMPARISON, ENTRY = "manifest.json", "signature.json", "comparison.json", "entry.json"
ALGORITHM = "Ed25519"
_OWN = (MANIFEST, SIGNATURE)
_PIECE = 1024 * 1024
#: Numbers of another machine agree where they differ by a smaller share: its linear algebra may round otherwise.
AGREE = 1e-9


def fingerprint(public_key: str) -> str:
    """What a key is called where people compare it: the first half of the SHA-256 of its bytes, in fours."""
    digest = hashlib.sha256(bytes.fromhex(public_key)).hexdigest()[:32]
    return " ".join(digest[i : i + 4] for i in range(0, 32, 4))


def public_hex(key: Ed25519PublicKey) -> str:
    return key.public_bytes_raw().hex()


# -- writing


@dataclass(frozen=True, eq=False)
class RunOut:
    """A run with its ``sheet`` of what is known beside its frames (its id, rig, build, outcome)."""

    series: FrameSeries
    sheet: Mapping[str, Any]
    started: str | None = None


def _counted(series: FrameSeries, policy: Policy) -> list[list[int]]:
    """The stretches of frames that count, from and up to."""
    view = RunFrames(series, policy)
    bounds = view.played.bounds
    index = view.played.index
    return [[int(index[a]), int(index[b - 1]) + 1] for a, b in pairwise(bounds)]


def write_bundle(
    path: Path,
    basis: Basis,
    runs: Mapping[str, Iterable[RunOut]],
    after: str,
    result: Mapping[str, Any],
    core_version: str,
    entry: Mapping[str, Any],
    about: Mapping[str, Any],
    key: Ed25519PrivateKey,
) -> None:
    """Write the evidence of ``result``, which is the arm ``after`` of ``basis`` held against its first.

    ``runs`` are those of the basis in its order, with their sheets; ``entry`` is what the ledger says, ``about`` goes
    into the manifest.
    """
    files: dict[str, dict[str, Any]] = {}
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED, compresslevel=6) as out:

        def add(name: str, pieces: Iterable[bytes]) -> None:
            digest, size = hashlib.sha256(), 0
            with out.open(name, "w", force_zip64=True) as file:
                for piece in pieces:
                    digest.update(piece)
                    size += len(piece)
                    file.write(piece)
            files[name] = {"bytes": size, "sha256": digest.hexdigest()}

        arms: dict[str, list[dict[str, Any]]] = {}
        for arm, listed in runs.items():
            rows = arms.setdefault(arm, [])
            for i, run in enumerate(listed, start=1):
                name = f"runs/{arm.replace(' ', '-')}-{i:02}.csv"
                add(name, (line.encode() for line in csv_lines(run.series, run.started)))
                rows.append(
                    {
                        "file": name,
                        "counted": _counted(run.series, basis.policy),
                        "measured": dict(run.series.measured),
                        "parts": [asdict(part) for part in run.series.parts],
                        "sheet": dict(run.sheet),
                    }
                )
        comparison = {
            "core_version": core_version,
            "after": after,
            "basis": basis.document(),
            "arms": arms,
            "result": dict(result),
        }
        add(COMPARISON, [_json(comparison)])
        add(ENTRY, [_json(entry)])
        carried = resources.files("vigilant.formats") / "carried"
        add("check.py", [(carried / "check.py").read_bytes()])
        add("README.txt", [(carried / "README.txt").read_bytes()])
        manifest = _json(
            {
                "vigilant_bundle": VERSION,
                **about,
                "core_version": core_version,
                "versions": {"python": platform.python_version(), "numpy": np.__version__, "scipy": scipy.__version__},
                "files": files,
            }
        )
        out.writestr(MANIFEST, manifest)
        signed = {
            "algorithm": ALGORITHM,
            "public_key": public_hex(key.public_key()),
            "signature": key.sign(manifest).hex(),
        }
        out.writestr(SIGNATURE, _json(signed))


def _json(value: Any) -> bytes:
    return json.dumps(value, ensure_ascii=False, indent=1, allow_nan=False).encode() + b"\n"


# -- reading


@dataclass(frozen=True)
class Checked:
    """What a bundle says of itself, and everything in it that is not as it should be.

    ``signer`` is its public key in hexadecimal digits ("" where the signature is not good); ``exact`` where every
    number was computed anew to the bit; ``recomputed`` is False where the files could not be judged again. ``otherwise``
    is what this core makes otherwise than another core that judged them: whether that is as stated cannot be told here.
    """

    manifest: Mapping[str, Any]
    entry: Mapping[str, Any]
    comparison: Mapping[str, Any]
    signer: str
    faults: Sequence[str] = ()
    recomputed: bool = False
    exact: bool = False
    numbers: int = 0
    otherwise: Sequence[str] = ()

    @property
    def sentence(self) -> str:
        """What the ledger says of it."""
        try:
            return str(self.entry["statement"]["entries"][0]["sentence"])
        except (KeyError, IndexError, TypeError):
            return ""


def checked(path: str | Path) -> Checked:
    """Check a bundle whole: its signature, every file, and every number anew from the frames.
    Raises :class:`FormatError` for what is no bundle."""
    path = Path(path)
    try:
        with zipfile.ZipFile(path) as archive, tempfile.TemporaryDirectory(prefix="vigilant-verify-") as folder:
            return _checked(archive, Path(folder), path.name)
    except (OSError, zipfile.BadZipFile, zlib.error, EOFError, RuntimeError, NotImplementedError) as error:
        raise FormatError("bundle-unreadable", f"it is no bundle that can be read: {error}", path.name) from error


def _checked(archive: zipfile.ZipFile, folder: Path, source: str) -> Checked:
    listed = archive.infolist()
    names = [info.filename for info in listed]
    if MANIFEST not in names or len(set(names)) < len(names):
        raise FormatError("bundle-unreadable", f"it holds no {MANIFEST}, or a file twice: it is no bundle", source)
    if sum(info.file_size for info in listed) > limits.FILE_BYTES:
        raise FormatError("bundle-too-large", f"unpacked it is over {limits.FILE_BYTES:,} bytes", source)
    written = _read(archive, MANIFEST, source)
    manifest = _object(written, MANIFEST, source)
    if manifest.get("vigilant_bundle") != VERSION or not isinstance(manifest.get("files"), dict):
        raise FormatError("bundle-unreadable", f"it is no bundle of version {VERSION}", source)
    files = manifest["files"]
    signer = _signer(archive, written, names, source)
    faults = [] if signer else ["The signature is not good: the manifest was altered, or was never signed."]
    faults += [f"{name} is missing." for name in files if name not in names]
    faults += [f"{name} is not in the manifest: it was put in later." for name in names if name not in (*files, *_OWN)]
    whole = {name for name in files if name in names}
    for name in sorted(whole):
        if not _unpacked(archive, name, folder, files[name]):
            faults.append(f"{name} was altered: it is not what the manifest says.")
    needed = {COMPARISON, ENTRY} - whole
    if needed:
        raise FormatError("bundle-unreadable", f"it holds no {sorted(needed)[0]}", source)
    comparison, entry = (_object((folder / name).read_bytes(), name, source) for name in (COMPARISON, ENTRY))
    arms = comparison.get("arms")
    if not isinstance(comparison.get("result"), dict) or not isinstance(arms, dict):
        raise FormatError("bundle-unreadable", f"{COMPARISON} holds no arms and no result", source)
    if not all(isinstance(rows, list) for rows in arms.values()):
        raise FormatError("bundle-unreadable", f"{COMPARISON} holds an arm that is no list of runs", source)
    try:
        wrong, numbers, exact = _recomputed(comparison, folder, whole, source)
    except (CoreError, FormatError) as error:
        return Checked(manifest, entry, comparison, signer, [*faults, f"It cannot be judged anew: {error}"])
    same_core = comparison.get("core_version") == CORE_VERSION
    return Checked(
        manifest, entry, comparison, signer, [*faults, *(wrong if same_core else ())], True, exact, numbers,
        () if same_core else wrong,
    )  # fmt: skip


def _read(archive: zipfile.ZipFile, name: str, source: str) -> bytes:
    if archive.getinfo(name).file_size > limits.BODY_BYTES:
        raise FormatError("bundle-too-large", f"{name} is over {limits.BODY_BYTES:,} bytes", source)
    return archive.read(name)


def _object(written: bytes, name: str, source: str) -> dict[str, Any]:
    try:
        value = strict_json.loads(written)
    except strict_json.JsonRefused as error:
        raise FormatError("bundle-unreadable", f"{name}: {error}", source) from None
    if not isinstance(value, dict):
        raise FormatError("bundle-unreadable", f"{name} holds no object", source)
    return value


def _signer(archive: zipfile.ZipFile, manifest: bytes, names: Sequence[str], source: str) -> str:
    """The public key that signed the manifest, in hexadecimal digits; "" where none did."""
    if SIGNATURE not in names:
        return ""
    said = _object(_read(archive, SIGNATURE, source), SIGNATURE, source)
    try:
        if said["algorithm"] != ALGORITHM:
            return ""
        public = bytes.fromhex(said["public_key"])
        Ed25519PublicKey.from_public_bytes(public).verify(bytes.fromhex(said["signature"]), manifest)
    except (KeyError, ValueError, TypeError, InvalidSignature):
        return ""
    return public.hex()


def _unpacked(archive: zipfile.ZipFile, name: str, folder: Path, said: Any) -> bool:
    """Whether a file is what the manifest says; it is laid into the folder, under a name that stays in it."""
    target = (folder / name).resolve()
    if not target.is_relative_to(folder.resolve()) or name.endswith("/"):
        return False
    target.parent.mkdir(parents=True, exist_ok=True)
    digest = hashlib.sha256()
    with archive.open(name) as file, target.open("wb") as out:
        try:
            while piece := file.read(_PIECE):
                digest.update(piece)
                out.write(piece)
        except (zipfile.BadZipFile, zlib.error, EOFError):  # the archive's own sums
            return False
    return isinstance(said, dict) and digest.hexdigest() == said.get("sha256")


def _recomputed(
    comparison: Mapping[str, Any], folder: Path, whole: set[str], source: str
) -> tuple[list[str], int, bool]:
    """What comes out otherwise, how many numbers were compared, and whether they agree to the bit."""
    try:
        arms = {
            str(arm): [_series(row, folder, whole, source) for row in rows] for arm, rows in comparison["arms"].items()
        }
        after, said = str(comparison["after"]), comparison["result"]
        basis = Basis.of_document(comparison["basis"], arms)
        counted = [row["counted"] for rows in comparison["arms"].values() for row in rows]
        several = basis.judged()
    except (KeyError, IndexError, TypeError, AttributeError, ValueError, ArithmeticError) as error:
        if isinstance(error, (CoreError, FormatError)):
            raise
        raise FormatError("bundle-unreadable", f"{COMPARISON} holds what is no comparison: {error!r}", source) from None
    if ("before", after) not in several.pairs:
        raise FormatError("bundle-unreadable", f"there is no arm {after!r}", source)
    # Through JSON, as what is stated went.
    found = json.loads(json.dumps(to_document(several.pairs["before", after])))
    wrong = [
        f"Of {place} {was!r} is stated; the frames give {now!r}." for place, was, now in differences(said, found, AGREE)
    ]
    own = [_counted(series, basis.policy) for runs in arms.values() for series in runs]
    wrong += ["Which frames count is stated otherwise than the policy says."] if own != counted else []
    return wrong, _numbers(found), not list(differences(said, found))


def _numbers(value: Any) -> int:
    if isinstance(value, dict):
        return sum(map(_numbers, value.values()))
    if isinstance(value, list):
        return sum(map(_numbers, value))
    return int(isinstance(value, (int, float)) and not isinstance(value, bool))


def _series(row: Mapping[str, Any], folder: Path, whole: set[str], source: str) -> FrameSeries:
    if row["file"] not in whole:
        raise FormatError("bundle-unreadable", f"the run {row['file']!r} is not there", source)
    series = read_run(folder / row["file"], Asked()).series
    parts = [Part(**{**part, "path": tuple(part["path"])}) for part in row["parts"]]
    return replace(series, measured=dict(row["measured"]), parts=parts, source=row["file"])
