"""The policy of a gate: what a build server records or is given, and what of a verdict lets a build pass."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Annotated, Literal

from pydantic import Field, ValidationError

from vigilant.core.looks import MOST_PAIRS
from vigilant.formats import limits
from vigilant.formats.errors import PlanError

from .faults import refused
from .read import read_toml
from .tables import Argument, Positive, Table

Undecided = Literal["fail", "allow", "more runs"]
Passes = Literal["fail", "allow"]


class FilesTable(Table):
    """Runs given as files, by patterns from the policy's folder. How they were recorded is said: ``interleaved`` with
    the ``order`` of slots (b, a, - for a failed one), ``apart`` (a stored baseline), or ``unknown``."""

    before: Annotated[list[Argument], Field(min_length=1, max_length=limits.ARM_RUNS)]
    after: Annotated[list[Argument], Field(min_length=1, max_length=limits.ARM_RUNS)]
    recorded: Literal["interleaved", "apart", "unknown"]
    order: Annotated[str, Field(max_length=limits.SLOTS)] | None = None
    target_fps: Positive | None = None
    column: Argument | None = None
    reading: Argument | None = None


class LineGateTable(Table):
    """The build is held against its line: of folders of ``builds``, a build each, the oldest first (patterns from the policy's folder, and
    names in order within one), and the new build's ``runs``; or with a plan, recorded on the spot, against the line on the server. ``alpha``
    is how often a build fails falsely where nothing changed."""

    alpha: Annotated[float, Field(ge=0.0001, le=0.2)] = 0.05
    builds: Annotated[list[Argument], Field(max_length=limits.BUILDS_AT_ONCE)] = []
    runs: Annotated[list[Argument], Field(max_length=limits.ARM_RUNS)] = []
    target_fps: Positive | None = None
    column: Argument | None = None
    reading: Argument | None = None


class GateTable(Table):
    """``plan`` is recorded on the spot, baseline and build interleaved; ``undecided`` says whether a build that the
    runs cannot judge fails, passes, or is recorded until it is decided, in at most ``most_runs`` runs an arm."""

    plan: Argument | None = None
    undecided: Undecided = "fail"
    trade_off: Passes = "fail"
    most_runs: Annotated[int, Field(ge=4, le=MOST_PAIRS)] = MOST_PAIRS


class GateFile(Table):
    gate: GateTable
    files: FilesTable | None = None
    line: LineGateTable | None = None


@dataclass(frozen=True)
class GatePolicy:
    """A checked policy; paths are taken from ``base``, its folder."""

    gate: GateTable
    files: FilesTable | None
    line: LineGateTable | None
    base: Path

    @property
    def plan(self) -> Path | None:
        return None if self.gate.plan is None else self.base / self.gate.plan

    @property
    def recording(self) -> dict[str, object]:
        """What the policy asks of the plan's recording."""
        if self.gate.undecided != "more runs":
            return {}
        return {"until_decided": True, "runs": self.gate.most_runs}

    def passes(self, verdict: str) -> bool:
        """Whether a build of this verdict passes."""
        if verdict in ("gain", "no material change"):
            return True
        if verdict == "trade-off":
            return self.gate.trade_off == "allow"
        return verdict == "undecided" and self.gate.undecided == "allow"


def load_gate(path: Path) -> GatePolicy:
    """Read a policy file. Raises :class:`PlanError` naming every fault."""
    where = str(path)
    try:
        found = GateFile.model_validate(read_toml(path))
    except ValidationError as error:
        raise refused(error, GateFile, where) from None
    if found.line is not None:
        _check_line(found, found.line, where)
    elif (found.gate.plan is None) == (found.files is None):
        raise PlanError(f"{where}: name either a plan to record or [files] that were recorded")
    if found.files is not None:
        if found.gate.undecided == "more runs":
            raise PlanError(f"{where}: more runs of files cannot be recorded; undecided is fail or allow")
        if (found.files.recorded == "interleaved") != (found.files.order is not None):
            raise PlanError(f"{where}: files that were recorded interleaved need the order of their slots, others have none")  # fmt: skip
    return GatePolicy(found.gate, found.files, found.line, path.parent)


def _check_line(found: GateFile, line: LineGateTable, where: str) -> None:
    if found.files is not None:
        raise PlanError(f"{where}: a build is held against its line or against [files], not both")
    if bool(line.builds) != bool(line.runs) or bool(line.builds) == (found.gate.plan is not None):
        raise PlanError(f"{where}: [line] goes with a plan to record, or names the folders of builds and the new runs")
    if found.gate.undecided == "more runs":
        raise PlanError(
            f"{where}: more runs in one session do not decide what a line cannot; undecided is fail or allow"
        )
