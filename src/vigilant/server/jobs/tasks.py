"""What the queue carries: the key of a job, nothing else."""

from __future__ import annotations

from uuid import UUID

from vigilant.server.worker import app

from . import services


@app.task(name="vigilant.work_on")
def work_on(job: str) -> None:
    services.run(UUID(job))
