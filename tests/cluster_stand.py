"""A cluster that recorders deliver to while its parts are killed in turn.

Used by the tests and by ``script/cluster``. What was acknowledged is compared with what is stored, frame by frame, and after each kill
the time is taken until something that was sent after it is acknowledged.
"""

import json
import statistics
import threading
import time
from dataclasses import dataclass

import MySQLdb
from durable import ISSUE, Stand
from tables import with_tables

from vigilant.server.launch.cluster import Cluster

FRAMES = 24_000
#: What a node says of itself and of the cluster.
NODE_SAYS = ("wsrep_ready", "wsrep_local_state_comment", "wsrep_cluster_status", "wsrep_cluster_size")


@dataclass
class Kill:
    """One part that was ended: what, when, how long nothing was acknowledged, and how long until it was in place again."""

    part: str
    name: str
    at: float
    silent_s: float | None = None
    back_s: float = 0.0


class ClusterStand(Stand):
    """The same as a stand of one host, with a cluster behind the same address."""

    def __init__(self, folder, recorders=3):
        super().__init__(folder, recorders)
        self.cluster = Cluster(self.folder / "cluster")
        with_tables(self.cluster.nodes[0])
        self.kills = []

    @property
    def url(self):
        return self.cluster.url

    def start(self):
        self.cluster.start()
        self.environment = self.cluster.environment("web1")
        self.trust = {"SSL_CERT_FILE": str(self.cluster.certificate)}
        self.token = self.cluster.manage("web1", ISSUE).split()[-1]

    def kill(self, part, rng):
        seen = len(self.acknowledged())
        more = rng.randint(1, 12)
        self.wait(lambda: len(self.acknowledged()) >= seen + more or not self.delivering(), "batches are delivered")
        killed = Kill(part, "", time.time())
        killed.name, again = self.cluster.kill(part, rng)
        self.kills.append(killed)
        going_on = f"writes go on without {killed.name}"
        self.wait(lambda: self._silent(killed) is not None or not self.delivering(), going_on, 300, self._stands)
        killed.silent_s = self._silent(killed)
        begun = time.monotonic()
        again()
        killed.back_s = time.monotonic() - begun

    def _stands(self):
        """What the parts say of themselves, for whoever asks why nothing is acknowledged."""
        said = [self.log()]
        for node in self.cluster.nodes:
            said += [f"{node.node}: {name} {node.status(name) or 'not told'}" for name in NODE_SAYS]
        leads = {name: proxy.leads_to(self.cluster.nodes[0]) for name, proxy in self.cluster.proxies.items()}
        said += [f"the proxy of {name} leads to {node or 'none'}" for name, node in leads.items()]
        said += [f"{log.name}: {log.read_text()[-1500:]}" for log in sorted(self.cluster.folder.rglob("*.log"))]
        return "\n".join(said)

    def _silent(self, killed):
        """Seconds from the kill to the first acknowledgement of what was sent after it; None where nothing was left to send."""
        after = [answered - killed.at for begun, answered, _ in self.answers() if begun > killed.at]
        return min(after, default=None)

    def account(self):
        """What a round came to, once every recorder is through; raises where something acknowledged is not stored, or a run is not closed once."""
        self.finish()
        acknowledged = {where.split("/runs/")[1].replace("/batches", "").rstrip("/") for where in self.acknowledged()}
        stored = self.stored_batches()
        lost = acknowledged - stored
        assert not lost, f"acknowledged and not stored: {sorted(lost)[:3]}"
        self.wait(lambda: self.closing() == 0, "workers close every run")
        runs = self.compare()
        return {"acknowledged": len(acknowledged), "stored": len(acknowledged & stored), "runs": runs}

    def jobs(self):
        """Jobs once none is open, and how many of them were begun more than once; raises where one failed."""
        told = {"open": 1}

        def all_done():
            told.update(json.loads(self.cluster.manage("work1", JOBS)))
            return told["open"] == 0

        self.wait(all_done, "workers end every job")
        del told["open"]
        assert told.pop("failed") == [], told
        return told

    def stop(self):
        for recorder in self.recorders:
            if recorder.poll() is None:
                recorder.terminate()
                recorder.wait()
        self.cluster.stop()


JOBS = """
import json
from vigilant.server.jobs.models import Job
ended = Job.objects.filter(active=None)
print(json.dumps({
    "open": Job.objects.exclude(active=None).count(), "jobs": ended.filter(state="done").count(),
    "failed": [[job.kind, job.problem] for job in ended.filter(state="failed")], "again": ended.filter(attempts__gt=1).count(),
}))
"""


def reads_after_writes(cluster, wait, reads):
    """Write on one node and read on another at once, so often, while others write long rows: how often the row was not there yet, and
    the median of a read in ms."""

    def line(node):
        made = MySQLdb.connect(
            host="127.0.0.1",
            port=node.port,
            user=node.user,
            password=node.password,
            database=node.name,
            autocommit=True,
        )
        made.query(f"SET SESSION wsrep_sync_wait = {int(wait)}")
        return made

    def fill():
        while not over.is_set():
            lines[2].cursor().execute("INSERT INTO rehearsed (told, rest) VALUES (-1, %s)", (b"x" * 200_000,))

    one, other = cluster.nodes[:2]
    lines = [line(one), line(other), line(one)]
    lines[0].query(
        "CREATE TABLE rehearsed (id BIGINT AUTO_INCREMENT PRIMARY KEY, told BIGINT, rest LONGBLOB, INDEX (told))"
    )
    over = threading.Event()
    filling = threading.Thread(target=fill)
    filling.start()
    missing, took = 0, []
    try:
        for i in range(reads):
            lines[0].cursor().execute("INSERT INTO rehearsed (told) VALUES (%s)", (i,))
            begun = time.perf_counter()
            cursor = lines[1].cursor()
            missing += cursor.execute("SELECT id FROM rehearsed WHERE told = %s", (i,)) == 0
            took.append(time.perf_counter() - begun)
    finally:
        over.set()
        filling.join()
        lines[0].query("DROP TABLE rehearsed")
        for each in lines:
            each.close()
    return missing, 1000 * statistics.median(took)
