"""Where the time goes, in words: how lanes add up, what limits frames, what is left under the budget."""

from __future__ import annotations

from collections.abc import Sequence

from vigilant.core.work import (
    CoreTime,
    Headroom,
    KindTotal,
    LaneChange,
    LanesFound,
    Limit,
    PartChange,
    RowChange,
    renamed,
)
from vigilant.core.work.rows import top
from vigilant.core.work.waits import Wait

from .change import decimals_for, number

_OVERLAP = {
    "overlap": "The lanes overlap: a frame is as long as its longest lane.",
    "serial": "The lanes follow each other: a frame is as long as all of them together, and none limits it alone.",
    "partly": "The lanes overlap in part: about {percent} % of what runs beside the longest lane is added to the frame.",
    "cannot be told": "Whether the lanes overlap cannot be told from these frames; a test with one of them switched off would tell.",
    "one lane": "There is one lane.",
}
_MOSTLY = {-1: "Balanced are", -2: "Paced, with time to spare, are", -3: "No lane explains"}
NO_LANES = "The runs report no busy lanes in common: what limits a frame cannot be told."
REFUSED = {
    "no-target": "Headroom needs a target: the scenario has none.",
    "not-told": "Headroom is not told: in most frames a lane is missing.",
    "held-by-cap": "Headroom is not told: a cap held the frames, and no lane reports what they waited.",
    "limit-unknown": "Headroom is not told: in {percent} % of the frames no lane explains their length. A lane is missing, or those reported are pieces of one.",
}
#: A lane or a part is shown to have changed at this level, by Holm within its family.
ALPHA = 0.05
#: Lanes whose frames are not told in more than this share have a note.
SOME_NOT_TOLD = 0.05


def share_percent(share: float) -> str:
    return number(100.0 * share, 0 if 0.1 <= share <= 0.995 else 1)


def _ms(value: float, half: float | None) -> str:
    digits = decimals_for(half, 2) if half else 2
    return f"{number(value, digits)} ms" + (f" (± {number(half, digits)})" if half else "")


def overlap_sentence(found: LanesFound) -> str:
    phi = found.overlap.phi
    return _OVERLAP[found.overlap.call].replace("{percent}", share_percent(min(1.0, max(0.0, phi or 0.0))))


def limit_sentence(before: LanesFound, after: LanesFound, moved: tuple[Limit, Limit] | None) -> str:
    """ "The limit moved from paint (55 % of frames) to gpu (61 %)."; "" where no lane limits."""
    if not before.limits or not after.limits:
        return ""
    if moved:
        old, new = moved
        return f"The limit moved from {old.name} ({share_percent(old.share)} % of frames) to {new.name} ({share_percent(new.share)} %)."
    most = max(before.limits, key=lambda limit: limit.share)
    still = next((limit.share for limit in after.limits if limit.code == most.code), 0.0)
    if most.code < 0:
        return f"{_MOSTLY[most.code]} {share_percent(most.share)} % of the frames before and {share_percent(still)} % after."
    return f"{most.name} limits {share_percent(most.share)} % of the frames before and {share_percent(still)} % after."


def run_sentence(found: LanesFound | None) -> str:
    """What limits the frames of one run: shares without an interval, since one run has none."""
    if found is None:
        return NO_LANES
    if not found.limits:
        return overlap_sentence(found)
    most = max(found.limits, key=lambda limit: limit.share)
    share = f"{share_percent(most.share)} % of the frames"
    said = f"{_MOSTLY[most.code]} {share}" if most.code < 0 else f"{most.name} limits {share}"
    return f"{said}. {overlap_sentence(found)}"


def headroom_sentence(found: LanesFound) -> str:
    """What is left under the budget by the mean frame and by its 99th percentile, or why it is not told."""
    room = found.headroom
    if room.refused or room.mean_ms is None or room.p99_ms is None:
        unexplained = next((limit.share for limit in found.limits if limit.code == -3), 0.0)
        return REFUSED[room.refused or "not-told"].replace("{percent}", share_percent(unexplained))
    said = f"{_left(room.mean_ms, room.mean_half)} in the mean frame, {_left(room.p99_ms, room.p99_half)} at the 99th percentile"
    if room.worst_mean_ms is not None:
        said += f"; {_left(room.worst_mean_ms, None)} in the mean frame if the lanes follow each other"
    return said + _at_least(found, room)


def _left(ms: float, half: float | None) -> str:
    return f"{_ms(abs(ms), half)} {'left' if ms >= 0 else 'over'}"


def _at_least(found: LanesFound, room: Headroom) -> str:
    """Machines may lower their clocks while a cap lets them wait."""
    paced = next((limit.share for limit in found.limits if limit.code == -2), 0.0)
    return "; at least this much, since clocks may be lowered while frames wait" if paced > 0.5 else ""


def lane_sentence(change: LaneChange) -> str:
    """How a lane's ms a frame changed, with its interval; "not shown" where it may be none."""
    if change.low_ms is None or change.high_ms is None or change.p_value is None:
        return "not tested"
    if change.p_value > ALPHA:
        return "not shown"
    return "less" if change.d_ms < 0 else "more"


def lane_words(change: LaneChange) -> dict[str, str]:
    """The row as it is written: digits by the interval, the difference in the column it belongs to."""
    return row_words_of(change.before_ms, change.after_ms, change.d_ms, change.low_ms, change.high_ms, 2)


def row_words_of(
    before: float, after: float, d: float, low_ms: float | None, high_ms: float | None, most: int
) -> dict[str, str]:
    half = None if low_ms is None or high_ms is None else (high_ms - low_ms) / 2.0
    digits = decimals_for(half, most)
    low, high = sorted((abs(low_ms or 0.0), abs(high_ms or 0.0)))
    interval = f"{number(low, digits)} to {number(high, digits)}"
    if half is None:
        interval = ""
    elif (low_ms or 0.0) < 0 < (high_ms or 0.0):
        interval = f"{number(-(low_ms or 0.0), digits)} saved to {number(high_ms or 0.0, digits)} spent"
    return {
        "before": number(before, digits),
        "after": number(after, digits),
        "difference": number(abs(d), digits),
        "column": "saved" if d < 0 else "spent",
        "interval": interval,
    }


def cores_words(row: CoreTime) -> dict[str, str]:
    """A row of processor time over cores: core-ms a frame, how many cores that keeps busy, and the least it needs."""
    busy = [number(value, 2) for value in row.busy]
    least = "" if row.least_ms is None else _from_to([number(value, 2) for value in row.least_ms])
    chain = "" if row.chain_ms is None else _from_to([number(value, 2) for value in row.chain_ms])
    return {
        **row_words_of(row.before_ms, row.after_ms, row.d_ms, row.low_ms, row.high_ms, 2),
        "busy": _from_to(busy),
        "least": least,
        "chain": chain,
    }


def cores_sentence(row: CoreTime) -> str:
    if row.p_value is None:
        return "not tested"
    return "not shown" if row.p_value > ALPHA else "less" if row.d_ms < 0 else "more"


_UNTESTED = {"too-few-events": "too few of them", "no-runs": "not tested"}


def wait_sentence(found: Wait) -> str:
    """ "1.20 to 0.40 ms a frame, in 31.0 to 12.0 % of frames"."""
    ms = _from_to([number(found.before_ms, 2), number(found.after_ms, 2)])
    share = _from_to([share_percent(found.before_share), share_percent(found.after_share)])
    over = (
        f"; longer than the lane itself in {share_percent(found.over)} %: what is reported does not fit"
        if found.over > 0.05
        else ""
    )
    return f"{ms} ms a frame, in {share} % of frames{over}"


def kind_sentence(found: KindTotal) -> str:
    """One kind over all lanes, and what is hidden while it is shown alone."""
    own = _from_to([number(found.before_ms, 2), number(found.after_ms, 2)])
    hidden = _from_to([number(found.hidden_before_ms, 2), number(found.hidden_after_ms, 2)])
    return f"{found.kind}, over all lanes: {own} ms a frame; hidden are {hidden} ms of other parts"


def machine_sentence(before: Sequence[float], after: Sequence[float], digits: int) -> str:
    """Means of both arms, and the range over their runs."""
    sides = [number(sum(arm) / len(arm), digits) for arm in (before, after)]
    every = [*before, *after]
    return f"{_from_to(sides)} ({number(min(every), digits)} to {number(max(every), digits)} over all runs)"


def part_name(row: PartChange) -> str:
    return "and the rest" if row.kind == "rest" else row.path[-1]


def part_sentence(row: PartChange) -> str:
    """What the runs show of a part."""
    if row.untested or row.p_value is None:
        return _UNTESTED.get(row.untested, "not tested")
    if row.kind in ("only before", "only after"):
        return f"{row.kind}{'' if row.p_value <= ALPHA else ', by few runs'}"
    return "not shown" if row.p_value > ALPHA else "less" if row.d_ms < 0 else "more"


def part_page_sentence(row: PartChange) -> str:
    """ "steer boats takes 5.23 ms a frame after, 7.98 before: 2.75 ms less (2.70 to 2.80)." """
    words = part_words(row)
    name = row.path[-1]
    if row.kind in ("only before", "only after"):
        ms = row.before.ms if row.kind == "only before" else row.after.ms
        return f"{name} is {row.kind}: {number(ms, 3)} ms a frame."
    head = f"{name} takes {words['after']} ms a frame after, {words['before']} before"
    if row.untested or row.p_value is None:
        return f"{head}: {part_sentence(row)}."
    if row.p_value > ALPHA:
        return f"{head}: no change is shown (95 % interval {words['interval']})."
    return f"{head}: {words['difference']} ms {part_sentence(row)} (95 % interval {words['interval']})."


def part_words(row: PartChange) -> dict[str, str]:
    """A part's row as it is written: ms, calls a frame, microseconds a call, share of its lane's work."""
    arms = row.before, row.after
    calls = [
        number(arm.calls, 0 if arm.calls >= 100 else 1 if arm.calls >= 10 else 2) if arm.calls else "" for arm in arms
    ]
    each = [
        number(arm.us_a_call, 0 if arm.us_a_call >= 100 else 2) if arm.us_a_call is not None else "" for arm in arms
    ]
    shares = ["" if arm.share is None else share_percent(arm.share) for arm in arms]
    return {
        **row_words_of(row.before.ms, row.after.ms, row.d_ms, row.low_ms, row.high_ms, 3),
        "calls": _from_to(calls),
        "us_a_call": _from_to(each),
        "share": f"{told} %" if (told := _from_to(shares)) else "",
        "split": _split_words(row),
        "each": "; ".join(_each_words(name, row) for name in dict.fromkeys([*row.before.us_each, *row.after.us_each])),
    }


def _each_words(name: str, row: PartChange) -> str:
    """ "12.3 to 9.8 us for each of boats"."""
    sides = [arm.us_each.get(name) for arm in (row.before, row.after)]
    told = _from_to(["" if us is None else number(us, decimals_for(us / 50.0, 3)) for us in sides])
    return f"{told} us for each of {name}"


def _split_words(row: PartChange) -> str:
    """ "calls -0.81 (± 0.08), cost -0.19 (± 0.06)" where the number of calls is another; "" where it is not."""
    split = row.split
    if split is None or split.calls_half is None or split.cost_half is None or abs(split.calls_ms) <= split.calls_half:
        return ""

    def said(ms: float, half: float) -> str:
        digits = decimals_for(half, 3)
        return f"{'+' if ms > 0 else ''}{number(ms, digits)} (± {number(half, digits)})"

    return f"calls {said(split.calls_ms, split.calls_half)}, cost {said(split.cost_ms, split.cost_half)}"


#: A share that moves by less stays; and so many parts are named.
SHARE_STAYS, MOST_SHARES = 0.01, 4


def shares_sentences(rows: Sequence[PartChange]) -> list[str]:
    """Where a share of the lane's work misleads: it stays while the ms change, or moves while they do not."""
    said = []
    for row in rows:
        whole = [arm.ms / arm.share if arm.share else 0.0 for arm in (row.before, row.after)]
        if len(row.path) != 1 or row.kind != "steady" or row.p_value is None or not row.lane or not all(whole):
            continue
        shares = row.before.share or 0.0, row.after.share or 0.0
        stays, moved = abs(shares[1] - shares[0]) < SHARE_STAYS, row.p_value <= ALPHA
        if stays != moved:
            continue
        grown = whole[1] / whole[0] - 1.0
        why = f"since the whole lane {'fell' if grown < 0 else 'grew'} by {number(100 * abs(grown), 0 if abs(grown) >= 0.1 else 1)} %"
        points = f"its share of the work of {row.lane} went from {share_percent(shares[0])} to {share_percent(shares[1])} %, {why}."
        name = row.path[0]
        if moved:
            change = row.after.ms / row.before.ms - 1.0
            verb = "fell" if change < 0 else "grew"
            said.append(
                f"{name} {verb} from {number(row.before.ms, 2)} to {number(row.after.ms, 2)} ms ({number(100 * change, 1)} %); {points}"
            )
        else:
            said.append(
                f"{name} is not shown to have changed ({number(row.before.ms, 2)} and {number(row.after.ms, 2)} ms); {points}"
            )
    return said[:MOST_SHARES]


def carried_sentence(rows: Sequence[RowChange], before: LanesFound, after: LanesFound) -> str:
    """What carries most of what the frame saved, or spent; where another lane took over, that comes first."""
    tops = [row for row in rows if top(row.key)]
    if not tops:
        return ""
    total = sum(row.d_ms for row in tops)
    said = f"The frame {'saved' if total < 0 else 'spent'} {number(abs(total), 2)} ms; these rows add up to it."
    shown = [r for r in tops if r.p_value is not None and r.p_value <= ALPHA and r.kind in ("part", "lane", "rest")]
    most = max(shown, key=lambda row: abs(row.d_ms), default=None)
    if most is None:
        return said
    if abs(most.d_ms) > abs(total):
        was = {limit.name: limit.share for limit in before.limits if limit.code >= 0}
        now = {limit.name: limit.share for limit in after.limits if limit.code >= 0}
        lane = max(was, key=lambda name: abs(now.get(name, 0.0) - was[name]), default="")
        if lane:
            said += f" {lane} limits {share_percent(was[lane])} % of the frames before and {share_percent(now.get(lane, 0.0))} % after: rows of parts that did not change move with it."
        return said
    name = most.path[-1] if most.path else f"the rest of {most.lane}" if most.kind == "rest" else most.lane
    return f"{said} Most of it is in {name}: {number(abs(most.d_ms), 2)} ms {'saved' if most.d_ms < 0 else 'spent'}."


def _from_to(pair: list[str]) -> str:
    """ "34.0" of both, "34.0 to 27.1" where they differ, "none to 27.1" where the first has none."""
    before, after = pair
    if before == after:
        return before
    return f"{before or 'none'} to {after or 'none'}"


def parts_notes(rows: Sequence[PartChange]) -> list[str]:
    over = [row for row in rows if row.over]
    notes = [
        f"The parts of {' / '.join((row.lane or 'the frame', *row.path))} are more than the whole: some were timed twice, or run beside it."
        for row in over
    ]
    summed = [row.path[-1] for row in rows if row.summed]
    if summed:
        notes.append(f"Not timed themselves, the sum of what lies in them: {', '.join(summed)}.")
    notes += [
        f"{gone.path[-1]} ({number(gone.before.ms, 2)} ms) is gone and {new.path[-1]} ({number(new.after.ms, 2)} ms) is new in the same place: renamed?"
        for gone, new in renamed(rows)
    ]
    return notes


def no_limit(found: LanesFound) -> str:
    """In the place of shares of an arm whose frames no lane limits alone."""
    return "all together" if found.overlap.call == "serial" else "not told"


def share_words(limit: Limit) -> dict[str, str]:
    """ "83 %" and "79 to 87", which is "" of a single run."""
    told = (
        "" if limit.low is None or limit.high is None else f"{share_percent(limit.low)} to {share_percent(limit.high)}"
    )
    return {"share": f"{share_percent(limit.share)} %", "interval": told}


def lanes_notes(before: LanesFound, after: LanesFound) -> list[str]:
    notes = []
    for arm, found in (("before", before), ("after", after)):
        if found.not_told > SOME_NOT_TOLD:
            notes.append(
                f"In {share_percent(found.not_told)} % of the frames {arm} a lane is not told; shares are of the others."
            )
        if found.rounded > 0.01:
            notes.append(
                f"{share_percent(found.rounded)} % of the frames {arm} were rounded up to a whole refresh more: what they wait is the screen's, not slack."
            )
        notes += [
            f"{name} was reported {lag} frame{'s' if lag > 1 else ''} late {arm}; it is laid where it was done."
            for name, lag in found.lags.items()
        ]
    if before.overlap.call != after.overlap.call:
        notes.append(f"The arms differ in how their lanes add up. After: {overlap_sentence(after)}")
    return notes
