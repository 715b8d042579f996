"""Accounts of recordings that switch features or changes, on a terminal and as JSON."""

from __future__ import annotations

from typing import Any

from rich.console import Console
from rich.table import Table

from vigilant.bench.errors import NoRuns
from vigilant.bench.spool import RecordingSpool
from vigilant.core.summary import summarize
from vigilant.core.vary import Contrast, Mixture, Screening, Untangled, mixture, screened, untangled
from vigilant.core.vary.switched import FIGURES
from vigilant.plan import EMPTY, Plan
from vigilant.plan.armref import REFERENCE
from vigilant.plan.switches import scenes
from vigilant.wording import mixture as mixture_wording
from vigilant.wording import switched as wording
from vigilant.wording import untangled as wording_of


def accounts(plan: Plan, spool: RecordingSpool) -> list[Screening]:
    """The account in each of its figures. Raises :class:`NoRuns` without a run with everything on, or with a switch off,
    and what the core raises."""
    runs, order = spool.complete_runs()
    arms = [arm for arm in plan.arms if runs.get(arm.label)]
    off = {arm.label: arm.off for arm in arms if arm.off}
    cures = {arm.label: (arm.name, arm.cures) for arm in arms if arm.cures}
    if not runs.get(REFERENCE) or not (off or cures):
        raise NoRuns("no run with everything on, or none with a switch off, completed")
    labels = [arm.label for arm in arms]
    places = {label: [i for i, at in enumerate(order) if at == label] for label in labels}
    summaries = {label: [summarize(series, plan.policy) for series in runs[label]] for label in labels}
    return [
        screened(
            figure,
            {label: [getattr(s, figure) for s in found] for label, found in summaries.items()},
            places,
            len(order),
            REFERENCE,
            off,
            cures,
            EMPTY if EMPTY in labels else None,
        )
        for figure in FIGURES
    ]


def untangled_accounts(plan: Plan, spool: RecordingSpool) -> tuple[list[str], list[Untangled]]:
    """The changes, and what each brought in each figure. Raises :class:`NoRuns` where a configuration has no complete run."""
    names, values, places, slots = _configurations(plan, spool)
    return names, [untangled(figure, values[figure], places, slots) for figure in FIGURES]


Configured = tuple[list[str], dict[str, dict[tuple[bool, ...], list[float]]], dict[tuple[bool, ...], list[int]], int]


def _configurations(plan: Plan, spool: RecordingSpool) -> Configured:
    """What is switched, one value a run of each figure and configuration, the configurations' slots, and how many there are. Raises
    :class:`NoRuns`."""
    runs, order = spool.complete_runs()
    arms = [arm for arm in plan.arms if arm.on is not None]
    bare = [arm.name for arm in arms if not runs.get(arm.label)]
    if bare:
        raise NoRuns(f"no run of {bare[0]} completed: without it nothing adds up")
    names = list(dict.fromkeys(name for arm in arms for name in arm.on or ()))
    config = {arm.label: tuple(name in (arm.on or ()) for name in names) for arm in arms}
    summaries = {arm.label: [summarize(series, plan.policy) for series in runs[arm.label]] for arm in arms}
    places = {config[label]: [i for i, at in enumerate(order) if at == label] for label in config}
    values = {
        figure: {config[label]: [float(getattr(s, figure)) for s in found] for label, found in summaries.items()}
        for figure in FIGURES
    }
    return names, values, places, len(order)


def mixtures(plan: Plan, spool: RecordingSpool) -> tuple[list[str], list[Mixture]]:
    """The loads, and what they take together beyond their sum in each figure. Raises :class:`NoRuns`."""
    names, values, places, slots = _configurations(plan, spool)
    nothing, *parts, together = scenes(len(names))
    slots_of = [places[scene] for scene in (nothing, *parts, together)]
    return names, [
        mixture(figure, own[nothing], [own[part] for part in parts], own[together], slots_of, slots)
        for figure, own in values.items()
    ]


def print_mixture(console: Console, names: list[str], found: list[Mixture]) -> None:
    """What each load takes, what they take together, and what that is beyond their sum."""
    for account in found:
        console.print(f"\n{mixture_wording.sentence(account, names)}", highlight=False, style="bold")
        table = Table(box=None, pad_edge=False, header_style="bold", padding=(0, 2, 0, 0))
        table.add_column("Scene", no_wrap=True)
        table.add_column("ms", justify="right", no_wrap=True)
        table.add_column("net of nothing", justify="right", no_wrap=True)
        table.add_row("nothing of them", f"{account.empty_ms:.3f}", "")
        for name, ms in zip((*names, "all together"), (*account.parts_ms, account.mix_ms), strict=True):
            table.add_row(name, f"{ms:.3f}", f"{ms - account.empty_ms:.3f}")
        console.print(table)
        for said in mixture_wording.notes(account):
            console.print(said, highlight=False, style="dim")


def mixture_document(names: list[str], found: list[Mixture]) -> dict[str, Any]:
    """The account as one JSON object."""
    return {
        account.figure: {
            "call": account.call,
            "empty_ms": account.empty_ms,
            "parts": [{"name": n, "ms": ms} for n, ms in zip(names, account.parts_ms, strict=True)],
            "together_ms": account.mix_ms,
            "beyond": _ends(account.beyond),
        }
        for account in found
    }


def print_untangled(console: Console, names: list[str], found: list[Untangled]) -> None:
    """What each change brought, in every figure."""
    for account in found:
        console.print(f"\n{wording_of.sentence(account, names)}", highlight=False, style="bold")
        table = Table(box=None, pad_edge=False, header_style="bold", padding=(0, 2, 0, 0))
        table.add_column("Change", no_wrap=True)
        for head in ("Saved", "Spent", "95 % interval"):
            table.add_column(head, justify="right", no_wrap=True)
        rows = [(names[e.changes[0]], c, e.shown) for e, c in zip(account.effects, account.credit, strict=True)]
        rows += [(wording_of.effect_name(e, names), e.ms, True) for e in account.interactions if e.shown]
        for name, contrast, shown in rows:
            words = wording_of.words_of(contrast, account.off_ms)
            amount = words["difference"] if shown else f"({words['difference']})"
            table.add_row(name, *((amount, "") if words["column"] == "saved" else ("", amount)), words["interval"])
        console.print(table)
        console.print("In brackets: not shown, over all of them.", highlight=False, style="dim")
        for said in (wording_of.gap_sentence(account), *wording_of.notes(account, int(min(account.fit.runs)))):
            if said:
                console.print(said, highlight=False, style="dim")


def untangled_document(names: list[str], found: list[Untangled]) -> dict[str, Any]:
    """The account as one JSON object."""
    return {
        account.figure: {
            "sentence": wording_of.sentence(account, names),
            "credits": [
                {"name": names[e.changes[0]], **_ends(c), "p_value": e.ms.p_value, "shown": e.shown}
                for e, c in zip(account.effects, account.credit, strict=True)
            ],
            "interactions": [
                {"name": wording_of.effect_name(e, names), **_ends(e.ms), "shown": e.shown}
                for e in account.interactions
            ],
            "total": None if account.total is None else _ends(account.total),
            "gap": None if account.gap is None else _ends(account.gap),
        }
        for account in found
    }


def _ends(contrast: Contrast) -> dict[str, Any]:
    return {"ms": contrast.value, "low_ms": contrast.low, "high_ms": contrast.high}


def missing(plan: Plan, found: Screening) -> list[str]:
    """Names of arms without a complete run."""
    there = {row.name for row in found.switches} | {row.name for row in found.cures}
    return [a.name for a in plan.arms if (a.off and a.off not in there) or (a.cures and a.name not in there)]


def print_account(console: Console, plan: Plan, found: list[Screening]) -> None:
    """What each switch saves while all others are on, in every figure."""
    for account in found:
        console.print(f"\n{wording.sentence(account)}", highlight=False, style="bold")
        table = Table(box=None, pad_edge=False, header_style="bold", padding=(0, 2, 0, 0))
        table.add_column("Off alone, or cured", no_wrap=True)
        for head in ("Left ms", "Saved", "Spent", "95 % interval"):
            table.add_column(head, justify="right", no_wrap=True)
        rows = [(f"{row.rank}. {row.name}", row.saved_ms, row.shown) for row in account.switches]
        rows += [(f"   {row.name}", row.net_ms, row.shown) for row in account.cures]
        for name, saved, shown in sorted(rows, key=lambda row: -row[1].value):
            words = wording.words_of(saved, account.on_ms)
            amount = words["difference"] if shown else f"({words['difference']})"
            sides = (amount, "") if words["column"] == "saved" else ("", amount)
            table.add_row(name, words["after"], *sides, words["interval"])
        console.print(table)
        console.print("In brackets: not shown, over all of them.", highlight=False, style="dim")
        for row in account.cures:
            console.print(f"{row.name}: {wording.cure_words(row)}", highlight=False)
        for said in (wording.gap_sentence(account), *wording.notes(account, missing(plan, account), [])):
            if said:
                console.print(said, highlight=False, style="dim")


def document(plan: Plan, found: list[Screening]) -> dict[str, Any]:
    """The account as one JSON object."""

    def ends(contrast: Contrast | None) -> dict[str, Any] | None:
        return None if contrast is None else _ends(contrast)

    return {
        account.figure: {
            "sentence": wording.sentence(account),
            "on_ms": account.on_ms,
            "switches": [
                {
                    "name": r.name,
                    "rank": r.rank,
                    **(ends(r.saved_ms) or {}),
                    "p_value": r.saved_ms.p_value,
                    "shown": r.shown,
                }
                for r in account.switches
            ],
            "cures": [
                {"name": r.name, "of": r.of, **(ends(r.net_ms) or {}), "shown": r.shown, "price": ends(r.price_ms)}
                for r in account.cures
            ],
            "sum": ends(account.sum_ms),
            "total": ends(account.total_ms),
            "gap": ends(account.gap_ms),
            "missing": missing(plan, account),
        }
        for account in found
    }
