"""A server, its database and several recorders as processes that can be killed at any moment.

Used by the durability tests and by ``script/timings --durability``. Recorders deliver spools of
frames known beforehand and write down every batch that was acknowledged; in the end what was
acknowledged is compared with what is stored, frame by frame.
"""

import json
import os
import random
import signal
import ssl
import subprocess
import sys
import time
import uuid
from pathlib import Path

import httpx
import numpy as np
from tables import with_tables

from vigilant.bench.spool import RecordingSpool, SlotRecord
from vigilant.server.launch.mariadb import MariaDB
from vigilant.server.launch.ports import free_port
from vigilant.server.launch.redis import Redis

RUNS, FRAMES = 2, 6000
BATCH_BYTES = 6000

# The recorder's own delivery, tried again until it is through; acknowledged batches go to a log.
RECORDER = """
import sys, time
from pathlib import Path
import httpx
from vigilant.bench import deliver
from vigilant.bench.errors import DeliveryError
from vigilant.bench.spool import RecordingSpool
spool, url, token, size = Path(sys.argv[1]), sys.argv[2], sys.argv[3], int(sys.argv[4])
deliver.BATCH_BYTES = size
log = open(spool / "acknowledged", "a", buffering=1)
def acknowledged(response):
    if "/batches/" in response.request.url.path and response.status_code in (200, 201):
        begun = response.request.extensions["begun"]
        log.write(f"{begun:.3f} {time.time():.3f} {response.request.url.path}\\n")
def begun(request):
    request.extensions["begun"] = time.time()
client = httpx.Client(timeout=120, event_hooks={"request": [begun], "response": [acknowledged]})
while True:
    try:
        deliver.Delivery(url, token, client).deliver(RecordingSpool.load(spool))
        break
    except DeliveryError as error:
        if error.code not in ("not-delivered", "error"):
            print(error, error.code, file=sys.stderr)
        time.sleep(0.05)
"""


ISSUE = """
from vigilant.server.books.models import Book, RecorderToken
print(RecorderToken.issue(Book.objects.create(slug="river", name="River"), "r")[1])
"""


class Stand:
    """Everything that runs; ``kill`` ends one part by SIGKILL and starts it again."""

    def __init__(self, folder, recorders=3, workers=1):
        self.folder = Path(folder)
        self.database = MariaDB(self.folder / "db")
        self.queue = Redis(self.folder / "queue")
        self.worker = None
        self.port = free_port()
        self.web = None
        self.count = recorders
        self.workers = workers
        self.spools = []
        self.recorders = []
        self.frames = {}
        #: What recorders need to believe the server.
        self.trust = {}

    @property
    def url(self):
        return f"http://127.0.0.1:{self.port}"

    def start(self):
        with_tables(self.database).start()
        self.queue.start()
        self.environment = {
            **os.environ,
            **self.database.environment(),
            **self.queue.environment(),
            "DJANGO_SETTINGS_MODULE": "vigilant.server.settings",
            "VIGILANT_SECRET_KEY": "of this stand alone, for as long as it stands",
        }
        made = subprocess.run(
            [sys.executable, "-c", f"import django; django.setup()\n{ISSUE}"],
            env=self.environment,
            capture_output=True,
            text=True,
            check=True,
        )
        self.token = made.stdout.split()[-1]
        self._start_worker()
        self._start_web()

    def _start_worker(self):
        with (self.folder / "worker.log").open("ab") as log:
            self.worker = subprocess.Popen(
                [sys.executable, "-m", "celery", "-A", "vigilant.server.worker", "worker", "-P", "threads", "-c", "2",
                 "--without-gossip", "--without-mingle", "--loglevel", "warning"],
                env=self.environment, stdout=log, stderr=log,
            )  # fmt: skip

    def _start_web(self):
        with (self.folder / "web.log").open("ab") as log:
            self.web = subprocess.Popen(
                [sys.executable, "-m", "uvicorn", "vigilant.server.asgi:application", "--host", "127.0.0.1", "--port",
                 str(self.port), "--lifespan", "off", "--log-level", "critical", "--workers", str(self.workers)],
                env=self.environment, stdout=log, stderr=log,
            )  # fmt: skip
        self.wait(lambda: self._answers(), "the web server answers")

    def _answers(self):
        try:
            return httpx.get(f"{self.url}/api/session/", timeout=5).status_code in (401, 403)
        except httpx.HTTPError:
            return False

    @staticmethod
    def wait(done, what, seconds=120, told=lambda: ""):
        """Until it is ``done``; else how things stand is ``told``."""
        until = time.monotonic() + seconds
        while not done():
            if time.monotonic() > until:
                raise AssertionError(f"not within {seconds} s: {what} {told()}")
            time.sleep(0.01)

    def deliver(self, seed, frames=FRAMES):
        """New spools, one a recorder, and recorders that deliver them."""
        rng = np.random.default_rng(seed)
        self.spools = [self._spool(rng, i, frames) for i in range(self.count)]
        self.recorders = [self._recorder(spool) for spool in self.spools]

    def _spool(self, rng, number, frames):
        recording = str(uuid.UUID(bytes=rng.bytes(16), version=4))
        arms = ["before", "after", "after", "before"][: 2 * RUNS]
        slots = [
            SlotRecord(i, arm, str(uuid.UUID(bytes=rng.bytes(16), version=4)), outcome="complete", frames=frames,
                       started="2026-05-04T18:30:00Z")
            for i, arm in enumerate(arms)
        ]  # fmt: skip
        plan = {
            "scenario": {"name": f"course {number}"},
            "arm": [{"name": "old", "command": ["x"]}, {"name": "new", "command": ["x"]}],
        }
        spool = RecordingSpool(
            self.folder / recording, recording, "2026-05-04T18:30:00Z", plan, 1,
            {"alias": "handheld", "facts": {}}, {}, slots,
        )  # fmt: skip
        spool.save()
        for slot in slots:
            x = np.abs(rng.normal(10, 1, frames)) + 0.1
            self.frames[slot.run] = x
            rows = "\n".join(f"[{v!r}]" for v in x.tolist())
            head = json.dumps({"vigilant_frames": 1, "columns": ["frame"]})
            spool.stream_path(slot).write_text(f"{head}\n{rows}\n" + json.dumps({"end": {"frames": frames}}) + "\n")
        return spool

    def _recorder(self, spool):
        with (self.folder / "recorders.log").open("ab") as log:
            return subprocess.Popen(
                [sys.executable, "-c", RECORDER, str(spool.directory), self.url, self.token, str(BATCH_BYTES)],
                env={**os.environ, **self.trust}, stdout=log, stderr=log,
            )  # fmt: skip

    def answers(self):
        """What was acknowledged: when it was sent, when it was answered, and where to."""
        found = []
        for spool in self.spools:
            path = spool.directory / "acknowledged"
            for line in path.read_text().splitlines() if path.exists() else []:
                begun, answered, where = line.split()
                found.append((float(begun), float(answered), where))
        return found

    def acknowledged(self):
        return [where for _, _, where in self.answers()]

    def delivering(self):
        return any(r.poll() is None for r in self.recorders)

    def kill(self, part, rng):
        """End a part by SIGKILL once some more batches were acknowledged, and start it again."""
        seen = len(self.acknowledged())
        more = rng.randint(1, 12)
        self.wait(lambda: len(self.acknowledged()) >= seen + more or not self.delivering(), "batches are delivered")
        if part == "database":
            self.database.kill()
            self.database.start()
        elif part == "queue":
            self.queue.kill()
            self.queue.start()
        elif part == "worker":
            self.worker.send_signal(signal.SIGKILL)
            self.worker.wait()
            self._start_worker()
        elif part == "server":
            self.web.send_signal(signal.SIGKILL)
            self.web.wait()
            self._start_web()
        else:
            i = rng.randrange(len(self.recorders))
            if self.recorders[i].poll() is None:
                self.recorders[i].kill()
            self.recorders[i].wait()
            self.recorders[i] = self._recorder(self.spools[i])

    def finish(self):
        self.wait(lambda: not self.delivering(), "recorders deliver", 300, self.log)

    def log(self):
        return (self.folder / "recorders.log").read_text()[-2000:]

    def compare(self):
        """Every acknowledged batch is stored, every frame once and bit for bit; returns the runs checked."""
        headers = {"Authorization": f"Bearer {self.token}"}
        checked = 0
        trusted = ssl.create_default_context(cafile=self.trust.get("SSL_CERT_FILE"))
        with httpx.Client(base_url=self.url, headers=headers, timeout=60, verify=trusted) as client:
            for spool in self.spools:
                for slot in spool.slots:
                    run = client.get(f"/api/runs/{slot.run}/").json()
                    assert run["state"] == "complete", run
                    lines = client.get(f"/api/runs/{slot.run}/frames/").text.splitlines()
                    stored = np.array([json.loads(line)[0] for line in lines if line.startswith("[")])
                    assert stored.tobytes() == self.frames[slot.run].tobytes(), (
                        stored.size,
                        self.frames[slot.run].size,
                    )
                    checked += 1
        return checked

    def frames_stored(self):
        """Frames in the database, counted in the columns themselves."""
        code = (
            "import django; django.setup()\nfrom django.db.models import Sum\n"
            "from vigilant.server.runs.models import FrameChunk\n"
            "print(FrameChunk.objects.filter(column='frame').aggregate(n=Sum('count'))['n'] or 0)"
        )
        done = subprocess.run(
            [sys.executable, "-c", code], env=self.environment, capture_output=True, text=True, check=True
        )
        return int(done.stdout)

    def closing(self):
        """Runs that a worker has yet to close."""
        code = (
            "import django; django.setup()\nfrom vigilant.server.runs.models import Run\n"
            "print(Run.objects.filter(state='closing').count())"
        )
        done = subprocess.run(
            [sys.executable, "-c", code], env=self.environment, capture_output=True, text=True, check=True
        )
        return int(done.stdout)

    def stored_batches(self):
        """Batches in the database by run, for acknowledged ones of a run still being received."""
        code = (
            "import django, json; django.setup()\nfrom vigilant.server.runs.models import RunBatch\n"
            "print(json.dumps([f'{r}/{n}' for r, n in RunBatch.objects.values_list('run_id', 'number')]))"
        )
        done = subprocess.run(
            [sys.executable, "-c", code], env=self.environment, capture_output=True, text=True, check=True
        )
        return set(json.loads(done.stdout))

    def stop(self):
        for process in [*self.recorders, self.web, self.worker]:
            if process is not None and process.poll() is None:
                process.terminate()  # so that a web server with workers ends them
                process.wait()
        self.queue.stop()
        self.database.stop()


PARTS = ("recorder", "server", "worker", "queue", "database")


def killed(stand, kills, seed):
    """Deliver with so many kills among the parts in random order; returns runs checked and batches acknowledged."""
    rng = random.Random(seed)
    parts = [PARTS[i % len(PARTS)] for i in range(kills)]
    rng.shuffle(parts)
    checked = acknowledged = round_ = 0
    while parts:
        stand.deliver(seed * 1000 + round_)
        round_ += 1
        while parts and stand.delivering():
            stand.kill(parts.pop(), rng)
        stand.finish()
        acked = {p.split("/runs/")[1].replace("/batches", "").rstrip("/") for p in stand.acknowledged()}
        missing = acked - stand.stored_batches()
        assert not missing, f"acknowledged and not stored: {sorted(missing)[:3]}"
        acknowledged += len(acked)
        checked += stand.compare()
    return checked, acknowledged
