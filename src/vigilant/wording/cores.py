"""What more cores bring, in words."""

from __future__ import annotations

from vigilant.core.vary import Scaling
from vigilant.core.vary.scaling import LAW_CORES, Bounds, Schedule, SerialShare, SpeedUp

from .change import number
from .switched import figure_name


def sentence(found: Scaling) -> str:
    """The most cores against the fewest."""
    first, last = found.speed_ups[0], found.speed_ups[-1]
    of = figure_name(found.figure)
    if last.low is None or last.high is None:
        return f"Too few runs to test anything of {of}: two of every number of cores are the least. Record more passes."
    against = f"on {last.cores} cores against {first.cores}"
    if last.low <= 1.0 <= last.high:
        return f"{of[:1].upper()}{of[1:]} {against} cannot be told apart: {speed_words(last)}."
    word = "as fast" if last.speed_up > 1 else "as fast only"
    return f"{of[:1].upper()}{of[1:]} {against} is {speed_words(last)} times {word}; {efficiency_words(last)} of each core's worth."


def speed_words(found: SpeedUp) -> str:
    """ "2.84 (2.79 to 2.90)"."""
    said = number(found.speed_up, 2)
    return (
        said
        if found.low is None or found.high is None
        else f"{said} ({number(found.low, 2)} to {number(found.high, 2)})"
    )


def efficiency_words(found: SpeedUp) -> str:
    return f"{number(100 * found.efficiency, 0)} %"


def _share(value: float) -> str:
    return number(100 * min(1.0, max(0.0, value)), 1)


def law_sentence(found: Scaling) -> str:
    """What stays serial, what a further core costs, and how far that goes."""
    law = found.law
    if law is None:
        return f"What stays serial is not told: it takes {LAW_CORES} numbers of cores, and runs to test."
    if not law.fits:
        return "No law of a serial share and a cost a core fits these times: something else changes with the cores."
    serial = f"{_share(law.serial)} % of what one core does stays serial ({_share(law.serial_low)} to {_share(law.serial_high)})"
    return f"{serial}; {_overhead(law)}"


def _overhead(law: SerialShare) -> str:
    if law.no_overhead_seen:
        limit = (
            ""
            if law.limit is None
            else f" By this law, a bound of the model, cores bring {number(law.limit, 1)} times at most."
        )
        return f"no overhead of further cores is seen.{limit}"
    each = f"each further core costs {number(100 * law.overhead, 2)} % ({number(100 * law.overhead_low, 2)} to {number(100 * law.overhead_high, 2)})"
    best = "" if law.best_cores is None else f", so that more than {number(law.best_cores, 0)} cores would cost"
    return f"{each}{best}."


_SCHEDULES = {
    "not the schedule": "slower than any order of the work makes it",
    "room for scheduling": "room for scheduling",
    "as good as any": "as good as any order",
}


def schedule_words(found: Bounds, said: Schedule | None) -> str:
    """ "room for scheduling (5.20 to 7.31)"."""
    between = f"{number(found.least_ms, 2)} to {number(found.most_ms, 2)} ms"
    return between if said is None else f"{_SCHEDULES[said]} ({between})"


def chain_sentence(work_ms: float, chain_ms: float) -> str:
    return (
        f"Of {number(work_ms, 2)} core-ms a frame the longest chain takes {number(chain_ms, 2)} ms, which no number of cores makes shorter."
        " Slower than any order: memory, the clock or waiting, and no schedule."
    )


def notes(found: Scaling, not_held: list[int], machine_cores: int | None) -> list[str]:
    said = [
        f"On {s.cores} cores it is faster than {s.cores} cores can account for: more cache, a clock that rose, or less work."
        for s in found.speed_ups
        if s.above
    ]
    said += [
        f"With {p} cores the subject used more processor time than {p} can give: they were not held." for p in not_held
    ]
    if machine_cores is not None and found.speed_ups[-1].cores < machine_cores:
        said.append(f"The machine has {machine_cores} cores; nothing is said beyond {found.speed_ups[-1].cores}.")
    return said
