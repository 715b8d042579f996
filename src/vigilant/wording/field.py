"""The field in words: what a class meets, what limits it, what goes with lateness, and how two builds differ."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from vigilant.core.field import Compared, Difference, Expected, GoesWith, LeftEarly, Share, Told

from .change import number

#: Sessions a share is called few under.
MANY = 300
LIMITED = {"processor": "the processor", "graphics": "the graphics", "": "not told"}
#: A lane limits a class where so much of its late frames is the lane's.
MOST_OF = 2 / 3
ENDED = {
    "person": "by the person",
    "vanished": "without a word",
    "program": "by the program itself",
    "update": "for an update",
    "crash": "by a crash",
}
REFUSED = {
    "session-refused": "contradicted themselves",
    "too-late": "began over 30 days ago, or in the future",
}


def share(p: float) -> str:
    """A share with digits by its size: 0.42 %, 3.1 %, 12 %."""
    size = 100.0 * p
    return f"{number(size, 2 if size < 1 else 1 if size < 10 else 0)} %"


def goal(p: float) -> str:
    """A share that was chosen: as it was written."""
    return f"{100.0 * p:g} %"


def points(d: float) -> str:
    """A difference of shares, signed."""
    size = 100.0 * abs(d)
    text = number(size, 2 if size < 1 else 1)
    sign = "" if not any(c in "123456789" for c in text) else "+" if d > 0 else "-"
    return f"{sign}{text} points"


def between(low: float | None, high: float | None) -> str:
    """Both ends with the same digits: as many as the lower one needs, and not too many for the higher."""
    if low is None or high is None:
        return ""

    def digits(p: float) -> int:
        return 2 if p < 0.01 else 1 if p < 0.1 else 0

    decimals = min(digits(low), digits(high) + 1)
    return f"{number(100.0 * low, decimals)} to {number(100.0 * high, decimals)} %"


def apart(low: float, high: float) -> str:
    """The ends of a difference of shares, in points."""
    return f"{points(low).removesuffix(' points')} to {points(high)}"


def minutes(value: float) -> str:
    return number(value, 0 if value >= 10 else 1)


def standing(found: Share, limit: float) -> str:
    """Where a class stands by the goal: *over*, *within*, or neither can be told."""
    if found.low is None or found.high is None:
        return "within" if found.p == 0 else "over"
    return "over" if found.low > limit else "within" if found.high <= limit else "open"


STANDING = {"over": "over the goal", "within": "within the goal", "open": "cannot be told from the goal"}


def limited_by(processor: float, graphics: float, late: float) -> str:
    """Which lane was the busiest in late frames."""
    if late <= 0:
        return ""
    told = processor + graphics
    if told < 0.5 * late:
        return f"{LIMITED['']} for {share(1 - told / late)} of its late frames"
    name, most = ("processor", processor) if processor >= graphics else ("graphics", graphics)
    if most / told < MOST_OF:
        return f"both: processor {share(processor / told)}, graphics {share(graphics / told)} of late frames"
    return f"{LIMITED[name]}, in {share(most / told)} of late frames"


def held(yes: int, untold: int, sessions: int, work_told: bool) -> str:
    """That a refresh holds the class, so that its frames say nothing of room to spare."""
    if not sessions or yes + untold < 0.5 * sessions:
        return ""
    why = "held at the refresh" if yes >= untold else "not told whether held at the refresh"
    return (
        f"{why}: its work times tell what room there is"
        if work_told
        else f"{why}: how much faster it could run is not known"
    )


def few(sessions: int) -> str:
    return f"few sessions: {sessions} of {MANY}" if sessions < MANY else ""


def sessions_over(told: Told, limit: float) -> str:
    return f"{share(told.value)} of sessions are over {goal(limit)} ({between(told.low, told.high)})"


def none_late(most: float) -> str:
    return f"nothing was late; at most {share(most)} of sessions have any"


def folded(names: Sequence[str], sessions: int, most: int, least: int) -> str:
    """Classes of which nothing is shown, and how many sessions more would do."""
    many = f"{len(names)} more classes" if len(names) > 1 else f"One more class ({names[0]})"
    lack = f"; the largest of them needs {least - most} more" if most < least else ""
    return f"{many} with {number(sessions, 0)} sessions, too few to show{lack}."


def headline(
    build: str, over: Sequence[str], open_: Sequence[str], shown: int, limit: float, worst: str, part: float
) -> str:
    """What a build's page says first."""
    if not shown:
        return f"{build}: too few sessions so far to say anything of a class."
    if over:
        said = f"In {build} {_listed(over)} {'is' if len(over) == 1 else 'are'} over {goal(limit)} late"
    else:
        said = f"In {build} no class is shown to be over {goal(limit)} late"
    unsure = f"; of {_listed(open_)} it cannot be told" if open_ else ""
    most = f". Of all late minutes {share(part)} are {worst}'s" if worst else ""
    return f"{said}{unsure}{most}."


def _listed(names: Sequence[str]) -> str:
    if len(names) == 1:
        return names[0]
    return f"{', '.join(names[:-1])} and {names[-1]}"


# -- builds held against each other

CALLED = {
    "higher": "more is late",
    "lower": "less is late",
    "alike": "it is alike",
    "unclear": "it cannot be told",
    "": "no call",
}
NOT_DEALT = "People choose when they update, so this is no verdict: the bench gives one."
DEALT = "The program dealt the builds at random."


def difference(found: Difference) -> str:
    return f"{share(found.before)} to {share(found.after)}, {points(found.d)} ({apart(found.low, found.high)})"


def compared(found: Compared, before: str, after: str) -> str:
    """Both readings, and where their signs differ, why."""
    crude, alike = found.crude, found.alike
    if alike is None:
        return f"No class has sessions enough in {before} and in {after}."
    total, within = CALLED[crude.call()], CALLED[found.call()]
    if found.call() == "":
        return f"In total {total}. Class by class only {share(found.covered)} of frames can be held against each other: no call."
    if total == within:
        return f"In total and class by class {total}."
    return f"In total {total}; class by class {within}{': other devices play it now' if found.mix_shift > 0.1 else ''}."


def mixed(found: Compared) -> str:
    return f"The mix of classes moved by {share(found.mix_shift)}; {share(found.covered)} of frames are in classes with sessions enough in both."


# -- labels, and sessions left early


def excess(part: float) -> str:
    """A part of all late frames beyond what unlabelled play would have had."""
    return f"{'-' if part < 0 else ''}{share(abs(part))}"


UNLABELLED = "no label"


def set_name(names: Sequence[str]) -> str:
    if not names:
        return UNLABELLED
    return f"only {names[0]}" if len(names) == 1 else f"shared by {_listed(names)}"


def goes_with(label: str, found: GoesWith | None, p: float | None) -> str:
    """What a label goes with in the same place, tier and class; ``p`` after Holm over labels."""
    if found is None:
        return "is nowhere both there and not there: nothing to hold it against"
    if not found.told:
        return f"only {share(found.used)} of its frames can be held against the same place, tier and class without it: no call"
    assert p is not None
    said = f"{points(found.d)} ({apart(found.low, found.high)})"
    if p < 0.05:
        return f"goes with {'more' if found.d > 0 else 'less'} lateness in the same place, tier and class: {said}"
    return f"nothing shown in the same place, tier and class: {said}"


def left_early(found: LeftEarly) -> str:
    if found.ratio is None or found.low is None or found.high is None or found.p is None:
        return f"Too few endings near a late burst to tell ({found.pairs:.0f}; 50 are asked for)."
    ratio = f"{number(found.ratio, 2)} times as often ({number(found.low, 2)} to {number(found.high, 2)})"
    caution = f" {found.pairs:.0f} endings tell it; 50 are asked for." if found.few else ""
    if found.p < 0.05:
        return f"Sessions end {ratio} within 10 s after a late burst as half a minute later: the end goes with it, which does not say because.{caution}"
    return f"It is not shown that sessions end more often within 10 s after a late burst: {ratio}.{caution}"


def endings(counts: Mapping[str, int]) -> list[tuple[str, int]]:
    return [(said, counts.get(how, 0)) for how, said in ENDED.items() if counts.get(how, 0)]


def other(told: Told, limit_ms: float) -> str:
    """The late share of a histogram in bounds of its own: no nearer than these."""
    if told.low == told.high:
        return f"{share(told.low)} over {number(limit_ms, 1)} ms"
    return f"{between(told.low, told.high)} over {number(limit_ms, 1)} ms: its bounds tell no nearer"


# -- a class


def read_off(p: float, value: float, low: float, high: float) -> str:
    """A percentile off a histogram, to half its bucket."""
    if high <= 0 or low >= 1024.0:
        return f"over 1,024 ms, at most {number(high, 0)} ms"
    half = 50.0 * (high - low) / value
    return f"{number(value, 1)} ms (\u2213 {number(half, 1)} %)"


def edges(low: float, high: float) -> str:
    return f"{number(low, 1)} to {number(high, 1)} ms"


def other_models(models: int, part: float) -> str:
    many = f"{number(models, 0)} more models" if models > 1 else "One more model"
    return f"{many} of this class, each of too few installations to be named, hold {share(part)} of its frames."


# -- devices to borrow, and tiers to move


def borrow(cumulated: Sequence[float], limit: float) -> str:
    """How much of what is beyond the goal the first of a list hold."""
    if not cumulated:
        return f"No model holds anything beyond {goal(limit)} late."
    enough = next((i for i, part in enumerate(cumulated) if part >= 0.6), len(cumulated) - 1)
    count = enough + 1
    many = "This one holds" if count == 1 else f"These {_COUNT.get(count, str(count))} hold"
    return f"{many} {share(cumulated[enough])} of what is late beyond {goal(limit)}."


_COUNT = {2: "two", 3: "three", 4: "four", 5: "five", 6: "six", 7: "seven", 8: "eight", 9: "nine", 10: "ten"}


def expected(found: Expected | None) -> str:
    return "" if found is None else f"{share(found.p)} ({between(found.low, found.high)})"


BASIS = {
    "seen": "as seen",
    "models": "by models seen at both tiers",
    "scaled": "its own work times, scaled by models seen at both",
    "extrapolated": "extrapolated: outside what models seen at both tell",
}
MOVES = {
    "down": "down a tier",
    "up": "up a tier",
    "stay": "stay",
    "the tier is not what makes it late": "stay: the tier is not what makes it late",
}
HELD_REFUSED = "held at the refresh: how much faster it could run is not known, so nothing is advised"
PERSON_ONLY = "set by persons alone: chosen because it was slow, so nothing is advised"


def proposed(move: str, waits: str) -> str:
    said = MOVES[move]
    return f"{said}: {waits}" if waits and move == "stay" else said


def late_since(days: int, need: int) -> str:
    return f"over the goal for {days} days; moved after {need}" if days < need else ""


NO_TIER = {-1: "no tier below that the program sets", 1: "no tier above that the program sets"}


def too_few_models(least: int, tier: str) -> str:
    return f"fewer than {least} models were seen here and at {tier}, with sessions enough at both"


def split(odds: float, below: int, models: int) -> str:
    return f"two kinds of devices in one tier: {below} of {models} models, and the others with {number(odds, 1)} times their odds of being late; splitting it there would serve both"


def new_lowest(times: float | None, limit: float) -> str:
    if times is None:
        return "no tier would bring it within the goal"
    if times >= 1:
        return "needs none"
    return f"a new lowest tier would have to take {share(1 - times)} less to be within {goal(limit)}"


def new_highest(times: float | None) -> str:
    if times is None or times <= 1:
        return "no room for a higher tier"
    return f"a new highest tier may take {share(times - 1)} more and stay under half the goal"
