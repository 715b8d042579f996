"""The leaf of stills: pictures of both arms held against each other, by a job; what may differ; what people saw."""

from __future__ import annotations

import hashlib
import io
from collections.abc import Sequence
from dataclasses import asdict
from datetime import timedelta
from typing import Any

import numpy as np
from django.utils import timezone
from PIL import Image

from vigilant.core import CORE_VERSION
from vigilant.core.evidence import StillsJudged, judge_sequence, judge_stills
from vigilant.core.evidence.stills import MOST_RUNS, PLAIN, Limits, Mask, Picture, ink, limits_of, own_pairs
from vigilant.formats import limits
from vigilant.formats.pictures import pixels
from vigilant.server.books.models import LogLine, name_of
from vigilant.server.database import in_transaction
from vigilant.server.entries.models import Comparison, ComparisonRun
from vigilant.server.jobs import services as jobs
from vigilant.server.jobs.models import Job
from vigilant.server.problems import Problem, unprocessable
from vigilant.server.runs.models import Still
from vigilant.wording import evidence as wording

from .models import Found, StillMask, StillRuling

LEAF = "stills"
#: The kind of job that looks for what leaves find; it holds the pictures against each other too.
REMARKS = "find remarks"
#: After a comparison that failed another is begun by a look only so much later.
AGAIN_MIN = 10
#: So many stills of an entry are compared; of more the first.
MOST_COMPARED = 100

Key = tuple[str, str]
OfArms = dict[str, list[Still]]


def begin(comparison: Comparison) -> None:
    """A job looks into every leaf, the pictures among them."""
    jobs.start(REMARKS, comparison.pk, comparison.book, core=CORE_VERSION)


def _stills(comparison: Comparison) -> dict[Key, OfArms]:
    """By leg and name the stills of each arm, in the order of its runs; without their bodies."""
    used = ComparisonRun.objects.filter(arm__comparison=comparison).order_by("position")
    arms = {run: (arm, place) for place, (run, arm) in enumerate(used.values_list("run_id", "arm__label"))}
    found: dict[Key, OfArms] = {}
    for still in Still.objects.filter(run__in=arms).defer("body"):
        of = found.setdefault((still.leg, still.name), {"before": [], "after": []})
        of[arms[still.run_id][0]].append(still)
    for of in found.values():
        for own in of.values():
            own.sort(key=lambda still: arms[still.run_id][1])
    order = {key: min((s.frame or 0, s.pk) for own in of.values() for s in own) for key, of in found.items()}
    return dict(sorted(found.items(), key=lambda one: order[one[0]]))


def _masks(comparison: Comparison) -> list[StillMask]:
    scenario = comparison.scenario_version.scenario_id
    return list(StillMask.objects.filter(scenario=scenario).select_related("made_by"))


def _asked(stills: dict[Key, OfArms], masks: Sequence[StillMask]) -> str:
    """What the comparison rests on."""
    digests = [
        (key, [(s.digest, s.shows, s.sequence) for own in of.values() for s in own]) for key, of in stills.items()
    ]
    rects = [(m.leg, m.name, m.left, m.top, m.width, m.height) for m in masks]
    return hashlib.sha256(repr((digests, rects)).encode()).hexdigest()


def leaf(comparison: Comparison) -> dict[str, Any]:
    """The leaf as it is known; ``pending`` while its pictures are compared by a job."""
    stills, masks = _stills(comparison), _masks(comparison)
    document: dict[str, list[dict[str, Any]]] = {"stills": [], "sequences": []}
    pending, failed = False, ""
    if stills:
        kept = _kept(comparison, _asked(stills, masks))
        failed = "" if kept else _failed(comparison)
        if kept is None and not failed:
            pending = True
            begin(comparison)
            kept = _kept(comparison, _asked(stills, masks))  # done at once where jobs are inline
        if kept is not None:
            pending, document = False, kept.document
    rulings: dict[tuple[bool, str, str], dict[str, Any]] = {}
    for ruling in comparison.still_rulings.select_related("ruled_by"):
        said = {"state": ruling.state, "why": ruling.why, "by": name_of(ruling.ruled_by), "at": ruling.ruled_at}
        rulings.setdefault((ruling.whole, ruling.leg, ruling.name), said)
    known = [{**row, "ruling": rulings.get((False, row["leg"], row["name"]))} for row in document["stills"]]
    sequences = [{**row, "ruling": rulings.get((True, row["leg"], row["name"]))} for row in document["sequences"]]
    counted = [(row["ruling"] or row)["state"] for row in _counted(known, sequences)]
    return {
        "pending": pending,
        "sentence": failed or wording.stills_sentence(counted, len(sequences)),
        "thresholds": wording.STILL_THRESHOLDS,
        "stills": [
            {
                **row,
                "masks": [_mask(m) for m in masks if (m.leg, m.name) == (row["leg"], row["name"])],
            }
            for row in known
        ],
        "sequences": sequences,
        "runs": [
            {"id": run, "arm": arm}
            for run, arm in ComparisonRun.objects.filter(arm__comparison=comparison)
            .order_by("-arm__label", "position")
            .values_list("run_id", "arm__label")
        ],
    }


def _failed(comparison: Comparison) -> str:
    """Why the pictures were not compared a short while ago: a job that fails is not begun by every look."""
    since = timezone.now() - timedelta(minutes=AGAIN_MIN)
    last = Job.objects.filter(kind=REMARKS, subject=str(comparison.pk)).order_by("-created_at").first()
    if last is None or last.state != Job.State.FAILED or last.finished_at < since:
        return ""
    return f"The pictures could not be compared: {last.problem['detail']} It is tried again in {AGAIN_MIN} minutes."


def _counted(stills: list[dict[str, Any]], sequences: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """What counts by itself: sequences, and stills that are of none."""
    return [*(row for row in stills if not row["sequence"]), *sequences]


def _mask(mask: StillMask) -> dict[str, Any]:
    return {
        "id": mask.pk, "left": mask.left, "top": mask.top, "width": mask.width, "height": mask.height, "why": mask.why,
        "by": name_of(mask.made_by),
    }  # fmt: skip


def _kept(comparison: Comparison, asked: str) -> Found | None:
    found = Found.objects.filter(comparison=comparison, leaf=LEAF, asked=asked, core_version=CORE_VERSION)
    return found.filter(fingerprint=comparison.fingerprint).first()


def compare(comparison: Comparison) -> None:
    """The job's part: hold the pictures against each other where that was not done of these pictures."""
    stills, masks = _stills(comparison), _masks(comparison)
    asked = _asked(stills, masks)
    if not stills or _kept(comparison, asked) is not None:
        return
    rows, sequences = [], []
    looked = dict(list(stills.items())[:MOST_COMPARED])
    grouped: dict[Key, dict[Key, OfArms]] = {}
    for key, of in looked.items():
        if sequence := _any(of).sequence:
            grouped.setdefault((key[0], sequence), {})[key] = of
        else:
            rows.append(_compared(key, of, masks))
    for (leg, name), group in grouped.items():
        pictures, row = _sequence(leg, name, group, masks)
        rows += pictures
        sequences.append(row)
    left = f"only the first {MOST_COMPARED} are"
    rows += [_not_compared(_row(key, of), left) for key, of in stills.items() if key not in looked]
    _keep(comparison, asked, {"stills": rows, "sequences": sequences})


@in_transaction
def _keep(comparison: Comparison, asked: str, document: dict[str, Any]) -> None:
    Found.objects.filter(comparison=comparison, leaf=LEAF).exclude(asked=asked).delete()
    values = {"core_version": CORE_VERSION, "fingerprint": comparison.fingerprint, "document": document}
    Found.objects.update_or_create(comparison=comparison, leaf=LEAF, asked=asked, defaults=values)


def _pictures(stills: Sequence[Still]) -> list[Picture]:
    bodies = Still.objects.in_bulk([s.pk for s in stills])
    return [pixels(bytes(bodies[s.pk].body), s.name) for s in stills]


def covered(masks: Sequence[StillMask], key: Key, width: int, height: int) -> Mask | None:
    """What may differ in a still of this size; None where nothing may."""
    own = [m for m in masks if (m.leg, m.name) == key]
    if not own:
        return None
    made = np.zeros((height, width), bool)
    for mask in own:
        left, top = round(mask.left * width), round(mask.top * height)
        made[top : round((mask.top + mask.height) * height), left : round((mask.left + mask.width) * width)] = True
    return made


def _any(of: OfArms) -> Still:
    return (of["before"] or of["after"])[0]


def _row(key: Key, of: OfArms) -> dict[str, Any]:
    first = _any(of)
    return {
        "leg": key[0],
        "name": key[1],
        "sequence": first.sequence,
        "shows": first.shows,
        "runs": {arm: len(own) for arm, own in of.items()},
        "pair": {arm: str(own[0].run_id) if own else None for arm, own in of.items()},
        "size": [first.width, first.height],
    }


def _not_compared(row: dict[str, Any], why: str) -> dict[str, Any]:
    blank = {"difference": None, "floor": None, "ssim": None, "limits": asdict(PLAIN)}
    return {**row, **blank, "state": "not compared", "said": why}


def _told(row: dict[str, Any], of: OfArms, found: StillsJudged) -> dict[str, Any]:
    """A still's row with what was found of it."""
    if found.difference is not None:
        pair = {arm: str(of[arm][place].run_id) for arm, place in zip(("before", "after"), found.pair, strict=True)}
        row = {**row, "pair": pair}
    return {
        **row,
        "state": found.state,
        "said": wording.still_sentence(found),
        "difference": asdict(found.difference) if found.difference else None,
        "floor": asdict(found.floor) if found.floor else None,
        "ssim": found.ssim,
        "limits": asdict(found.limits),
    }


def _judged(key: Key, of: OfArms, masks: Sequence[StillMask], held: Limits | None = None) -> StillsJudged:
    first = _any(of)
    may_differ = covered(masks, key, first.width, first.height)
    return judge_stills(_pictures(of["before"][:MOST_RUNS]), _pictures(of["after"][:MOST_RUNS]), may_differ, held)


def _compared(key: Key, of: OfArms, masks: Sequence[StillMask]) -> dict[str, Any]:
    if _any(of).shows == Still.Shows.COST:
        return _not_compared(_row(key, of), wording.COST_STILL)
    return _told(_row(key, of), of, _judged(key, of, masks))


def _sequence(
    leg: str, name: str, group: dict[Key, OfArms], masks: Sequence[StillMask]
) -> tuple[list[dict[str, Any]], dict[str, Any]]:
    """The rows of a sequence's pictures, and its own. Its pictures are those that runs of both arms have; its runs those
    that have them all. Pictures are read twice: what may differ is told of all of them first."""
    views = {key: of for key, of in group.items() if _any(of).shows == Still.Shows.VIEW}
    shared = {key: of for key, of in views.items() if of["before"] and of["after"]}
    holding = {
        arm: [s.run_id for s in next(iter(shared.values()))[arm]] if shared else [] for arm in ("before", "after")
    }
    for arm, runs in holding.items():
        have = [{s.run_id for s in of[arm]} for of in shared.values()]
        holding[arm] = [run for run in runs if all(run in own for own in have)][:MOST_RUNS]
    rows = {key: _not_compared(_row(key, of), wording.COST_STILL) for key, of in group.items() if key not in views}
    own = {"leg": leg, "name": name, "pictures": [key[1] for key in group], "share": None, "floor": None}
    if not all(holding.values()):
        having = [arm for arm in ("before", "after") if any(of[arm] for of in views.values())]
        why = wording.sequence_missing(having, [arm for arm in having if not holding[arm]])
        rows |= {key: _not_compared(_row(key, of), why) for key, of in views.items()}
        return [rows[key] for key in group], {**own, "state": "not compared", "said": why}
    used = {key: {arm: [s for s in of[arm] if s.run_id in holding[arm]] for arm in of} for key, of in shared.items()}
    wide = [limits_of(own_pairs(_pictures(of["before"]), _pictures(of["after"]))) for of in used.values() if _even(of)]
    held = Limits(
        max((w.channel for w in wide), default=PLAIN.channel), max((w.mean for w in wide), default=PLAIN.mean)
    )
    judged = [_judged(key, of, masks, held) for key, of in used.items()]
    first = _any(next(iter(used.values())))
    found = judge_sequence(judged, first.width * first.height)
    for (key, of), one, state in zip(used.items(), judged, found.pictures, strict=True):
        rows[key] = {**_told(_row(key, of), of, one), "state": state}
    rows |= {
        key: _told(_row(key, of), of, judge_stills(_pictures(of["before"][:1]), _pictures(of["after"][:1])))
        for key, of in views.items()
        if key not in shared
    }
    said = wording.sequence_sentence(found)
    return [rows[key] for key in group], {
        **own, "state": found.state, "said": said, "share": found.share, "floor": found.floor,
    }  # fmt: skip


def _even(of: OfArms) -> bool:
    return len({(s.width, s.height) for own in of.values() for s in own}) == 1


def remarks(comparison: Comparison) -> list[str]:
    """Pictures that changed, as far as people do not say otherwise."""
    document = leaf(comparison)
    return [
        wording.still_remark(
            f"{'sequence' if 'pictures' in row else 'picture'} {row['name']}",
            row["leg"],
            row["said"],
            row["ruling"],
            comparison.verdict == "gain",
        )
        for row in _counted(document["stills"], document["sequences"])
        if (row["ruling"] or row)["state"] in ("changed", "changed in motion")
    ]


def still_at(comparison: Comparison, leg: str, name: str) -> dict[str, Any]:
    """What is known of one still. Raises a problem."""
    found = next((row for row in leaf(comparison)["stills"] if (row["leg"], row["name"]) == (leg, name)), None)
    if found is None:
        raise Problem(404, "still-missing", f"No run of this entry has a still {name[:100]!r} there.")
    return found


def difference_picture(comparison: Comparison, leg: str, name: str) -> bytes:
    """The difference of the median pair as ink on paper, a PNG. Raises a problem."""
    row = still_at(comparison, leg, name)
    if row["difference"] is None:
        raise unprocessable("still-not-compared", f"The pictures of {name} are not compared: {row['said']}.")
    both = [Still.objects.get(run=row["pair"][arm], name=name) for arm in ("before", "after")]
    before, after = _pictures(both)
    mask = covered(_masks(comparison), (leg, name), both[0].width, both[0].height)
    out = io.BytesIO()
    Image.fromarray(ink(before, after, mask, Limits(**row["limits"]))).save(out, "PNG")
    return out.getvalue()


def rule(comparison: Comparison, user: Any, leg: str, name: str, whole: bool, state: str, why: str) -> None:
    """Write down what somebody saw, of a still or of a ``whole`` sequence. Raises a problem."""
    if whole:
        if not any((row["leg"], row["name"]) == (leg, name) for row in leaf(comparison)["sequences"]):
            raise Problem(404, "sequence-missing", f"No run of this entry has a sequence {name[:100]!r} there.")
    elif still_at(comparison, leg, name)["shows"] == Still.Shows.COST:
        raise unprocessable("still-of-cost", "A picture of cost is not held for a changed view.")
    said = {"leg": leg, "name": name, "whole": whole, "state": state, "why": why}
    StillRuling.objects.create(comparison=comparison, ruled_by=user, **said)
    LogLine.write("still looked at", f"{name}: {state}", by=user, book=comparison.book)
    begin(comparison)


def mask(comparison: Comparison, user: Any, leg: str, name: str, why: str, **box: float) -> None:
    """Let a part of a still differ from now on, in every entry of the scenario. Raises a problem."""
    still_at(comparison, leg, name)
    scenario = comparison.scenario_version.scenario
    if StillMask.objects.filter(scenario=scenario, leg=leg, name=name).count() >= limits.MASKS:
        raise unprocessable("masks-too-many", f"A still may have {limits.MASKS} masks.")
    StillMask.objects.create(scenario=scenario, leg=leg, name=name, why=why, made_by=user, **box)
    LogLine.write("still masked", f"{name}: {why}", by=user, book=comparison.book)
    begin(comparison)


def unmask(comparison: Comparison, user: Any, key: int) -> None:
    """Take a mask away. Raises a problem."""
    found = StillMask.objects.filter(scenario=comparison.scenario_version.scenario, pk=key).first()
    if found is None:
        raise Problem(404, "mask-missing", "There is no such mask.")
    found.delete()
    LogLine.write("still unmasked", f"{found.name}: {found.why}", by=user, book=comparison.book)
    begin(comparison)
