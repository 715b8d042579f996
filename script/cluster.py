"""``script/cluster``: a whole cluster on loopback, its parts killed in turn while recorders deliver, and the account of it."""

from __future__ import annotations

import argparse
import random
import sys
import tempfile
import time
from collections import Counter
from dataclasses import asdict
from pathlib import Path

import orjson
from cluster_stand import FRAMES, ClusterStand, Kill, reads_after_writes
from rich.console import Console
from rich.table import Table

from vigilant.server.launch.cluster import Cluster, ClusterFailed
from vigilant.server.launch.mariadb import DatabaseFailed
from vigilant.server.launch.redis import QueueFailed

#: So long may nothing be acknowledged after a kill.
SILENT_S = 10.0
READS = 500
#: What ``--durability --cluster`` has done so far.
KEPT = Path(__file__).resolve().parents[1] / "var" / "cluster-kills.json"
FAILURES = (ClusterFailed, DatabaseFailed, QueueFailed, AssertionError)


def rehearse(stand: ClusterStand, parts: list[str], seed: int, say: Console) -> Counter[str]:
    """Deliver, kill these parts one after another, and count; the kills are added to the stand's. Raises AssertionError where anything is lost."""
    rng = random.Random(seed)
    left, total, round_ = list(parts), Counter[str](), 0
    while left:
        stand.deliver(seed * 1000 + round_, FRAMES)
        round_ += 1
        while left and stand.delivering():
            stand.kill(left.pop(0), rng)
            _say_kill(stand.kills[-1], say)
        total.update(stand.account())
    return total + Counter(stand.jobs())


def _say_kill(kill: Kill, say: Console) -> None:
    silent = "nothing was left to send" if kill.silent_s is None else f"written again after {kill.silent_s:4.1f} s"
    say.print(f"{kill.part:16} {kill.name:14} {silent:28} in place again {kill.back_s:4.1f} s after its start")


def _say_total(total: Counter[str], kills: list[Kill], say: Console) -> bool:
    """The account; whether it is as it must be."""
    table = Table("part", "kills", "without a write, s: median", "longest", "in place again, s: median")
    for part in Cluster.parts:
        of = [kill for kill in kills if kill.part == part]
        silent = sorted(kill.silent_s for kill in of if kill.silent_s is not None)
        back = sorted(kill.back_s for kill in of)
        if of:
            told = (f"{silent[len(silent) // 2]:.1f}", f"{silent[-1]:.1f}") if silent else ("", "")
            table.add_row(part, str(len(of)), *told, f"{back[len(back) // 2]:.1f}")
    say.print(table)
    longest = max((kill.silent_s or 0.0 for kill in kills), default=0.0)
    say.print(
        f"{len(kills)} kills: {total['acknowledged']:,} batches acknowledged, {total['stored']:,} of them stored,"
        f" {total['acknowledged'] - total['stored']} lost; {total['runs']} runs equal frame by frame; {total['jobs']:,} jobs"
        f" done, {total['again']} of them begun again, none failed; longest without a write {longest:.1f} s ({SILENT_S:.0f} allowed)"
    )
    return total["acknowledged"] == total["stored"] and longest <= SILENT_S


def _parts(first: int, count: int) -> list[str]:
    return [Cluster.parts[i % len(Cluster.parts)] for i in range(first, first + count)]


def many(kills: int, say: Console) -> bool:
    """So many kills over several clusters, a round of all parts each; what was done is kept and gone on with. Whether all is well."""
    kept = orjson.loads(KEPT.read_bytes()) if KEPT.exists() else {"total": {}, "kills": []}
    done, total = [Kill(**kill) for kill in kept["kills"]], Counter[str](kept["total"])
    while len(done) < kills:
        parts = _parts(len(done), min(len(Cluster.parts), kills - len(done)))
        with tempfile.TemporaryDirectory(prefix="vl-cluster-") as folder:
            stand = ClusterStand(Path(folder))
            try:
                stand.start()
                total += rehearse(stand, parts, 1 + len(done), say)
            finally:
                stand.stop()
        done += stand.kills
        KEPT.write_bytes(orjson.dumps({"total": total, "kills": [asdict(kill) for kill in done]}))
    good = _say_total(total, done, say)
    KEPT.unlink()
    return good


def main() -> int:
    parser = argparse.ArgumentParser(prog="script/cluster", description=__doc__)
    parser.add_argument(
        "--kills", type=int, default=len(Cluster.parts), help="so many, one part after another (each once)"
    )
    parser.add_argument("--seed", type=int, default=1, help="of which host it is, and when")
    told = parser.parse_args()
    say = Console(width=140, highlight=False)
    with tempfile.TemporaryDirectory(prefix="vl-cluster-") as folder:
        stand = ClusterStand(Path(folder))
        begun = time.monotonic()
        try:
            stand.start()
            say.print(
                "3 database nodes, 2 web hosts, 2 worker hosts, 2 Redis, 3 sentinels, 4 proxies and a front with TLS are up"
                f" after {time.monotonic() - begun:.0f} s"
            )
            for wait in (False, True):
                missing, read_ms = reads_after_writes(stand.cluster, wait, READS)
                how = "waiting for what was written" if wait else "not waiting"
                say.print(
                    f"read on another node at once, {how}: {missing} of {READS} too early, a read {read_ms:.1f} ms"
                )
            total = rehearse(stand, _parts(0, told.kills), told.seed, say)
        except FAILURES as error:
            print(f"cluster: {error}", file=sys.stderr)
            return 1
        finally:
            stand.stop()
    return 0 if _say_total(total, stand.kills, say) else 1


if __name__ == "__main__":
    sys.exit(main())
